package farm_test

import (
	"fmt"
	"testing"
	"time"
	_ "time/tzdata"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/calendar"
	"metrogon/farm"
	"metrogon/farm/chores"
	"metrogon/farm/hatch"
	"metrogon/farm/incubate"
)

func TestTodayTellsWhatIsDue(t *testing.T) {
	y := newYard(t)
	pen, box := y.pen("Runner", "duck"), y.machine("Box", "all-in-one", "duck", 30, 30)
	y.collect(pen, 1, 12, 0)
	id := y.set(incubate.Setting{
		Species: "duck", SetterID: box, Picks: []incubate.Pick{{PenID: pen, LaidOn: day(1), Eggs: 12}},
	})
	for _, c := range []struct {
		day  int
		due  []string
		soon []string
		do   func() (farm.Done, error)
	}{
		{0, nil, nil, nil},
		{5, nil, []string{"Candle 12 eggs"}, nil},
		{7, []string{"Candle 12 eggs"}, []string{"Candle 12 eggs"}, nil},
		{
			8, []string{"Candle 12 eggs late 1"}, []string{"Candle 12 eggs"},
			func() (farm.Done, error) { return y.Candle.CandleRest(y.Context(), by(y.m), id, time.Time{}) },
		},
		{8, nil, []string{"Candle 12 eggs"}, nil},
		{
			11, []string{"Candle 12 eggs late 1"}, nil,
			func() (farm.Done, error) { return y.Incubate.TickOff(y.Context(), by(y.m), id, "candle", 10) },
		},
		{11, nil, nil, nil},
		{
			25, []string{"Candle 12 eggs, then lockdown", "Fill Box for three days"}, nil,
			func() (farm.Done, error) { return y.Hatch.Lockdown(y.Context(), by(y.m), id, 0, time.Time{}) },
		},
		{25, nil, nil, nil},
		{29, []string{"Pull the young"}, []string{"Clear out 12 eggs"}, func() (farm.Done, error) {
			return y.Hatch.Hatched(y.Context(), by(y.m), id, hatch.Young{ByPen: map[int64]int{pen: 12}})
		}},
		{
			29, []string{"Close Duck 27-01"}, nil,
			func() (farm.Done, error) { return y.Hatch.Close(y.Context(), by(y.m), id, time.Time{}) },
		},
		{29, nil, nil, nil},
	} {
		y.now = start.AddDate(0, 0, c.day)
		today, err := y.Today.Page(y.Context(), y.m)
		require.NoError(t, err)
		titles := func(dues []chores.Chore) (s []string) {
			for _, d := range dues {
				title := d.Title
				if d.Late > 0 {
					title += fmt.Sprintf(" late %d", d.Late)
				}
				s = append(s, title)
			}
			return
		}
		assert.Equal(t, c.due, titles(today.Due), "due on day %d", c.day)
		assert.Equal(t, c.soon, titles(today.Soon), "soon on day %d", c.day)
		if c.do != nil {
			_, err := c.do()
			require.NoError(t, err)
		}
	}
}

// The pull is told for a day after the first young; who pulls, and writes the young down with
// it, is not told to pull again.
func TestPulledIsPulled(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	id := y.incubating(12)
	y.now = start.AddDate(0, 0, 18)
	_, err := y.Candle.CandleRest(ctx, by(y.m), id, time.Time{})
	require.NoError(t, err)
	_, err = y.Hatch.Lockdown(ctx, by(y.m), id, 0, time.Time{})
	require.NoError(t, err)
	pull := func() (at []string) {
		page, err := y.Today.Page(ctx, y.m)
		require.NoError(t, err)
		for _, c := range append(page.Due, page.Soon...) {
			if c.Kind == calendar.Pull {
				at = append(at, c.At.In(y.m.Place).Format("2 15:04"))
			}
		}
		return
	}
	y.now = start.AddDate(0, 0, 20)
	assert.Equal(t, []string{"23 07:00"}, pull(), "set on the 1st at 18:00: half a day after the hatch, at the chores")
	pen := y.batch(id).Pens[0].ID
	_, err = y.Hatch.Hatched(ctx, by(y.m), id, hatch.Young{ByPen: map[int64]int{pen: 2}})
	require.NoError(t, err)
	assert.Equal(t, []string{"23 07:00"}, pull(), "two were early, the others are not out")
	y.now = time.Date(2027, 3, 23, 9, 0, 0, 0, time.UTC)
	_, err = y.Incubate.TickOff(ctx, by(y.m), id, calendar.Pull, 22)
	require.NoError(t, err)
	_, err = y.Hatch.Hatched(ctx, by(y.m), id, hatch.Young{ByPen: map[int64]int{pen: 7}})
	require.NoError(t, err)
	assert.Empty(t, pull())
}
