package web

import (
	"fmt"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/demo"
	"metrogon/web/browser"
)

// counts are what was written down in a shed: fillings, notes, moves of eggs, care, changes.
func (s *site) counts() (n [5]int) {
	for i, table := range []string{"machine_water", "notes", "egg_moves", "care", "responses"} {
		require.NoError(s, s.owner.Pool.QueryRow(s.Context(), `select count(*) from `+table).Scan(&n[i]))
	}
	return n
}

// A day in the shed by phone: one sitting over a machine by lamp; then the signal is gone, and water, a note, a
// change of sponges, a turn and eggs that go elsewhere are written down all the same, seen after a reload, and
// sent once, with the hour at which they were done.
func TestADayInTheShed(t *testing.T) {
	t.Parallel()
	s := newDemo(t, 0)
	h := s.hand(390, 844)
	h.do(browser.SignIn(s.URL, demo.Email, demo.Password))
	cabinet, duck := "/machines/1", h.path(`//a[starts-with(normalize-space(.), "Duck 27-01")]`)
	h.until(`document.getElementById("main").dataset.kept === "yes"`, "the page was not kept")
	h.run(`window.look = setInterval(async () => {
		const c = await caches.open((await caches.keys()).find(n => n.startsWith("metrogon-bench")) ?? "none");
		document.body.dataset.shed = (await Promise.all(
			[` + fmt.Sprintf("%q, %q", cabinet, duck+"/move") + `].map(p => c.match(p)))).every(Boolean); }, 50)`)
	h.until(`document.body.dataset.shed === "true"`, "the pages of the shed were not kept")

	h.do(chromedp.Navigate(s.URL + cabinet + "/candle"))
	h.until(`document.getElementById("now-code")?.textContent.length > 1`, "the bench did not begin")
	h.keys("l", "l", "c")
	h.until(`document.getElementById("line").textContent === "All is kept."`, "the calls were not sent")
	before := s.counts()

	s.cut.Store(true)
	s.CloseClientConnections()
	h.do(chromedp.Navigate(s.URL + cabinet))
	h.reads("No connection", "Its one air")
	h.fill("poured", "900")
	h.press("Topped up")
	h.reads("Water of Cabinet")
	h.press("Note something, or what happened")
	h.run(`document.querySelector('.noting [name="was"]').value = "lid"`)
	h.fill("minutes", "25")
	h.run(`document.querySelector(".noting form button").click()`)
	h.reads("2 things wait on this device", "A note")
	h.press("Change it: sponge, dish, vents")
	h.fill("now", "44")
	h.press("It is changed")
	h.reads("3 things wait on this device", "A change in Cabinet")
	h.do(chromedp.Navigate(s.URL + duck + "/move"))
	h.reads("No connection")
	h.fill("n", "3")
	many := `document.querySelector('[name="which"][value="n"]').checked`
	assert.True(t, ask[bool](h, many), "the line filled in is meant")
	h.run(`document.querySelector('.target [name="to"]').checked = true`)
	h.fill("why", "under a hen")
	h.press("Move them")
	h.reads("4 things wait on this device", "Move eggs of Duck 27-01")
	h.do(chromedp.Navigate(s.URL + "/"))
	h.reads("4 things wait on this device")
	turn := `[...document.querySelectorAll("form[data-later]")].find(f => f.action.endsWith("/care"))`
	h.run(turn + `.querySelector("button").click()`)
	h.reads("5 things wait on this device")
	assert.Equal(t, before, s.counts(), "nothing arrived yet")

	s.cut.Store(false)
	h.run(`dispatchEvent(new Event("online"))`)
	h.until(`!document.getElementById("waits")`, "it was not sent")
	after := s.counts()
	for i, n := range [5]int{1, 1, 3, 1, 1} {
		assert.Equal(t, before[i]+n, after[i], "%d: sent, and once", i)
	}
	h.do(chromedp.Navigate(s.URL + duck))
	h.reads("Its parts", "Duck 27-01b", "Broody Wren")
	h.do(chromedp.Navigate(s.URL + cabinet))
	h.reads("topped up, 900 ml", "Lid or door ajar, 25 min", "A sponge at")
}

// path gives where a link leads, by what stands on it on the list of batches.
func (h *hand) path(link string) string {
	h.Helper()
	h.open("/batches")
	to := ask[string](h, fmt.Sprintf(
		`document.evaluate(%q, document, null, XPathResult.FIRST_ORDERED_NODE_TYPE).singleNodeValue.getAttribute("href")`,
		link,
	))
	h.open("/")
	return to
}
