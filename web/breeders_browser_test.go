package web

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/farm"
	"metrogon/farm/hatch"
	"metrogon/farm/incubate"
	"metrogon/farm/people"
	"metrogon/farm/snapshot"
	"metrogon/farm/stock"
	"metrogon/web/browser"
)

// putIn puts a new bird into a pen on its page.
func (h *hand) putIn(name, on, how string) {
	h.Helper()
	h.open("/pens/1")
	h.do(browser.Click(`.put-in summary`))
	h.fill("bird_name", name)
	h.fill("on", on)
	h.fill("how", how)
	h.press("Put in")
	h.reads(name + " is in Barred since")
}

// setAll sets what is in store, hatches so many young of it by count, and closes the batch.
func (h *hand) setAll(code string) {
	h.Helper()
	h.open("/set?kind=chicken")
	h.press("All")
	h.press("Set these eggs")
	h.reads("as " + code + " in Cabinet.")
}

func (h *hand) hatched(batch, young, left int) {
	h.Helper()
	h.open(fmt.Sprintf("/batches/%d?do=hatch", batch))
	h.run(fmt.Sprintf(`document.querySelector('[name^="hatched-"]').value = %d`, young))
	h.press("Record young")
	h.reads(fmt.Sprintf("%d young hatched", young))
	h.writeOff(left)
	h.reads("closed")
}

// A male is swapped, eggs are collected through the overlap, set and hatched: each male has his own
// rate, and what may be either's stands apart.
func TestASwapOfMalesByHand(t *testing.T) {
	t.Parallel()
	h := founded(t, 1280, 800)
	h.newPen("Barred", "Chicken")
	h.newMachine("Cabinet", "All-in-one", map[string]int{"setting-chicken": 60, "hatching-chicken": 60})
	day := func(days int) string { return noon.AddDate(0, 0, days).Format(time.DateOnly) }
	h.open("/pens/1")
	h.do(browser.Click(`.put-in summary`))
	h.fill("bird_name", "Alder")
	h.fill("on", "2026-01-05")
	h.press("Put in")
	h.reads("Barred has been there since 1 Jan 2027")
	kept := ask[string](h, `document.querySelector("[name=bird_name]").value`)
	assert.Equal(t, "Alder", kept, "what was typed comes back")
	h.putIn("Alder", "2027-01-05", "already")
	h.collect("Barred", 8, 0, 0)
	h.setAll("Chicken 27-01")
	h.putIn("Birch", day(0), "instead")
	h.reads("out: Alder", "Surely his from", "until then eggs are “sire not certain”")
	h.now = noon.AddDate(0, 0, 10)
	h.collect("Barred", 8, 0, 0)
	h.setAll("Chicken 27-02")
	h.now = noon.AddDate(0, 0, 25)
	h.collect("Barred", 8, 0, 0)
	h.setAll("Chicken 27-03")
	h.now = noon.AddDate(0, 0, 50)
	for i, young := range []int{6, 4, 7} {
		h.hatched(i+1, young, 8-young)
	}
	h.open("/rates?by=sire")
	h.reads("Alder 8 eggs in 1 batch", "6 of 8", "Birch 8 eggs in 1 batch", "7 of 8")
	h.reads("Sire not certain 8 eggs in 1 batch")
	boxes := ask[int](h, `document.querySelectorAll("[name=compare]").length`)
	assert.Equal(t, 2, boxes, "the third is compared with nothing")
	h.press("8 eggs in 1 batch") // of Alder, whose row is the first
	h.reads("Chicken 27-01", "The eggs", "counted")
	h.open("/pens")
	h.reads("17 of 24")
}

// From the plan of a fertility test to what a buyer may be told.
func TestAFertilityTestByHand(t *testing.T) {
	t.Parallel()
	h := founded(t, 390, 844)
	h.newPen("Barred", "Chicken")
	h.newMachine("Cabinet", "All-in-one", map[string]int{"setting-chicken": 60, "hatching-chicken": 60})
	h.collect("Barred", 10, 0, 0)
	h.open("/pens/1")
	h.reads("Test its fertility")
	h.open("/tests?pen=1")
	h.fill("eggs", "2")
	h.press("Plan it")
	h.reads("The number of eggs is 2; it may be 3 to 500.")
	h.fill("eggs", "10")
	h.press("Plan it")
	h.reads("A fertility test of Barred: 10 eggs.", "Its eggs are not set yet.")
	h.open("/")
	h.reads("Set a fertility test of Barred")
	h.setAll("Chicken 27-01")
	h.open("/tests")
	h.press("Chicken 27-01 is it the test of Barred")
	h.reads("Chicken 27-01 is the fertility test of Barred.", "It can be read from Wed 21 Apr")
	h.now = noon.AddDate(0, 0, 7)
	h.open("/batches/1?do=candle")
	h.reads("fertility test of Barred")
	h.mark(1, 2)
	h.press("Clear")
	h.reads("2 eggs called clear")
	h.press("All the rest live")
	h.reads("8 eggs called live")
	h.open("/")
	h.press("Decide the test of Barred")
	h.reads("8 of 10: 46–95 %. Good enough to set.")
	h.press("Done with it")
	h.reads("The fertility test of Barred is ended: set.", "Ended")
	h.open("/pens/1/statement")
	h.reads("80 % fertile", "8 of 10 eggs set on 14 Apr 2027", "What this does not promise")
	h.reads("Of shipped eggs about half hatch")
}

// threeMachines has hatched two batches in each of three machines.
func threeMachines(t *testing.T) *site {
	s := newSite(t)
	h := func(_ farm.Done, err error) { t.Helper(); require.NoError(t, err) }
	id, err := s.books.People.SetUp(t.Context(), people.NewFarm{
		Farm: "Wickfold", Zone: "UTC", Name: "Anna", Email: "anna@wickfold.example", Password: "a-long-password",
	}, true)
	require.NoError(t, err)
	m, err := s.books.People.Member(t.Context(), id)
	require.NoError(t, err)
	h(
		s.books.Flock.SavePen(t.Context(), farm.NewRequest(m), snapshot.Pen{
			Name: "Barred", Species: "chicken", FromOn: noon,
		}),
	)
	for _, name := range []string{"Cabinet", "Table", "Box"} {
		h(s.books.Machines.SaveMachine(t.Context(), farm.NewRequest(m), snapshot.Machine{Name: name, Kind: "all-in-one"},
			[]snapshot.Room{{Species: "chicken", Setting: 60, Hatching: 60}}))
	}
	for i, young := range []int{15, 14, 12, 13, 9, 8} {
		s.now = noon.AddDate(0, 0, i)
		h(s.books.Stock.Collect(t.Context(), farm.NewRequest(m), stock.Collected{
			PenID: 1, LaidOn: m.Date(s.now), Eggs: 20,
		}))
		h(s.books.Incubate.Set(t.Context(), farm.NewRequest(m), incubate.Setting{
			Species: "chicken", SetterID: int64(i/2 + 1), SetAt: s.now,
			Picks: []incubate.Pick{{PenID: 1, LaidOn: m.Date(s.now), Eggs: 20}},
		}))
		s.now = s.now.AddDate(0, 0, 22)
		h(s.books.Hatch.Hatched(t.Context(), farm.NewRequest(m), int64(i+1), hatch.Young{
			ByPen: map[int64]int{1: young},
		}))
		h(s.books.Hatch.Close(t.Context(), farm.NewRequest(m), int64(i+1), time.Time{}))
	}
	s.now = noon.AddDate(0, 0, 40)
	return s
}

// Three machines are compared, and the view is sent by its address to somebody else.
func TestThreeMachinesAreCompared(t *testing.T) {
	t.Parallel()
	s := threeMachines(t)
	a := s.hand(1280, 800)
	a.do(browser.SignIn(s.URL, "anna@wickfold.example", "a-long-password"))
	a.open("/rates?by=machine")
	a.reads("29 of 40", "25 of 40", "17 of 40")
	a.run(`document.querySelectorAll("[name=compare]").forEach(b => b.checked = true)`)
	a.press("Compare those ticked, by hatch of set")
	a.reads("Is it real? Hatch of set", "A difference this big comes up by chance about one time in", "Cabinet 29 of 40")
	a.reads("They were set in different batches")
	address := ask[string](a, "location.pathname + location.search")
	b := s.hand(390, 844)
	b.do(browser.SignIn(s.URL, "anna@wickfold.example", "a-long-password"))
	b.open(address)
	b.reads("Is it real? Hatch of set", "Cabinet 29 of 40", "Box 17 of 40")
	verdict := `document.querySelector(".verdict").textContent`
	assert.Equal(t, ask[string](a, verdict), ask[string](b, verdict))
	csv := ask[string](b, `(() => {
		const r = new XMLHttpRequest();
		r.open("GET", document.querySelector("[href*='rates.csv']").href, false);
		r.send();
		return r.responseText;
	})()`)
	assert.Contains(t, csv, "Cabinet,40,2,")
	assert.Contains(t, csv, ",29,40,72.50,")
}
