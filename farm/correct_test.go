package farm_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/candling"
	"metrogon/farm"
	"metrogon/farm/candle"
	"metrogon/farm/hatch"
	"metrogon/farm/incubate"
	"metrogon/farm/journal"
	"metrogon/farm/stock"
	"metrogon/store/breeders"
)

// A collection that was entered wrong is put right later, also when some of its eggs were set; and that
// is taken back as well.
func TestACollectionIsPutRight(t *testing.T) {
	y := newYard(t)
	ctx := t.Context()
	barred, speckled, duck := y.pen("Barred", "chicken"), y.pen("Speckled", "chicken"), y.pen("Marsh", "duck")
	box := y.machine("Box", "all-in-one", "chicken", 48, 40)
	y.collect(barred, 3, 10, 1)
	batch := y.set(incubate.Setting{
		Species: "chicken", SetterID: box, HatcherID: box, SetAt: y.now,
		Picks: []incubate.Pick{{PenID: barred, LaidOn: day(3), Eggs: 3}},
	})
	all := must(y.Stock.EggRoom(ctx, y.m)).Gatherings
	g := must(y.Stock.Gathered(ctx, y.m, all[0].ID))
	assert.Equal(t, []int{10, 1, 7, 3}, []int{g.Eggs, g.Rejected, g.Stored, g.Away})
	assert.Contains(t, g.Depends(y.m), "3 of these eggs were set: 3 on Mon 1 Mar in Chicken 27-01.")

	right := func(c stock.Correction) (farm.Done, error) { return y.Stock.PutRight(ctx, by(y.m), g.ID, c) }
	_, err := right(stock.Correction{PenID: barred, LaidOn: day(3), Eggs: 2})
	assert.ErrorContains(t, err, "3 of these eggs were set: 3 on Mon 1 Mar in Chicken 27-01. 3 eggs at least.")
	_, err = right(stock.Correction{PenID: duck, LaidOn: day(3), Eggs: 9})
	assert.ErrorContains(t, err, "Pick the pen of the same kind")
	_, err = right(stock.Correction{PenID: barred, LaidOn: day(-1), Eggs: 10})
	assert.ErrorContains(t, err, "3 of these eggs were set in Chicken 27-01 on Mon 1 Mar, before that day")
	_, err = right(stock.Correction{PenID: barred, LaidOn: day(3), Eggs: 10})
	assert.ErrorContains(t, err, "Nothing is changed")

	// it was the other pen, four days before, and eight eggs
	done := must(right(stock.Correction{PenID: speckled, LaidOn: day(4), Eggs: 8}))
	assert.Equal(t, "Put right: 10 eggs from Barred, laid 26 Feb → 8 eggs from Speckled, laid 25 Feb.", done.Said)
	stands := func() (inStore int, pen int64, waited float64) {
		for _, p := range y.batch(batch).Pens {
			pen = p.ID
		}
		return y.inStore(), pen, y.batch(batch).StorageDays
	}
	n, pen, waited := stands()
	assert.Equal(t, []any{5, speckled, 4.0}, []any{n, pen, waited})
	must(y.Undo(ctx, by(y.m), done.Entry))
	n, pen, waited = stands()
	assert.Equal(t, []any{7, barred, 3.0}, []any{n, pen, waited})

	// more than were written down, and these are in use when it is taken back
	more := must(right(stock.Correction{PenID: barred, LaidOn: day(3), Eggs: 12}))
	assert.Contains(t, more.Said, "Mark them")
	y.set(incubate.Setting{
		Species: "chicken", SetterID: box, HatcherID: box, SetAt: y.now,
		Picks: []incubate.Pick{{PenID: barred, LaidOn: day(3), Eggs: 9}},
	})
	assert.ErrorContains(t, second(y.Undo(ctx, by(y.m), more.Entry)), "were set or taken out meanwhile")
	assert.Zero(t, must(breeders.Of(y.owner).Miscounted(ctx)), "the sums are what the eggs say")
}

// What is hardly so is asked about once, and taken when it is said that it is so.
func TestAskedBeforeItIsBelieved(t *testing.T) {
	y := newYard(t)
	ctx := t.Context()
	pen := y.pen("Barred", "chicken")
	box := y.machine("Box", "all-in-one", "chicken", 2000, 1000)
	females := 0
	for _, p := range must(y.Flock.Pens(ctx, y.m)) {
		females = p.Females
	}
	require.Positive(t, females)
	many := stock.Collected{PenID: pen, LaidOn: day(0), Eggs: 1000}
	doubt := func(c stock.Collected, says string) {
		t.Helper()
		_, err := y.Stock.Collect(ctx, asked(y.m), c)
		p, _ := farm.AsProblems(err)
		require.True(t, p.Doubtful(), "%v", err)
		assert.ErrorContains(t, err, says)
	}
	doubt(many, "1000 from ")
	cracked := stock.Collected{PenID: pen, LaidOn: day(0), Reasons: map[string]int{"crack": 12}}
	doubt(cracked, "12 not fit to set, and 0 sound?")
	doubt(stock.Collected{PenID: pen, LaidOn: day(45), Eggs: 3}, "Laid 45 days ago?")
	few := stock.Collected{PenID: pen, LaidOn: day(0), Eggs: 3}
	must(y.Stock.Collect(ctx, asked(y.m), few))
	doubt(few, "You entered the same a moment ago")
	y.now = y.now.Add(2 * time.Minute)
	must(y.Stock.Collect(ctx, asked(y.m), few))
	must(y.Stock.Collect(ctx, by(y.m), many))
	must(y.Stock.Collect(ctx, by(y.m), many)) // where nobody can be asked, as from a file, it is taken

	id := y.set(incubate.Setting{
		Species: "chicken", SetterID: box, HatcherID: box, SetAt: y.now,
		Picks: []incubate.Pick{{PenID: pen, LaidOn: day(0), Eggs: 20}},
	})
	_, err := y.Candle.CandleRest(ctx, asked(y.m), id, time.Time{})
	assert.ErrorContains(t, err, "Called live on day 0? Before day 3 nothing is to be seen.")
	unsure := candle.Calling{Call: candling.Unsure, Eggs: nos(y.batch(id), 1)}
	must(y.Candle.Candle(ctx, asked(y.m), id, unsure))
	y.now = y.now.AddDate(0, 0, 1)
	_, err = y.Hatch.Lockdown(ctx, asked(y.m), id, box, time.Time{})
	assert.ErrorContains(t, err, "Lockdown on day 1? It is due Fri 19 Mar.")
	must(y.Hatch.Lockdown(ctx, by(y.m), id, box, time.Time{}))
	_, err = y.Hatch.Hatched(ctx, asked(y.m), id, hatch.Young{ByPen: map[int64]int{pen: 2}})
	assert.ErrorContains(t, err, "Young on day 1? The first are due")
}

// What leans on a line is shown, and taken back with it from the newest on.
func TestTakenBackWithWhatLeansOnIt(t *testing.T) {
	y := newYard(t)
	ctx := t.Context()
	id := y.incubating(6)
	set := must(y.Journal(ctx, y.m, journal.Query{Words: "as Chicken 27-01"})).Lines
	require.Len(t, set, 1)
	y.now = y.now.AddDate(0, 0, 7)
	clear := candle.Calling{Call: candling.Clear, Eggs: nos(y.batch(id), 1), TakeOut: true}
	must(y.Candle.Candle(ctx, by(y.m), id, clear))
	must(y.Candle.CandleRest(ctx, by(y.m), id, time.Time{}))
	one := must(y.Line(ctx, y.m, set[0].ID))
	require.Len(t, one.After, 2)
	_, err := y.UndoAll(ctx, by(y.m), one.ID, []int64{one.ID, one.After[1].ID})
	assert.ErrorContains(t, err, "Something else was done meanwhile", "only what was shown is taken back")
	done := must(y.UndoAll(ctx, by(y.m), one.ID, []int64{one.ID, one.After[0].ID, one.After[1].ID}))
	assert.Contains(t, done.Said, "and 2 lines after it")
	assert.Equal(t, 6, y.inStore())

	// filters
	q := func(q journal.Query) int { return len(must(y.Journal(ctx, y.m, q)).Lines) }
	assert.Equal(t, 5, q(journal.Query{About: journal.Batch, On: day(-7)}), "two calls that day, and three taken back")
	assert.Zero(t, q(journal.Query{PersonID: -1}))
	assert.Zero(t, q(journal.Query{Words: "nowhere said"}))
	assert.Zero(t, q(journal.Query{Standing: true, About: journal.Batch}))
}
