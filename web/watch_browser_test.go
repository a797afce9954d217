package web

import (
	"bufio"
	"context"
	"fmt"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"net/url"
	"runtime"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/farm"
	"metrogon/farm/incubate"
	"metrogon/farm/services"
	"metrogon/farm/snapshot"
	"metrogon/farm/stock"
	"metrogon/web/browser"
)

// hatching is a farm whose only batch, of two pens, is in lockdown and hatches.
func hatching(t testing.TB) *site {
	s := benchOf(t, 8)
	m, err := s.books.People.Member(t.Context(), 1)
	require.NoError(t, err)
	must := func(_ farm.Done, err error) { t.Helper(); require.NoError(t, err) }
	must(s.books.Flock.SavePen(t.Context(), farm.NewRequest(m), snapshot.Pen{
		Name: "Speckled", Species: "chicken", FromOn: noon,
	}))
	s.now = noon
	for pen, eggs := range map[int64]int{1: 6, 2: 6} {
		must(s.books.Stock.Collect(t.Context(), farm.NewRequest(m), stock.Collected{
			PenID: pen, LaidOn: m.Date(noon), Eggs: eggs,
		}))
	}
	must(s.books.Incubate.Set(t.Context(), farm.NewRequest(m), incubate.Setting{
		Species: "chicken", SetterID: 1, HatcherID: 1, SetAt: noon,
		Picks: []incubate.Pick{{PenID: 1, LaidOn: m.Date(noon), Eggs: 6}, {PenID: 2, LaidOn: m.Date(noon), Eggs: 6}},
	}))
	s.now = noon.AddDate(0, 0, 18)
	must(s.books.Hatch.Lockdown(t.Context(), farm.NewRequest(m), 2, 1, time.Time{}))
	s.now = noon.AddDate(0, 0, 21)
	return s
}

// watcher is somebody with a phone beside the machine.
func (s *site) watcher(url string, width, height int64) *hand {
	h := s.hand(width, height)
	h.do(browser.SignIn(url, "anna@wickfold.example", "a-long-password"), chromedp.Navigate(url+"/watch/1"))
	h.until(`document.getElementById("watch")?.dataset.kept === "yes"`, "the watch did not begin")
	return h
}

// young counts what the database knows: eggs known to be out, young counted, pips.
func (s *site) young() (n [3]int) {
	require.NoError(
		s,
		s.owner.Pool.QueryRow(
			s.Context(),
			`select (select count(*) from eggs where fate = 'hatched'),
				(select coalesce(sum(young), 0) from young_counts),
				(select coalesce(sum(n), 0) from hatch_signs where kind = 'pip')`,
		).Scan(&n[0], &n[1], &n[2]),
	)
	return
}

// hit taps what stands there now, on a page that changes under the hand.
func (h *hand) hit(css string) {
	h.Helper()
	h.run(fmt.Sprintf("document.querySelector(%q).click()", css))
}

// Two phones at one load: by egg and by basket, one of them offline for a while; each tap counts
// once, both see the same, and what is taken back is gone.
func TestAHatchByTwoPhones(t *testing.T) {
	t.Parallel()
	s := hatching(t)
	a, b := s.watcher(s.URL, 390, 844), s.watcher(s.URL, 390, 844)
	a.reads("0 of 12 out", "Barred", "Speckled", "0 out of 6")
	a.hit(`.egg:nth-of-type(1)`)
	a.hit(`[data-do=pip]`)
	b.until(`document.querySelectorAll(".egg.pipped").length === 1`, "the other phone did not see the pip")
	s.cut.Store(true)
	s.CloseClientConnections()
	// B counts in a basket without a signal, opens the page again, and counts on.
	b.hit(`.hatch-basket:nth-of-type(2) .basket-head`)
	b.run(`document.getElementById("watch-n").value = 2`)
	b.hit(`[data-do=out]`)
	b.reads("Offline: 1 call waits on this device", "Speckled: 2 out.", "2 out of 6")
	b.do(chromedp.Navigate(s.URL + "/watch/1"))
	b.reads("2 out of 6")
	b.hit(`.hatch-basket:nth-of-type(2) .basket-head`)
	b.hit(`[data-do=out]`)
	b.reads("Offline: 2 calls wait on this device", "3 out of 6")
	assert.Equal(t, [3]int{0, 0, 1}, s.young(), "nothing arrived yet")
	s.cut.Store(false)
	b.until(kept, "the taps were not sent")
	a.until(`document.querySelector(".watch-count b").textContent === "3"`, "A did not hear of it")
	assert.Equal(t, [3]int{0, 3, 1}, s.young())
	// A sees egg 1 come out, by keys, and takes it back.
	a.hit(`.egg.pipped`)
	a.keys("o")
	a.until(`document.querySelector(".watch-count b").textContent === "4"`, "the egg is not out")
	assert.Equal(t, [3]int{1, 3, 1}, s.young())
	a.keys(kb.Backspace)
	a.until(`document.querySelector(".watch-count b").textContent === "3"`, "it was not taken back")
	assert.Equal(t, [3]int{0, 3, 1}, s.young())
	a.keys("n")
	a.until(kept, "the look was not kept")
	// By keys alone: to an egg, picked, pipped; the hand stays where it was.
	a.tabTo(`e.dataset.egg && e.textContent.includes("★") === false`)
	a.keys(" ", "p")
	a.until(kept, "the pip was not kept")
	a.until(`document.activeElement.dataset.egg && document.activeElement.matches(".pipped")`, "the focus was lost")
	assert.Equal(t, [3]int{0, 3, 2}, s.young())
	// More young than eggs are refused, and say so.
	a.hit(`.hatch-basket:nth-of-type(2) .basket-head`)
	a.run(`document.getElementById("watch-n").value = 4`)
	a.hit(`[data-do=out]`)
	a.reads("4 young, but 3 eggs left; it may be 0 to 3.")
	assert.Equal(t, [3]int{0, 3, 2}, s.young())
}

// A duck load from its last candling over the lockdown to the pull, as it is done: candled in the
// dark, led into lockdown, shut with two that have pipped, watched, taken out, closed.
func TestADuckLoadFromLastCandlingToThePull(t *testing.T) {
	t.Parallel()
	h := founded(t, 390, 844)
	h.newPen("Marsh", "Duck")
	h.newMachine("Box", "Hatcher", map[string]int{"hatching-duck": 20})
	h.newMachine("Cabinet", "Cabinet", map[string]int{"setting-duck": 40})
	h.collect("Marsh", 10, 0, 0)
	h.open("/set?kind=duck")
	h.reads("10 eggs → about")
	h.press("Set these eggs")
	h.reads("as Duck 27-01")
	h.now = noon.AddDate(0, 0, 25)
	h.do(chromedp.Navigate(h.URL + "/batches/1/candle"))
	h.until(`document.getElementById("now-code").textContent.length > 1`, "the bench did not begin")
	h.keys("q", "q", "a")
	h.until(kept, "the calls were not kept")
	h.reads("into lockdown, in the same going")
	h.hit(`.bench-head a[href$="/lockdown"]`)
	h.reads("Lockdown of Duck 27-01", "eggs into Box", "Humidity to 70–80 %", "A floor that does not slip")
	h.hit(`.lock-steps button`)
	h.reads("A last look: done.")
	in := ask[int](h, `Number(document.querySelector(".headline").firstChild.textContent)`)
	h.run(`document.querySelector("[name^=basket]").value = "left"; document.querySelector("[name^=pipped]").value = 2`)
	h.hit(`#shut .is-main`)
	h.press("Yes, it is so") // nobody made the hatcher ready
	h.until(`location.pathname === "/watch/1"`, "it does not go on to the watch")
	h.reads(fmt.Sprintf("0 of %d out", in), "left · 0 out of", "2 pips counted", "Wait.")
	h.now = noon.AddDate(0, 0, 28)
	h.do(chromedp.Navigate(h.URL + "/watch/1"))
	h.until(`document.getElementById("watch")?.dataset.begun === "yes"`, "the watch did not begin")
	for range 3 {
		h.hit(`.egg:not(.gone)`)
		h.hit(`[data-do=out]`)
	}
	h.until(`document.querySelector(".watch-count b").textContent === "3"`, "they are not out")
	h.now = noon.AddDate(0, 0, 29).Add(6 * time.Hour)
	h.do(chromedp.Navigate(h.URL + "/watch/1"))
	h.reads("Pull. It is a day since the first", "Nobody has told of a look", "leave the rest")
	h.hit(`#watch-more > details:nth-of-type(2) > summary`)
	h.fill("place", "warm box")
	h.hit(`[value=take-out] ~ button`)
	h.reads("3 to warm box", "0 still in the machine")
	h.now = noon.AddDate(0, 0, 31)
	h.open("/batches/1")
	h.writeOff(in - 3)
	h.reads("closed: 3 hatched of 10 eggs")
}

// What is told of young, of the lid, and the pull, by the page's forms.
func TestTheWatchsForms(t *testing.T) {
	t.Parallel()
	s := hatching(t)
	h := s.watcher(s.URL, 1280, 900)
	h.hit(`.basket-head`)
	h.run(`document.getElementById("watch-n").value = 5`)
	h.keys("o")
	h.until(kept, "the count was not kept")
	h.do(chromedp.Navigate(s.URL + "/watch/1"))
	h.hit(`#watch-more > details:nth-of-type(1) > summary`)
	h.fill("why", "dry ones out")
	h.hit(`[value=open] ~ button`)
	h.reads("last opened", "dry ones out")
	h.hit(`#watch-more > details:nth-of-type(3) > summary`)
	h.reads("5 out, 0 told apart")
	h.fill("colour", "yellow")
	h.run(`document.querySelector("[value=tell]").form.elements.n.value = 3`)
	h.hit(`[value=tell] ~ button`)
	h.reads("5 out, 3 told apart", "yellow")
	h.run(`document.querySelector("[value=tell]").form.elements.n.value = 3`)
	h.fill("colour", "black")
	h.hit(`[value=tell] ~ button`)
	h.reads("2 young of this pen are out and not told apart yet; it may be 1 to 2.")
	h.hit(`#watch-more > details:nth-of-type(2) > summary`)
	h.fill("place", "warm box")
	h.hit(`[value=take-out] ~ button`)
	h.reads("5 to warm box", "0 still in the machine")
	// Where scripts fail the forms are forms.
	v := s.signedIn("anna@wickfold.example", "a-long-password")
	v.post("/watch/1/tap", url.Values{"kind": {"open"}, "why": {"water"}, "minutes": {"3"}, "key": {farm.NewKey()}})
	assert.Contains(t, v.get("/watch/1").body, "opened for 3 minutes: water")
}

// second is another process of the program on the same database.
func (s *site) second() *httptest.Server {
	books := services.New(s.db, func() time.Time { return s.now })
	ctx, stop := context.WithCancel(context.Background())
	s.Cleanup(stop)
	go books.Tell(ctx)
	h, err := New(books, Options{Sessions: s.db.Sessions(), Log: slog.New(slog.DiscardHandler)})
	require.NoError(s, err)
	server := httptest.NewServer(h)
	s.Cleanup(server.Close)
	return server
}

// Four browsers at two processes see a tap within a second; while one process is gone for a while,
// its pages come back by themselves and have missed nothing.
func TestFourBrowsersAtTwoProcesses(t *testing.T) {
	t.Parallel()
	s := hatching(t)
	other := s.second()
	all := []*hand{
		s.watcher(s.URL, 390, 844), s.watcher(s.URL, 390, 844), s.watcher(other.URL, 390, 844),
		s.watcher(other.URL, 1280, 800),
	}
	began := time.Now()
	all[0].hit(`.egg`)
	all[0].hit(`[data-do=out]`)
	var wait sync.WaitGroup
	for _, h := range all {
		wait.Go(func() {
			h.until(`document.querySelector(".watch-count b").textContent === "1"`, "a browser did not hear of it")
		})
	}
	wait.Wait()
	took := time.Since(began)
	t.Logf("four browsers saw it after %d ms, the tap itself included", took.Milliseconds())
	assert.Less(t, took, 4*time.Second, "on a busy machine; 1 s on a quiet one")
	s.cut.Store(true) // the first process goes
	s.CloseClientConnections()
	all[3].hit(`.egg`)
	all[3].hit(`[data-do=out]`)
	all[2].until(`document.querySelector(".watch-count b").textContent === "2"`, "the other process goes on")
	s.cut.Store(false)
	all[1].until(`document.querySelector(".watch-count b").textContent === "2"`, "the page did not come back")
	assert.Equal(t, [3]int{2, 0, 0}, s.young())
}

// Two hundred idle watchers cost next to nothing, and one connection to the database.
func TestTwoHundredIdleWatchers(t *testing.T) {
	s := hatching(t)
	v := s.signedIn("anna@wickfold.example", "a-long-password")
	ctx, stop := context.WithCancel(t.Context())
	defer stop()
	var begun, ended sync.WaitGroup
	for range 200 {
		begun.Add(1)
		ended.Go(func() {
			r, err := http.NewRequestWithContext(ctx, http.MethodGet, s.URL+"/watch/1/live", nil)
			assert.NoError(t, err)
			answer, err := v.Do(r)
			if !assert.NoError(t, err) {
				begun.Done()
				return
			}
			defer func() { _ = answer.Body.Close() }()
			lines := bufio.NewScanner(answer.Body)
			for lines.Scan() && !strings.HasPrefix(lines.Text(), "event: here") {
			}
			begun.Done()
			for lines.Scan() { // until it ends
			}
		})
	}
	begun.Wait()
	assert.Less(t, s.connections(), 40, "a connection each")
	used := func() time.Duration {
		var u syscall.Rusage
		require.NoError(t, syscall.Getrusage(syscall.RUSAGE_SELF, &u))
		return time.Duration(u.Utime.Nano() + u.Stime.Nano())
	}
	runtime.GC()
	cpu, clock := used(), time.Now()
	until := time.NewTimer(3 * time.Second) // what they cost is measured over a time
	<-until.C
	share := 100 * float64(used()-cpu) / float64(time.Since(clock))
	t.Logf("200 idle watchers take %.2f %% of a core", share)
	assert.Less(t, share, 2.0)
	stop()
	ended.Wait()
}

// connections counts those to the database.
func (s *site) connections() (n int) {
	require.NoError(s, s.owner.Pool.QueryRow(
		s.Context(), `select count(*) from pg_stat_activity where datname = current_database()`,
	).Scan(&n))
	return n
}
