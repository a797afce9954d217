// Package season is a season to be planned and its rules: what stands in machines over days (room, one climate at a
// time), and whether a plan keeps the rules and what it is worth. Package solve finds plans, package bound proves how
// good one can be; both work on a plan in the making, package draft.
package season

import (
	"cmp"
	"fmt"
	"slices"
	"time"
)

// Phase is what eggs do in a machine.
type Phase string

// Turning eggs are turned; locked ones hatch behind a shut lid; resting ones
// (reptiles) are left alone.
const (
	Turning Phase = "turning"
	Locked  Phase = "lockdown"
	Resting Phase = "resting"
)

// Stay is a batch in one machine in one phase, from From up to To.
type Stay struct {
	BatchID   int64 // below 0: only thought of
	Code      string
	MachineID int64
	Phase     Phase
	From, To  time.Time
	Eggs      float64 // expected number of eggs in it
	Room      int     // how many of them the machine holds in this phase; 0: none
}

// Clash is a broken rule between stays in one machine.
type Clash struct {
	Stay, With Stay // With is zero where the machine is simply too small
	From, To   time.Time
	Share      float64 // of the machine's room that is needed at the worst moment, 1 = full
}

// Room tells whether the clash is about room.
func (c Clash) Room() bool { return c.With.BatchID == 0 }

// Load is how full a machine is from At on, 1 = full.
type Load struct {
	At    time.Time
	Share float64
}

// Loads gives the room used in a machine as it changes, over the stays that
// turn or rest in it, or over those in lockdown.
func Loads(stays []Stay, machineID int64, locked bool) []Load {
	type step struct {
		at    time.Time
		share float64
	}
	var steps []step
	for _, s := range stays {
		if s.MachineID == machineID && (s.Phase == Locked) == locked {
			steps = append(steps, step{s.From, s.share()}, step{s.To, -s.share()})
		}
	}
	slices.SortFunc(steps, func(a, b step) int { return cmp.Or(a.at.Compare(b.at), cmp.Compare(a.share, b.share)) })
	var loads []Load
	sum := 0.0
	for _, s := range steps {
		sum += s.share
		if n := len(loads); n > 0 && loads[n-1].At.Equal(s.at) {
			loads[n-1].Share = sum
		} else {
			loads = append(loads, Load{s.at, sum})
		}
	}
	return loads
}

func (s Stay) share() float64 {
	if s.Room == 0 {
		return s.Eggs // none fits: one egg is already a whole machine too many
	}
	return s.Eggs / float64(s.Room)
}

// Clashes lists what cannot be: more eggs than a machine holds, eggs turning
// where others stand in lockdown, a lid opened on a load that hatches. Stays are
// judged pairwise and by room; each clash is told once, by its later stay.
func Clashes(stays []Stay) []Clash {
	machines := map[int64][]Stay{}
	for _, s := range stays {
		machines[s.MachineID] = append(machines[s.MachineID], s)
	}
	var all []Clash
	for _, in := range machines {
		all = append(all, clashesIn(in)...)
	}
	slices.SortStableFunc(all, func(a, b Clash) int {
		return cmp.Or(a.Stay.From.Compare(b.Stay.From), cmp.Compare(a.Stay.MachineID, b.Stay.MachineID))
	})
	return all
}

// clashesIn are those of one machine.
func clashesIn(stays []Stay) (all []Clash) {
	slices.SortStableFunc(stays, func(a, b Stay) int { return a.From.Compare(b.From) })
	for i, s := range stays {
		if c, over := overfull(stays[:i+1], s); over {
			all = append(all, c)
		}
		for _, o := range stays[:i] {
			if o.BatchID != s.BatchID && o.From.Before(s.To) && s.From.Before(o.To) &&
				climatesDiffer(o, s) {
				all = append(all, Clash{Stay: s, With: o, From: latest(o.From, s.From), To: earliest(o.To, s.To)})
			}
		}
	}
	return all
}

// climatesDiffer holds for turning against lockdown, and for two lockdown loads that were not shut in one opening:
// on one date, as the clock of the stays shows it, or within half a day.
func climatesDiffer(a, b Stay) bool {
	if a.Phase == Locked && b.Phase == Locked {
		y, m, d := a.From.Date()
		oy, om, od := b.From.In(a.From.Location()).Date()
		return (y != oy || m != om || d != od) && b.From.Sub(a.From).Abs() > 12*time.Hour
	}
	return a.Phase == Locked || b.Phase == Locked
}

func overfull(stays []Stay, s Stay) (Clash, bool) {
	c := Clash{Stay: s}
	loads := Loads(stays, s.MachineID, s.Phase == Locked)
	for i, l := range loads {
		if l.Share <= 1+1e-6 || !l.At.Before(s.To) || l.At.Before(s.From) {
			continue
		}
		if c.Share == 0 {
			c.From = l.At
		}
		c.Share = max(c.Share, l.Share)
		c.To = s.To
		if i+1 < len(loads) {
			c.To = earliest(s.To, loads[i+1].At)
		}
	}
	return c, c.Share > 0
}

func latest(a, b time.Time) time.Time {
	if a.After(b) {
		return a
	}
	return b
}

func earliest(a, b time.Time) time.Time {
	if a.Before(b) {
		return a
	}
	return b
}

// Why says the clash in one sentence. The days are written by day.
func (c Clash) Why(machine string, day func(time.Time) string) string {
	switch {
	case c.Room() && c.Stay.Room == 0:
		return fmt.Sprintf("%s has no places for these eggs in %s.", machine, phaseWord(c.Stay.Phase))
	case c.Room():
		return fmt.Sprintf("%s is too small from %s: it would be %.0f %% full.", machine, day(c.From), 100*c.Share)
	case c.With.BatchID < 0: // not set yet: the later stay is one that stands already
		return fmt.Sprintf(
			"%s has to go into %s on %s, while these eggs still stand there.", c.Stay.Code, machine, day(c.Stay.From),
		)
	case c.With.Phase == Locked && c.Stay.Phase == Locked:
		return fmt.Sprintf("The lid of %s is shut over %s until %s.", machine, c.With.Code, day(c.With.To))
	case c.With.Phase == Locked:
		return fmt.Sprintf(
			"%s stands in lockdown in %s until %s, too humid for eggs that still turn.", c.With.Code, machine,
			day(c.With.To),
		)
	}
	return fmt.Sprintf("%s still turns in %s on %s, when these eggs need lockdown.", c.With.Code, machine, day(c.From))
}

func phaseWord(p Phase) string {
	if p == Locked {
		return "lockdown"
	}
	return "setting"
}
