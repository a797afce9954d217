package draft

import (
	"cmp"
	"math"
	"slices"

	"metrogon/core/season"
)

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

// Take is so many eggs of one lay day.
type Take struct{ Laid, Eggs int } // laid is an index into the source's supply
// Gift is so many young for one order, by number.
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
