package web

import (
	"fmt"
	"html"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/demo"
	"metrogon/web/browser"
)

// What no page says of a reptile's eggs while they are in their box.
var never = regexp.MustCompile(
	`(?i)\bturn(s|ed|ing)?\b|lockdown|rotat|storage|in store|\bopen (it|them|an egg)|break.?out`)

// By phone: a clutch is found and put into a new box, the box is weighed twice and given back what it lost, a cold week
// moves the dates, the eggs are looked at where they lie, and both hatch and leave.
func TestAClutchFromFindToYoungByPhone(t *testing.T) {
	t.Parallel()
	h := founded(t, 390, 844)
	h.newPen("Opal × Flint", "Leopard gecko")
	h.newMachine("Gecko shelf", "Reptile incubator", map[string]int{"setting-leopard-gecko": 24})
	h.open("/clutches")
	h.press("Found a clutch")
	h.pick("sired", "nobody knows")
	h.fill("good", "2")
	h.fill("temp", "28")
	h.fill("dry", "150")
	h.reads("150.0 g dry take 135.0 g of water, 0.90 to 1 by weight.")
	h.press("Into the box")
	h.reads("2 eggs of Opal × Flint, set into Box 1 in Gecko shelf", "0% grown")
	h.press("Leopard gecko 27-01")
	h.reads("Weigh it with its lid on", "92 % females")
	due := func() float64 { return h.number(`select extract(epoch from due_at)::float8 / 86400 from batches`) }
	planned := due()
	page := fmt.Sprintf("/clutches/%d", int(h.number(`select id from batches`)))
	weigh := func(mass, gave, says string) {
		h.open(page)
		assert.NotRegexp(t, never, h.text())
		h.fill("mass", mass)
		h.fill("gave", gave)
		h.press("Weighed")
		h.reads(says)
	}
	weigh("420", "", "This is the weight to hold.")
	h.now = noon.AddDate(0, 0, 8)
	weigh("408", "", "Give back 12.0 g, only that")
	weigh("408", "12", "12.0 g were given back")

	h.press("Since when, until when, by night")
	h.fill("temp", "26")
	h.fill("from", noon.AddDate(0, 0, 1).Format("2006-01-02T15:04"))
	h.fill("until", h.now.Format("2006-01-02T15:04"))
	h.press("It is so")
	h.reads("26 °C from")
	assert.InDelta(t, 7*(1-57./70), due()-planned, 0.02, "a week at 26 °C is 57/70 of one at 28")

	h.now = noon.AddDate(0, 0, 14)
	h.open(page + "?do=look")
	both := func() { h.run(`document.querySelectorAll("input[name=egg]").forEach(e => e.click())`) }
	both()
	h.run(`document.querySelector("input[name=sign][value=veins]").click()`)
	h.press("Write it down")
	h.reads("2 eggs pink glow, veins", "2 of 2")

	h.now = noon.AddDate(0, 0, 58)
	h.open(page + "?do=hatch")
	assert.NotRegexp(t, never, h.text())
	both()
	h.press("Marked ones pipped")
	h.reads("2 eggs pipped")
	h.now = noon.AddDate(0, 0, 60)
	h.open(page + "?do=hatch")
	both()
	h.press("Marked ones are out")
	h.reads("2 young out", "2 young in the box still")
	h.now = noon.AddDate(0, 0, 62)
	h.open(page + "?do=hatch")
	h.run(`document.querySelectorAll("input[name=left]").forEach(e => e.type === "checkbox" && e.click())`)
	h.press("They left the box")
	h.reads("2 young left the box")
	h.press("Close Leopard gecko 27-01")
	h.reads("2 hatched of 2")
	h.open("/clutches/rates")
	h.reads("Opal × Flint", "2 of 2")
}

// Every page of a clutch, from its first day to weeks after its span.
func TestNoPageOfAClutchSpeaksOfBirds(t *testing.T) {
	s := newDemo(t, 0)
	v := s.signedIn(demo.Email, demo.Password)
	tags := regexp.MustCompile(`(?s)<(script|style|svg).*?</(script|style|svg)>|<[^>]*>`)
	read := func(path string) string {
		got := v.get(path)
		require.Equal(t, 200, got.status, path)
		_, main, _ := strings.Cut(got.body, "<main")
		return html.UnescapeString(tags.ReplaceAllString(main, " "))
	}
	clutch := v.find("/clutches", `href="(/clutches/\d+)">Leopard gecko`)
	batch := strings.Replace(clutch, "clutches", "batches", 1)
	for day := -38; day <= 60; day += 7 {
		s.now = noon.AddDate(0, 0, day)
		for _, path := range []string{
			clutch, clutch + "?do=look", clutch + "?do=hatch", clutch + "?do=opened", "/clutches", "/clutches/new",
			batch + "/card", "/practice/clutch?a=lewo",
		} {
			text := read(path)
			if day > 30 { // long after its span an egg may be looked into
				text = strings.ReplaceAll(text, "break-out", "")
			}
			at := never.FindStringIndex(text)
			if at != nil {
				assert.Fail(t, "it says "+text[max(0, at[0]-40):min(len(text), at[1]+40)], "%s on day %d", path, day)
			}
		}
	}
	s.now = noon.Add(time.Minute)
	for _, page := range []string{"candle", "trays", "water", "move"} {
		assert.Equal(t, clutch, v.get(batch+"/"+page).header.Get("Location"), "%s is a page of birds", page)
	}
}

// A farm of reptiles alone is told nothing of turning, tilting or keeping eggs, wherever it looks.
func TestAReptilesFarmIsToldOfNoHens(t *testing.T) {
	t.Parallel()
	h := founded(t, 1280, 800)
	h.newPen("Opal × Flint", "Leopard gecko")
	h.newMachine("Gecko shelf", "Reptile incubator", map[string]int{"setting-leopard-gecko": 24})
	v := h.signedIn("anna@wickfold.example", "a-long-password")
	for from, to := range map[string]string{
		"/practice": "/practice/clutch", "/eggs": "/clutches", "/eggs/waiting": "/clutches",
	} {
		r := v.get(from)
		assert.Equal(t, to, r.header.Get("Location"), from)
	}
	nav := regexp.MustCompile(`(?s)<nav.*?</nav>`).FindString(v.get("/").body)
	assert.NotContains(t, nav, `href="/eggs"`)
	assert.NotContains(t, nav, `href="/set"`)
	assert.Contains(t, nav, `href="/clutches"`)
	assert.NotRegexp(t, `(?i)while eggs turn|in lockdown`, v.get("/alarms").body)
	assert.Contains(t, v.get("/alarms").body, "colder than the eggs in it bear")
	assert.Contains(t, v.get("/power").body, "Gecko shelf")
}

// Of males only those who were with the picked female are offered; what was picked stays while the date is put right.
func TestSiresFollowTheDam(t *testing.T) {
	t.Parallel()
	s := newDemo(t, 1)
	h := s.hand(390, 844)
	h.do(browser.SignIn(s.URL, demo.Email, demo.Password))
	h.open("/clutches/new")
	sires := func() string {
		return ask[string](h, `[...document.querySelector("#sires").options].map(o => o.text.trim()).join()`)
	}
	seen := map[string]bool{sires(): true}
	for i := range ask[int](h, `document.querySelector("#dam").options.length`) {
		before := sires()
		h.run(fmt.Sprintf(`(s => { s.selectedIndex = %d; s.dispatchEvent(new Event("change", {bubbles: true})) })(
			document.querySelector("#dam"))`, i))
		if i > 0 {
			h.until(fmt.Sprintf(`[...document.querySelector("#sires").options].map(o => o.text.trim()).join() !== %q`, before),
				"the males of the one before are still offered")
		}
		seen[sires()] = true
	}
	assert.Greater(t, len(seen), 1)
	h.pick("sired", "nobody knows")
	h.run(`(d => { d.value = "2027-04-13T08:00"; d.dispatchEvent(new Event("change", {bubbles: true})) })(
		document.querySelector("#laid-to"))`)
	h.until(`performance.getEntriesByType("resource").some(e => e.name.includes("2027-04-13T08"))`, "nobody asked again")
	h.until(`document.querySelector("#sires").value === "unknown"`, "what was picked is forgotten")
}
