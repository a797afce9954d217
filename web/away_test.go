package web

import (
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/farm"
	"metrogon/web/browser"
)

func (s *site) stored() (eggs int) {
	require.NoError(
		s, s.owner.Pool.QueryRow(s.Context(), `select count(*) from eggs where batch_id is null`).Scan(&eggs),
	)
	return
}

// What was typed stays, and goes out again under the same key: without a network,
// while another writer holds the farm for too long, and where the answer was lost
// after the work was done.
func TestThePageStaysWhenNothingAnswers(t *testing.T) {
	t.Parallel()
	s := benchOf(t, 3)
	h := s.hand(390, 844)
	h.do(browser.SignIn(s.URL, "anna@wickfold.example", "a-long-password"))
	enter := func(eggs string) {
		h.open("/eggs")
		h.chip("Barred")
		h.fill("eggs", eggs)
	}

	enter("6")
	s.cut.Store(true)
	h.press("Enter")
	h.reads("One thing waits on this device", "6 eggs from Barred")
	s.cut.Store(false)
	h.run(`dispatchEvent(new Event("online"))`)
	h.until(`!document.getElementById("waits")`, "it was not sent")
	assert.Equal(t, 6, s.stored())

	enter("7")
	s.mute.Store(true)
	h.press("Enter")
	h.reads("One thing waits on this device")
	assert.Equal(t, 13, s.stored(), "they came in, and nobody was told")
	s.mute.Store(false)
	h.run(`dispatchEvent(new Event("online"))`)
	h.until(`!document.getElementById("waits")`, "it was not sent")
	assert.Equal(t, 13, s.stored(), "and not twice")

	enter("4")
	conn, err := s.owner.Pool.Acquire(t.Context())
	require.NoError(t, err)
	defer conn.Release()
	_, err = conn.Exec(t.Context(), `select pg_advisory_lock(728, 1)`)
	require.NoError(t, err)
	h.press("Enter")
	h.reads("The database does not answer just now", "what you typed is still here")
	_, err = conn.Exec(t.Context(), `select pg_advisory_unlock(728, 1)`)
	require.NoError(t, err)
	h.press("Send again")
	h.reads("4 eggs from Barred")
	assert.Equal(t, 17, s.stored())

	s.cut.Store(true)
	h.do(chromedp.Click(chromedp.CSS(`a[href="/pens"], a[href="/set"]`)))
	h.reads("There is no connection just now", "Try again")
	s.cut.Store(false)
	h.press("Try again")
	h.until(`location.pathname === "/set"`, "the page did not come")
}

// Two people share a phone: what one called without a signal waits for that person,
// and is neither sent nor thrown away by the other.
func TestASharedPhoneKeepsCallsApart(t *testing.T) {
	t.Parallel()
	s := benchOf(t, 4)
	m, err := s.books.People.Owner(t.Context(), "Wickfold")
	require.NoError(t, err)
	require.NoError(
		t, s.books.People.AddPerson(t.Context(), m, "Tobin", "tobin@wickfold.example", "three-oat-lines", "helper"),
	)
	h := s.cellar()
	h.until(`document.getElementById("bench").dataset.kept === "yes"`, "the bench was not kept for later")
	s.cut.Store(true)
	h.keys("l", "l", "l")
	h.reads("Offline: 3 calls wait on this device")
	s.cut.Store(false)
	s.mute.Store(true) // so that they still wait when she signs out
	h.open("/settings")
	h.press("Sign out")
	h.reads("3 calls wait on this device")
	h.press("Send and sign out")
	h.reads("They could not be sent just now. 3 calls wait on this device")
	s.mute.Store(false)
	h.run(
		`const real = fetch; window.fetch = (u, o) => String(u).endsWith("/calls")
			? Promise.reject(new TypeError("no signal")) : real(u, o)`,
	)
	h.press("Keep them here for me, and sign out")
	h.until(`location.pathname === "/sign-in"`, "she was not signed out")

	require.Eventually(t, func() bool { return s.lost.Load() == 0 }, time.Minute, 10*time.Millisecond,
		"what was sent before is still worked on")
	before := s.called()[0]
	h.do(
		browser.SignIn(s.URL, "tobin@wickfold.example", "three-oat-lines"),
		chromedp.Navigate(s.URL+"/batches/1/candle"),
	)
	h.until(`document.getElementById("line").textContent === "All is kept."`, "his own list is not empty")
	assert.Equal(t, before, s.called()[0], "he does not send her calls")
	h.open("/settings")
	h.press("Sign out")
	h.until(`location.pathname === "/sign-in"`, "he was kept from signing out by her calls")

	h.do(
		browser.SignIn(s.URL, "anna@wickfold.example", "a-long-password"), chromedp.Navigate(s.URL+"/batches/1/candle"),
	)
	h.until(`document.getElementById("line").textContent === "All is kept."`, "her calls still wait")
	assert.Equal(t, [3]int{3, 3, 0}, s.called(), "they were sent, once")
}

func TestCallsOfSomebodyElseAreRefused(t *testing.T) {
	t.Parallel()
	s := benchOf(t, 1)
	v := s.signedIn("anna@wickfold.example", "a-long-password")
	op := `[{"key":"` + farm.NewKey() + `","kind":"call","egg":1,"call":"live"}]`
	for who, want := range map[string]int{"1-2": 403, "2-1": 403, "1-1": 200} {
		assert.Equal(t, want, v.json("/batches/1/calls", op, "X-Who", who).status, who)
	}
}
