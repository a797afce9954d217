// Package breeding holds what is known of parents: which male can have sired an egg, how
// closely birds are related, which dams to set from, and what comes of a cross where it is
// simple genetics.
package breeding

import (
	"cmp"
	"slices"
	"time"

	"metrogon/core/species"
)

// Stay is a bird's time in a pen, on whole dates: From the day that it was put in, Until the
// day that it was taken out; zero while it is there.
type Stay struct {
	Bird, Pen   int64 // Bird 0: a male that nobody named
	Male        bool
	From, Until time.Time
}

// on tells whether the bird was there on a date; on both of its edges it was.
func (s Stay) on(day time.Time) bool {
	return !day.Before(s.From) && (s.Until.IsZero() || !day.After(s.Until))
}

// Fertile is for how many days a male shows in the eggs of a species.
type Fertile struct {
	First int // days from his coming to the first eggs that can be his
	Safe  int // and to those that are all fertilised, if he is good
	Stays int // days after his going up to the last eggs that can be his
}

// FertileOf reads it from a profile. Reptiles are mated rather than kept together: from the
// day on.
func FertileOf(p *species.Profile) Fertile {
	return Fertile{
		First: int(p.FirstFertileDays.From), Safe: int(p.FirstFertileDays.To), Stays: int(p.StaysFertileDays.To),
	}
}

// Certainty is how sure the sire of an egg is.
type Certainty string

// How sure a sire is.
const (
	// NoMale: none was there, nor so lately that hens could still be fertile.
	NoMale Certainty = "no male"
	// TooEarly: only one male can be it, but so soon after he came that hens may not have been
	// served yet; the egg tells nothing of him.
	TooEarly Certainty = "too early"
	Sure     Certainty = "sure"
	// SeveralMales: they were there together.
	SeveralMales Certainty = "several males"
	// NotCertain: one male was there and another had left not long ago, or hens came from him.
	NotCertain Certainty = "not certain"
)

// Sire is who can have sired an egg.
type Sire struct {
	Males []int64 // in order; 0: one that nobody named
	How   Certainty
}

// Bird is the sire, where he is sure and has a name; else 0.
func (s Sire) Bird() int64 {
	if s.How == Sure {
		return s.Males[0]
	}
	return 0
}

// Flock is all stays of a farm's birds.
type Flock []Stay

// SireOf tells who can have sired an egg laid on a date in a pen, by a hen (0: not known which).
// A hen that came from another pen may carry a male of there.
func (f Flock) SireOf(pen, hen int64, laid time.Time, t Fertile) Sire {
	var possible, here []int64
	safe := false
	add := func(m Stay, from, until time.Time, home bool) {
		if laid.Before(from.AddDate(0, 0, t.First)) || !until.IsZero() && laid.After(until.AddDate(0, 0, t.Stays)) {
			return
		}
		if !slices.Contains(possible, m.Bird) {
			possible = append(possible, m.Bird)
		}
		if home && m.on(laid) && !slices.Contains(here, m.Bird) {
			here = append(here, m.Bird)
		}
		if !laid.Before(from.AddDate(0, 0, t.Safe)) {
			safe = true
		}
	}
	for _, m := range f {
		if m.Male && m.Pen == pen {
			add(m, m.From, m.Until, true)
		}
	}
	for _, h := range f { // where the hens that were there that day had been before
		if h.Male || h.Pen != pen || !h.on(laid) || hen != 0 && h.Bird != hen {
			continue
		}
		for _, before := range f {
			if before.Bird != h.Bird || before.Male || before.Pen == pen || before.From.After(h.From) {
				continue
			}
			for _, m := range f {
				if from, until, met := together(m, before); m.Male && m.Pen == before.Pen && met {
					add(m, from, until, false)
				}
			}
		}
	}
	slices.Sort(possible)
	return Sire{possible, certainty(possible, here, safe)}
}

// First tells who sired what was laid in a pen before the day from which it is on record: the males that were there on
// that day.
func (f Flock) First(pen int64, from time.Time) Sire {
	var males []int64
	for _, m := range f {
		if m.Male && m.Pen == pen && !m.From.After(from) && !slices.Contains(males, m.Bird) {
			males = append(males, m.Bird)
		}
	}
	slices.Sort(males)
	return Sire{males, certainty(males, males, true)}
}

func certainty(possible, here []int64, safe bool) Certainty {
	switch {
	case len(possible) == 0:
		return NoMale
	case len(possible) == 1 && safe:
		return Sure
	case len(possible) == 1:
		return TooEarly
	case len(here) == len(possible):
		return SeveralMales
	}
	return NotCertain
}

// together gives the days on which two stays overlap.
func together(a, b Stay) (from, until time.Time, met bool) {
	from, until = a.From, a.Until
	if b.From.After(from) {
		from = b.From
	}
	if until.IsZero() || !b.Until.IsZero() && b.Until.Before(until) {
		until = b.Until
	}
	return from, until, until.IsZero() || !until.Before(from)
}

// Change is what follows when a male comes into a pen.
type Change struct {
	Male   int64
	From   time.Time
	First  time.Time // his first fertile eggs are expected
	Safe   time.Time // from then on they all may be his
	Surely time.Time // the first day whose eggs are surely his alone; zero: not to be foreseen
	// Others are the males that can still have sired eggs laid between From and Surely.
	Others []int64
}

// Changes lists what follows of each male that was put into a pen, the oldest first.
func (f Flock) Changes(pen int64, t Fertile) (all []Change) {
	for _, m := range f {
		if !m.Male || m.Pen != pen {
			continue
		}
		c := Change{
			Male: m.Bird, From: m.From, First: m.From.AddDate(0, 0, t.First), Safe: m.From.AddDate(0, 0, t.Safe),
		}
		c.Surely = c.Safe
		for day := m.From; ; day = day.AddDate(0, 0, 1) {
			s := f.SireOf(pen, 0, day, t)
			if s.How == Sure && slices.Contains(s.Males, m.Bird) && !day.Before(c.Safe) {
				c.Surely = day
				break
			}
			for _, o := range s.Males {
				if o != m.Bird && !slices.Contains(c.Others, o) {
					c.Others = append(c.Others, o)
				}
			}
			if !m.Until.IsZero() && day.After(m.Until) || day.After(m.From.AddDate(2, 0, 0)) {
				c.Surely = time.Time{}
				break
			}
		}
		all = append(all, c)
	}
	slices.SortStableFunc(all, func(a, b Change) int {
		return cmp.Or(a.From.Compare(b.From), cmp.Compare(a.Male, b.Male))
	})
	return all
}
