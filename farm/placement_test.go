package farm_test

import (
	"testing"
	"time"
	_ "time/tzdata"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/farm/hatch"
	"metrogon/farm/incubate"
)

// A lockdown that is minutes late still turns in its setter.
func TestWhatIsLateStandsWhereItStood(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	pen := y.pen("Barred", "chicken")
	box := y.machine("Box", "all-in-one", "chicken", 40, 40)
	hatcher := y.machine("Hatcher", "hatcher", "chicken", 0, 40)
	y.collect(pen, 0, 36, 0)
	id := y.set(incubate.Setting{
		Species: "chicken", SetterID: box, HatcherID: hatcher,
		Picks: []incubate.Pick{{PenID: pen, LaidOn: day(0), Eggs: 36}},
	})
	y.now = time.Date(2027, 3, 19, 7, 20, 0, 0, time.UTC) // lockdown was due at seven
	y.collect(pen, -18, 20, 0)
	free := func() int {
		page, err := y.Incubate.Plan(ctx, y.m, incubate.Setting{Species: "chicken"})
		require.NoError(t, err)
		for _, p := range page.Setters {
			if p.ID == box {
				return p.Free
			}
		}
		return -1
	}
	full := func() float64 {
		today, err := y.Today.Page(ctx, y.m)
		require.NoError(t, err)
		for _, r := range today.Running {
			if r.ID == box {
				return r.Full
			}
		}
		return -1
	}
	assert.Equal(t, 4, free(), "places that are not there")
	assert.InDelta(t, .9, full(), 1e-9)
	y.now = y.now.AddDate(0, 0, 1)
	assert.Equal(t, 4, free())

	// Nobody ever said that it was locked down, and day 37 has come.
	y.now = start.AddDate(0, 0, 37)
	today, err := y.Today.Page(ctx, y.m)
	require.NoError(t, err)
	require.Len(t, today.Due, 1)
	assert.Equal(t, "What became of 36 eggs?", today.Due[0].Title)
	assert.Equal(t, "Box · day 37 of 21 · should have hatched by Tue 23 Mar", today.Due[0].Reason)
	assert.Contains(t, today.Due[0].Why, "No lockdown is written down.")
	assert.True(t, y.batch(id).LongPast())
	_, err = y.Hatch.Hatched(
		ctx, y.m, key(), id, hatch.Young{ByPen: map[int64]int{pen: 30}, At: start.AddDate(0, 0, 21)},
	)
	require.NoError(t, err)
	_, err = y.Hatch.Close(ctx, y.m, key(), id, time.Time{})
	require.NoError(t, err)
	assert.Equal(t, 40, free())
}
