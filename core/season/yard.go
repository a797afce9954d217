package season

import (
	"cmp"
	"slices"
	"time"
)

// Reason is why a batch cannot go where it is planned.
type Reason string

// The reasons. The first three are those of Clashes.
const (
	RoomReason     Reason = "room"
	ClimateReason  Reason = "climate"
	LidReason      Reason = "lid"      // of a load that hatches
	CleaningReason Reason = "cleaning" // after a hatch, before anything goes in
	ClosedReason   Reason = "closed"
	AwayReason     Reason = "away"
	BrooderReason  Reason = "brooder"
	EggsReason     Reason = "eggs" // too few, or too old
)

// Yard is all there is when a batch is planned; what of it is the batch's own is passed over.
// Dates are midnights of one zone.
type Yard struct {
	Stays  []Stay
	Clean  map[int64]int // days that a machine stands empty after a hatch
	Shut   []Shut
	Away   []Absence
	Places float64 // in brooders; below 0: not known, and so not what binds
	Groups []Group // of young in brooders
}

// Shut is days on which a machine takes no eggs, ends included.
type Shut struct {
	MachineID int64
	From, To  time.Time
	Why       string
}

// Absence is days on which nobody sets, shuts the lid, or pulls, ends included.
type Absence struct {
	From, To time.Time
	Not      []string
	Why      string
}

// Group is young that take brooder places from one date up to another.
type Group struct {
	BatchID  int64
	From, To time.Time
	Places   float64
}

// Move is a batch that is planned somewhere: where it stands when, on which dates it is set,
// locked down and pulled, and what its young take in the brooder.
type Move struct {
	Stays                 []Stay
	SetOn, LockOn, PullOn time.Time
	Young                 Group
}

// Trouble is what stands against a move: from when to when, in which machine.
type Trouble struct {
	Reason    Reason
	MachineID int64 // 0: none
	From, To  time.Time
	Clash     *Clash  // of room, climate and lid
	Action    string  // that falls on a day away: set, lockdown, pull
	Why       string  // as it was typed: why closed, why away
	Over      float64 // brooder places that lack
}

// Against lists what stands against a move, in that order: the machines, the people, the
// brooder.
func (y Yard) Against(m Move) (all []Trouble) {
	y.Stays = y.beside(m)
	all = append(all, y.clashes(m)...)
	all = append(all, y.cleaning(m)...)
	all = append(all, y.shut(m)...)
	all = append(all, y.away(m)...)
	return append(all, y.brooder(m)...)
}

// beside are the stays of others in the machines of a move, at its time or near it.
func (y Yard) beside(m Move) (stays []Stay) {
	for _, s := range y.Stays {
		for _, o := range m.Stays {
			if o.MachineID == s.MachineID && o.BatchID != s.BatchID &&
				s.From.Before(o.To.Add(near)) && o.From.Before(s.To.Add(near)) {
				stays = append(stays, s)
				break
			}
		}
	}
	return stays
}

// near is how far from a stay others still matter: as long as any machine is cleaned.
const near = 31 * 24 * time.Hour

// clashes are those that were not there without the move.
func (y Yard) clashes(m Move) (all []Trouble) {
	own := func(s Stay) bool { return len(m.Stays) > 0 && s.BatchID == m.Stays[0].BatchID }
	for _, c := range Clashes(append(slices.Clone(y.Stays), m.Stays...)) {
		shares := slices.ContainsFunc(m.Stays, func(s Stay) bool {
			return s.MachineID == c.Stay.MachineID && (s.Phase == Locked) == (c.Stay.Phase == Locked) &&
				s.From.Before(c.To) && c.From.Before(s.To)
		})
		told := slices.ContainsFunc(all, func(t Trouble) bool { return t.Clash.Room() && t.MachineID == c.Stay.MachineID })
		switch {
		case c.Room() && shares && !told:
			all = append(all, Trouble{Reason: RoomReason, MachineID: c.Stay.MachineID, From: c.From, To: c.To, Clash: &c})
		case c.Room() || !own(c.Stay) && !own(c.With):
		case c.Stay.Phase == Locked && c.With.Phase == Locked:
			all = append(all, Trouble{Reason: LidReason, MachineID: c.Stay.MachineID, From: c.From, To: c.To, Clash: &c})
		default:
			all = append(all, Trouble{Reason: ClimateReason, MachineID: c.Stay.MachineID, From: c.From, To: c.To, Clash: &c})
		}
	}
	return all
}

// cleaning finds machines that would be filled before they are clean: by the move after a
// hatch, or by others after the move's.
func (y Yard) cleaning(m Move) (all []Trouble) {
	dirty := func(after, then Stay) {
		if after.Phase != Locked || after.MachineID != then.MachineID || y.Clean[after.MachineID] == 0 {
			return
		}
		clean := after.To.AddDate(0, 0, y.Clean[after.MachineID])
		if !then.From.Before(after.To) && then.From.Before(clean) {
			all = append(all, Trouble{
				Reason: CleaningReason, MachineID: then.MachineID, From: after.To, To: clean,
				Clash: &Clash{Stay: then, With: after, From: after.To, To: clean},
			})
		}
	}
	for _, s := range m.Stays {
		for _, o := range y.Stays {
			dirty(o, s)
			dirty(s, o)
		}
	}
	return all
}

func (y Yard) shut(m Move) (all []Trouble) {
	for _, s := range m.Stays {
		for _, c := range y.Shut {
			if end := c.To.AddDate(0, 0, 1); c.MachineID == s.MachineID && s.From.Before(end) && c.From.Before(s.To) {
				all = append(all, Trouble{
					Reason: ClosedReason, MachineID: s.MachineID, From: latest(c.From, s.From), To: earliest(end, s.To),
					Why: c.Why,
				})
			}
		}
	}
	return all
}

func (y Yard) away(m Move) (all []Trouble) {
	for _, act := range []struct {
		name string
		on   time.Time
	}{{"set", m.SetOn}, {"lockdown", m.LockOn}, {"pull", m.PullOn}} {
		for _, a := range y.Away {
			if !act.on.IsZero() && slices.Contains(a.Not, act.name) && !act.on.Before(a.From) && !act.on.After(a.To) {
				all = append(all, Trouble{
					Reason: AwayReason, From: a.From, To: a.To.AddDate(0, 0, 1), Action: act.name, Why: a.Why,
				})
				break
			}
		}
	}
	return all
}

// brooder finds the worst day on which more young than fit would sit in the brooders.
func (y Yard) brooder(m Move) (all []Trouble) {
	if y.Places < 0 || m.Young.Places <= 0 {
		return nil
	}
	type step struct {
		at     time.Time
		places float64
	}
	steps := []step{{m.Young.From, m.Young.Places}, {m.Young.To, -m.Young.Places}}
	for _, g := range y.Groups {
		if g.BatchID != m.Young.BatchID && g.From.Before(m.Young.To) && g.To.After(m.Young.From) {
			steps = append(steps, step{latest(g.From, m.Young.From), g.Places}, step{earliest(g.To, m.Young.To), -g.Places})
		}
	}
	slices.SortFunc(steps, func(a, b step) int { return cmp.Or(a.at.Compare(b.at), cmp.Compare(a.places, b.places)) })
	worst, sum := Trouble{Reason: BrooderReason}, 0.0
	for i, s := range steps {
		if sum += s.places; sum-y.Places > worst.Over+Tolerance {
			worst.Over, worst.From = sum-y.Places, s.at
			if i+1 < len(steps) {
				worst.To = steps[i+1].at
			}
		}
	}
	if worst.Over > 0.5 {
		all = append(all, worst)
	}
	return all
}
