package farm_test

import (
	"testing"
	"time"
	_ "time/tzdata"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/farm/incubate"
)

func TestTheCounterOfAMachine(t *testing.T) {
	y := newYard(t)
	pen, box := y.pen("Barred", "chicken"), y.machine("Box", "all-in-one", "chicken", 50, 50)
	y.collect(pen, 0, 6, 0)
	id := y.set(incubate.Setting{
		Species: "chicken", SetterID: box, StartCounter: true,
		Picks: []incubate.Pick{{PenID: pen, LaidOn: day(0), Eggs: 6}},
	})
	y.now = start.Add(25 * time.Hour)
	b := y.batch(id)
	assert.True(t, b.HasCount)
	assert.Equal(t, 1, b.Counter)
	_, err := y.Undo(y.Context(), by(y.m), b.Last.ID)
	require.NoError(t, err)
	all, err := y.Machines.List(y.Context(), y.m)
	require.NoError(t, err)
	assert.False(t, all[0].HasCount, "the counter goes back with the setting")
}

func TestTheBoardShowsClashes(t *testing.T) {
	y := newYard(t)
	pen, box := y.pen("Barred", "chicken"), y.machine("Box", "all-in-one", "chicken", 50, 50)
	y.collect(pen, 0, 20, 0)
	y.set(incubate.Setting{
		Species: "chicken", SetterID: box, Picks: []incubate.Pick{{PenID: pen, LaidOn: day(0), Eggs: 10}},
	})
	y.now = start.AddDate(0, 0, 10)
	y.set(incubate.Setting{
		Species: "chicken", SetterID: box, Picks: []incubate.Pick{{PenID: pen, LaidOn: day(0), Eggs: 10}},
	})
	board, err := y.Season.Board(y.Context(), y.m, time.Time{}, 6)
	require.NoError(t, err)
	require.Len(t, board.Lanes, 1)
	assert.Len(t, board.Lanes[0].Bars, 4, "two batches, each turning and in lockdown")
	require.Len(t, board.Clashes, 1)
	assert.Equal(
		t, "Chicken 27-02 still turns in Box on Fri 19 Mar, when these eggs need lockdown.", board.Clashes[0].Says,
	)
	assert.NotEmpty(t, board.Lanes[0].Bars[1].Clash)
}

func TestAMachineIsMadeReady(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	barred := y.pen("Barred", "chicken")
	cabinet := y.machine("Cabinet", "all-in-one", "chicken", 40, 40)
	y.collect(barred, 1, 10, 0)
	s := incubate.Setting{
		Species: "chicken", SetterID: cabinet, HatcherID: cabinet, SetAt: y.now,
		Picks: []incubate.Pick{{PenID: barred, LaidOn: day(1), Eggs: 5}},
	}
	why := func() string {
		s.SetAt = y.now
		page, err := y.Incubate.Plan(ctx, y.m, s)
		require.NoError(t, err)
		return page.Answer.NotReady
	}
	assert.Equal(t, "not ticked: cleaned and sanitized and 7 more steps", why())
	_, err := y.Machines.MadeReady(
		ctx, by(y.m), cabinet, "clean", "place", "outlet", "water", "floor", "turner", "thermometers", "nonsense",
	)
	assert.ErrorContains(t, err, `"nonsense" is no step`)
	_, err = y.Machines.MadeReady(
		ctx, by(y.m), cabinet, "clean", "place", "outlet", "water", "floor", "turner", "thermometers",
	)
	require.NoError(t, err)
	assert.Equal(t, "not running warm yet", why())
	_, err = y.Machines.MadeReady(ctx, by(y.m), cabinet, "warm")
	require.NoError(t, err)
	y.now = y.now.Add(10 * time.Hour)
	assert.Equal(t, "warm for 10 of 24 hours", why())
	y.now = y.now.Add(14 * time.Hour)
	assert.Empty(t, why())
	id := y.set(s)
	assert.Empty(t, why(), "eggs stand in it")
	y.now = y.now.AddDate(0, 0, 22)
	_, err = y.Hatch.Close(ctx, by(y.m), id, time.Time{})
	require.NoError(t, err)
	y.now = y.now.Add(time.Minute)
	s.Picks[0].Eggs = 1
	assert.Equal(t, "not ticked: cleaned and sanitized and 7 more steps", why(), "after a hatch it begins anew")
	_, err = y.Machines.MadeReady(ctx, by(y.m), cabinet)
	assert.ErrorContains(t, err, "Mark what is done")
}
