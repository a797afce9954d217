package season

import (
	"cmp"
	"context"
	"math"
	"math/rand/v2"
	"slices"
)

// searcher improves a plan by taking a part of it out and filling it in anew
// (large-neighbourhood search).
type searcher struct {
	m          *model
	ctx        context.Context // may be nil: the work has no end but its own
	dice       *rand.Rand
	now, trial *state
	best       *state
	steps      int
	hot        float64 // at the beginning of a round
	heat       float64 // how much worse a step may be
	queue      []int   // orders, in the order in which they are filled
	rank       []float64
	shy        float64 // what opening a lid costs in this step, to make steps differ
	jitter     float64
	old        int         // 1: the oldest eggs are taken first
	wild       bool        // now and then any batch that pays will do
	fewer      bool        // batches may be smaller than they could
	ys         []float64   // young of the first n eggs
	costs      []float64   // and what these are worth to others
	prices     [][]float64 // of eggs to others, by source and lay day; nil: not known
	thrift     float64     // how much of that counts in this step
	rooms      []float64
}

func newSearcher(m *model, seed uint64) *searcher {
	s := &searcher{
		m: m, dice: rand.New(rand.NewPCG(seed, 0x5ea50)), now: m.empty(), trial: m.empty(), best: m.empty(),
		rank: make([]float64, len(m.order)), rooms: make([]float64, len(m.machine)),
	}
	s.now.copy(m.base)
	s.best.copy(m.base)
	return s
}

// over tells that the time is up.
func (s *searcher) over() bool { return s.ctx != nil && s.ctx.Err() != nil }

// start fills the base plan greedily, the most valuable promises first.
func (s *searcher) start() {
	s.trial.copy(s.m.base)
	s.fillAll(func(o int) float64 { return -s.m.order[o].Value * s.m.order[o].Young })
	s.keep()
}

// keep takes the trial as the plan if it may.
func (s *searcher) keep() {
	lacks := s.trial.lacks()
	if more := lacks - s.now.lacks(); more < 0 || more == 0 && s.trial.score > s.now.score-s.heat*s.dice.ExpFloat64() {
		s.now, s.trial = s.trial, s.now
	}
	if s.now.better(s.best) {
		s.best.copy(s.now)
	}
}

// round is so many steps that cool down once; now and then the plan goes back to
// the best.
const round = 400

// step takes out and fills in once.
func (s *searcher) step() {
	if s.steps%round == 0 {
		s.hot = math.Pow(10, -1-2*s.dice.Float64()) * s.m.worth
		if s.dice.IntN(3) == 0 {
			s.now.copy(s.best)
		}
	}
	s.heat = s.hot * (1 - float64(s.steps%round)/round)
	s.steps++
	s.trial.copy(s.now)
	s.ruin()
	s.shy, s.jitter = 0, 0
	if s.dice.IntN(3) > 0 {
		s.shy = 4 * s.dice.Float64() * s.dice.Float64()
	}
	if s.dice.IntN(2) == 0 {
		s.jitter = .3 * s.dice.Float64()
	}
	s.thrift = 0
	if s.prices != nil && s.dice.IntN(2) == 0 {
		s.thrift = .2 + s.dice.Float64()
	}
	s.wild = s.dice.IntN(12) == 0
	if s.wild {
		s.jitter = 0
	}
	s.old, s.fewer = 0, s.dice.IntN(4) == 0
	if s.dice.IntN(4) == 0 {
		s.old = 1
	}
	switch s.dice.IntN(4) {
	case 0:
		s.fillAll(func(o int) float64 { return -s.m.order[o].Value * (.3 + s.dice.Float64()) })
	case 1:
		s.fillAll(func(o int) float64 { return float64(len(s.m.cands[o])) * (.3 + s.dice.Float64()) })
	case 2:
		s.fillAll(func(o int) float64 { return -s.m.order[o].Value * s.m.order[o].Young * (.3 + s.dice.Float64()) })
	default:
		s.fillAll(func(int) float64 { return s.dice.Float64() })
	}
	s.keep()
}

// ruin takes parts out: those of a few promises, of some days, of one machine for
// some days, or any.
func (s *searcher) ruin() {
	n := len(s.trial.parts)
	if n == 0 {
		return
	}
	for i := range s.trial.parts {
		if p := &s.trial.parts[i]; p.fixed && s.dice.IntN(2) == 0 {
			s.trial.takeBack(i)
		}
	}
	out := s.victims(n)
	for i := n - 1; i >= 0; i-- {
		if p := &s.trial.parts[i]; !p.fixed && out(p) {
			s.trial.drop(i)
		}
	}
	s.trial.dropSmall()
}

// victims draws which batches are taken out: any, those near a day, near a machine, or
// near a promise.
func (s *searcher) victims(n int) (out func(p *part) bool) {
	switch s.dice.IntN(5) {
	case 0:
		share := .05 + .3*s.dice.Float64()
		out = func(*part) bool { return s.dice.Float64() < share }
	case 1, 2:
		seed := &s.trial.parts[s.dice.IntN(n)]
		at, wide := seed.t, 2+s.dice.IntN(18)
		out = func(p *part) bool { return p.t >= at-wide && p.t <= at+wide && s.dice.IntN(8) > 0 }
	case 3:
		seed := s.trial.parts[s.dice.IntN(n)]
		a, h, wide := seed.a, seed.h, 3+s.dice.IntN(40)
		out = func(p *part) bool {
			return (p.a == a || p.h == h || p.a == h || p.h == a) && p.t >= seed.t-wide && p.t <= seed.t+wide
		}
	default:
		o := &s.m.order[s.dice.IntN(len(s.m.order))]
		wide := s.dice.IntN(6)
		out = func(p *part) bool {
			pull := p.t + s.m.source[p.src].sp.Pull
			near := pull >= o.PullFrom-wide && pull <= o.PullTo+wide
			return near && s.dice.IntN(3) > 0 || slices.Contains(o.sources, p.src) && s.dice.IntN(2) == 0
		}
	}
	return out
}

// fillAll serves the promises that fall short, by rank.
func (s *searcher) fillAll(rank func(order int) float64) {
	s.queue = s.queue[:0]
	for o := range s.m.order {
		if len(s.m.cands[o]) > 0 && s.m.order[o].Young-s.trial.got[o] > 1e-6 {
			s.queue = append(s.queue, o)
			s.rank[o] = rank(o)
		}
	}
	slices.SortFunc(s.queue, func(a, b int) int { return cmp.Or(cmp.Compare(s.rank[a], s.rank[b]), a-b) })
	s.join()
	if len(s.m.base.parts) == 0 || s.dice.IntN(2) == 0 { // what is fixed need not serve the dearest
		s.trial.spread()
	}
	for _, o := range s.queue {
		if s.over() { // what is in so far is a plan
			return
		}
		for s.fill(o) {
		}
		s.trial.spread()
	}
}

// join fills pinned settings up to the fewest eggs, with those that serve best.
func (s *searcher) join() {
	for _, k := range s.m.small {
		for {
			lack := s.fewest() - s.trial.sets[k.machine][k.day].eggs
			if lack <= 0 {
				break
			}
			best := s.joins(k, lack)
			if best.eggs == 0 {
				break
			}
			s.trial.put(best)
		}
	}
}

// joins is the batch that serves best in a setting that lacks eggs.
func (s *searcher) joins(k at, lack int) (best part) {
	most := math.Inf(-1)
	for src := range s.m.source {
		c, ok := s.m.cand(src, k.day)
		if !ok || !slices.Contains(c.setters, k.machine) {
			continue
		}
		x := &s.m.source[src]
		for _, h := range c.hatches {
			if s.m.banned(src, k.day, k.machine, h) {
				continue
			}
			p := part{src: src, t: k.day, a: k.machine, h: h}
			p.eggs = int(min(
				float64(lack), s.trial.setterRoom(src, k.day, k.machine), s.trial.hatcherRoom(src, k.day, h),
				s.trial.broodRoom(src, k.day)/max(x.eats, 1e-12),
			))
			s.take(&p)
			p.eggs = 0
			for _, l := range p.lays {
				p.eggs += l.eggs
				p.young += float64(l.eggs) * x.Yield * x.sp.AgeFactor[k.day-l.laid-x.first]
			}
			if worth := s.worth(&p) + s.dice.Float64()*s.jitter; p.eggs > 0 && worth > most {
				most, best = worth, p
			}
		}
	}
	return best
}

// worth is what a part's young would bring, an egg.
func (s *searcher) worth(p *part) (worth float64) {
	pull := p.t + s.m.source[p.src].sp.Pull
	for o := range s.m.order {
		q := &s.m.order[o]
		if pull >= q.PullFrom && pull <= q.PullTo && slices.Contains(q.sources, p.src) {
			worth = max(worth, q.Value*min(p.young, q.Young-s.trial.got[o])/float64(max(p.eggs, 1)))
		}
	}
	return
}

// offer is a batch that may serve a promise, and what it is worth.
type offer struct {
	part
	rank, gain float64
}

// fill puts the batch in that serves a promise best; false: none is worth it.
func (s *searcher) fill(o int) bool {
	need := s.m.order[o].Young - s.trial.got[o]
	if need < 1e-6 {
		return false
	}
	share := 1.0
	if s.fewer && s.dice.IntN(2) == 0 {
		share = .3 + .7*s.dice.Float64()
	}
	wild := s.wild && s.dice.IntN(3) == 0
	var best offer
	for i := range s.m.cands[o] {
		c := &s.m.cands[o][i]
		if want := s.eggsFor(c, &s.m.order[o], need); want > 0 {
			s.offers(c, &s.m.order[o], need, int(math.Ceil(share*float64(want))), wild, &best)
		}
	}
	if best.gain <= 0 {
		return false
	}
	s.take(&best.part)
	best.gives = []gift{{o, min(need, best.young)}}
	s.trial.put(best.part)
	return true
}

// eggsFor gives how many eggs of a source and day a promise wants, in the order in which
// they are taken; s.ys becomes the young of the first n of them.
func (s *searcher) eggsFor(c *cand, q *promise, need float64) (want int) {
	x := &s.m.source[c.src]
	free := s.trial.broodRoom(c.src, c.t) / max(x.sp.BroodPlaces, 1e-12)
	s.ys, s.costs = append(s.ys[:0], 0), append(s.costs[:0], 0)
	for _, age := range x.ages[s.old] {
		i := c.t - age - x.first
		if i < 0 || i >= len(x.supply) {
			continue
		}
		each, price := x.Yield*x.sp.AgeFactor[age], 0.0
		if s.thrift > 0 {
			price = s.thrift * s.prices[c.src][i]
		}
		for range s.trial.left[c.src][i] {
			y := s.ys[len(s.ys)-1]
			if y+each > free {
				return want
			}
			if q.Value*min(each, need-y) > s.m.p.EggCost+price {
				want = len(s.ys)
			} else if len(s.ys) > s.fewest() {
				return want
			}
			s.ys = append(s.ys, y+each)
			s.costs = append(s.costs, s.costs[len(s.costs)-1]+price)
		}
	}
	return want
}

// fewest is the fewest eggs of a setting, whole.
func (s *searcher) fewest() int { return int(math.Ceil(s.m.p.MinBatch - tolerance)) }

// offers tries the machines through which eggs of a source and day can go, and keeps the
// best.
func (s *searcher) offers(c *cand, q *promise, need float64, want int, wild bool, best *offer) {
	t, m := s.trial, s.m
	for _, h := range c.hatches {
		s.rooms[h] = t.hatcherRoom(c.src, c.t, h)
	}
	for _, a := range c.setters {
		room := t.setterRoom(c.src, c.t, a)
		if room < 1 {
			continue
		}
		set, cost := t.sets[a][c.t], 0.0
		if set.batches == 0 {
			cost = m.setCost(a, c.t)
		}
		least := max(1, s.fewest()-set.eggs)
		for _, h := range c.hatches {
			most := int(min(room, s.rooms[h]))
			n := min(want, most)
			if n < least {
				if n = least; n > most || n >= len(s.ys) {
					continue
				}
			}
			gain := q.Value*min(need, s.ys[n]) - m.p.EggCost*float64(n) - cost
			rank := s.rankOf(gain-s.costs[n], t.lid[h][c.t+m.source[c.src].sp.Lockdown].batches == 0, wild)
			better := gain > 1e-7 && (best.gain == 0 || rank > best.rank)
			if better && (len(m.p.Forbidden) == 0 || !m.banned(c.src, c.t, a, h)) {
				*best = offer{part{src: c.src, t: c.t, a: a, h: h, eggs: n, young: s.ys[n]}, rank, gain}
			}
		}
	}
}

// rankOf shakes a gain as this search does, so that another batch may come first.
func (s *searcher) rankOf(gain float64, newLoad, wild bool) float64 {
	rank := gain
	if newLoad {
		rank -= s.shy
	}
	if s.jitter > 0 {
		rank *= 1 + s.jitter*(s.dice.Float64()-.5)
	}
	if wild {
		rank = s.dice.Float64()
	}
	return rank
}

// take picks a part's eggs from what is left.
func (s *searcher) take(p *part) {
	x := &s.m.source[p.src]
	n := p.eggs
	for _, age := range x.ages[s.old] {
		i := p.t - age - x.first
		if i < 0 || i >= len(x.supply) || s.trial.left[p.src][i] == 0 || n == 0 {
			continue
		}
		k := min(n, s.trial.left[p.src][i])
		p.lays = append(p.lays, take{i, k})
		n -= k
	}
}
