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

type Box struct {
	*season.Machine
	Egg    []float64 // room that one egg takes while turning, by species; 0: does not go in
	Locked []float64 // and in lockdown, before candling
	closed []int     // how many closed days lie before a day
}

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

// Part is a batch in a state.
type Part struct {
	Src, T, A, H int
	Lays         []Take
	Eggs         int
	Young        float64
	Gives        []Gift
	Fixed        bool
	stands       bool // in a machine already: its eggs are no supply and cost nothing
}

type Take struct{ Laid, Eggs int } // laid is an index into the source's supply
type Gift struct {
	Order int
	Young float64
}

// Spare is the young of a part that are given to nobody.
func (p *Part) Spare() float64 {
	y := p.Young
	for _, g := range p.Gives {
		y -= g.Young
	}
	return y
}

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

// State is a plan on its way, with what it takes of everything, so that a move is
// judged at once.
type State struct {
	m     *Model
	Left  [][]int     // eggs, by source and lay day
	Turn  [][]float64 // share of a machine that turns, by day
	turns [][]int     // batches that turn, by day
	Lid   [][]lid     // by machine and lockdown day
	occ   [][]int     // loads that stand or are cleaned up after, by machine and day
	Sets  [][]setting // by machine and day
	Brood []float64
	Got   []float64 // young, by order
	Parts []Part
	Score float64
}

type lid struct {
	Batches int
	Room    float64
	End     int
}

type setting struct{ Batches, Eggs int }

// Empty is a plan with nothing in it.
func (m *Model) Empty() *State {
	s := &State{m: m, Brood: make([]float64, m.Days+1), Got: make([]float64, len(m.Order))}
	for _, x := range m.Source {
		s.Left = append(s.Left, slices.Clone(x.Laid))
	}
	for range m.Machine {
		s.Turn = append(s.Turn, make([]float64, m.Days+1))
		s.turns = append(s.turns, make([]int, m.Days+1))
		s.Lid = append(s.Lid, make([]lid, m.Days+1))
		s.occ = append(s.occ, make([]int, m.Days+1))
		s.Sets = append(s.Sets, make([]setting, m.Days+1))
	}
	return s
}

// Copy makes s the same as o, without new memory where it can.
func (s *State) Copy(o *State) {
	for i := range o.Left {
		copy(s.Left[i], o.Left[i])
	}
	for i := range o.Turn {
		copy(s.Turn[i], o.Turn[i])
		copy(s.turns[i], o.turns[i])
		copy(s.Lid[i], o.Lid[i])
		copy(s.occ[i], o.occ[i])
		copy(s.Sets[i], o.Sets[i])
	}
	copy(s.Brood, o.Brood)
	copy(s.Got, o.Got)
	for len(s.Parts) < len(o.Parts) {
		s.Parts = append(s.Parts, Part{})
	}
	s.Parts = s.Parts[:len(o.Parts)]
	for i := range o.Parts {
		lays, gives := s.Parts[i].Lays[:0], s.Parts[i].Gives[:0]
		s.Parts[i] = o.Parts[i]
		s.Parts[i].Lays, s.Parts[i].Gives = append(lays, o.Parts[i].Lays...), append(gives, o.Parts[i].Gives...)
	}
	s.Score = o.Score
}

const Hair = 1e-9

// SetterRoom is how many eggs of a source set on day t a machine can take until
// lockdown; 0 where its climate, a lid or cleaning forbids it.
func (s *State) SetterRoom(src, t, a int) float64 {
	x, b := &s.m.Source[src], &s.m.Machine[a]
	lock := t + x.Sp.Lockdown
	if lock == t { // it never turns
		return math.MaxInt32
	}
	most := 0.0
	for d := t; d < lock; d++ {
		if s.occ[a][d] > 0 {
			return 0
		}
		most = max(most, s.Turn[a][d])
	}
	return (1 - most + Hair) / b.Egg[x.SpNo]
}

// HatcherRoom is the same for lockdown on day t + lockdown.
func (s *State) HatcherRoom(src, t, h int) float64 {
	x, b := &s.m.Source[src], &s.m.Machine[h]
	lock, pull := t+x.Sp.Lockdown, t+x.Sp.Pull
	own := &s.Lid[h][lock]
	from, end := lock, pull
	if own.Batches > 0 {
		if end <= own.End {
			end, from = own.End, own.End+b.CleanDays+1 // the load covers it already
		} else {
			from = own.End + b.CleanDays + 1
		}
	}
	for d := from; d <= min(end+b.CleanDays, s.m.Days); d++ {
		if s.occ[h][d] > 0 || s.turns[h][d] > 0 {
			return 0
		}
	}
	if x.Kept == 0 {
		return math.MaxInt32
	}
	return (1 - own.Room + Hair) / (b.Locked[x.SpNo] * x.Kept)
}

// BroodRoom is how many brooder places are free while a pull's young need them.
func (s *State) BroodRoom(src, t int) float64 {
	x := &s.m.Source[src]
	pull, most := t+x.Sp.Pull, 0.0
	for d := pull; d < min(pull+x.Sp.BroodDays, s.m.Days+1); d++ {
		most = max(most, s.Brood[d])
	}
	return s.m.P.BrooderPlaces - most + Hair
}

// Put adds a part; it must fit. Its gifts are added too.
func (s *State) Put(p Part) { s.shift(&p, 1); s.Parts = append(s.Parts, p) }

// Drop takes a part out again.
func (s *State) Drop(i int) {
	s.shift(&s.Parts[i], -1)
	last := len(s.Parts) - 1
	s.Parts[i], s.Parts[last] = s.Parts[last], s.Parts[i] // keeps the memory of both
	s.Parts = s.Parts[:last]
}

// DropSmall takes out settings that have become too small.
func (s *State) DropSmall() {
	for i := len(s.Parts) - 1; i >= 0; i-- {
		if p := &s.Parts[i]; !p.Fixed && float64(s.Sets[p.A][p.T].Eggs) < s.m.P.MinBatch*(1-season.Tolerance) {
			s.Drop(i)
		}
	}
}

func (s *State) shift(p *Part, sign int) {
	x, a, h := &s.m.Source[p.Src], &s.m.Machine[p.A], &s.m.Machine[p.H]
	f := float64(sign)
	for _, l := range p.Lays {
		s.Left[p.Src][l.Laid] -= sign * l.Eggs
	}
	lock, pull := p.T+x.Sp.Lockdown, p.T+x.Sp.Pull
	share := f * float64(p.Eggs) * a.Egg[x.SpNo]
	for d := max(p.T, 0); d < lock; d++ {
		s.Turn[p.A][d] += share
		s.turns[p.A][d] += sign
	}
	if lock >= 0 {
		s.shiftLid(p, lock, pull, sign, f*float64(p.Eggs)*x.Kept*h.Locked[x.SpNo], h.CleanDays)
	} else { // of a standing batch: the lid is shut since before the plan
		for d := 0; d <= min(pull+h.CleanDays, s.m.Days); d++ {
			s.occ[p.H][d] += sign
		}
	}
	places := f * p.Young * x.Sp.BroodPlaces
	for d := max(pull, 0); d < min(pull+x.Sp.BroodDays, s.m.Days+1); d++ {
		s.Brood[d] += places
	}
	if !p.stands {
		set := &s.Sets[p.A][p.T]
		before := set.Batches
		set.Batches += sign
		set.Eggs += sign * p.Eggs
		if before == 0 || set.Batches == 0 {
			s.Score -= f * s.m.SetCost(p.A, p.T)
		}
		s.Score -= f * s.m.P.EggCost * float64(p.Eggs)
	}
	for _, g := range p.Gives {
		s.Got[g.Order] += f * g.Young
		s.Score += f * g.Young * s.m.Order[g.Order].Value
	}
}

func (s *State) shiftLid(p *Part, lock, pull, sign int, room float64, clean int) {
	l := &s.Lid[p.H][lock]
	mark := func(from, to, by int) {
		for d := from; d <= min(to, s.m.Days); d++ {
			s.occ[p.H][d] += by
		}
	}
	l.Room += room
	l.Batches += sign
	switch {
	case sign > 0 && l.Batches == 1:
		l.End = pull
		mark(lock, pull+clean, 1)
	case sign > 0 && pull > l.End:
		mark(l.End+clean+1, pull+clean, 1)
		l.End = pull
	case sign < 0 && l.Batches == 0:
		mark(lock, l.End+clean, -1)
		*l = lid{}
	case sign < 0 && pull == l.End: // perhaps the others are pulled sooner
		end := 0
		for i := range s.Parts {
			if q := &s.Parts[i]; q != p && q.H == p.H && q.T+s.m.Source[q.Src].Sp.Lockdown == lock {
				end = max(end, q.T+s.m.Source[q.Src].Sp.Pull)
			}
		}
		if end < l.End {
			mark(end+clean+1, l.End+clean, -1)
			l.End = end
		}
	}
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

// Give hands spare young of a part to an order.
func (s *State) Give(i, order int, young float64) {
	p := &s.Parts[i]
	p.Gives = append(p.Gives, Gift{order, young})
	s.Got[order] += young
	s.Score += young * s.m.Order[order].Value
}

// TakeBack takes a part's young back from the promises.
func (s *State) TakeBack(i int) {
	p := &s.Parts[i]
	for _, g := range p.Gives {
		s.Got[g.Order] -= g.Young
		s.Score -= g.Young * s.m.Order[g.Order].Value
	}
	p.Gives = p.Gives[:0]
}

// Stand puts what is fixed into the base state.
func (m *Model) Stand() {
	m.Base = m.Empty()
	for _, b := range m.P.Fixed {
		p := Part{
			Src: m.SourceNo(b.Source), T: b.SetDay, A: m.MachineNo(b.Setter), H: m.MachineNo(b.Hatcher), Fixed: true,
			stands: b.SetDay < 0,
		}
		x := &m.Source[p.Src]
		if p.stands {
			p.Eggs, p.Young = int(math.Round(b.Eggs.Count())), *b.Young
		} else {
			for _, l := range b.Eggs {
				if i := l.Laid - x.First; i >= 0 && i < len(x.Laid) && l.Eggs > 0 {
					p.Lays = append(p.Lays, Take{i, int(l.Eggs)})
					p.Eggs += int(l.Eggs)
					if age := p.T - l.Laid; age >= 0 && age <= x.Sp.MaxAge {
						p.Young += l.Eggs * x.Yield * x.Sp.AgeFactor[age]
					}
				}
			}
		}
		if p.T >= m.Days-x.Sp.Pull {
			continue
		}
		m.Base.Put(p)
	}
	m.Small = nil
	for a := range m.Machine {
		for t, set := range m.Base.Sets[a] {
			if set.Batches > 0 && float64(set.Eggs) < m.P.MinBatch*(1-season.Tolerance) {
				m.Small = append(m.Small, At{a, t})
			}
		}
	}
}

// Lacks is how many eggs pinned settings lack.
func (s *State) Lacks() (eggs int) {
	for _, k := range s.m.Small {
		eggs += max(0, int(math.Ceil(s.m.P.MinBatch-season.Tolerance))-s.Sets[k.Machine][k.Day].Eggs)
	}
	return
}

// SourceNo is the number of a source; -1: none.
func (m *Model) SourceNo(id string) int {
	return slices.IndexFunc(m.Source, func(x Pen) bool { return x.ID == id })
}

// MachineNo is the number of a machine; -1: none.
func (m *Model) MachineNo(id string) int {
	return slices.IndexFunc(m.Machine, func(x Box) bool { return x.ID == id })
}

// Batches writes a state's parts as a plan, in order of time; those that go the
// same way on the same day are one batch. Standing ones are given apart.
func (s *State) Batches() (plan, standing []season.Batch) {
	parts := slices.Clone(s.Parts)
	slices.SortStableFunc(parts, func(a, b Part) int {
		return cmp.Or(a.T-b.T, a.A-b.A, a.Src-b.Src, a.H-b.H)
	})
	for _, p := range parts {
		x := &s.m.Source[p.Src]
		b := season.Batch{Source: x.ID, SetDay: p.T, Setter: s.m.Machine[p.A].ID, Hatcher: s.m.Machine[p.H].ID}
		list := &plan
		if p.stands {
			list = &standing
			b.Eggs, b.Young = season.Clutch{{Laid: 0, Eggs: float64(p.Eggs)}}, &p.Young
		}
		if n := len(*list); n > 0 && season.SamePlace((*list)[n-1], b) && !p.stands {
			b = (*list)[n-1]
			*list = (*list)[:n-1]
		}
		for _, l := range p.Lays {
			day := x.First + l.Laid
			if i := slices.IndexFunc(b.Eggs, func(e season.Lay) bool { return e.Laid == day }); i >= 0 {
				b.Eggs[i].Eggs += float64(l.Eggs)
			} else {
				b.Eggs = append(b.Eggs, season.Lay{Laid: day, Eggs: float64(l.Eggs)})
			}
		}
		slices.SortFunc(b.Eggs, func(a, b season.Lay) int { return a.Laid - b.Laid })
		for _, g := range p.Gives {
			id := s.m.Order[g.Order].ID
			if i := slices.IndexFunc(b.Orders, func(o season.Give) bool { return o.Order == id }); i >= 0 {
				b.Orders[i].Young += g.Young
			} else {
				b.Orders = append(b.Orders, season.Give{Order: id, Young: g.Young})
			}
		}
		*list = append(*list, b)
	}
	return
}

// Better: less is lacking, or it scores more.
func (s *State) Better(o *State) bool {
	if a, b := s.Lacks(), o.Lacks(); a != b {
		return a < b
	}
	return s.Score > o.Score+Hair
}

// Spread hands spare young to the promises that want them, the dearest first.
func (s *State) Spread() {
	for i := range s.Parts {
		p := &s.Parts[i]
		spare := p.Spare()
		for spare > 1e-7 {
			best := -1
			pull := p.T + s.m.Source[p.Src].Sp.Pull
			for o := range s.m.Order {
				q := &s.m.Order[o]
				wants := pull >= q.PullFrom && pull <= q.PullTo && q.Young-s.Got[o] > 1e-7 && q.Value > 0
				if wants && slices.Contains(q.From, p.Src) && (best < 0 || q.Value > s.m.Order[best].Value) {
					best = o
				}
			}
			if best < 0 {
				break
			}
			y := min(spare, s.m.Order[best].Young-s.Got[best])
			s.Give(i, best, y)
			spare -= y
		}
	}
}

type At struct{ Machine, Day int }
