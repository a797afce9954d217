package season

import (
	"cmp"
	"math"
	"slices"
)

// model is a problem by numbers instead of names, with what follows from it alone.
type model struct {
	p       *Problem
	days    int // that are looked at: pulls of standing batches may fall past the plan's
	source  []pen
	machine []box
	order   []promise
	barred  [3][]bool   // action, day
	cands   [][]cand    // by order
	worth   float64     // of a usual promise
	changed map[at]bool // settings of a plan that was accepted; nil: there is none
	change  float64     // what every setting costs that is dropped or new
	base    *state      // with the fixed batches alone
	small   []at        // pinned settings that others have to join
}

type pen struct {
	*Source
	sp     *Species
	spNo   int
	first  int      // lay day of left[0]
	supply []int    // by lay day
	ages   [2][]int // in the order in which they are taken: best first, of equals the oldest; or just the oldest
	eats   float64  // brooder places an egg's young take, fresh
}

// best is the young of an egg at its best age.
func (x *pen) best() float64 { return x.Yield * slices.Max(x.sp.AgeFactor) }

type box struct {
	*Machine
	egg    []float64 // room that one egg takes while turning, by species; 0: does not go in
	hatch  []float64 // and in lockdown, before candling
	closed []int     // how many closed days lie before a day
}

type promise struct {
	*Order
	sources []int
}

// cand is a way to serve an order, fit by all that does not depend on other
// batches.
type cand struct {
	src, t  int
	setters []int
	hatches []int
}

// part is a batch in a state.
type part struct {
	src, t, a, h int
	lays         []take
	eggs         int
	young        float64
	gives        []gift
	fixed        bool
	stands       bool // in a machine already: its eggs are no supply and cost nothing
}

type take struct{ laid, eggs int } // laid is an index into the source's supply
type gift struct {
	order int
	young float64
}

func (p *part) spare() float64 {
	y := p.young
	for _, g := range p.gives {
		y -= g.young
	}
	return y
}

func newModel(p *Problem) *model {
	m := &model{p: p, days: p.Days}
	for _, s := range p.Species {
		m.days = max(m.days, p.Days+s.Pull+1)
	}
	for _, x := range p.Machines {
		m.days = max(m.days, p.Days+x.CleanDays+1)
	}
	for i := range p.Sources {
		m.source = append(m.source, newPen(p, &p.Sources[i]))
	}
	for i := range p.Machines {
		m.machine = append(m.machine, m.newBox(&p.Machines[i]))
	}
	for k, what := range actions {
		m.barred[k] = make([]bool, m.days+1)
		for d := range m.days {
			_, m.barred[k][d] = p.awayOn(what, d)
		}
	}
	m.promises()
	for _, o := range m.order {
		m.worth += o.Value * o.Young / float64(len(m.order))
	}
	m.stand()
	return m
}

// newPen is a source with its supply by lay day, and the ages of its eggs, those that
// hatch best first.
func newPen(p *Problem, s *Source) pen {
	no := slices.IndexFunc(p.Species, func(k Species) bool { return k.ID == s.Species })
	x := pen{Source: s, sp: &p.Species[no], spNo: no}
	last := math.MinInt
	x.first = math.MaxInt
	for _, l := range s.Supply {
		if l.Laid+x.sp.MaxAge >= 0 && l.Laid < p.Days && l.Eggs > 0 {
			x.first, last = min(x.first, l.Laid), max(last, l.Laid)
		}
	}
	if last > math.MinInt {
		x.supply = make([]int, last-x.first+1)
		for _, l := range s.Supply {
			if l.Laid >= x.first && l.Laid <= last {
				x.supply[l.Laid-x.first] += int(l.Eggs)
			}
		}
	}
	for a := range x.sp.MaxAge + 1 {
		x.ages[0], x.ages[1] = append(x.ages[0], a), append(x.ages[1], x.sp.MaxAge-a)
	}
	slices.SortStableFunc(x.ages[0], func(a, b int) int {
		return cmp.Or(cmp.Compare(x.sp.AgeFactor[b], x.sp.AgeFactor[a]), b-a)
	})
	x.eats = s.Yield * x.sp.BroodPlaces
	return x
}

// newBox is a machine with the room that an egg takes, and its closed days summed up.
func (m *model) newBox(machine *Machine) box {
	x := box{
		Machine: machine, egg: make([]float64, len(m.p.Species)), hatch: make([]float64, len(m.p.Species)),
		closed: make([]int, m.days+1),
	}
	for k, s := range m.p.Species {
		if c := x.Set[s.ID]; c > 0 {
			x.egg[k] = 1 / c
		}
		if c := x.Hatch[s.ID]; c > 0 {
			x.hatch[k] = 1 / c
		}
	}
	for d := range m.days {
		x.closed[d+1] = x.closed[d]
		if slices.ContainsFunc(x.Closed, func(c [2]int) bool { return c[0] <= d && d <= c[1] }) {
			x.closed[d+1]++
		}
	}
	return x
}

// promises are the orders with their sources, and the ways in which each can be served.
func (m *model) promises() {
	p := m.p
	for i := range p.Orders {
		o := promise{Order: &p.Orders[i]}
		for _, id := range o.Sources {
			no := slices.IndexFunc(p.Sources, func(s Source) bool { return s.ID == id })
			if !slices.Contains(o.sources, no) {
				o.sources = append(o.sources, no)
			}
		}
		m.order = append(m.order, o)
	}
	for _, o := range m.order {
		var all []cand
		if o.Value > 0 && o.Young > 0 {
			for _, s := range o.sources {
				for pull := max(o.PullFrom, 0); pull <= min(o.PullTo, p.Days-1); pull++ {
					if c, ok := m.cand(s, pull-m.source[s].sp.Pull); ok {
						all = append(all, c)
					}
				}
			}
		}
		m.cands = append(m.cands, all)
	}
}

// cand lists the machines through which eggs set on a day can go.
func (m *model) cand(s, t int) (c cand, ok bool) {
	x := &m.source[s]
	lock, pull := t+x.sp.Lockdown, t+x.sp.Pull
	if t < 0 || pull >= m.p.Days || m.barred[0][t] || m.barred[1][lock] || m.barred[2][pull] {
		return c, false
	}
	any := false
	for _, a := range x.ages[0] {
		i := t - a - x.first
		any = any || (i >= 0 && i < len(x.supply) && x.supply[i] > 0)
	}
	if !any {
		return c, false
	}
	c.src, c.t = s, t
	for i := range m.machine {
		b := &m.machine[i]
		if b.egg[x.spNo] > 0 && b.closed[lock] == b.closed[t] {
			c.setters = append(c.setters, i)
		}
		if b.hatch[x.spNo] > 0 && b.closed[pull+1] == b.closed[lock] {
			c.hatches = append(c.hatches, i)
		}
	}
	return c, len(c.setters) > 0 && len(c.hatches) > 0
}

func (m *model) banned(s, t, a, h int) bool {
	for _, b := range m.p.Forbidden {
		if b.hits(m.source[s].ID, m.machine[a].ID, m.machine[h].ID, t) {
			return true
		}
	}
	return false
}

// state is a plan on its way, with what it takes of everything, so that a move is
// judged at once.
type state struct {
	m     *model
	left  [][]int     // eggs, by source and lay day
	turn  [][]float64 // share of a machine that turns, by day
	turns [][]int     // batches that turn, by day
	lid   [][]lid     // by machine and lockdown day
	occ   [][]int     // loads that stand or are cleaned up after, by machine and day
	sets  [][]setting // by machine and day
	brood []float64
	got   []float64 // young, by order
	parts []part
	score float64
}

type lid struct {
	batches int
	room    float64
	end     int
}

type setting struct{ batches, eggs int }

func (m *model) empty() *state {
	s := &state{m: m, brood: make([]float64, m.days+1), got: make([]float64, len(m.order))}
	for _, x := range m.source {
		s.left = append(s.left, slices.Clone(x.supply))
	}
	for range m.machine {
		s.turn = append(s.turn, make([]float64, m.days+1))
		s.turns = append(s.turns, make([]int, m.days+1))
		s.lid = append(s.lid, make([]lid, m.days+1))
		s.occ = append(s.occ, make([]int, m.days+1))
		s.sets = append(s.sets, make([]setting, m.days+1))
	}
	return s
}

// copy makes s the same as o, without new memory where it can.
func (s *state) copy(o *state) {
	for i := range o.left {
		copy(s.left[i], o.left[i])
	}
	for i := range o.turn {
		copy(s.turn[i], o.turn[i])
		copy(s.turns[i], o.turns[i])
		copy(s.lid[i], o.lid[i])
		copy(s.occ[i], o.occ[i])
		copy(s.sets[i], o.sets[i])
	}
	copy(s.brood, o.brood)
	copy(s.got, o.got)
	for len(s.parts) < len(o.parts) {
		s.parts = append(s.parts, part{})
	}
	s.parts = s.parts[:len(o.parts)]
	for i := range o.parts {
		lays, gives := s.parts[i].lays[:0], s.parts[i].gives[:0]
		s.parts[i] = o.parts[i]
		s.parts[i].lays, s.parts[i].gives = append(lays, o.parts[i].lays...), append(gives, o.parts[i].gives...)
	}
	s.score = o.score
}

const hair = 1e-9

// setterRoom is how many eggs of a source set on day t a machine can take until
// lockdown; 0 where its climate, a lid or cleaning forbids it.
func (s *state) setterRoom(src, t, a int) float64 {
	x, b := &s.m.source[src], &s.m.machine[a]
	lock := t + x.sp.Lockdown
	if lock == t { // it never turns
		return math.MaxInt32
	}
	most := 0.0
	for d := t; d < lock; d++ {
		if s.occ[a][d] > 0 {
			return 0
		}
		most = max(most, s.turn[a][d])
	}
	return (1 - most + hair) / b.egg[x.spNo]
}

// hatcherRoom is the same for lockdown on day t + lockdown.
func (s *state) hatcherRoom(src, t, h int) float64 {
	x, b := &s.m.source[src], &s.m.machine[h]
	lock, pull := t+x.sp.Lockdown, t+x.sp.Pull
	own := &s.lid[h][lock]
	from, end := lock, pull
	if own.batches > 0 {
		if end <= own.end {
			end, from = own.end, own.end+b.CleanDays+1 // the load covers it already
		} else {
			from = own.end + b.CleanDays + 1
		}
	}
	for d := from; d <= min(end+b.CleanDays, s.m.days); d++ {
		if s.occ[h][d] > 0 || s.turns[h][d] > 0 {
			return 0
		}
	}
	if x.Kept == 0 {
		return math.MaxInt32
	}
	return (1 - own.room + hair) / (b.hatch[x.spNo] * x.Kept)
}

// broodRoom is how many brooder places are free while a pull's young need them.
func (s *state) broodRoom(src, t int) float64 {
	x := &s.m.source[src]
	pull, most := t+x.sp.Pull, 0.0
	for d := pull; d < min(pull+x.sp.BroodDays, s.m.days+1); d++ {
		most = max(most, s.brood[d])
	}
	return s.m.p.BrooderPlaces - most + hair
}

// put adds a part; it must fit. Its gifts are added too.
func (s *state) put(p part) { s.shift(&p, 1); s.parts = append(s.parts, p) }

// drop takes a part out again.
func (s *state) drop(i int) {
	s.shift(&s.parts[i], -1)
	last := len(s.parts) - 1
	s.parts[i], s.parts[last] = s.parts[last], s.parts[i] // keeps the memory of both
	s.parts = s.parts[:last]
}

// dropSmall takes out settings that have become too small.
func (s *state) dropSmall() {
	for i := len(s.parts) - 1; i >= 0; i-- {
		if p := &s.parts[i]; !p.fixed && float64(s.sets[p.a][p.t].eggs) < s.m.p.MinBatch*(1-tolerance) {
			s.drop(i)
		}
	}
}

func (s *state) shift(p *part, sign int) {
	x, a, h := &s.m.source[p.src], &s.m.machine[p.a], &s.m.machine[p.h]
	f := float64(sign)
	for _, l := range p.lays {
		s.left[p.src][l.laid] -= sign * l.eggs
	}
	lock, pull := p.t+x.sp.Lockdown, p.t+x.sp.Pull
	share := f * float64(p.eggs) * a.egg[x.spNo]
	for d := max(p.t, 0); d < lock; d++ {
		s.turn[p.a][d] += share
		s.turns[p.a][d] += sign
	}
	if lock >= 0 {
		s.shiftLid(p, lock, pull, sign, f*float64(p.eggs)*x.Kept*h.hatch[x.spNo], h.CleanDays)
	} else { // of a standing batch: the lid is shut since before the plan
		for d := 0; d <= min(pull+h.CleanDays, s.m.days); d++ {
			s.occ[p.h][d] += sign
		}
	}
	places := f * p.young * x.sp.BroodPlaces
	for d := max(pull, 0); d < min(pull+x.sp.BroodDays, s.m.days+1); d++ {
		s.brood[d] += places
	}
	if !p.stands {
		set := &s.sets[p.a][p.t]
		before := set.batches
		set.batches += sign
		set.eggs += sign * p.eggs
		if before == 0 || set.batches == 0 {
			s.score -= f * s.m.setCost(p.a, p.t)
		}
		s.score -= f * s.m.p.EggCost * float64(p.eggs)
	}
	for _, g := range p.gives {
		s.got[g.order] += f * g.young
		s.score += f * g.young * s.m.order[g.order].Value
	}
}

func (s *state) shiftLid(p *part, lock, pull, sign int, room float64, clean int) {
	l := &s.lid[p.h][lock]
	mark := func(from, to, by int) {
		for d := from; d <= min(to, s.m.days); d++ {
			s.occ[p.h][d] += by
		}
	}
	l.room += room
	l.batches += sign
	switch {
	case sign > 0 && l.batches == 1:
		l.end = pull
		mark(lock, pull+clean, 1)
	case sign > 0 && pull > l.end:
		mark(l.end+clean+1, pull+clean, 1)
		l.end = pull
	case sign < 0 && l.batches == 0:
		mark(lock, l.end+clean, -1)
		*l = lid{}
	case sign < 0 && pull == l.end: // perhaps the others are pulled sooner
		end := 0
		for i := range s.parts {
			if q := &s.parts[i]; q != p && q.h == p.h && q.t+s.m.source[q.src].sp.Lockdown == lock {
				end = max(end, q.t+s.m.source[q.src].sp.Pull)
			}
		}
		if end < l.end {
			mark(end+clean+1, l.end+clean, -1)
			l.end = end
		}
	}
}

// setCost is what a setting costs; one that was accepted before saves what
// dropping it would.
func (m *model) setCost(a, t int) float64 {
	switch {
	case m.changed == nil:
		return m.p.SettingCost
	case m.changed[at{a, t}]:
		return m.p.SettingCost - m.change
	}
	return m.p.SettingCost + m.change
}

// give hands spare young of a part to an order.
func (s *state) give(i, order int, young float64) {
	p := &s.parts[i]
	p.gives = append(p.gives, gift{order, young})
	s.got[order] += young
	s.score += young * s.m.order[order].Value
}

// takeBack takes a part's young back from the promises.
func (s *state) takeBack(i int) {
	p := &s.parts[i]
	for _, g := range p.gives {
		s.got[g.order] -= g.young
		s.score -= g.young * s.m.order[g.order].Value
	}
	p.gives = p.gives[:0]
}

// stand puts what is fixed into the base state.
func (m *model) stand() {
	m.base = m.empty()
	for _, b := range m.p.Fixed {
		p := part{
			src: m.sourceNo(b.Source), t: b.SetDay, a: m.machineNo(b.Setter), h: m.machineNo(b.Hatcher), fixed: true,
			stands: b.SetDay < 0,
		}
		x := &m.source[p.src]
		if p.stands {
			p.eggs, p.young = int(math.Round(b.Eggs.Count())), *b.Young
		} else {
			for _, l := range b.Eggs {
				if i := l.Laid - x.first; i >= 0 && i < len(x.supply) && l.Eggs > 0 {
					p.lays = append(p.lays, take{i, int(l.Eggs)})
					p.eggs += int(l.Eggs)
					if age := p.t - l.Laid; age >= 0 && age <= x.sp.MaxAge {
						p.young += l.Eggs * x.Yield * x.sp.AgeFactor[age]
					}
				}
			}
		}
		if p.t >= m.days-x.sp.Pull {
			continue
		}
		m.base.put(p)
	}
	m.small = nil
	for a := range m.machine {
		for t, set := range m.base.sets[a] {
			if set.batches > 0 && float64(set.eggs) < m.p.MinBatch*(1-tolerance) {
				m.small = append(m.small, at{a, t})
			}
		}
	}
}

// lacks is how many eggs pinned settings lack.
func (s *state) lacks() (eggs int) {
	for _, k := range s.m.small {
		eggs += max(0, int(math.Ceil(s.m.p.MinBatch-tolerance))-s.sets[k.machine][k.day].eggs)
	}
	return
}

func (m *model) sourceNo(id string) int {
	return slices.IndexFunc(m.source, func(x pen) bool { return x.ID == id })
}

func (m *model) machineNo(id string) int {
	return slices.IndexFunc(m.machine, func(x box) bool { return x.ID == id })
}

// batches writes a state's parts as a plan, in order of time; those that go the
// same way on the same day are one batch. Standing ones are given apart.
func (s *state) batches() (plan, standing []Batch) {
	parts := slices.Clone(s.parts)
	slices.SortStableFunc(parts, func(a, b part) int {
		return cmp.Or(a.t-b.t, a.a-b.a, a.src-b.src, a.h-b.h)
	})
	for _, p := range parts {
		x := &s.m.source[p.src]
		b := Batch{Source: x.ID, SetDay: p.t, Setter: s.m.machine[p.a].ID, Hatcher: s.m.machine[p.h].ID}
		list := &plan
		if p.stands {
			list = &standing
			b.Eggs, b.Young = Clutch{{0, float64(p.eggs)}}, &p.young
		}
		if n := len(*list); n > 0 && samePlace((*list)[n-1], b) && !p.stands {
			b = (*list)[n-1]
			*list = (*list)[:n-1]
		}
		for _, l := range p.lays {
			day := x.first + l.laid
			if i := slices.IndexFunc(b.Eggs, func(e Lay) bool { return e.Laid == day }); i >= 0 {
				b.Eggs[i].Eggs += float64(l.eggs)
			} else {
				b.Eggs = append(b.Eggs, Lay{day, float64(l.eggs)})
			}
		}
		slices.SortFunc(b.Eggs, func(a, b Lay) int { return a.Laid - b.Laid })
		for _, g := range p.gives {
			id := s.m.order[g.order].ID
			if i := slices.IndexFunc(b.Orders, func(o Give) bool { return o.Order == id }); i >= 0 {
				b.Orders[i].Young += g.young
			} else {
				b.Orders = append(b.Orders, Give{id, g.young})
			}
		}
		*list = append(*list, b)
	}
	return
}

// better: less is lacking, or it scores more.
func (s *state) better(o *state) bool {
	if a, b := s.lacks(), o.lacks(); a != b {
		return a < b
	}
	return s.score > o.score+hair
}

// spread hands spare young to the promises that want them, the dearest first.
func (s *state) spread() {
	for i := range s.parts {
		p := &s.parts[i]
		spare := p.spare()
		for spare > 1e-7 {
			best := -1
			pull := p.t + s.m.source[p.src].sp.Pull
			for o := range s.m.order {
				q := &s.m.order[o]
				wants := pull >= q.PullFrom && pull <= q.PullTo && q.Young-s.got[o] > 1e-7 && q.Value > 0
				if wants && slices.Contains(q.sources, p.src) && (best < 0 || q.Value > s.m.order[best].Value) {
					best = o
				}
			}
			if best < 0 {
				break
			}
			y := min(spare, s.m.order[best].Young-s.got[best])
			s.give(i, best, y)
			spare -= y
		}
	}
}

type at struct{ machine, day int }
