package farm_test

import (
	"strings"
	"testing"
	"time"
	_ "time/tzdata"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/calendar"
	"metrogon/core/candling"
	"metrogon/core/outcome"
	"metrogon/farm"
	"metrogon/farm/candle"
	"metrogon/farm/hatch"
	"metrogon/farm/incubate"
)

// The whole round of one chicken batch, worked by hand: two pens, mixed ages.
func TestFromBasketToHatchRate(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	barred, speckled := y.pen("Barred", "chicken"), y.pen("Speckled", "chicken")
	cabinet, box := y.machine("Cabinet", "cabinet", "chicken", 40, 0), y.machine("Box", "hatcher", "chicken", 0, 15)
	y.collect(barred, 0, 5, 1)
	y.collect(barred, 4, 5, 0)
	y.collect(speckled, 8, 10, 0)
	require.Equal(t, 20, y.inStore())

	plan := incubate.Setting{Species: "chicken", SetterID: cabinet, HatcherID: box, SetAt: y.now,
		Picks: []incubate.Pick{
			{PenID: barred, LaidOn: day(0), Eggs: 5}, {PenID: barred, LaidOn: day(4), Eggs: 5}, {
				PenID: speckled, LaidOn: day(8), Eggs: 10,
			}}}
	page, err := y.Incubate.Plan(ctx, y.m, plan)
	require.NoError(t, err)
	a := page.Answer
	require.NotNil(t, a)
	// (5 × 0 + 5 × 4 + 10 × 8) / 20 = 5 days; half a day over 4½ is half an hour late.
	assert.InDelta(t, 5, a.StorageDays, 1e-9)
	assert.Equal(t, start.Add(21*24*time.Hour+30*time.Minute).UTC(), a.Hatch().At.UTC())
	lock, _ := a.Milestone(calendar.Lockdown)
	assert.Equal(t, "2027-03-19 07:00", lock.At.In(y.m.Place).Format("2006-01-02 15:04"))
	// No record yet: 68 % of set is usual, faded by waiting. Barred (1 + 0.99625) / 2 of 10,
	// Speckled day 8 = 0.975 of 10.
	assert.InDelta(t, 10*0.68*(1+0.99625)/2+10*0.68*0.975, a.Young, 1e-3)
	assert.Less(t, a.YoungLow, 9, "nothing is known, so the range is wide")
	assert.Greater(t, a.YoungHigh, 15)
	assert.Equal(t, 20, a.FreeAfter, "40 places, 20 eggs")
	require.Len(t, a.Clashes, 1, "17 expected in lockdown, 15 places")
	assert.Contains(t, a.Clashes[0].Says, "Box is too small")

	id := y.set(plan)
	assert.Zero(t, y.inStore())
	b := y.batch(id)
	assert.Equal(t, "Chicken 27-01", b.Code)
	require.Len(t, b.Pens, 2)

	// Day 7: 3 clears of Barred, one ring and one unsure of Speckled, the rest live.
	y.now = start.AddDate(0, 0, 7)
	for call, eggs := range map[candling.Call][]int{
		candling.Clear: {1, 2, 3}, candling.Ring: {11}, candling.Unsure: {12},
	} {
		_, err := y.Candle.Candle(ctx, by(y.m), id, candle.Calling{Call: call, Eggs: nos(b, eggs...), TakeOut: true})
		require.NoError(t, err)
	}
	_, err = y.Candle.CandleRest(ctx, by(y.m), id, time.Time{})
	require.NoError(t, err)
	b = y.batch(id)
	assert.Equal(t, []int{16, 4}, []int{b.Alive, b.Removed})
	assert.Equal(
		t, []int{19, 16}, []int{b.Examined, b.BatchView.Fertile}, "the unsure one is not known; the ring was fertile",
	)
	assert.Equal(t, [2]int{7, 10}, [2]int{b.Pens[0].Fertility.K, b.Pens[0].Fertility.N}, "Barred: 7 of 10")
	assert.Equal(t, [2]int{0, 0}, [2]int{b.Pens[1].Fertility.K, b.Pens[1].Fertility.N}, "one in ten is not known")
	assert.Contains(t, b.Pens[1].Fertility.Why, "at least 9 of 10, at most 10")

	y.now = start.AddDate(0, 0, 18)
	_, err = y.Hatch.Lockdown(ctx, by(y.m), id, 0, time.Time{})
	require.NoError(t, err)
	assert.Equal(t, "Box", y.batch(id).Stands().Name)

	// Hatch: 6 of Barred, 8 of Speckled, counted by pen. One of Barred is opened: a
	// middle death. Of Speckled's nine left the unsure one may be among the eight
	// that hatched: of the eight that were called live 8 × 8/9 = 7 did.
	y.now = start.AddDate(0, 0, 22)
	_, err = y.Hatch.Hatched(ctx, by(y.m), id, hatch.Young{ByPen: map[int64]int{barred: 6, speckled: 8}})
	require.NoError(t, err)
	_, err = y.Hatch.End(ctx, by(y.m), id, hatch.Ending{Eggs: nos(b, 10), Fate: outcome.Unhatched, Stage: "middle"})
	require.NoError(t, err)
	_, err = y.Hatch.Close(ctx, by(y.m), id, time.Time{})
	require.NoError(t, err)

	pens, err := y.Flock.Pens(ctx, y.m)
	require.NoError(t, err)
	for _, want := range []struct {
		pen                      string
		fertile, examined        int
		hatchedFertile, fertiles int
		hatched, set             int
	}{{"Barred", 7, 10, 6, 7, 6, 10}, {"Speckled", 0, 0, 7, 9, 8, 10}} {
		for _, p := range pens {
			if p.Name == want.pen {
				assert.Equal(t, [6]int{
					want.fertile, want.examined, want.hatchedFertile, want.fertiles, want.hatched, want.set,
				},
					[6]int{
						p.Fertility.K, p.Fertility.N, p.HatchOfFertile.K, p.HatchOfFertile.N, p.HatchOfSet.K,
						p.HatchOfSet.N,
					}, p.Name)
			}
		}
	}
	// Wilson's formula by hand: 6 of 10 lies in 31.3–83.2 %; ten eggs of one batch are
	// worth 10 / (1 + 9 × 0.02) = 8.47, which makes it 29.3–84.4.
	assert.InDelta(t, 0.2934358, pens[0].HatchOfSet.Low, 1e-6)
	assert.InDelta(t, 0.8441828, pens[0].HatchOfSet.High, 1e-6)

	pen, err := y.Flock.Pen(ctx, y.m, barred)
	require.NoError(t, err)
	assert.Equal(t, [3]int{11, 1, 0}, [3]int{pen.Laid, pen.Rejected, pen.Stored}, "rejects stay in the pen's record")
	require.Len(t, pen.Batches, 1)

	// Everything can be taken back, the newest first, down to the full store.
	for range 9 {
		last := y.batch(id).Last
		require.NotNil(t, last)
		_, err := y.Undo(ctx, by(y.m), last.ID)
		require.NoError(t, err, last.Said)
		if strings.HasPrefix(last.Said, "Set ") {
			break
		}
	}
	assert.Equal(t, 20, y.inStore())
	_, err = y.Incubate.Batch(ctx, y.m, id)
	assert.ErrorIs(t, err, farm.ErrNone)
}
