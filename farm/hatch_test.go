package farm_test

import (
	"testing"
	"time"
	_ "time/tzdata"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/outcome"
	"metrogon/farm/hatch"
	"metrogon/farm/incubate"
	"metrogon/farm/journal"
)

// Six eggs of twelve days and six fresh ones of one pen; six young are counted. The
// pen has 6 of 12; what waiting costs is told by neither the old nor the fresh.
func TestYoungCountedByPenAreNobodysOwn(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	id := y.incubating(6, 12, 0)
	pen := y.batch(id).Pens[0].ID
	y.now = start.AddDate(0, 0, 22)
	done, err := y.Hatch.Hatched(ctx, by(y.m), id, hatch.Young{ByPen: map[int64]int{pen: 6}})
	require.NoError(t, err)
	b := y.batch(id)
	assert.Equal(t, [4]int{12, 6, 6, 6}, [4]int{b.Eggs, b.Alive, b.BatchView.Hatched, b.Counted()})
	_, err = y.Hatch.Hatched(ctx, by(y.m), id, hatch.Young{ByPen: map[int64]int{pen: 7}})
	assert.ErrorContains(t, err, "7 young, but 6 eggs left; it may be 0 to 6.")
	closed, err := y.Hatch.Close(ctx, by(y.m), id, time.Time{})
	require.NoError(t, err)
	assert.Contains(t, closed.Said, "closed: 6 hatched of 12 eggs.")

	b = y.batch(id)
	assert.Equal(t, [3]int{0, 6, 6}, [3]int{b.Alive, b.BatchView.Hatched, b.Unhatched})
	for _, e := range b.Pens[0].Eggs {
		assert.Equal(t, string(outcome.Counted), *e.Fate, "nobody saw the end of egg %d", e.No)
	}
	pens, err := y.Flock.Pens(ctx, y.m)
	require.NoError(t, err)
	assert.Equal(t, [2]int{6, 12}, [2]int{pens[0].HatchOfSet.K, pens[0].HatchOfSet.N}, "the pen's rate is the count")
	w, err := y.Stock.Waiting(ctx, y.m, "chicken")
	require.NoError(t, err)
	assert.Zero(t, w.Curve.Eggs)
	assert.Equal(t, 12, w.LeftOut)
	assert.Contains(
		t, w.Says(),
		"Of 12 eggs young were counted by pen with eggs of other ages, so they tell nothing of waiting and are "+
			"left out.",
	)
	page, err := y.Flock.Pen(ctx, y.m, pen)
	require.NoError(t, err)
	assert.Equal(t, [2]int{6, 12}, [2]int{page.Batches[0].HatchOfSet.K, page.Batches[0].HatchOfSet.N})

	for _, entry := range []int64{closed.Entry, done.Entry} {
		_, err = y.Undo(ctx, by(y.m), entry)
		require.NoError(t, err)
	}
	b = y.batch(id)
	assert.Equal(t, [3]int{12, 0, 0}, [3]int{b.Alive, b.BatchView.Hatched, b.Counted()}, "all taken back")
}

// Where what did not hatch is opened egg by egg, the rest is known to have hatched.
func TestOpeningTheRestTellsWhoHatched(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	id := y.incubating(3, 12, 0)
	pen := y.batch(id).Pens[0].ID
	y.now = start.AddDate(0, 0, 22)
	_, err := y.Hatch.Hatched(ctx, by(y.m), id, hatch.Young{ByPen: map[int64]int{pen: 4}})
	require.NoError(t, err)
	b := y.batch(id)
	_, err = y.Hatch.End(
		ctx, by(y.m), id, hatch.Ending{Eggs: nos(b, 1, 2, 3), Fate: outcome.Unhatched, Stage: "late"},
	)
	assert.ErrorContains(
		t, err, "4 young of Barred were counted already, so of the 6 eggs left only 2 can have ended otherwise.",
	)
	_, err = y.Hatch.End(ctx, by(y.m), id, hatch.Ending{Eggs: nos(b, 4), Fate: outcome.Hatched, Among: true})
	require.NoError(t, err, "a shell was found: it is one of the four")
	assert.Equal(
		t, [3]int{2, 4, 3},
		func() [3]int { b := y.batch(id); return [3]int{b.Alive, b.BatchView.Hatched, b.Counted()} }(),
	)
	_, err = y.Hatch.End(ctx, by(y.m), id, hatch.Ending{Eggs: nos(b, 1, 2), Fate: outcome.Unhatched, Stage: "late"})
	require.NoError(t, err)
	closed, err := y.Hatch.Close(ctx, by(y.m), id, time.Time{})
	require.NoError(t, err)
	w, err := y.Stock.Waiting(ctx, y.m, "chicken")
	require.NoError(t, err)
	assert.Equal(t, [2]int{6, 0}, [2]int{w.Curve.Eggs, w.LeftOut}, "every egg is known")
	assert.Equal(t, []int{3, 1}, []int{w.Ages[11].Set, w.Ages[11].Hatched}, "of the old ones two died")
	assert.Equal(t, []int{3, 3}, []int{w.Ages[0].Set, w.Ages[0].Hatched})
	_, err = y.Undo(ctx, by(y.m), closed.Entry)
	require.NoError(t, err)
	assert.Equal(t, 3, y.batch(id).Counted(), "the count counts again")
}

func TestThingsAreWrittenDownLater(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	id := y.incubating(10)
	pen := y.batch(id).Pens[0].ID
	y.now = start.AddDate(0, 0, 8)
	evening := start.AddDate(0, 0, 7).Add(2 * time.Hour)
	_, err := y.Candle.CandleRest(ctx, by(y.m), id, evening)
	require.NoError(t, err)
	assert.Equal(t, evening, y.batch(id).CandledAt.UTC())
	for says, at := range map[string]time.Time{
		"has not come yet":             y.now.Add(time.Hour),
		"was not set before Mon 1 Mar": start.Add(-time.Hour),
	} {
		_, err = y.Hatch.Lockdown(ctx, by(y.m), id, 0, at)
		assert.ErrorContains(t, err, says)
		_, err = y.Candle.CandleRest(ctx, by(y.m), id, at)
		assert.ErrorContains(t, err, says)
		_, err = y.Hatch.Hatched(ctx, by(y.m), id, hatch.Young{ByPen: map[int64]int{pen: 1}, At: at})
		assert.ErrorContains(t, err, says)
		_, err = y.Hatch.End(
			ctx, by(y.m), id, hatch.Ending{Eggs: nos(y.batch(id), 1), Fate: outcome.Hatched, At: at},
		)
		assert.ErrorContains(t, err, says)
	}
	y.now = start.AddDate(0, 0, 23)
	locked := start.AddDate(0, 0, 18)
	_, err = y.Hatch.Lockdown(ctx, by(y.m), id, 0, locked)
	require.NoError(t, err)
	assert.Equal(t, locked, y.batch(id).LockedAt.UTC())
	_, err = y.Hatch.Close(ctx, by(y.m), id, locked.Add(-time.Hour))
	assert.ErrorContains(t, err, "went into lockdown")
	out := start.AddDate(0, 0, 21)
	_, err = y.Hatch.Hatched(ctx, by(y.m), id, hatch.Young{ByPen: map[int64]int{pen: 10}, At: out})
	require.NoError(t, err)
	_, err = y.Hatch.Close(ctx, by(y.m), id, out.Add(24*time.Hour))
	require.NoError(t, err)
	b := y.batch(id)
	assert.Equal(t, out.Add(24*time.Hour), b.ClosedAt.UTC())
}

// Eggs set for tomorrow are neither locked down nor closed today.
func TestEggsOfTomorrowAreLeftAlone(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	pen, box := y.pen("Barred", "chicken"), y.machine("Box", "all-in-one", "chicken", 60, 60)
	y.collect(pen, 0, 10, 0)
	done, err := y.Incubate.Set(ctx, by(y.m), incubate.Setting{Species: "chicken", SetterID: box, HatcherID: box,
		SetAt: y.now.Add(20 * time.Hour),
		Picks: []incubate.Pick{{PenID: pen, LaidOn: day(0), Eggs: 10}}})
	require.NoError(t, err)
	for what, err := range map[string]error{
		"lockdown": second(y.Hatch.Lockdown(ctx, by(y.m), done.Of(journal.Batch), 0, time.Time{})),
		"close":    second(y.Hatch.Close(ctx, by(y.m), done.Of(journal.Batch), time.Time{})),
		"hatch":    second(y.Hatch.Hatched(ctx, by(y.m), done.Of(journal.Batch), hatch.Young{ByPen: map[int64]int{pen: 1}})),
		"candle":   second(y.Candle.CandleRest(ctx, by(y.m), done.Of(journal.Batch), time.Time{})),
	} {
		assert.ErrorContains(t, err, "was not set before Tue 2 Mar, 14:00", what)
	}
}

func TestBrokenByHandCountsAgainstNobody(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	id := y.incubating(10)
	pen := y.batch(id).Pens[0].ID
	_, err := y.Hatch.End(ctx, by(y.m), id, hatch.Ending{Eggs: nos(y.batch(id), 10), Fate: outcome.Broken})
	require.NoError(t, err)
	y.now = start.AddDate(0, 0, 22)
	_, err = y.Hatch.Hatched(ctx, by(y.m), id, hatch.Young{ByPen: map[int64]int{pen: 9}})
	require.NoError(t, err)
	_, err = y.Hatch.Close(ctx, by(y.m), id, time.Time{})
	require.NoError(t, err)
	pens, err := y.Flock.Pens(ctx, y.m)
	require.NoError(t, err)
	assert.Equal(t, [2]int{9, 9}, [2]int{pens[0].HatchOfSet.K, pens[0].HatchOfSet.N})
	page, err := y.Flock.Pen(ctx, y.m, pen)
	require.NoError(t, err)
	assert.Equal(t, [2]int{9, 9}, [2]int{page.HatchOfSet.K, page.HatchOfSet.N}, "on its own page as well")
	b := y.batch(id)
	assert.Equal(t, [3]int{10, 9, 1}, [3]int{b.Eggs, b.BatchView.Hatched, b.Broken})
	assert.Equal(t, 9, b.Pens[0].HatchOfSet.N)
}
