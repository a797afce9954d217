package snapshot

import (
	"cmp"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/season"
	"metrogon/farm"
)

// Counter tells what a machine's own day counter should read at a moment.
func Counter(machine Machine, at time.Time) (day int, runs bool) {
	if machine.CounterStartedAt == nil {
		return 0, false
	}
	return calendar.Counting(machine.CounterFrom).Number(*machine.CounterStartedAt, at), true
}

// Place is a machine with what it holds of the kind at hand, and what is left.
type Place struct {
	Machine
	Room int
	Free int // now
}

func (w *Snapshot) AllStays(open []BatchView) (stays []season.Stay) {
	for _, v := range open {
		stays = append(stays, w.Stays(v)...)
	}
	return
}

func (w *Snapshot) Places(stays []season.Stay, kind string) (setters, hatchers []Place) {
	for _, x := range w.Machines {
		r := w.Rooms[x.ID][kind]
		if x.UntilOn != nil && x.UntilOn.Before(w.Member.Date(w.Now)) {
			continue
		}
		if r.Setting > 0 {
			setters = append(setters, Place{
				x, r.Setting, FreePlaces(season.Loads(stays, x.ID, false), w.Now, r.Setting),
			})
		}
		if r.Hatching > 0 {
			hatchers = append(hatchers, Place{
				x, r.Hatching, FreePlaces(season.Loads(stays, x.ID, true), w.Now, r.Hatching),
			})
		}
	}
	return
}

func FreePlaces(loads []season.Load, at time.Time, room int) int {
	used := 0.0
	for _, l := range loads {
		if !l.At.After(at) {
			used = l.Share
		}
	}
	return max(0, int((1-used)*float64(room)+1e-6))
}

// keptShare of eggs set is expected to reach lockdown after candling [common
// practice]; once a batch was candled, its own count stands.
const KeptShare = 0.85

// stillThere is until when a batch stands where it was put last: as planned; what is due today, for the rest of the
// day; what is overdue, until tomorrow.
func (w *Snapshot) stillThere(planned time.Time) time.Time {
	switch today := w.Member.Date(w.Now); {
	case planned.After(w.Now):
		return planned
	case w.Member.Date(planned).Equal(today):
		return time.Date(today.Year(), today.Month(), today.Day(), 23, 59, 59, 0, w.Member.Place)
	}
	return w.Now.Add(calendar.Day)
}

// ofBoxes is the room of a shelf of which nobody said how many of a reptile's eggs it holds: boxes count there.
const ofBoxes = 1000

// Stays tells where a batch is when: in its setter until lockdown, in its
// hatcher until it is pulled; one that was moved, from when it came.
func (w *Snapshot) Stays(v BatchView) []season.Stay {
	alive := float64(v.Alive)
	if v.ClosedAt != nil {
		alive = float64(v.Eggs)
	}
	out := w.stillThere(v.At(calendar.Pull))
	if v.ClosedAt != nil {
		out = *v.ClosedAt
	}
	stay := func(machine int64, phase season.Phase, from, to time.Time, eggs float64, room int) season.Stay {
		return season.Stay{
			BatchID: v.ID, Code: v.Code, MachineID: machine, Phase: phase, From: from.In(w.Member.Place), To: to, Eggs: eggs,
			Room: room,
		}
	}
	if v.Kind.IsReptile() {
		return []season.Stay{
			stay(v.SetterID, season.Resting, v.CameAt, out, alive, cmp.Or(w.Rooms[v.SetterID][v.Species].Setting, ofBoxes)),
		}
	}
	shut := v.At(calendar.Lockdown)
	switch {
	case v.LockedAt != nil:
		shut = *v.LockedAt
	case v.ClosedAt != nil && v.ClosedAt.Before(shut):
		shut = *v.ClosedAt
	case v.ClosedAt == nil:
		shut = w.stillThere(shut)
	}
	if out.Before(shut) {
		out = shut
	}
	came, locked := v.CameAt, shut
	if v.LockedAt != nil {
		came, locked = v.SetAt, farm.Latest(shut, v.CameAt)
	}
	reach := alive
	if v.CandledAt == nil && v.LockedAt == nil {
		reach *= KeptShare
	}
	return []season.Stay{
		stay(v.SetterID, season.Turning, came, shut, alive, w.Rooms[v.SetterID][v.Species].Setting),
		stay(v.HatcherID, season.Locked, locked, out, reach, w.Rooms[v.HatcherID][v.Species].Hatching),
	}
}

// Clash is a clash in words, with the cure where there is a plain one.
type Clash struct {
	season.Clash
	Machine Machine
	Says    string
}

// Clashes lists those that are not over yet.
func (w *Snapshot) Clashes(stays []season.Stay) (all []Clash) {
	for _, c := range season.Clashes(stays) {
		if !c.To.After(w.Now) {
			continue
		}
		machine := w.MachineByID[c.Stay.MachineID]
		all = append(all, Clash{c, machine, c.Why(machine.Name, w.Member.ShortDay)})
	}
	return
}

// Running is a machine in use.
type Running struct {
	Machine
	Batches  []BatchView
	Full     float64 // share of its room, of the fuller phase
	Counter  int
	HasCount bool
}

func (w *Snapshot) Running(open []BatchView, stays []season.Stay) (all []Running) {
	for _, x := range w.Machines {
		r := Running{Machine: x}
		for _, v := range open {
			if v.Stands().ID == x.ID {
				r.Batches = append(r.Batches, v)
			}
		}
		for _, locked := range []bool{false, true} {
			for _, l := range season.Loads(stays, x.ID, locked) {
				if !l.At.After(w.Now) && l.Share > 0 {
					r.Full = l.Share
				}
			}
		}
		if len(r.Batches) == 0 {
			r.Full = 0
		}
		r.Counter, r.HasCount = Counter(x, w.Now)
		all = append(all, r)
	}
	return
}
