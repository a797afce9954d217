package solve

import (
	"cmp"
	"context"
	"math"
	"math/rand/v2"
	"slices"

	"metrogon/core/season"
	"metrogon/core/season/draft"
)

// searcher improves a plan by taking a part of it out and filling it in anew
// (large-neighbourhood search).
type searcher struct {
	m          *draft.Model
	ctx        context.Context // may be nil: the work has no end but its own
	dice       *rand.Rand
	now, trial *draft.State
	best       *draft.State
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

func newSearcher(m *draft.Model, seed uint64) *searcher {
	s := &searcher{
		m: m, dice: rand.New(rand.NewPCG(seed, 0x5ea50)), now: m.Empty(), trial: m.Empty(), best: m.Empty(),
		rank: make([]float64, len(m.Order)), rooms: make([]float64, len(m.Machine)),
	}
	s.now.Copy(m.Base)
	s.best.Copy(m.Base)
	return s
}

// over tells that the time is up.
func (s *searcher) over() bool { return s.ctx != nil && s.ctx.Err() != nil }

// start fills the base plan greedily, the most valuable promises first.
func (s *searcher) start() {
	s.trial.Copy(s.m.Base)
	s.fillAll(func(o int) float64 { return -s.m.Order[o].Value * s.m.Order[o].Young })
	s.keep()
}

// keep takes the trial as the plan if it may.
func (s *searcher) keep() {
	lacks := s.trial.Lacks()
	if more := lacks - s.now.Lacks(); more < 0 || more == 0 && s.trial.Score > s.now.Score-s.heat*s.dice.ExpFloat64() {
		s.now, s.trial = s.trial, s.now
	}
	if s.now.Better(s.best) {
		s.best.Copy(s.now)
	}
}

// round is so many steps that cool down once; now and then the plan goes back to
// the best.
const round = 400

// step takes out and fills in once.
func (s *searcher) step() {
	if s.steps%round == 0 {
		s.hot = math.Pow(10, -1-2*s.dice.Float64()) * s.m.Worth
		if s.dice.IntN(3) == 0 {
			s.now.Copy(s.best)
		}
	}
	s.heat = s.hot * (1 - float64(s.steps%round)/round)
	s.steps++
	s.trial.Copy(s.now)
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
		s.fillAll(func(o int) float64 { return -s.m.Order[o].Value * (.3 + s.dice.Float64()) })
	case 1:
		s.fillAll(func(o int) float64 { return float64(len(s.m.Cands[o])) * (.3 + s.dice.Float64()) })
	case 2:
		s.fillAll(func(o int) float64 { return -s.m.Order[o].Value * s.m.Order[o].Young * (.3 + s.dice.Float64()) })
	default:
		s.fillAll(func(int) float64 { return s.dice.Float64() })
	}
	s.keep()
}

// ruin takes parts out: those of a few promises, of some days, of one machine for
// some days, or any.
func (s *searcher) ruin() {
	n := len(s.trial.Parts)
	if n == 0 {
		return
	}
	for i := range s.trial.Parts {
		if p := &s.trial.Parts[i]; p.Fixed && s.dice.IntN(2) == 0 {
			s.trial.TakeBack(i)
		}
	}
	out := s.victims(n)
	for i := n - 1; i >= 0; i-- {
		if p := &s.trial.Parts[i]; !p.Fixed && out(p) {
			s.trial.Drop(i)
		}
	}
	s.trial.DropSmall()
}

// victims draws which batches are taken out: any, those near a day, near a machine, or
// near a promise.
func (s *searcher) victims(n int) (out func(p *draft.Part) bool) {
	switch s.dice.IntN(5) {
	case 0:
		share := .05 + .3*s.dice.Float64()
		out = func(*draft.Part) bool { return s.dice.Float64() < share }
	case 1, 2:
		seed := &s.trial.Parts[s.dice.IntN(n)]
		at, wide := seed.T, 2+s.dice.IntN(18)
		out = func(p *draft.Part) bool { return p.T >= at-wide && p.T <= at+wide && s.dice.IntN(8) > 0 }
	case 3:
		seed := s.trial.Parts[s.dice.IntN(n)]
		a, h, wide := seed.A, seed.H, 3+s.dice.IntN(40)
		out = func(p *draft.Part) bool {
			return (p.A == a || p.H == h || p.A == h || p.H == a) && p.T >= seed.T-wide && p.T <= seed.T+wide
		}
	default:
		o := &s.m.Order[s.dice.IntN(len(s.m.Order))]
		wide := s.dice.IntN(6)
		out = func(p *draft.Part) bool {
			pull := p.T + s.m.Source[p.Src].Sp.Pull
			near := pull >= o.PullFrom-wide && pull <= o.PullTo+wide
			return near && s.dice.IntN(3) > 0 || slices.Contains(o.From, p.Src) && s.dice.IntN(2) == 0
		}
	}
	return out
}

// fillAll serves the promises that fall short, by rank.
func (s *searcher) fillAll(rank func(order int) float64) {
	s.queue = s.queue[:0]
	for o := range s.m.Order {
		if len(s.m.Cands[o]) > 0 && s.m.Order[o].Young-s.trial.Got[o] > 1e-6 {
			s.queue = append(s.queue, o)
			s.rank[o] = rank(o)
		}
	}
	slices.SortFunc(s.queue, func(a, b int) int { return cmp.Or(cmp.Compare(s.rank[a], s.rank[b]), a-b) })
	s.join()
	if len(s.m.Base.Parts) == 0 || s.dice.IntN(2) == 0 { // what is fixed need not serve the dearest
		s.trial.Spread()
	}
	for _, o := range s.queue {
		if s.over() { // what is in so far is a plan
			return
		}
		for s.fill(o) {
		}
		s.trial.Spread()
	}
}

// join fills pinned settings up to the fewest eggs, with those that serve best.
func (s *searcher) join() {
	for _, k := range s.m.Small {
		for {
			lack := s.fewest() - s.trial.Sets[k.Machine][k.Day].Eggs
			if lack <= 0 {
				break
			}
			best := s.joins(k, lack)
			if best.Eggs == 0 {
				break
			}
			s.trial.Put(best)
		}
	}
}

// joins is the batch that serves best in a setting that lacks eggs.
func (s *searcher) joins(k draft.At, lack int) (best draft.Part) {
	most := math.Inf(-1)
	for src := range s.m.Source {
		c, ok := s.m.Cand(src, k.Day)
		if !ok || !slices.Contains(c.Setters, k.Machine) {
			continue
		}
		x := &s.m.Source[src]
		for _, h := range c.Hatches {
			if s.m.Banned(src, k.Day, k.Machine, h) {
				continue
			}
			p := draft.Part{Src: src, T: k.Day, A: k.Machine, H: h}
			p.Eggs = int(min(
				float64(lack), s.trial.SetterRoom(src, k.Day, k.Machine), s.trial.HatcherRoom(src, k.Day, h),
				s.trial.BroodRoom(src, k.Day)/max(x.Eats, 1e-12),
			))
			s.take(&p)
			p.Eggs = 0
			for _, l := range p.Lays {
				p.Eggs += l.Eggs
				p.Young += float64(l.Eggs) * x.Yield * x.Sp.AgeFactor[k.Day-l.Laid-x.First]
			}
			if worth := s.worth(&p) + s.dice.Float64()*s.jitter; p.Eggs > 0 && worth > most {
				most, best = worth, p
			}
		}
	}
	return best
}

// worth is what a part's young would bring, an egg.
func (s *searcher) worth(p *draft.Part) (worth float64) {
	pull := p.T + s.m.Source[p.Src].Sp.Pull
	for o := range s.m.Order {
		q := &s.m.Order[o]
		if pull >= q.PullFrom && pull <= q.PullTo && slices.Contains(q.From, p.Src) {
			worth = max(worth, q.Value*min(p.Young, q.Young-s.trial.Got[o])/float64(max(p.Eggs, 1)))
		}
	}
	return
}

// offer is a batch that may serve a promise, and what it is worth.
type offer struct {
	draft.Part
	rank, gain float64
}

// fill puts the batch in that serves a promise best; false: none is worth it.
func (s *searcher) fill(o int) bool {
	need := s.m.Order[o].Young - s.trial.Got[o]
	if need < 1e-6 {
		return false
	}
	share := 1.0
	if s.fewer && s.dice.IntN(2) == 0 {
		share = .3 + .7*s.dice.Float64()
	}
	wild := s.wild && s.dice.IntN(3) == 0
	var best offer
	for i := range s.m.Cands[o] {
		c := &s.m.Cands[o][i]
		if want := s.eggsFor(c, &s.m.Order[o], need); want > 0 {
			s.offers(c, &s.m.Order[o], need, int(math.Ceil(share*float64(want))), wild, &best)
		}
	}
	if best.gain <= 0 {
		return false
	}
	s.take(&best.Part)
	best.Gives = []draft.Gift{{Order: o, Young: min(need, best.Young)}}
	s.trial.Put(best.Part)
	return true
}

// eggsFor gives how many eggs of a source and day a promise wants, in the order in which
// they are taken; s.ys becomes the young of the first n of them.
func (s *searcher) eggsFor(c *draft.Cand, q *draft.Promise, need float64) (want int) {
	x := &s.m.Source[c.Src]
	free := s.trial.BroodRoom(c.Src, c.T) / max(x.Sp.BroodPlaces, 1e-12)
	s.ys, s.costs = append(s.ys[:0], 0), append(s.costs[:0], 0)
	for _, age := range x.Ages[s.old] {
		i := c.T - age - x.First
		if i < 0 || i >= len(x.Laid) {
			continue
		}
		each, price := x.Yield*x.Sp.AgeFactor[age], 0.0
		if s.thrift > 0 {
			price = s.thrift * s.prices[c.Src][i]
		}
		for range s.trial.Left[c.Src][i] {
			y := s.ys[len(s.ys)-1]
			if y+each > free {
				return want
			}
			if q.Value*min(each, need-y) > s.m.P.EggCost+price {
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
func (s *searcher) fewest() int { return int(math.Ceil(s.m.P.MinBatch - season.Tolerance)) }

// offers tries the machines through which eggs of a source and day can go, and keeps the
// best.
func (s *searcher) offers(c *draft.Cand, q *draft.Promise, need float64, want int, wild bool, best *offer) {
	t, m := s.trial, s.m
	for _, h := range c.Hatches {
		s.rooms[h] = t.HatcherRoom(c.Src, c.T, h)
	}
	for _, a := range c.Setters {
		room := t.SetterRoom(c.Src, c.T, a)
		if room < 1 {
			continue
		}
		set, cost := t.Sets[a][c.T], 0.0
		if set.Batches == 0 {
			cost = m.SetCost(a, c.T)
		}
		least := max(1, s.fewest()-set.Eggs)
		for _, h := range c.Hatches {
			most := int(min(room, s.rooms[h]))
			n := min(want, most)
			if n < least {
				if n = least; n > most || n >= len(s.ys) {
					continue
				}
			}
			gain := q.Value*min(need, s.ys[n]) - m.P.EggCost*float64(n) - cost
			rank := s.rankOf(gain-s.costs[n], t.Lid[h][c.T+m.Source[c.Src].Sp.Lockdown].Batches == 0, wild)
			better := gain > 1e-7 && (best.gain == 0 || rank > best.rank)
			if better && (len(m.P.Forbidden) == 0 || !m.Banned(c.Src, c.T, a, h)) {
				*best = offer{draft.Part{Src: c.Src, T: c.T, A: a, H: h, Eggs: n, Young: s.ys[n]}, rank, gain}
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
func (s *searcher) take(p *draft.Part) {
	x := &s.m.Source[p.Src]
	n := p.Eggs
	for _, age := range x.Ages[s.old] {
		i := p.T - age - x.First
		if i < 0 || i >= len(x.Laid) || s.trial.Left[p.Src][i] == 0 || n == 0 {
			continue
		}
		k := min(n, s.trial.Left[p.Src][i])
		p.Lays = append(p.Lays, draft.Take{Laid: i, Eggs: k})
		n -= k
	}
}
