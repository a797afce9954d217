package web

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/wording"
	"metrogon/demo"
	"metrogon/web/browser"
)

// hand is a person at a browser.
type hand struct {
	*site
	tab context.Context
}

// chromium is one for all tests; each hand has a tab with cookies, stores and caches of its own. It
// ends with the tests.
var chromium = sync.OnceValues(func() (context.Context, error) {
	ctx, _ := browser.Open(context.Background())
	return ctx, chromedp.Do(ctx)
})

func (s *site) hand(width, height int64) *hand {
	s.Helper()
	ctx, err := chromium()
	require.NoError(s, err)
	tab, close, err := browser.Tab(ctx, width, height)
	require.NoError(s, err)
	s.Cleanup(close)
	h := &hand{s, tab}
	h.do(browser.WatchPolicy())
	return h
}

func (h *hand) do(steps ...browser.Step) {
	h.Helper()
	ctx, stop := context.WithTimeout(h.tab, time.Minute)
	defer stop()
	if err := chromedp.Do(ctx, steps...); err != nil {
		h.Fatalf("%v\nthe page says:\n%s", err, h.text())
	}
}

// run runs a script on the page.
func (h *hand) run(script string) {
	h.Helper()
	_, err := chromedp.Run(h.tab, chromedp.Evaluate[any](script+";null"))
	require.NoError(h, err)
}

func (h *hand) text() string {
	text, _ := chromedp.Run(h.tab, chromedp.Evaluate[string](`document.getElementById("main")?.innerText ?? ""`))
	return text
}

// open goes to a page by its address.
func (h *hand) open(path string) {
	h.Helper()
	h.do(chromedp.Navigate(h.URL+path), browser.See(`main h1`))
}

// press taps a button or link by what stands on it, again where it was put in anew just then.
func (h *hand) press(label string) {
	h.Helper()
	tap := chromedp.Click(chromedp.Search(fmt.Sprintf(
		`//main//*[self::button or self::a or self::summary][normalize-space()=%q]`, label,
	)))
	ctx, stop := context.WithTimeout(h.tab, time.Minute)
	defer stop()
	err := chromedp.Do(ctx, tap)
	for range 3 {
		if err == nil || !strings.Contains(err.Error(), "Could not find node") {
			break
		}
		err = chromedp.Do(ctx, tap)
	}
	if err != nil {
		h.Fatalf("%s: %v\nthe page says:\n%s", label, err, h.text())
	}
	h.settle()
}

// writeOff closes a batch with so many eggs in it, though late ones may still come.
func (h *hand) writeOff(left int) {
	h.Helper()
	h.press("Close, write " + wording.Plural(left, "egg") + " off")
	h.until(`/may still hatch| closed:/.test(document.getElementById("main").innerText)`, "nothing came of closing")
	if strings.Contains(h.text(), "may still hatch") {
		h.press("Yes, it is so")
	}
}

// settle waits until nothing is on its way.
func (h *hand) settle() {
	h.Helper()
	h.until(
		`document.readyState === "complete" && !document.querySelector(".htmx-request")`, "the page never came to rest",
	)
	assert.Empty(h, ask[string](h, `(window.refused ?? []).join("; ")`), "the policy refused something")
}

// until waits for a condition in the page, over as many pages as come meanwhile.
func (h *hand) until(condition, or string) {
	h.Helper()
	holds := chromedp.Poll[bool](condition)
	_, err := chromedp.Run(h.tab, holds)
	for range 5 {
		if err == nil || strings.Contains(err.Error(), "timeout") {
			break
		}
		_, err = chromedp.Run(h.tab, holds) // another page came while this one was read
	}
	if err != nil {
		h.Fatalf("%s: %v\n%s", or, err, h.text())
	}
}

// reads waits until the page says something.
func (h *hand) reads(parts ...string) {
	h.Helper()
	for _, p := range parts {
		quoted, _ := json.Marshal(p)
		h.until(
			fmt.Sprintf(`document.getElementById("main")?.innerText.replace(/\s+/g, " ").includes(%s)`, quoted),
			"the page never said "+p,
		)
	}
}

// fill puts a value into a field, in place of what is in it.
func (h *hand) fill(name, value string) {
	h.Helper()
	script := fmt.Sprintf(
		`(() => { const f = document.querySelector('main [name="%s"]'); f.value = %q;
			f.dispatchEvent(new Event("input", {bubbles: true})); f.dispatchEvent(new Event("change",
			{bubbles: true})); return f.value })()`,
		name, value,
	)
	got, err := chromedp.Run(h.tab, chromedp.Evaluate[string](script))
	require.NoError(h, err, name)
	require.Equal(h, value, got, name)
}

// pick chooses in a list by the words of the entry.
func (h *hand) pick(name, words string) {
	h.Helper()
	script := fmt.Sprintf(
		`(() => { const s = document.querySelector('main [name="%s"]');
			for (const o of s.options) if (o.text.includes(%q)) { s.value = o.value;
			s.dispatchEvent(new Event("change", {bubbles: true})); return o.text } return "" })()`,
		name, words,
	)
	got, err := chromedp.Run(h.tab, chromedp.Evaluate[string](script))
	require.NoError(h, err)
	require.Contains(h, got, words, name)
}

// mark ticks eggs by their numbers.
func (h *hand) mark(numbers ...int) {
	h.Helper()
	for _, n := range numbers {
		h.do(chromedp.Click(chromedp.Search(fmt.Sprintf(`//label[contains(@class, "egg-spot")][i=%q]`, fmt.Sprint(n)))))
		h.until(
			fmt.Sprintf(
				`[...document.querySelectorAll("label.egg-spot")]
					.some(e => e.querySelector("i").textContent === "%d" && e.querySelector("input").checked)`,
				n,
			),
			"the egg was not marked",
		)
	}
}

func (h *hand) collect(pen string, eggs, rejected, daysAgo int) {
	h.Helper()
	h.open("/eggs")
	h.chip(pen)
	h.fill("eggs", fmt.Sprint(eggs))
	h.fill("reason-crack", fmt.Sprint(rejected))
	h.fill("date", h.now.AddDate(0, 0, -daysAgo).Format("2006-01-02"))
	h.press("Enter")
	if strings.Contains(h.text(), "laid on one day?") { // more than so few hens lay
		h.press("Yes, it is so")
	}
	h.reads(fmt.Sprintf("%d eggs from %s", eggs, pen))
}

// chip picks a pen by its name.
func (h *hand) chip(pen string) {
	h.Helper()
	got, err := chromedp.Run(
		h.tab,
		chromedp.Evaluate[bool](fmt.Sprintf(
			`(() => {
				const chips = [...document.querySelectorAll("main .chip")];
				const c = chips.find(c => c.textContent.trim().startsWith(%q));
				c?.querySelector("input").click();
				return Boolean(c);
			})()`,
			pen,
		)),
	)
	require.NoError(h, err)
	require.True(h, got, pen)
}

func (h *hand) newPen(name, kind string) {
	h.Helper()
	h.open("/pens/new")
	h.fill("name", name)
	h.pick("species", kind)
	h.fill("females", "6")
	h.fill("from_on", "2027-01-01")
	h.press("Save")
	h.reads("Saved the pen " + name)
}

func (h *hand) newMachine(name, kind string, rooms map[string]int) {
	h.Helper()
	h.open("/machines/new")
	h.fill("name", name)
	h.pick("kind", kind)
	for field, n := range rooms {
		h.fill(field, fmt.Sprint(n))
	}
	h.press("Save")
	h.reads("Saved the machine " + name)
}

// founded is a new farm, set up through its pages.
func founded(t *testing.T, width, height int64) *hand {
	h := newSite(t).hand(width, height)
	h.open("/")
	for field, value := range map[string]string{
		"farm": "Wickfold", "zone": "UTC", "name": "Anna Wick", "email": "anna@wickfold.example",
		"password": "a-long-password",
	} {
		h.fill(field, value)
	}
	h.pick("temperature", "°C") // whatever country the browser is of
	h.pick("mass", "g")
	h.pick("clock", "24 h")
	h.press("Begin")
	h.reads("Wickfold begins", "Your pens")
	return h
}

// The whole job of a chicken batch through the pages, two pens, mixed ages; the
// figures are worked by hand.
func TestTheWholeJobOfAChickenBatch(t *testing.T) {
	for name, size := range map[string][2]int64{"at a desk": {1280, 800}, "by thumb": {390, 844}} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			wholeJob(t, founded(t, size[0], size[1]))
		})
	}
}

func wholeJob(t *testing.T, h *hand) {
	h.newPen("Barred", "Chicken")
	h.newPen("Speckled", "Chicken")
	h.newMachine("Box", "Hatcher", map[string]int{"hatching-chicken": 15})
	h.newMachine("Cabinet", "Cabinet setter", map[string]int{"setting-chicken": 60})
	h.collect("Barred", 5, 1, 0)
	h.collect("Barred", 5, 0, 4)
	h.collect("Speckled", 12, 2, 8)
	h.press("Take back U") // entered wrongly
	h.reads("Taken back: 12 eggs from Speckled")
	h.collect("Speckled", 10, 0, 8)

	h.open("/set?kind=chicken")
	// Oldest first into a box of 15, of which 85 in 100 are expected to need it: 17.
	h.reads("17 eggs → about", "Mean age 5.9 days.")
	h.press("All")
	// 10 × .68 × (1 + 87/88)/2 + 10 × .68 × 75.33/88 = 12.58; ages (0 + 20 + 80) / 20.
	h.reads(
		"20 eggs → about 13 young", "Mean age 5.0 days.", "Box is too small", "Cabinet has room for 40 more.",
		"Hatch, day 21", "Tue 4 May – Thu 6 May",
	)
	h.press("Set these eggs")
	h.reads("Set 20 eggs as Chicken 27-01 in Cabinet.", "day 0 of 21")

	h.now = noon.AddDate(0, 0, 7)
	h.open("/")
	h.reads("Chicken 27-01 Candle 20 eggs", "Cabinet · day 7 of 21")
	h.do(browser.Click(`.why summary`))
	h.reads("A red web of veins and a dark eye")
	h.press("Candle 20 eggs Chicken 27-01")
	h.reads("egg 1 of 20", "lid open", "a live one today")
	h.press("Chicken 27-01") // from the dark bench to the batch's page
	h.reads("Tap the odd ones")
	h.mark(1, 2, 3)
	h.press("Clear")
	h.reads("3 eggs called clear and taken out")
	h.mark(11)
	h.press("Ring")
	h.reads("1 egg called ring and taken out")
	h.mark(12)
	h.press("Unsure")
	h.reads("1 egg called unsure")
	h.press("All the rest live")
	h.reads("15 eggs called live", "Still in 16", "16 of 19 seen")
	h.reads("70% 7 of 10, 40–89 %", "at least 9 of 10, at most 10") // Wilson: R 4.2.2, 7 of 10

	h.now = noon.AddDate(0, 0, 18)
	h.open("/")
	h.reads("Candle 16 eggs, then lockdown", "Cabinet · day 18 of 21 · into Box, which holds 15")
	h.do(chromedp.Click(chromedp.Search(`//details[contains(., "Candle 16 eggs, then lockdown")]/summary`)))
	h.reads("Stop turning, raise to 65–75 % humidity.")
	h.press("Shut lockdown of Chicken 27-01")
	h.reads("Box is not ready: not ticked: cleaned and sanitized and 6 more steps.")
	h.press("Yes, it is so")
	h.reads("Chicken 27-01 in lockdown in Box.")

	h.now = noon.AddDate(0, 0, 22)
	h.open("/")
	h.reads("Pull the young")
	h.press("Record Chicken 27-01")
	h.reads("Hatched, by pen")
	script := `[...document.querySelectorAll('[name^="hatched-"]')].forEach((f, i) => f.value = [6, 99][i])`
	h.run(script)
	h.press("Record young")
	h.reads("99 young, but 9 eggs left; it may be 0 to 9.")
	kept, err := chromedp.Run(
		h.tab,
		chromedp.Evaluate[string](`[...document.querySelectorAll('[name^="hatched-"]')].map(f => f.value).join()`),
	)
	require.NoError(t, err)
	assert.Equal(t, "6,99", kept, "what was typed comes back")
	h.run(strings.Replace(script, "99", "8", 1))
	h.press("Record young")
	h.reads("14 young hatched")
	h.writeOff(2)
	h.reads("Chicken 27-01 closed: 14 hatched of 20 eggs.")

	h.open("/pens")
	// Barred: 7 of 10 fertile, 6 of 7, 6 of 10. Speckled: at least 9 of 10 (of the unsure
	// one nobody saw the end), 8 of 10. The ranges allow for batches that differ.
	for _, want := range []string{
		"70% 7 of 10", "86% 6 of 7", "60% 6 of 10, 29–84 %", "at least 9 of 10", "80% 8 of 10",
	} {
		h.reads(want)
	}
	h.press("Barred")
	h.reads("11 eggs collected: 10 set, 1 rejected, 0 in store", "The batches behind these figures")
	h.press("Chicken 27-01")
	h.reads("closed", "6 of 7")
}

func TestTheJobOfTheOtherKinds(t *testing.T) {
	t.Parallel()
	h := founded(t, 1280, 800)
	for _, k := range []struct {
		pen, kind, id, code string
		eggs, hatchAfter    int
		due                 string
	}{
		{"Oat line", "Coturnix quail", "coturnix-quail", "Quail 27-01", 24, 18, "day 0 of 17.5"},
		{"Runners", "Duck", "duck", "Duck 27-01", 12, 28, "day 0 of 28"},
		{"Bronze", "Turkey", "turkey", "Turkey 27-01", 8, 28, "day 0 of 28"},
	} {
		h.now = noon
		h.newPen(k.pen, k.kind)
		h.newMachine("Box of "+k.pen, "All-in-one", map[string]int{"setting-" + k.id: 50, "hatching-" + k.id: 40})
		h.collect(k.pen, k.eggs, 0, 0)
		h.open("/set?kind=" + k.id)
		h.reads(fmt.Sprintf("%d eggs → about", k.eggs))
		h.press("Set these eggs")
		h.reads("as "+k.code, k.due)
		h.now = noon.AddDate(0, 0, 8)
		h.press("Candle")
		h.reads("day 8 of")
		h.press("All the rest live")
		h.reads(fmt.Sprintf("%d of %d seen", k.eggs, k.eggs))
		h.press("Into lockdown")
		h.reads("It is due") // a week early
		h.press("Yes, it is so")
		h.reads("in lockdown")
		h.now = noon.AddDate(0, 0, k.hatchAfter)
		h.press("Hatch")
		h.reads("Hatched, by pen")
		h.mark(1)
		h.press("Marked ones hatched")
		h.reads("1 egg hatched")
		h.writeOff(k.eggs - 1)
		h.reads(fmt.Sprintf("closed: 1 hatched of %d eggs", k.eggs))
	}
}

func axe(t testing.TB) string {
	script, err := os.ReadFile("testdata/axe.min.js")
	require.NoError(t, err)
	return string(script)
}

// The rules of axe-core whose answer depends on the size of a page, and on its dress.
var (
	atSize  = []string{"scrollable-region-focusable"}
	inDress = []string{"color-contrast", "link-in-text-block"}
)

// faults runs axe-core on the page, all its rules or these only, and lists what it finds.
func (h *hand) faults(script string, only ...string) string {
	h.Helper()
	if !ask[bool](h, `"axe" in window`) {
		h.run(script)
	}
	options, err := json.Marshal(map[string]any{"runOnly": only})
	require.NoError(h, err)
	if len(only) == 0 {
		options = []byte("{}")
	}
	found, err := chromedp.Run(
		h.tab,
		chromedp.Evaluate[string](
			`axe.run(`+string(options)+`).then(r => r.violations.map(v => v.id + ": " + v.help + " " + v.nodes.slice(0, 3)
				.map(n => n.target + " " + (n.any[0]?.message ?? "")).join(" | ")).join("\n"))`,
			chromedp.EvalAwaitPromise,
		),
	)
	require.NoError(h, err)
	return found
}

// keys presses keys one after the other, wherever the focus is.
func (h *hand) keys(keys ...string) {
	h.Helper()
	for _, k := range keys {
		h.do(chromedp.KeyEvent(k))
	}
}

// tabTo moves the focus with the tab key until it is on what it looks for.
func (h *hand) tabTo(test string) {
	h.Helper()
	for range 250 {
		there, err := chromedp.Run(
			h.tab, chromedp.Evaluate[bool](fmt.Sprintf(`(e => !!(%s))(document.activeElement)`, test)),
		)
		require.NoError(h, err)
		if there {
			return
		}
		h.keys(kb.Tab)
	}
	h.Fatalf("the tab key never reaches %s", test)
}

func TestTheMainJobByKeysAlone(t *testing.T) {
	t.Parallel()
	s := newDemo(t, 1)
	h := s.hand(1280, 800)
	h.do(browser.SignIn(s.URL, demo.Email, demo.Password))
	h.keys("2")
	h.reads("Collected")
	h.tabTo(`e.name === "eggs"`)
	h.keys("7", kb.Enter)
	h.reads("7 eggs from Bronze turkeys")
	h.keys("u")
	h.reads("Taken back: 7 eggs from Bronze turkeys")
	h.do(browser.Click(`h1`))
	h.keys("3")
	h.reads("What comes of it")
	h.tabTo(`e.textContent.trim() === "Set these eggs"`)
	h.keys(kb.Enter)
	h.reads("as Chicken 27-")
	h.tabTo(`e.name === "egg"`)
	h.keys(" ")
	h.tabTo(`e.name === "call" && e.value === "clear"`) // round again
	h.keys(kb.Enter)
	h.reads("Called clear on day 0? Before day 3 nothing is to be seen.")
	h.tabTo(`e.textContent.trim() === "Yes, it is so"`)
	h.keys(kb.Enter)
	h.reads("1 egg called clear and taken out")

	h.now = noon.AddDate(0, 0, 22)
	h.tabTo(`e.textContent.trim() === "Into lockdown"`)
	h.keys(kb.Enter)
	h.reads("in lockdown in")
	h.tabTo(`e.name?.startsWith("hatched-")`)
	h.keys("3", kb.Enter)
	h.reads("3 young hatched")
	h.tabTo(`e.textContent.trim().startsWith("Close, write")`)
	h.keys(kb.Enter)
	h.reads("may still hatch")
	h.tabTo(`e.textContent.trim() === "Yes, it is so"`)
	h.keys(kb.Enter)
	h.reads("closed: 3 hatched of")
}

func TestADayByThumb(t *testing.T) {
	t.Parallel()
	s := newDemo(t, 1)
	h := s.hand(390, 844)
	h.do(browser.SignIn(s.URL, demo.Email, demo.Password))
	small, err := chromedp.Run(
		h.tab,
		chromedp.Evaluate[string](
			`[...document.querySelectorAll("main .button, nav a, nav summary")]
				.filter(b => b.checkVisibility() && b.getBoundingClientRect().height < 40)
				.map(b => b.textContent).join()`,
		),
	)
	require.NoError(t, err)
	assert.Empty(t, small, "too small for a thumb")
	h.do(browser.Click(`nav a[href="/eggs"]`))
	h.reads("Collected")
	h.fill("eggs", "4")
	h.press("Enter")
	h.reads("4 eggs from Bronze turkeys")
	h.do(browser.Click(`nav .more summary`), browser.Click(`nav .more a[href="/pens"]`))
	h.reads("where the true rate lies 95 times in 100")
	h.do(chromedp.NavigateBack())
	h.reads("Last entered")
	before := s.signedIn(demo.Email, demo.Password).find("/", `(\d+) eggs in store`)
	h.do(chromedp.Reload())
	h.reads("Last entered")
	assert.Equal(
		t, before, s.signedIn(demo.Email, demo.Password).find("/", `(\d+) eggs in store`),
		"going back and reloading enters nothing again",
	)
}

func TestAFileThroughThePage(t *testing.T) {
	t.Parallel()
	s := newDemo(t, 1)
	h := s.hand(1280, 800)
	h.do(browser.SignIn(s.URL, demo.Email, demo.Password))
	h.open("/eggs")
	h.do(browser.Click(`a[href="/books/lists/collections"]`))
	h.reads("Eggs gathered, a pen’s of one day a line")
	h.fill("text", "date;pen;species;eggs\n13.04.2027;Barred;chicken;many\n")
	h.press("Look at it")
	h.reads("line 2, sound eggs:", "it may be a whole number")
	h.open("/books/lists/collections")
	for _, press := range []string{"Look at it", "Look again"} {
		if press == "Look at it" {
			h.fill("text", "date;pen;species;eggs\n13.04.2027;Barred;chicken;5\n12.04.2027;New ducks;Ducks;3\n")
		}
		h.press(press)
		h.reads("2 lines, 8 eggs, 0 rejected would come in", "New pens: New ducks (Duck)")
	}
	h.press("Bring them in")
	h.reads("Brought in 2 lines, 8 eggs and 0 rejected from a list, with 1 new pen.")
	h.open("/books/lists/collections")
	h.fill("text", "date;pen;species;eggs\n13.04.2027;Barred;chicken;5\n12.04.2027;New ducks;duck;3\n")
	h.press("Look at it")
	h.reads("Nothing new in this list", "2 lines came in before")
}
