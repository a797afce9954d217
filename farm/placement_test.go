package farm_test

import (
	"testing"
	"time"
	_ "time/tzdata"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/farm/hatch"
	"metrogon/farm/incubate"
	"metrogon/farm/moving"
	"metrogon/farm/snapshot"
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
		ctx, by(y.m), id, hatch.Young{ByPen: map[int64]int{pen: 30}, At: start.AddDate(0, 0, 21)},
	)
	require.NoError(t, err)
	_, err = y.Hatch.Close(ctx, by(y.m), id, time.Time{})
	require.NoError(t, err)
	assert.Equal(t, 40, free())
}

// Two batches are due in the hatcher on one day. One is shut in by nine; of the other, an hour late, nobody is told
// that the lid is shut over the first until Tuesday. The next morning it is.
func TestLockdownsOfOneDayAreOneOpening(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	pen := y.pen("Barred", "chicken")
	box, hatcher := y.machine("Box", "cabinet", "chicken", 40, 0), y.machine("Hatcher", "hatcher", "chicken", 0, 40)
	y.collect(pen, 0, 12, 0)
	var ids [2]int64
	for i := range ids {
		ids[i] = y.set(incubate.Setting{
			Species: "chicken", SetterID: box, HatcherID: hatcher,
			Picks: []incubate.Pick{{PenID: pen, LaidOn: day(0), Eggs: 6}},
		})
	}
	clashes := func() (all []string) {
		page, err := y.Today.Page(ctx, y.m)
		require.NoError(t, err)
		for _, c := range page.Clashes {
			all = append(all, c.Says)
		}
		return all
	}
	y.now = time.Date(2027, 3, 19, 8, 30, 0, 0, time.UTC)
	_, err := y.Hatch.Lockdown(ctx, by(y.m), ids[0], 0, time.Time{})
	require.NoError(t, err)
	for _, hour := range []int{9, 13, 23} {
		y.now = time.Date(2027, 3, 19, hour, 0, 0, 0, time.UTC)
		assert.Empty(t, clashes(), "at %d", hour)
	}
	y.now = time.Date(2027, 3, 20, 9, 0, 0, 0, time.UTC)
	assert.Equal(t, []string{"The lid of Hatcher is shut over Chicken 27-01 until Tue 23 Mar."}, clashes())
}

// A machine is closed with eggs in it: that is told at once, on every page that shows the machine, until they are
// moved.
func TestAClosedMachineTellsOfTheEggsInIt(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	pen := y.pen("Barred", "chicken")
	box, other := y.machine("Box", "cabinet", "chicken", 40, 0), y.machine("Spare", "cabinet", "chicken", 40, 0)
	hatcher := y.machine("Hatcher", "hatcher", "chicken", 0, 40)
	y.collect(pen, 0, 13, 0)
	setting := func(eggs int) incubate.Setting {
		return incubate.Setting{
			Species: "chicken", SetterID: box, HatcherID: hatcher,
			Picks: []incubate.Pick{{PenID: pen, LaidOn: day(0), Eggs: eggs}},
		}
	}
	ids := []int64{y.set(setting(6)), y.set(setting(6))}
	says := func() (all []string) {
		today, err := y.Today.Page(ctx, y.m)
		require.NoError(t, err)
		board, err := y.Season.Board(ctx, y.m, time.Time{}, 6)
		require.NoError(t, err)
		list, err := y.Machines.List(ctx, y.m)
		require.NoError(t, err)
		var there []snapshot.Stranded
		for _, x := range list {
			there = append(there, x.Stranded...)
		}
		assert.Equal(t, today.Stranded, board.Stranded)
		assert.Equal(t, today.Stranded, there)
		for _, s := range today.Stranded {
			all = append(all, s.Says())
		}
		return all
	}
	assert.Empty(t, says())
	y.now = start.AddDate(0, 0, 2)
	done, err := y.Days.Close(ctx, by(y.m), snapshot.Closure{MachineID: box, FromOn: in(2), Why: "element burnt out"})
	require.NoError(t, err)
	assert.Equal(t, "Box takes no eggs from Wed 3 Mar on. 12 eggs of 2 batches are inside: move them.", done.Said)
	assert.Equal(t, []string{
		"Box is closed from Wed 3 Mar on (element burnt out). 12 eggs of 2 batches are inside: move them.",
	}, says())
	one := setting(1)
	one.SetAt = y.now
	page, err := y.Incubate.Plan(ctx, y.m, one)
	require.NoError(t, err)
	require.NotEmpty(t, page.Answer.Clashes, "and nothing is set in it")
	assert.Equal(t, "Box is closed from Wed 3 Mar on.", page.Answer.Clashes[0].Says)
	for i, id := range ids {
		_, err = y.Moving.Move(ctx, by(y.m), id, moving.Moving{To: other, Which: moving.Which{All: true}})
		require.NoError(t, err)
		assert.Len(t, says(), 1-i)
	}

	to := in(20)
	done, err = y.Days.Close(ctx, by(y.m), snapshot.Closure{MachineID: hatcher, FromOn: in(17), ToOn: &to})
	require.NoError(t, err)
	assert.Equal(t, "Hatcher takes no eggs Thu 18 Mar to Sun 21 Mar. Lockdown there falls into that time: pick another "+
		"hatcher for Chicken 27-01 and Chicken 27-02.", done.Said)
	assert.Len(t, says(), 1)
}
