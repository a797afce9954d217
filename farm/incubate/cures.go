package incubate

import (
	"cmp"
	"slices"

	"metrogon/core/season"
	"metrogon/core/wording"
	"metrogon/farm/snapshot"
)

// Cure is a change after which a setting clashes with nothing; what is zero stays.
type Cure struct {
	Says      string
	SetterID  int64
	HatcherID int64
	Eggs      int // to set, in all
	Days      int // later
}

// On changes a setting.
func (c Cure) On(s Setting) Setting {
	s.SetterID = cmp.Or(c.SetterID, s.SetterID)
	s.HatcherID = cmp.Or(c.HatcherID, s.HatcherID)
	s.SetAt = s.SetAt.AddDate(0, 0, c.Days)
	if c.Eggs > 0 {
		s.Picks = fewer(s.Picks, c.Eggs)
	}
	return s
}

// fewer leaves so many eggs picked; the freshest stay in store, since they keep longest.
func fewer(picks []Pick, eggs int) (left []Pick) {
	picks = slices.Clone(picks)
	slices.SortStableFunc(picks, func(a, b Pick) int { return a.LaidOn.Compare(b.LaidOn) })
	for _, p := range picks {
		p.Eggs = min(p.Eggs, eggs)
		eggs -= p.Eggs
		if len(p.Only) > 0 {
			p.Only = p.Only[:p.Eggs]
		}
		if p.Eggs > 0 {
			left = append(left, p)
		}
	}
	return left
}

// cures finds the changes that make a setting fit: another hatcher, another setter, fewer
// eggs, a day later; two of them together where one alone does not do.
func (p SetPage) cures(w *snapshot.Snapshot, s Setting, stays []season.Stay) (all []Cure) {
	try := func(c Cure) bool {
		ok := fits(w, c.On(s), stays)
		if ok {
			all = append(all, c)
		}
		return ok
	}
	for _, h := range p.Hatchers {
		if h.ID != s.HatcherID {
			try(Cure{Says: "they hatch in " + h.Name, HatcherID: h.ID})
		}
	}
	for _, x := range p.Setters {
		if x.ID != s.SetterID {
			try(Cure{Says: "they are set in " + x.Name, SetterID: x.ID})
		}
	}
	if n := p.most(w, s, stays); n > 0 {
		all = append(all, Cure{Says: wording.Plural(n, "egg") + " only", Eggs: n})
	}
	try(Cure{Says: "they are set a day later", Days: 1})
	for _, x := range p.Setters {
		for _, h := range p.Hatchers {
			if len(all) == 0 && x.ID != s.SetterID && h.ID != s.HatcherID {
				try(Cure{
					Says: "they are set in " + x.Name + " and hatch in " + h.Name, SetterID: x.ID, HatcherID: h.ID,
				})
			}
		}
	}
	if len(all) > 0 {
		return all
	}
	for _, h := range p.Hatchers { // a part of them elsewhere
		c := Cure{HatcherID: h.ID}
		if c.Eggs = p.most(w, c.On(s), stays); c.Eggs > 0 {
			c.Says = wording.Plural(c.Eggs, "egg") + " only, and they hatch in " + h.Name
			all = append(all, c)
		}
	}
	slices.SortStableFunc(all, func(a, b Cure) int { return b.Eggs - a.Eggs })
	return all[:min(len(all), 3)]
}

// fit changes a proposal that clashes: to the machines in which most of it fits, with no more
// eggs than do. Where nothing fits it stays as it is, with its clashes and their cures.
func (p *SetPage) fit(w *snapshot.Snapshot, s *Setting, stays []season.Stay, x snapshot.Beliefs) {
	if len(s.Picks) == 0 || fits(w, *s, stays) {
		return
	}
	best, most := *s, 0
	for _, set := range p.Setters {
		for _, hatch := range append(p.Hatchers, snapshot.Place{Machine: set.Machine}) {
			one := *s
			one.SetterID, one.HatcherID = set.ID, hatch.ID
			p.choose(&one, x)
			n := 0
			for _, pick := range one.Picks {
				n += pick.Eggs
			}
			if n > most && !fits(w, one, stays) {
				n = p.most(w, one, stays)
				one = Cure{Eggs: n}.On(one)
			}
			if n > most {
				best, most = one, n
			}
		}
	}
	if most > 0 {
		*s = best
	}
}

// most is the largest number of the picked eggs that fits, 0 for none.
func (p SetPage) most(w *snapshot.Snapshot, s Setting, stays []season.Stay) int {
	total := 0
	for _, pick := range s.Picks {
		total += pick.Eggs
	}
	low, high := 0, total // low fits, high does not
	for high-low > 1 {
		if n := (low + high) / 2; fits(w, Cure{Eggs: n}.On(s), stays) {
			low = n
		} else {
			high = n
		}
	}
	return low
}

// fits tells whether a setting is possible and clashes with nothing.
func fits(w *snapshot.Snapshot, s Setting, stays []season.Stay) bool {
	batch, err := check(w, s)
	if err != nil {
		return false
	}
	v, err := w.View(batch)
	if err != nil {
		return false
	}
	for _, pick := range s.Picks {
		v.Tally.Eggs += pick.Eggs
	}
	v.Tally.Alive = v.Tally.Eggs
	clashes, _ := clashesOf(w, v, stays)
	return len(clashes) == 0
}

// clashesOf lists what stands against a batch that is not set yet, and the stays with it.
func clashesOf(
	w *snapshot.Snapshot, v snapshot.BatchView, stays []season.Stay,
) (all []snapshot.Clash, with []season.Stay) {
	own := w.Stays(v)
	with = append(slices.Clone(stays), own...)
	for _, c := range w.Clashes(with) {
		told := c.Room() && slices.ContainsFunc(all, func(o snapshot.Clash) bool {
			return o.Room() && o.Machine.ID == c.Machine.ID
		})
		if c.Stay.BatchID == unset || c.With.BatchID == unset || (c.Room() && !told && overlapsMachine(c, own)) {
			all = append(all, c)
		}
	}
	return append(w.Closes(own), all...), with
}
