// Package draft is a plan in the making: a problem by numbers instead of names, and what is set, moved and given so
// far, kept so that the room, eggs and young that are left are known at every step.
package draft

import (
	"cmp"
	"math"
	"slices"

	"metrogon/core/season"
)

// Model is a problem by numbers instead of names, with what follows from it alone.
type Model struct {
	P       *season.Problem
	Days    int // that are looked at: pulls of standing batches may fall past the plan's
	Source  []Pen
	Machine []Box
	Order   []Promise
	Barred  [3][]bool   // action, day
	Cands   [][]Cand    // by order
	Worth   float64     // of a usual promise
	Changed map[At]bool // settings of a plan that was accepted; nil: there is none
	Change  float64     // what every setting costs that is dropped or new
	Base    *State      // with the fixed batches alone
	Small   []At        // pinned settings that others have to join
}

// Pen is a source of eggs by number, with its eggs by lay day.
type Pen struct {
	*season.Source
	Sp    *season.Species
	SpNo  int
	First int      // lay day of left[0]
	Laid  []int    // by lay day
	Ages  [2][]int // in the order in which they are taken: best first, of equals the oldest; or just the oldest
	Eats  float64  // brooder places an egg's young take, fresh
}

// Best is the young of an egg at its best age.
func (x *Pen) Best() float64 { return x.Yield * slices.Max(x.Sp.AgeFactor) }

// Box is a machine by number: the share of it that an egg of each kind takes.
type Box struct {
	*season.Machine
	Egg    []float64 // room that one egg takes while turning, by species; 0: does not go in
	Locked []float64 // and in lockdown, before candling
	closed []int     // how many closed days lie before a day
}

// Promise is an order with the numbers of the sources that may serve it.
type Promise struct {
	*season.Order
	From []int
}

// Cand is a way to serve an order, fit by all that does not depend on other
// batches.
type Cand struct {
	Src, T  int
	Setters []int
	Hatches []int
}

// At is a machine on a day, both by number.
type At struct{ Machine, Day int }

// NewModel numbers a problem.
func NewModel(p *season.Problem) *Model {
	m := &Model{P: p, Days: p.Days}
	for _, s := range p.Species {
		m.Days = max(m.Days, p.Days+s.Pull+1)
	}
	for _, x := range p.Machines {
		m.Days = max(m.Days, p.Days+x.CleanDays+1)
	}
	for i := range p.Sources {
		m.Source = append(m.Source, newPen(p, &p.Sources[i]))
	}
	for i := range p.Machines {
		m.Machine = append(m.Machine, m.newBox(&p.Machines[i]))
	}
	for k, what := range season.Actions {
		m.Barred[k] = make([]bool, m.Days+1)
		for d := range m.Days {
			_, m.Barred[k][d] = p.AwayOn(what, d)
		}
	}
	m.promises()
	for _, o := range m.Order {
		m.Worth += o.Value * o.Young / float64(len(m.Order))
	}
	m.Stand()
	return m
}

// newPen is a source with its supply by lay day, and the ages of its eggs, those that
// hatch best first.
func newPen(p *season.Problem, s *season.Source) Pen {
	no := slices.IndexFunc(p.Species, func(k season.Species) bool { return k.ID == s.Species })
	x := Pen{Source: s, Sp: &p.Species[no], SpNo: no}
	last := math.MinInt
	x.First = math.MaxInt
	for _, l := range s.Supply {
		if l.Laid+x.Sp.MaxAge >= 0 && l.Laid < p.Days && l.Eggs > 0 {
			x.First, last = min(x.First, l.Laid), max(last, l.Laid)
		}
	}
	if last > math.MinInt {
		x.Laid = make([]int, last-x.First+1)
		for _, l := range s.Supply {
			if l.Laid >= x.First && l.Laid <= last {
				x.Laid[l.Laid-x.First] += int(l.Eggs)
			}
		}
	}
	for a := range x.Sp.MaxAge + 1 {
		x.Ages[0], x.Ages[1] = append(x.Ages[0], a), append(x.Ages[1], x.Sp.MaxAge-a)
	}
	slices.SortStableFunc(x.Ages[0], func(a, b int) int {
		return cmp.Or(cmp.Compare(x.Sp.AgeFactor[b], x.Sp.AgeFactor[a]), b-a)
	})
	x.Eats = s.Yield * x.Sp.BroodPlaces
	return x
}

// newBox is a machine with the room that an egg takes, and its closed days summed up.
func (m *Model) newBox(machine *season.Machine) Box {
	x := Box{
		Machine: machine, Egg: make([]float64, len(m.P.Species)), Locked: make([]float64, len(m.P.Species)),
		closed: make([]int, m.Days+1),
	}
	for k, s := range m.P.Species {
		if c := x.Set[s.ID]; c > 0 {
			x.Egg[k] = 1 / c
		}
		if c := x.Hatch[s.ID]; c > 0 {
			x.Locked[k] = 1 / c
		}
	}
	for d := range m.Days {
		x.closed[d+1] = x.closed[d]
		if slices.ContainsFunc(x.Closed, func(c [2]int) bool { return c[0] <= d && d <= c[1] }) {
			x.closed[d+1]++
		}
	}
	return x
}

// promises are the orders with their sources, and the ways in which each can be served.
func (m *Model) promises() {
	p := m.P
	for i := range p.Orders {
		o := Promise{Order: &p.Orders[i]}
		for _, id := range o.Sources {
			no := slices.IndexFunc(p.Sources, func(s season.Source) bool { return s.ID == id })
			if !slices.Contains(o.From, no) {
				o.From = append(o.From, no)
			}
		}
		m.Order = append(m.Order, o)
	}
	for _, o := range m.Order {
		var all []Cand
		if o.Value > 0 && o.Young > 0 {
			for _, s := range o.From {
				for pull := max(o.PullFrom, 0); pull <= min(o.PullTo, p.Days-1); pull++ {
					if c, ok := m.Cand(s, pull-m.Source[s].Sp.Pull); ok {
						all = append(all, c)
					}
				}
			}
		}
		m.Cands = append(m.Cands, all)
	}
}

// Cand lists the machines through which eggs set on a day can go.
func (m *Model) Cand(s, t int) (c Cand, ok bool) {
	x := &m.Source[s]
	lock, pull := t+x.Sp.Lockdown, t+x.Sp.Pull
	if t < 0 || pull >= m.P.Days || m.Barred[0][t] || m.Barred[1][lock] || m.Barred[2][pull] {
		return c, false
	}
	any := false
	for _, a := range x.Ages[0] {
		i := t - a - x.First
		any = any || (i >= 0 && i < len(x.Laid) && x.Laid[i] > 0)
	}
	if !any {
		return c, false
	}
	c.Src, c.T = s, t
	for i := range m.Machine {
		b := &m.Machine[i]
		if b.Egg[x.SpNo] > 0 && b.closed[lock] == b.closed[t] {
			c.Setters = append(c.Setters, i)
		}
		if b.Locked[x.SpNo] > 0 && b.closed[pull+1] == b.closed[lock] {
			c.Hatches = append(c.Hatches, i)
		}
	}
	return c, len(c.Setters) > 0 && len(c.Hatches) > 0
}

// Banned tells whether a ban forbids setting a source on a day in one machine, to hatch in another.
func (m *Model) Banned(s, t, a, h int) bool {
	for _, b := range m.P.Forbidden {
		if b.Hits(m.Source[s].ID, m.Machine[a].ID, m.Machine[h].ID, t) {
			return true
		}
	}
	return false
}

// SourceNo is the number of a source; -1: none.
func (m *Model) SourceNo(id string) int {
	return slices.IndexFunc(m.Source, func(x Pen) bool { return x.ID == id })
}

// MachineNo is the number of a machine; -1: none.
func (m *Model) MachineNo(id string) int {
	return slices.IndexFunc(m.Machine, func(x Box) bool { return x.ID == id })
}

// SetCost is what a setting costs; one that was accepted before saves what
// dropping it would.
func (m *Model) SetCost(a, t int) float64 {
	switch {
	case m.Changed == nil:
		return m.P.SettingCost
	case m.Changed[At{a, t}]:
		return m.P.SettingCost - m.Change
	}
	return m.P.SettingCost + m.Change
}
