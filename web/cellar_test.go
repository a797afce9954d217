package web

import (
	"encoding/json"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/candling"
	"metrogon/demo"
	"metrogon/farm"
	"metrogon/farm/candle"
	"metrogon/farm/hatch"
	"metrogon/farm/incubate"
	"metrogon/farm/people"
	"metrogon/farm/snapshot"
	"metrogon/farm/stock"
	"metrogon/standin/scale"
	"metrogon/web/browser"
)

// benchOf sets so many eggs on a new farm, and waits a week.
func benchOf(t testing.TB, eggs int) *site {
	s := newSite(t)
	id, err := s.books.People.SetUp(
		t.Context(),
		people.NewFarm{
			Farm: "Wickfold", Zone: "UTC", Name: "Anna", Email: "anna@wickfold.example", Password: "a-long-password",
		},
		true,
	)
	require.NoError(t, err)
	m, err := s.books.People.Member(t.Context(), id)
	require.NoError(t, err)
	must := func(_ farm.Done, err error) { t.Helper(); require.NoError(t, err) }
	must(s.books.Flock.SavePen(t.Context(), farm.NewRequest(m), snapshot.Pen{
		Name: "Barred", Species: "chicken", FromOn: noon,
	}))
	must(s.books.Machines.SaveMachine(
		t.Context(), farm.NewRequest(m), snapshot.Machine{Name: "Cabinet", Kind: "cabinet"},
		[]snapshot.Room{{Species: "chicken", Setting: 320, Hatching: 320}},
	))
	must(s.books.Stock.Collect(t.Context(), farm.NewRequest(m), stock.Collected{
		PenID: 1, LaidOn: m.Date(noon), Eggs: eggs,
	}))
	must(s.books.Incubate.Set(t.Context(), farm.NewRequest(m), incubate.Setting{
		Species: "chicken", SetterID: 1, HatcherID: 1, SetAt: noon,
		Picks: []incubate.Pick{{PenID: 1, LaidOn: m.Date(noon), Eggs: eggs}},
	}))
	s.now = noon.AddDate(0, 0, 7)
	return s
}

func (s *site) cellar() *hand {
	h := s.hand(390, 844)
	h.do(
		browser.SignIn(s.URL, "anna@wickfold.example", "a-long-password"), chromedp.Navigate(s.URL+"/batches/1/candle"),
	)
	h.until(`document.getElementById("now-code").textContent.length > 1`, "the bench did not begin")
	return h
}

// called counts calls, eggs called and eggs taken out in the database.
func (s *site) called() (n [3]int) {
	require.NoError(
		s,
		s.owner.Pool.QueryRow(
			s.Context(),
			`select (select count(*) from calls), (select count(distinct egg_id) from calls),
				(select count(*) from eggs where fate = 'removed')`,
		).Scan(&n[0], &n[1], &n[2]),
	)
	return
}

const kept = `document.getElementById("line").dataset.waiting === "0"`

// Two hundred eggs by keys, faster than any hand: none lost, none twice.
func TestTwoHundredEggsByKeys(t *testing.T) {
	t.Parallel()
	s := benchOf(t, 200)
	h := s.cellar()
	began := time.Now()
	for i := range 200 {
		key := "l"
		if i%10 == 3 {
			key = "c"
		}
		h.keys(key)
	}
	rate := 200 / time.Since(began).Seconds()
	t.Logf("%.0f calls a second", rate)
	assert.Greater(t, rate, 5.0)
	h.until(kept, "the calls were not sent")
	assert.Equal(t, [3]int{200, 200, 20}, s.called())
	h.reads("Every egg is called.", "180 live · 20 clear")
	h.keys(kb.Backspace, "q")
	h.until(kept, "the correction was not sent")
	assert.Equal(t, [3]int{200, 200, 21}, s.called(), "taken back, and called again")
	h.do(chromedp.Navigate(s.URL + "/batches/1"))
	h.reads("Still in 179", "180 of 200 seen")
}

// Two phones, no signal: what each has called waits, outlives a reload, and
// arrives once; what cannot be done any more is shown.
func TestTwoPhonesWithoutASignal(t *testing.T) {
	t.Parallel()
	s := benchOf(t, 101)
	a, b := s.cellar(), s.cellar()
	for _, h := range []*hand{a, b} {
		h.until(`document.getElementById("bench").dataset.kept === "yes"`, "the bench was not kept for later")
	}
	s.cut.Store(true)
	s.CloseClientConnections()
	b.do(chromedp.Click(chromedp.CSS(`.dot:nth-of-type(51)`)))
	for range 50 {
		a.keys("l")
		b.keys("l")
	}
	for _, h := range []*hand{a, b} {
		h.reads("Offline: 50 calls wait on this device")
	}
	a.do(chromedp.Navigate(s.URL + "/batches/1/candle")) // without a signal
	a.reads("Offline: 50 calls wait on this device", "50 live", "egg 51 of 101")
	assert.Zero(t, s.called()[0])
	b.keys("c") // the 101st, which somebody takes out meanwhile
	b.reads("Offline: 51 calls wait on this device")
	m, err := s.books.People.Owner(t.Context(), "Wickfold")
	require.NoError(t, err)
	batch, err := s.books.Incubate.Batch(t.Context(), m, 1)
	require.NoError(t, err)
	_, err = s.books.Hatch.End(
		t.Context(), farm.NewRequest(m), 1,
		hatch.Ending{Eggs: []int64{batch.Pens[0].Eggs[100].ID}, Fate: "removed", Stage: "other"},
	)
	require.NoError(t, err)

	s.cut.Store(false)
	for _, h := range []*hand{a, b} {
		h.until(kept, "the calls were not sent")
	}
	assert.Equal(t, [3]int{100, 100, 1}, s.called(), "a hundred calls, none twice")
	b.reads("Egg 101 is removed already.")
	b.do(chromedp.Reload())
	b.reads("Egg 101 is removed already.")
	b.do(chromedp.Click(chromedp.CSS(`#refused button`)))
	b.until(`document.querySelectorAll("#refused li").length === 0`, "what was seen stays")
	// The times are those of the calls, in one candling.
	var candlings int
	require.NoError(t, s.owner.Pool.QueryRow(t.Context(), `select count(*) from candlings`).Scan(&candlings))
	assert.Equal(t, 1, candlings)
}

// What waits is drawn when the bench is opened again without a signal, and can be taken back there.
func TestWhatWaitsIsDrawnAgain(t *testing.T) {
	t.Parallel()
	s := benchOf(t, 4)
	h := s.cellar()
	h.until(`document.getElementById("bench").dataset.kept === "yes"`, "the bench was not kept for later")
	s.cut.Store(true)
	s.CloseClientConnections()
	h.keys("l", "c", kb.Backspace, "q")
	h.reads("Offline: 4 calls wait on this device")
	h.do(chromedp.Navigate(s.URL + "/batches/1/candle"))
	h.reads("1 live · 1 quit", "egg 3 of 4")
	h.keys(kb.Backspace)
	h.reads("1 live", "egg 2 of 4", "Offline: 5 calls wait")
	s.cut.Store(false)
	h.until(kept, "the calls were not sent")
	assert.Equal(t, [3]int{1, 1, 0}, s.called())
}

// A dark shell: its air cell is noted with a tap, and four days later it has grown.
func TestADarkShellAtTheBench(t *testing.T) {
	t.Parallel()
	s := benchOf(t, 3)
	h := s.cellar()
	h.keys("s")
	h.reads("how far down does the air cell reach?")
	h.keys("2")
	h.until(kept, "the cell was not sent")
	h.reads("air cell of egg", "about 3 % lost")
	h.keys("l")
	assert.True(t, ask[bool](h, `!document.querySelector("[data-cells]:not([hidden])")`), "it goes with the egg")
	h.until(kept, "the call was not sent")
	s.now = s.now.AddDate(0, 0, 4)
	h.do(chromedp.Reload())
	h.reads("3 % lost")
	h.keys("s", "3")
	h.until(kept, "the cell was not sent")
	h.reads("loses water as it should")
	h.keys(kb.Backspace)
	h.until(kept, "the taking back was not sent")
	m, err := s.books.People.Owner(t.Context(), "Wickfold")
	require.NoError(t, err)
	w, err := s.books.Weigh.Water(t.Context(), m, 1)
	require.NoError(t, err)
	assert.Equal(t, 1, w.Dark[0].Looks, "the last look was taken back")
}

// With wet hands: the page hears the scale by itself, tray after tray.
func TestTheScaleIsHeard(t *testing.T) {
	t.Parallel()
	s := benchOf(t, 2)
	h := s.hand(390, 844)
	m, err := s.books.People.Owner(t.Context(), "Wickfold")
	require.NoError(t, err)
	_, err = s.books.Weigh.RenewScaleKey(t.Context(), farm.NewRequest(m))
	require.NoError(t, err)
	h.do(
		browser.SignIn(s.URL, "anna@wickfold.example", "a-long-password"),
		chromedp.Navigate(s.URL+"/batches/1/scale?by=egg&tare=12"),
	)
	h.reads("hands free", "0 of 2 done")
	key := ask[string](h, `document.querySelector("details code:last-of-type").textContent.match(/--key (\S+)/)[1]`)
	sim := scale.Scale{To: s.URL, Key: key}
	put := func(g float64) {
		_, err := sim.Put(t.Context(), g)
		require.NoError(t, err)
	}
	put(72.4)
	h.reads("60.4 g each", "1 of 2 done")
	put(14)
	h.reads("was it 2 ounces?", "put it down again")
	put(70.5)
	h.reads("All weighed")
	assert.Empty(t, h.faults(axe(t)))
	h.press("See what they lost")
	h.reads("Egg by egg", "60.4", "58.5")
}

// Nothing bright: of all colours at most two lie above a luminance of 0.2, and
// no pixel above 0.25.
func TestTheCellarIsDim(t *testing.T) {
	t.Parallel()
	s := benchOf(t, 30)
	h := s.cellar()
	h.keys("l", "c", "u", "q")
	bright := ask[[]string](h, `(() => {
		const linear = v => { v /= 255; return v <= .04045 ? v / 12.92 : ((v + .055) / 1.055) ** 2.4 };
		const lum = c => {
			const [r, g, b] = c.match(/[\d.]+/g).map(linear);
			return .2126 * r + .7152 * g + .0722 * b;
		};
		const seen = new Set();
		for (const e of document.querySelectorAll("body, body *")) {
			if (!e.checkVisibility() || e.matches("input[type=checkbox]") || e.closest(".patterns")) continue;
			const s = getComputedStyle(e);
			for (const p of ["color", "backgroundColor", "borderTopColor", "outlineColor", "fill", "stroke", "stopColor"]) {
				const c = s[p];
				const drawn = !["fill", "stroke", "stopColor"].includes(p) || e.closest("svg");
				const shows = (p !== "outlineColor" || s.outlineStyle !== "none") && drawn;
				if (/^rgb/.test(c) && !/, 0\)$/.test(c) && lum(c) > .2 && shows) seen.add(c);
			}
		}
		return [...seen];
	})()`)
	assert.LessOrEqual(t, len(bright), 2, "%v", bright)
	assert.Equal(
		t, "rgb(0, 0, 0)", ask[string](h, `getComputedStyle(document.querySelector(".cellar")).backgroundColor`),
	)
	script := axe(t)
	assert.Empty(t, h.faults(script))
	assert.LessOrEqual(t, ask[int](h, `document.documentElement.scrollWidth`), 390)
	small := ask[string](
		h,
		`[...document.querySelectorAll(".call-key")].filter(b => b.getBoundingClientRect().height < 52)
			.map(b => b.textContent).join()`,
	)
	assert.Empty(t, small, "too small for a wet thumb")
}

func TestTheBenchAnswersOpByOp(t *testing.T) {
	t.Parallel()
	s := benchOf(t, 3)
	v := s.signedIn("anna@wickfold.example", "a-long-password")
	send := func(ops ...candle.Op) (all []farm.OpDone, status int) {
		body, err := json.Marshal(ops)
		require.NoError(t, err)
		r, err := http.NewRequestWithContext(
			t.Context(), "POST", s.URL+"/batches/1/calls", strings.NewReader(string(body)),
		)
		require.NoError(t, err)
		got := v.send(r)
		if got.status == http.StatusOK {
			require.NoError(t, json.Unmarshal([]byte(got.body), &all))
		}
		return all, got.status
	}
	first := candle.Op{Key: farm.NewKey(), Kind: "call", Egg: 1, Call: candling.Clear, TakeOut: true, At: s.now}
	got, _ := send(first, first, candle.Op{Key: farm.NewKey(), Kind: "call", Egg: 1, Call: candling.Live},
		candle.Op{Key: farm.NewKey(), Kind: "call", Egg: 77, Call: candling.Live}, candle.Op{
			Key: farm.NewKey(), Kind: "dance",
		},
		candle.Op{Key: farm.NewKey(), Kind: "call", Egg: 2, Call: "purple"},
		candle.Op{Key: farm.NewKey(), Kind: "take-back", Of: first.Key},
		candle.Op{Key: farm.NewKey(), Kind: "take-back", Of: farm.NewKey()}, candle.Op{
			Key: farm.NewKey(), Kind: "rest", At: s.now.Add(1000 * time.Hour),
		},
		candle.Op{Key: farm.NewKey(), Kind: "end", Seconds: 1500})
	var says []string
	for _, d := range got {
		says = append(says, fmt.Sprintf("%t %s", d.Done, d.Says))
	}
	assert.Equal(t, []string{"true Chicken 27-01: 1 egg called clear and taken " +
		"out.", "true Chicken 27-01: 1 egg called clear and taken " +
		"out.", "false Egg 1 is removed already.", "false There is no such egg in this batch any more.",
		`false "dance" is nothing that can be done at the bench.`, `false "purple" is no call.`,
		"true Taken back: Chicken 27-01: 1 egg called clear and taken out.",
		"false That never arrived, so there is nothing to take back.",
		"true Chicken 27-01: 3 eggs called live.", "true Chicken 27-01: candling lasted 25 minutes."}, says)
	assert.Equal(t, [3]int{3, 3, 0}, s.called())
	for _, body := range []string{"", "{}", "[1]", `[{"key":5}]`, strings.Repeat("[", 9999)} {
		r, err := http.NewRequestWithContext(t.Context(), "POST", s.URL+"/batches/1/calls", strings.NewReader(body))
		require.NoError(t, err)
		assert.Equal(t, http.StatusBadRequest, v.send(r).status, body)
	}
}

// BenchmarkCall is one call on a batch of 200 eggs, at the server.
func BenchmarkCall(b *testing.B) {
	s := benchOf(b, 200)
	v := s.signedIn("anna@wickfold.example", "a-long-password")
	var took []time.Duration
	i := 0
	for b.Loop() {
		i++
		body := fmt.Sprintf(`[{"key":%q,"kind":"call","egg":%d,"call":"live"}]`, farm.NewKey(), 1+i%200)
		r, err := http.NewRequestWithContext(b.Context(), "POST", s.URL+"/batches/1/calls", strings.NewReader(body))
		require.NoError(b, err)
		began := time.Now()
		if got := v.send(r); !strings.Contains(got.body, `"done":true`) {
			b.Fatal(got.body)
		}
		took = append(took, time.Since(began))
	}
	slices.Sort(took)
	b.ReportMetric(float64(took[len(took)/2].Microseconds())/1000, "median-ms")
}

// A scale is told in a line what is wrong, and that it may send again once the
// database answers.
func TestAScaleIsToldInALine(t *testing.T) {
	t.Parallel()
	s := benchOf(t, 2)
	send := func(key, body string) (int, string) {
		r, err := http.NewRequestWithContext(t.Context(), http.MethodPost, s.URL+"/scale", strings.NewReader(body))
		require.NoError(t, err)
		r.Header.Set("Authorization", "Bearer "+key)
		answer := s.visitor().send(r)
		return answer.status, answer.body
	}
	status, says := send("nobody", `[{"u":"g","v":9}]`)
	assert.Equal(t, http.StatusUnauthorized, status)
	assert.Equal(t, "No farm has a scale with this key.\n", says)
	_, err := s.owner.Pool.Exec(t.Context(), `alter table farms rename to elsewhere`)
	require.NoError(t, err)
	status, says = send("nobody", `[{"u":"g","v":9}]`)
	assert.Equal(t, http.StatusServiceUnavailable, status)
	assert.Equal(t, "The database does not answer just now; send it again.\n", says)
}

// A morning without a signal: Today and the eggs open as they were, what is done there waits, is seen after
// a reload, and arrives once, with the hour at which it was done; who signs out leaves no page behind.
func TestAMorningWithoutASignal(t *testing.T) {
	t.Parallel()
	s := newDemo(t, 0)
	h := s.hand(390, 844)
	h.do(browser.SignIn(s.URL, demo.Email, demo.Password))
	keptPages := `caches.keys().then(async k => {
		const c = await caches.open(k.find(n => n.startsWith("metrogon-bench")) ?? "none");
		return ["/", "/eggs"].every(p => window.kept?.[p]) || (window.kept = Object.fromEntries(await Promise.all(
			["/", "/eggs"].map(async p => [p, Boolean(await c.match(p))]))), false); })`
	h.until(`document.getElementById("main").dataset.kept === "yes"`, "the page was not kept")
	h.run(`window.look = setInterval(() => ` + keptPages + `.then(is => document.body.dataset.both = is), 50)`)
	h.until(`document.body.dataset.both === "true"`, "the pages were not kept")
	before, cared := s.stored(), s.cared()

	s.cut.Store(true)
	s.CloseClientConnections()
	h.do(chromedp.Navigate(s.URL + "/"))
	h.reads("No connection. This page is as of 13:00")
	turn := `[...document.querySelectorAll("form[data-later]")].find(f => f.action.endsWith("/care"))`
	h.run(turn + `.querySelector("button").click()`)
	h.reads("One thing waits on this device")
	h.do(chromedp.Navigate(s.URL + "/eggs"))
	h.reads("No connection")
	h.chip("Barred")
	h.fill("eggs", "6")
	h.press("Enter")
	h.reads("2 things wait on this device", "6 eggs from Barred")
	h.do(chromedp.Navigate(s.URL + "/"))
	h.reads("2 things wait on this device", "6 eggs from Barred")
	h.until(turn+`.closest("li").classList.contains("waits")`, "what was done is not seen after a reload")

	s.cut.Store(false)
	h.run(`dispatchEvent(new Event("online"))`)
	h.until(`!document.getElementById("waits") && !document.getElementById("stale")`, "it was not sent")
	assert.Equal(t, before+6, s.stored())
	assert.Equal(t, cared+1, s.cared())

	h.open("/settings")
	h.press("Sign out")
	h.until(`location.pathname === "/sign-in"`, "not signed out")
	h.run(`caches.keys().then(k => document.body.dataset.caches = k.join())`)
	h.until(`document.body.dataset.caches !== undefined`, "caches are not told")
	assert.Empty(t, ask[string](h, `document.body.dataset.caches`), "a page stays behind")
	r := s.visitor().get("/manifest.webmanifest")
	assert.Equal(t, "application/manifest+json", r.header.Get("Content-Type"))
	assert.Equal(t, 200, s.visitor().get("/assets/icon.svg").status)
}

func (s *site) cared() (n int) {
	require.NoError(s, s.owner.Pool.QueryRow(s.Context(), `select count(*) from care`).Scan(&n))
	return n
}
