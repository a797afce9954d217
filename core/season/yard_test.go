package season_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/season"
)

func at(day int) time.Time { return time.Date(2027, 3, 1+day, 8, 0, 0, 0, time.UTC) }
func on(day int) time.Time { return time.Date(2027, 3, 1+day, 0, 0, 0, 0, time.UTC) }

// move sets eggs in machine 1 and hatches them in machine 2, as hens' eggs do.
func move(day int, eggs float64) season.Move {
	return season.Move{
		Stays: []season.Stay{
			{
				BatchID: 7, Code: "New", MachineID: 1, Phase: season.Turning, From: at(day), To: at(day + 18), Eggs: eggs, Room: 40,
			},
			{
				BatchID: 7, Code: "New", MachineID: 2, Phase: season.Locked, From: at(day + 18), To: at(day + 22), Eggs: eggs,
				Room: 20,
			},
		},
		SetOn: on(day), LockOn: on(day + 18), PullOn: on(day + 22),
		Young: season.Group{BatchID: 7, From: on(day + 22), To: on(day + 50), Places: eggs / 2},
	}
}

func reasons(all []season.Trouble) (out []season.Reason) {
	for _, t := range all {
		out = append(out, t.Reason)
	}
	return
}

func TestWhatStandsAgainstAMove(t *testing.T) {
	other := func(phase season.Phase, machine int64, from, to int) season.Stay {
		return season.Stay{
			BatchID: 3, Code: "Old", MachineID: machine, Phase: phase, From: at(from), To: at(to), Eggs: 15, Room: 20,
		}
	}
	for name, c := range map[string]struct {
		yard  season.Yard
		wants []season.Reason
	}{
		"an empty yard": {season.Yard{Places: 20}, nil},
		"the lid of an earlier load": {
			season.Yard{
				Stays: []season.Stay{other(season.Locked, 2, 16, 20)},
			}, []season.Reason{season.RoomReason, season.LidReason},
		},
		"a load of the same lockdown": {
			season.Yard{Stays: []season.Stay{other(season.Locked, 2, 18, 22)}}, []season.Reason{season.RoomReason},
		},
		"others turn in the hatcher": {
			season.Yard{Stays: []season.Stay{other(season.Turning, 2, 15, 30)}}, []season.Reason{season.ClimateReason},
		},
		"not clean yet": {
			season.Yard{Stays: []season.Stay{other(season.Locked, 2, 14, 18)}, Clean: map[int64]int{2: 1}},
			[]season.Reason{season.CleaningReason},
		},
		"clean a day before": {
			season.Yard{Stays: []season.Stay{other(season.Locked, 2, 13, 17)}, Clean: map[int64]int{2: 1}}, nil,
		},
		"the next load comes before it is clean": {
			season.Yard{Stays: []season.Stay{other(season.Locked, 2, 22, 26)}, Clean: map[int64]int{2: 2}},
			[]season.Reason{season.CleaningReason},
		},
		"closed": {
			season.Yard{Shut: []season.Shut{{MachineID: 1, From: on(3), To: on(4), Why: "lent"}}},
			[]season.Reason{season.ClosedReason},
		},
		"closed on the day after": {season.Yard{Shut: []season.Shut{{MachineID: 2, From: on(23), To: on(30)}}}, nil},
		"away at lockdown": {
			season.Yard{
				Away: []season.Absence{{From: on(17), To: on(18), Not: []string{"set", "lockdown"}}},
			}, []season.Reason{season.AwayReason},
		},
		"away, with somebody to pull": {
			season.Yard{Away: []season.Absence{{From: on(22), To: on(22), Not: []string{"set"}}}}, nil,
		},
		"a full brooder": {
			season.Yard{
				Places: 14, Groups: []season.Group{{From: on(10), To: on(30), Places: 6}},
			}, []season.Reason{season.BrooderReason},
		},
		"a brooder that fits to a place": {
			season.Yard{Places: 16, Groups: []season.Group{{From: on(10), To: on(30), Places: 6}}}, nil,
		},
	} {
		if c.yard.Places == 0 {
			c.yard.Places = -1
		}
		assert.Equal(t, c.wants, reasons(c.yard.Against(move(0, 20))), name)
	}
}

// What was wrong before the move is not the move's fault.
func TestOldClashesAreNotToldAgain(t *testing.T) {
	y := season.Yard{Places: -1, Stays: []season.Stay{
		{BatchID: 3, MachineID: 5, Phase: season.Locked, From: at(0), To: at(4), Eggs: 30, Room: 20},
		{BatchID: 4, MachineID: 5, Phase: season.Turning, From: at(0), To: at(9), Eggs: 5, Room: 20},
	}}
	assert.Empty(t, y.Against(move(0, 10)))
}

func TestTheBrooderNamesItsWorstDay(t *testing.T) {
	y := season.Yard{Places: 12, Groups: []season.Group{
		{From: on(20), To: on(40), Places: 3}, {From: on(30), To: on(60), Places: 5},
	}}
	all := y.Against(move(0, 20))
	require.Len(t, all, 1)
	assert.Equal(t, on(30), all[0].From)
	assert.Equal(t, on(40), all[0].To)
	assert.InDelta(t, 6, all[0].Over, 1e-9, "10 + 3 + 5 in 12 places")
}
