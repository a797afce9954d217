package web

import (
	"fmt"
	"net/http"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/farm/people"
	"metrogon/web/browser"
)

// beginner counts what somebody does who begins: a field filled, a box ticked, a button pressed.
type beginner struct {
	*hand
	actions int
}

func (b *beginner) fill(name, value string) { b.Helper(); b.actions++; b.hand.fill(name, value) }
func (b *beginner) pick(name, words string) { b.Helper(); b.actions++; b.hand.pick(name, words) }
func (b *beginner) press(label string)      { b.Helper(); b.actions++; b.hand.press(label) }
func (b *beginner) tick(css string) {
	b.Helper()
	b.actions++
	b.do(browser.Click(css))
}

// From a clone to the first batch in at most 20 actions and 5 minutes: cloning, starting and opening
// the page are three of them.
func TestTheFirstBatchInTwentyActions(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	b := &beginner{s.hand(1280, 800), 3}
	begun := time.Now()
	b.do(chromedp.Navigate(s.URL+"/"), browser.See(".founding h1"))
	b.fill("farm", "Thornby Rise")
	b.fill("name", "Una Marl")
	b.fill("email", "una@thornby.example")
	b.fill("password", words)
	b.tick(`[name="kind"][value="chicken"]`)
	b.press("Begin")
	b.reads("Thornby Rise begins", "Your pens")
	b.fill("females-0", "5")
	b.press("Save and go on")
	b.reads("Your first machine", "✓ Pens")
	b.pick("kind", "All-in-one")
	b.settle()
	b.reads("All-in-one")
	assert.Equal(t, "24", ask[string](b.hand, `document.querySelector('[name="setting-chicken"]').value`), "usual sizes")
	b.press("Save and go on")
	b.reads("Eggs in store", "✓ Machines")
	b.fill("eggs-1", "12")
	b.press("Enter")
	b.reads("12 eggs in store.")
	b.press("Set them")
	b.reads("12 eggs → about")
	b.press("Set these eggs")
	b.reads("Chicken 27-01")
	assert.LessOrEqual(t, b.actions, 20, "actions from a clone to the first batch")
	assert.Less(t, time.Since(begun), 5*time.Minute)
	t.Logf("%d actions", b.actions)
	b.open("/batches/1")
	b.press("Take back: Set 12 eggs as Chicken 27-01 in All-in-one.")
	b.reads("Taken back")
	b.do(chromedp.NavigateBack())
	b.until(`location.pathname === "/batches/1"`, "back did not go back")
	b.reads("What stood here was taken back")
	b.press("To the batches")
	b.reads("Nothing is set.")
	b.open("/")
	assert.NotContains(t, b.text(), "begins")
	b.open("/settings")
	reads := ask[string](b.hand, `document.querySelector('[name="temperature"]').value`)
	assert.Contains(t, []string{"C", "F"}, reads)
	country := ask[string](b.hand, `new Intl.Locale(navigator.language).maximize().region`)
	assert.Equal(t, country == "US", reads == "F", "figures are read as the country of the browser does, %s", country)
}

// A new machine from which nothing could hatch is not taken, and with a hatcher it is.
func TestNoMachineStrandsSet(t *testing.T) {
	s := household(t)
	v := s.signedIn(anna, words)
	cabinet := "kind=cabinet&clean_days=1&counter_from=0&setting-chicken=100&name=Cabinet"
	r := v.typed("/start/machine", cabinet, "hatches=in")
	assert.Contains(t, r.body, "Chicken could hatch nowhere: say how many hatch in Cabinet, or name a hatcher with it.")
	assert.Contains(t, v.typed("/machines/new", cabinet).body, "Chicken could hatch nowhere")
	r = v.typed("/machines/new", cabinet, "hatcher=Hatch+box", "apart-chicken=40")
	require.Equal(t, http.StatusSeeOther, r.status, r.body)
	r = v.typed("/machines/new", cabinet+"+2")
	assert.Equal(t, http.StatusSeeOther, r.status, "a hatcher is there")
}

// The tour has five stops, can be left at each, and a demo farm beside the own is thrown away by one tap.
func TestLookingAround(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	_, err := s.books.People.SetUp(t.Context(), people.NewFarm{
		Farm: "Wickfold", Zone: "UTC", Name: "Anna", Email: anna, Password: words,
	}, true)
	require.NoError(t, err)
	h := s.hand(1280, 800)
	h.do(browser.SignIn(s.URL, anna, words))
	h.open("/?tour=1")
	for stop := 1; stop < 5; stop++ {
		h.reads(fmt.Sprintf("%d of 5.", stop))
		h.press("Next")
	}
	h.reads("5 of 5.")
	h.press("That was it")
	h.open("/settings")
	h.press("Load a demo farm beside mine")
	h.reads("This is a demo farm", "to do")
	h.press("Throw it away")
	h.until(`!document.body.innerText.includes("demo farm with")`, "it is still there")
	h.reads("Four steps to your first batch")
	var farms int
	require.NoError(t, s.owner.Pool.QueryRow(t.Context(), `select count(*) from farms`).Scan(&farms))
	assert.Equal(t, 1, farms)
}
