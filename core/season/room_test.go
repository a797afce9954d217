package season_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/season"
)

var monday = time.Date(2027, 3, 1, 18, 0, 0, 0, time.UTC)

func day(n int) time.Time { return monday.AddDate(0, 0, n) }

func write(t time.Time) string { return t.Format("2 Jan") }

func stay(batch int64, machine int64, phase season.Phase, from, to int, eggs float64, room int) season.Stay {
	return season.Stay{
		BatchID: batch, Code: "batch " + string('A'-1+rune(batch)), MachineID: machine, Phase: phase, From: day(from),
		To: day(to), Eggs: eggs, Room: room,
	}
}

func TestClashes(t *testing.T) {
	for _, c := range []struct {
		name  string
		stays []season.Stay
		why   []string
	}{
		{"hens and quail share a setter by their own room: 30/60 + 75/150 is just full",
			[]season.Stay{stay(1, 1, season.Turning, 0, 18, 30, 60), stay(2, 1, season.Turning, 3, 18, 75, 150)}, nil},
		{"one egg more is too many",
			[]season.Stay{stay(1, 1, season.Turning, 0, 18, 30, 60), stay(2, 1, season.Turning, 3, 18, 90, 150)},
			[]string{"Box is too small from 4 Mar: it would be 110 % full."}},
		{"one leaves before the next comes",
			[]season.Stay{stay(1, 1, season.Turning, 0, 3, 60, 60), stay(2, 1, season.Turning, 3, 18, 60, 60)}, nil},
		{"turning under lockdown",
			[]season.Stay{stay(1, 1, season.Locked, 18, 22, 20, 60), stay(2, 1, season.Turning, 20, 38, 20, 60)},
			[]string{"batch A stands in lockdown in Box until 23 Mar, too humid for eggs that still turn."}},
		{"lockdown over eggs that still turn",
			[]season.Stay{stay(1, 1, season.Turning, 0, 18, 20, 60), stay(2, 1, season.Locked, 10, 14, 20, 60)},
			[]string{"batch A still turns in Box on 11 Mar, when these eggs need lockdown."}},
		{"a lid opened on a hatch",
			[]season.Stay{stay(1, 1, season.Locked, 18, 22, 20, 60), stay(2, 1, season.Locked, 20, 24, 20, 60)},
			[]string{"The lid of Box is shut over batch A until 23 Mar."}},
		{"locked down on one day, they share the load",
			[]season.Stay{stay(1, 1, season.Locked, 18, 22, 20, 60), stay(2, 1, season.Locked, 18, 29, 20, 60)}, nil},
		{"one at first light, one in the last hour of that day: still one opening",
			[]season.Stay{
				{BatchID: 1, MachineID: 1, Phase: season.Locked, From: day(18).Add(-13 * time.Hour), To: day(22), Room: 60},
				{BatchID: 2, MachineID: 1, Phase: season.Locked, From: day(18).Add(5 * time.Hour), To: day(22), Room: 60},
			}, nil},
		{"other machines do not matter",
			[]season.Stay{stay(1, 1, season.Locked, 18, 22, 20, 60), stay(2, 2, season.Turning, 18, 22, 20, 60)}, nil},
		{"geese in a quail box", []season.Stay{stay(1, 1, season.Locked, 18, 22, 4, 0)},
			[]string{"Box has no places for these eggs in lockdown."}},
		{"a batch moves from turning to lockdown in one machine",
			[]season.Stay{stay(1, 1, season.Turning, 0, 18, 20, 60), stay(1, 1, season.Locked, 18, 22, 18, 60)}, nil},
	} {
		t.Run(c.name, func(t *testing.T) {
			var why []string
			for _, clash := range season.Clashes(c.stays) {
				why = append(why, clash.Why("Box", write))
			}
			assert.Equal(t, c.why, why)
		})
	}
}

func TestLoadsAddUp(t *testing.T) {
	loads := season.Loads(
		[]season.Stay{stay(1, 1, season.Turning, 0, 18, 30, 60), stay(2, 1, season.Turning, 3, 10, 15, 60)}, 1, false,
	)
	require.Len(t, loads, 4)
	for i, want := range []float64{0.5, 0.75, 0.5, 0} {
		assert.InDelta(t, want, loads[i].Share, 1e-9)
	}
}
