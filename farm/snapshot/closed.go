package snapshot

import (
	"slices"

	"metrogon/core/season"
	"metrogon/core/wording"
	"metrogon/farm"
)

// ClosedTo finds the closure of a machine, if there is one, in which a stay would fall.
func (w *Snapshot) ClosedTo(s season.Stay) (Closure, bool) {
	i := slices.IndexFunc(w.Closures, func(c Closure) bool { return c.MachineID == s.MachineID && w.during(c, s) })
	if i < 0 {
		return Closure{}, false
	}
	return w.Closures[i], true
}

// during tells that eggs stand in a machine on a day on which it is closed.
func (w *Snapshot) during(c Closure, s season.Stay) bool {
	return !w.Member.Date(s.To).Before(c.FromOn) && (c.ToOn == nil || !w.Member.Date(s.From).After(*c.ToOn))
}

// Closes are those of some stays that would be in a closed machine, as clashes.
func (w *Snapshot) Closes(stays []season.Stay) (all []Clash) {
	for _, s := range stays {
		if c, is := w.ClosedTo(s); is {
			x := w.MachineByID[s.MachineID]
			all = append(all, Clash{
				season.Clash{Stay: s, With: s, From: s.From, To: s.To}, x,
				x.Name + " is closed " + farm.Span(c.FromOn, c.ToOn) + ".",
			})
		}
	}
	return all
}

// Stranded is a machine that is closed over eggs: they stand in it, or are to hatch in it while it is.
type Stranded struct {
	Closure
	Machine Machine
	Begun   bool        // it is closed already
	Inside  []BatchView // that stand in it, and still would when it is closed
	Coming  []BatchView // that would have to go in while it is
}

// Stranded finds them among the batches in the machines.
func (w *Snapshot) Stranded(open []BatchView) (all []Stranded) {
	for _, c := range w.Closures {
		s := Stranded{Closure: c, Machine: w.MachineByID[c.MachineID], Begun: !c.FromOn.After(w.Member.Date(w.Now))}
		for _, v := range open {
			for _, stay := range w.Stays(v) {
				switch {
				case stay.MachineID != c.MachineID || v.Alive == 0 || !stay.To.After(w.Now) || !w.during(c, stay):
				case !stay.From.After(w.Now):
					s.Inside = append(s.Inside, v)
				case v.Stands().ID != c.MachineID:
					s.Coming = append(s.Coming, v)
				}
			}
		}
		if len(s.Inside)+len(s.Coming) > 0 {
			all = append(all, s)
		}
	}
	return all
}

// Move are those that have to go elsewhere.
func (s Stranded) Move() []BatchView { return append(slices.Clone(s.Inside), s.Coming...) }

// Says tells it, and what to do: "Cabinet is closed from Mon 3 May on. 61 eggs of 4 batches are inside: move them."
func (s Stranded) Says() string {
	closed := s.Machine.Name + " is closed " + farm.Span(s.FromOn, s.ToOn)
	if s.Why != "" {
		closed += " (" + s.Why + ")"
	}
	return closed + ". " + s.Eggs()
}

// Eggs tells of the eggs that it is closed over.
func (s Stranded) Eggs() string {
	if len(s.Inside) == 0 {
		codes := make([]string, len(s.Coming))
		for i, v := range s.Coming {
			codes[i] = v.Code
		}
		return "Lockdown there falls into that time: pick another hatcher for " + wording.And(codes) + "."
	}
	eggs := 0
	for _, v := range s.Inside {
		eggs += v.Alive
	}
	of := wording.Plural(eggs, "egg") + " of " + wording.Plural(len(s.Inside), "batch")
	switch {
	case s.Begun && eggs == 1:
		return of + " is inside: move it."
	case s.Begun:
		return of + " are inside: move them."
	}
	return of + " would still be inside: move them before that."
}
