package web

import (
	"fmt"
	"os/exec"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/demo"
	"metrogon/web/browser"
)

// number asks the database.
func (s *site) number(sql string, args ...any) (n float64) {
	require.NoError(s, s.owner.Pool.QueryRow(s.Context(), sql, args...).Scan(&n))
	return n
}

// By phone, one tap an egg, beside drawings: fourteen eggs that were taken out or left over; what they showed
// stands by pen, and the report counts it.
func TestFourteenEggsAreOpenedByPhone(t *testing.T) {
	t.Parallel()
	s := newDemo(t, 1)
	id := int(s.number(`
		select b.id
		from batches b
		join eggs e on e.farm_id = b.farm_id and e.batch_id = b.id and e.fate = 'removed' and e.opened is null
		where b.closed_at is not null and b.species = 'chicken'
		group by b.id
		having count(*) >= 14
		order by b.id desc
		limit 1`))
	h := s.hand(390, 844)
	h.do(browser.SignIn(s.URL, demo.Email, demo.Password))
	before := s.number(`select count(*) from break_outs`)
	h.open(fmt.Sprintf("/batches/%d/opened", id))
	likes := []string{"infertile", "infertile", "infertile", "early", "early", "middle", "late", "late", "late", "late",
		"pipped inside", "pipped", "contaminated", "late"}
	tap := func(like string) { h.do(browser.Click(fmt.Sprintf(`button[name="stage"][value=%q]`, like))) }
	h.until(`document.getElementById("page") && navigator.serviceWorker.controller !== undefined`, "no worker")
	s.cut.Store(true) // outdoors: three wait on the phone, the next egg comes into the hand, and they go out once
	s.CloseClientConnections()
	for i, like := range likes[:3] {
		tap(like)
		h.until(fmt.Sprintf(`document.querySelectorAll(".which .waits").length === %d`, i+1), "it was not kept")
	}
	h.reads("3 things wait on this device", "An egg opened")
	assert.Equal(t, before, s.number(`select count(*) from break_outs`), "nothing arrived yet")
	s.cut.Store(false)
	h.run(`dispatchEvent(new Event("online"))`)
	h.until(`!document.getElementById("waits")`, "it was not sent")
	assert.Equal(t, before+3, s.number(`select count(*) from break_outs`))
	h.open(fmt.Sprintf("/batches/%d/opened", id))
	for i, like := range likes[3:] {
		if i+3 == 9 {
			h.run(`document.querySelector('input[name="found"][value="left-wing"]').click()`)
		}
		tap(like)
		h.settle()
		assert.Equal(t, before+float64(i+4), s.number(`select count(*) from break_outs`), "%s was not written down", like)
	}
	assert.Equal(t, before+float64(len(likes)), s.number(`select count(*) from break_outs`))
	assert.Equal(t, 1., s.number(`
		select count(*) from break_outs o join eggs e on e.id = o.egg_id and e.batch_id = $1
		where o.findings @> array['left-wing']`, id), "a malposition")
	h.reads("What they showed", "Pipped inside", "Rotten")
	h.press("Why they died")
	h.reads("What became of the others", "Malpositions", "Next time")
}

// From the pull to the sale: young into the brooder, one lost, some sold, the rest outside; the room follows.
func TestYoungFromThePullToTheSale(t *testing.T) {
	t.Parallel()
	s := newDemo(t, 0)
	h := s.hand(390, 844)
	h.do(browser.SignIn(s.URL, demo.Email, demo.Password))
	h.open("/brooders")
	h.reads("in no brooder yet", "Lamp pen", "22", "Coturnix quail, bought")
	young := s.number(`
		select count(*) from eggs e join batches b on b.id = e.batch_id and b.species = 'chicken' where e.fate = 'hatched'`)
	h.run(`[...document.querySelectorAll("section")].find(s => s.textContent.includes("chicks of Chicken"))
		.querySelector("button").click()`)
	h.reads("young into Lamp pen")
	h.settle()
	housed := s.number(`select sum(heads) from broods where species = 'chicken'`)
	assert.Equal(t, young, housed, "every one that hatched")
	group := int(s.number(`select min(id) from broods where species = 'chicken'`))
	at := fmt.Sprintf("#g%d ", group)
	was := s.number(`select heads from broods where id = $1`, group)
	leave := func(heads, why, field, said, price string) {
		h.run(fmt.Sprintf(`{const g = document.querySelector(%q); g.querySelector("details").open = true;
			const f = g.querySelector('form[action$="/leave"]'); f.heads.value = %q; f.why.value = %q; f[%q].value = %q;
			f.price.value = %q; f.querySelector("button").click()}`, at, heads, why, field, said, price))
	}
	leave("1", "died", "cause", "weak", "")
	h.reads("1 died: weak")
	leave("2", "sold", "buyer", "Mosswick market", "8")
	h.reads("2 sold to Mosswick market for 8.00")
	h.settle()
	h.run(fmt.Sprintf(`{const f = document.querySelector(%q).querySelector('form[action$="/move"]');
		f.place.value = "orchard run"; f.querySelector("button").click()}`, at))
	h.reads("to orchard run", "Grow-out and outside")
	left := s.number(`
		select b.heads - sum(o.heads) from broods b join brood_outs o on o.brood_id = b.id where b.id = $1 group by b.heads`,
		group)
	assert.Equal(t, was-3, left)
	h.run(`[...document.querySelectorAll("button")].find(b => b.textContent.includes("Take back")).click()`)
	h.until(`document.body.innerText.includes("Taken back")`, "it was not taken back")
}

// A power cut that is written down moves the dates of what stood in the machine, on every page.
func TestAPowerCutByHandMovesTheDates(t *testing.T) {
	t.Parallel()
	s := newDemo(t, 0)
	h := s.hand(1280, 800)
	h.do(browser.SignIn(s.URL, demo.Email, demo.Password))
	id := int(s.number(`
		select id from batches where species = 'turkey' and closed_at is null and locked_at is null order by id limit 1`))
	page := fmt.Sprintf("/batches/%d", id)
	hatch := `[...document.querySelectorAll(".dates .hatch dd")].map(d => d.textContent.trim()).join()`
	h.open(page)
	h.until(hatch+`.length > 5`, "the dates are not there")
	before := ask[string](h, hatch)
	require.NotEmpty(t, before)
	h.open("/power")
	now := ask[string](h, `document.querySelector('[name="from"]').max`)
	at, err := time.Parse("2006-01-02T15:04", now)
	require.NoError(t, err)
	h.fill("from", at.Add(-12*time.Hour).Format("2006-01-02T15:04"))
	h.fill("to", now)
	h.fill("room", "14")
	h.press("Write it down")
	h.reads("later hatches", "The dates of each batch are moved.", "Next time")
	assert.Greater(t, s.number(`select late_h from batches where id = $1`, id), 3.)
	h.open(page)
	h.until(hatch+`.length > 5`, "the dates are not there")
	assert.NotEqual(t, before, ask[string](h, hatch), "the hatch is later")
	h.open("/power")
	h.press("Write it down")
	h.open("/")
	h.reads("Power away since", "It is back")
	h.press("What to do")
	h.reads("Leave it shut", "if the power came back now")
}

// The report reads the same on paper and as PDF, and names no people.
func TestTheReportIsPrinted(t *testing.T) {
	t.Parallel()
	s := newDemo(t, 1)
	id := int(s.number(`select max(egg.batch_id) from break_outs o join eggs egg on egg.id = o.egg_id`))
	h := s.hand(1280, 800)
	h.do(browser.SignIn(s.URL, demo.Email, demo.Password))
	path := fmt.Sprintf("/batches/%d/report", id)
	h.open(path)
	h.do(browser.Print())
	printed := ask[string](h, `document.getElementById("main").innerText`)
	lead := ask[string](h, `document.querySelector(".headline").innerText.replace(/\s+/g, " ").trim()`)
	assert.Contains(t, lead, "hatched of")
	assert.NotContains(t, printed, "Put on the list", "no buttons on paper")
	assert.NotContains(t, printed, "Ida", "no names of people")
	v := s.signedIn(demo.Email, demo.Password)
	pdf := v.get(path + ".pdf")
	require.Equal(t, 200, pdf.status)
	read := exec.CommandContext(t.Context(), "pdftotext", "-layout", "-", "-")
	read.Stdin = strings.NewReader(pdf.whole)
	text, err := read.Output()
	require.NoError(t, err)
	said := strings.Join(strings.Fields(string(text)), " ")
	hatched := strings.Fields(lead)[0]
	assert.Contains(t, said, hatched+" hatched of")
	for _, what := range []string{"Report of Chicken", "Hatched of fertile", "Late deaths", "Why", "Next time"} {
		assert.Contains(t, said, what)
		if what != "Report of Chicken" {
			assert.Contains(t, printed, what)
		}
	}
	assert.NotContains(t, said, "Ida")
	h.do(chromedp.Navigate(s.URL + "/"))
}

// Two instruments by phone: one in ice and beside a clinical one, the other beside the first; then a machine is
// read, and its page says what the display must show.
func TestTwoInstrumentsAreChecked(t *testing.T) {
	t.Parallel()
	s := newDemo(t, 0)
	h := s.hand(390, 844)
	h.do(browser.SignIn(s.URL, demo.Email, demo.Password))
	h.open("/instruments")
	h.press("Another instrument")
	h.fill("name", "Blue dial")
	h.press("Add it")
	h.reads("Blue dial", "never checked")
	check := func(name, how string, fields map[string]string) {
		script := fmt.Sprintf(`{const s = [...document.querySelectorAll("section")]
			.find(s => s.querySelector("h2")?.textContent === %q);
			const f = s.querySelector('form [name="how"][value=%q]').form; f.closest("details").open = true;`, name, how)
		for field, text := range fields {
			script += fmt.Sprintf(`f.elements[%q].value = %q;`, field, text)
		}
		h.run(script + `f.querySelector("button").click()}`)
	}
	check("Blue dial", "ice", map[string]string{"shown": "0,4"})
	h.reads("0.4 °C where 0 °C was true, ice")
	check("Blue dial", "clinical", map[string]string{"shown": "38", "truth": "12"})
	h.reads("One thing is not right yet", "is nothing that a clinical thermometer shows")
	check("Blue dial", "clinical", map[string]string{"shown": "37.5", "truth": "36.9"})
	h.reads("-0.6 °C, ± 0.1")
	blue := int(s.number(`select id from instruments where name = 'Blue dial'`))
	check("Red stick", "beside", map[string]string{"shown": "37.4", "other": fmt.Sprint(blue), "by": "37.7"})
	h.reads("37.4 °C where 37.1 °C was true, beside")
	h.open("/machines/2")
	h.pick("instrument", "Blue dial")
	h.fill("gauge_temp", "37.4")
	h.fill("display", "37.5")
	h.run(`document.querySelector('form[action$="/read"] button').click()`)
	h.reads("36.8 °C", "−0.7 °C beside what the eggs want.", "Set it until its display shows 38.2 °C.")
}
