// Package bound proves how good a plan of a season can be at most, by branch and bound over linear programs (package
// lp), and finds plans on the way. A search takes turns with it, or does without.
package bound

import (
	"container/heap"
	"context"
	"iter"
	"math"
	"slices"

	"metrogon/core/season/bound/lp"
	"metrogon/core/season/draft"
)

// Prover lowers a bound until it meets the best plan, by branch and bound, and finds
// plans on the way. It takes turns with the searchers: a turn is so much work, not so
// much time, so that what it finds depends on the number of rounds alone.
type Prover struct {
	m       *draft.Model
	all     lens         // that moves over the season
	of      *draft.Model // with what r takes as given
	r       *relaxation
	ctx     context.Context
	best    *draft.State // the best plan that anybody knows
	refined float64      // the score whose settings and loads were looked at closely
	bound   float64
	prices  [][]float64 // of eggs, once they are known
	quiet   int         // rounds since the best was found
	left    int         // work of this turn
	paid    int         // work that was counted
	pause   func(struct{}) bool
	next    func() (struct{}, bool)
	halt    func()
	over    bool
}

// turn is the work of a usual turn, in additions and multiplications: about as much as
// a searcher does in a round.
const turn = 6e6

// New begins a proof; what stands is the first plan.
func New(ctx context.Context, m *draft.Model) *Prover {
	p := &Prover{m: m, ctx: ctx, best: m.Empty(), bound: plain(m), all: lens{free: true, wide: 21}}
	p.best.Copy(m.Base)
	p.next, p.halt = iter.Pull(p.turns)
	return p
}

// See takes note of the best plan that anybody knows.
func (p *Prover) See(best *draft.State) { p.best.Copy(best) }

// Turn works on for a turn, or so many times as long; the best plan was found so many rounds ago. False: there is
// nothing more to do.
func (p *Prover) Turn(quiet int, longer float64) bool {
	p.quiet, p.left = quiet, int(turn*longer)
	_, more := p.next()
	return more
}

// Bound is the score that no plan exceeds.
func (p *Prover) Bound() float64 { return p.bound }

// Best is the best plan that is known, by the proof or before.
func (p *Prover) Best() *draft.State { return p.best }

// Prices are what eggs are worth, by source and lay day; nil while that is not known.
func (p *Prover) Prices() [][]float64 { return p.prices }

// Stop ends the work.
func (p *Prover) Stop() { p.halt() }

// turns is the work, pausing when the turn is used up.
func (p *Prover) turns(pause func(struct{}) bool) {
	p.pause = pause
	p.lower(windowsOf(p.m, p.stop))
	r := relax(p.m, false, mostFirst, nil)
	large := r.rows > manyRows && r.rows <= mostFirst
	var first *lp.First
	if large {
		first = r.First()
		p.approach(r, first, restless)
	}
	if r.rows > fewRows {
		p.wait()
		for !p.look() && !p.stop() {
		}
	}
	if large {
		p.approach(r, first, tired)
	}
	p.prove(r)
	for p.all.luck && !p.stop() {
		p.look()
	}
}

// How large a season may be for the proof to find the best plan by itself, to find it
// before long, to be worked on by the simplex, and by first-order steps.
const (
	fewRows   = 500
	manyRows  = 1000
	mostRows  = 5000
	mostFirst = 30000
)

// approach lowers the bound of a large season by first-order steps, long before the simplex
// method would, asking for cuts on the way; until they bring no more. What has to stay where it
// is, by the prices found, is fixed for those who come after.
func (p *Prover) approach(r *relaxation, f *lp.First, tired int) {
	paid, last := f.Work, p.bound
	for idle := 0; idle < tired; {
		f.Steps(stride, func() bool { return p.ctx.Err() != nil })
		p.left, paid = p.left-(f.Work-paid), f.Work
		p.lower(r.base + f.Bound())
		if idle++; p.bound < last-.0002*math.Abs(last) {
			idle, last = 0, p.bound
		}
		if r.cutBy(f.X, .05) > 0 && idle == tired {
			idle--
		}
		p.prices = r.prices(p.m, f.Price, f.Cost)
		if p.bound <= p.best.Score+1e-6 || p.stop() {
			return
		}
	}
	for _, b := range r.settled(r.base+f.Bound()-p.best.Score-1e-6, f.Cost) {
		r.Bounds(b.v, b.low, b.high)
	}
}

// stride is how many steps are made between cuts, and tired how many strides without a better
// bound end it.
const (
	stride   = 256
	restless = 2
	tired    = 12
)

// prove works on a relaxation until it is done or more cannot be known.
func (p *Prover) prove(r *relaxation) {
	if r.rows > mostRows {
		return
	}
	open := &nodes{{bound: p.bound - r.base}}
	for open.Len() > 0 && !p.stop() {
		if p.refine(); r.rows > manyRows && p.all.luck {
			p.look()
		}
		p.use(p.m, r)
		known := p.dive(open)
		if open.Len() == 0 {
			p.lower(p.best.Score)
			return
		}
		p.lower(r.base + (*open)[0].bound)
		if !known {
			if !r.exact {
				p.prove(relax(p.m, true, mostRows, nil))
			}
			return
		}
	}
}

// settled is how many rounds without a better plan make it worth a closer look.
const settled = 3

func (p *Prover) use(m *draft.Model, r *relaxation) { p.of, p.r, p.paid = m, r, r.Work }

func (p *Prover) lower(bound float64) { p.bound = min(p.bound, max(bound, p.best.Score)) }

// goal is the bound that proves the best plan.
func (p *Prover) goal() float64 {
	if p.best.Lacks() > 0 {
		return math.Inf(-1)
	}
	return p.best.Score + 1e-6 - p.r.base
}

// stop pauses when the turn is used up, and says whether it is all over.
func (p *Prover) stop() bool {
	if p.r != nil {
		p.left -= p.r.rows + p.r.Work - p.paid
		p.paid = p.r.Work
	}
	if p.left < 0 && !p.over {
		p.over = !p.pause(struct{}{})
	}
	p.over = p.over || p.ctx.Err() != nil
	return p.over
}

// dive takes the most promising part and goes down from it, one branch after the
// other, as long as there is something to be found: from one to the next it is not
// far. The other branches are kept. False: no more can be known.
func (p *Prover) dive(open *nodes) bool {
	n := heap.Pop(open).(node)
	p.r.Trim(p.r.rows)
	for cuts := true; n.bound > p.goal(); cuts = false {
		on := p.visit(&n, cuts)
		if n.bound <= p.goal() {
			break
		}
		if p.stop() {
			heap.Push(open, n)
			break
		}
		if on == nil { // what fills settings up has no room: this is the bound
			heap.Push(open, n)
			return false
		}
		here, there := branch{on.v, math.Ceil(on.x), math.Inf(1)}, branch{on.v, math.Inf(-1), math.Floor(on.x)}
		if on.x-math.Floor(on.x) < .5 {
			here, there = there, here
		}
		heap.Push(open, node{n.bound, append(slices.Clone(n.branches), there), on})
		n = node{n.bound, append(n.branches, here), on}
	}
	return true
}

// node is a part of the plans: the bounds of whole variables that were branched on.
type node struct {
	bound    float64
	branches []branch
	on       *split // the last of them
}

type branch struct {
	v         int
	low, high float64
}

// split is a whole variable, and where it stood.
type split struct {
	v, kind int
	x       float64
}

type nodes []node

func (n nodes) Len() int           { return len(n) }
func (n nodes) Less(i, j int) bool { return n[i].bound > n[j].bound }
func (n nodes) Swap(i, j int)      { n[i], n[j] = n[j], n[i] }
func (n *nodes) Push(x any)        { *n = append(*n, x.(node)) }
func (n *nodes) Pop() any {
	last := (*n)[len(*n)-1]
	*n = (*n)[:len(*n)-1]
	return last
}

// visit lowers the bound of a node and gives a whole variable to branch on, or nil if
// all are whole: the plan that they stand for is then kept if it is the best. Cuts are
// made at the beginning of a dive. What becomes known of other variables on the way
// stays with the node.
func (p *Prover) visit(n *node, cuts bool) (on *split) {
	r := p.r
	defer r.within(n.branches)()
	before, rounds := n.bound, 1
	if cuts {
		rounds = 4
		if n.on == nil {
			rounds = 40
		}
	}
	for ; rounds > 0; rounds-- {
		feasible := r.Solve(p.goal(), p.stop)
		if n.bound = min(n.bound, r.Bound()); !feasible {
			n.bound = math.Inf(-1)
		}
		if n.bound <= p.goal() || p.over || rounds == 1 || r.cut() == 0 {
			break
		}
	}
	if n.on == nil && p.of == p.m && !p.over { // the whole season
		p.prices = r.prices(p.m, r.Price, r.Cost)
	}
	if n.on != nil {
		r.learn(n.on, before-max(n.bound, p.goal()))
	}
	if n.bound > p.goal() && !p.over {
		if on = r.fraction(); on == nil {
			if s := r.plan(p.of); s.Better(p.best) {
				p.best.Copy(s)
			}
		}
		n.branches = append(n.branches, r.settled(n.bound-p.goal(), r.Cost)...)
	}
	return
}

// within narrows variables to the branches of a node; what it returns widens them again.
func (r *relaxation) within(branches []branch) func() {
	kept := map[int]branch{}
	for _, b := range branches {
		low, high := r.Range(b.v)
		if _, seen := kept[b.v]; !seen {
			kept[b.v] = branch{b.v, low, high}
		}
		r.Bounds(b.v, max(low, b.low), min(high, b.high))
	}
	return func() {
		for v, b := range kept {
			r.Bounds(v, b.low, b.high)
		}
	}
}

// settled are settings, loads and turns that have to stay where they are, as the bound
// would fall by more than it may.
func (r *relaxation) settled(most float64, costs func(v int) float64) (out []branch) {
	for _, kind := range []int{aSetting, aLoad, aTurn} {
		for _, v := range r.whole[kind] {
			low, high := r.Range(v)
			switch cost := costs(v); {
			case low == high || math.Abs(cost) <= most+1e-7:
			case cost < 0:
				out = append(out, branch{v, low, low})
			default:
				out = append(out, branch{v, high, high})
			}
		}
	}
	return
}

// lesson is by how much the bound fell, in all, for every unit that a variable was moved
// down or up, and how often.
type lesson [2]struct{ sum, times float64 }

const down, up = 0, 1

// learn sees what the last branch brought.
func (r *relaxation) learn(on *split, fell float64) {
	way, by := down, on.x-math.Floor(on.x)
	if low, _ := r.Range(on.v); low > on.x {
		way, by = up, 1-by
	}
	for _, l := range []*lesson{&r.lessons[on.v], &r.average[on.kind]} {
		l[way].sum += max(0, fell) / by
		l[way].times++
	}
}

// gain is what branching on a variable may bring, by what was learned.
func (r *relaxation) gain(v, kind int, fraction float64) float64 {
	gain := 1.
	for way, by := range []float64{fraction, 1 - fraction} {
		each := 1.
		for _, l := range []*lesson{&r.average[kind], &r.lessons[v]} {
			if l[way].times > 0 {
				each = l[way].sum / l[way].times
			}
		}
		gain *= max(each*by, 1e-6)
	}
	return gain
}

// fraction finds the whole variable that branching on promises most of, or nil.
func (r *relaxation) fraction() (on *split) {
	for _, list := range [][]int{{aSetting, aLoad, aTurn, aSum}, {anEgg}, {anEggLaid}} {
		most := 0.
		for _, kind := range list {
			for _, v := range r.whole[kind] {
				x := r.X(v)
				fraction := x - math.Floor(x)
				if min(fraction, 1-fraction) < 1e-6 {
					continue
				}
				if gain := r.gain(v, kind, fraction); gain > most {
					most, on = gain, &split{v, kind, x}
				}
			}
		}
		if on != nil {
			break
		}
	}
	return
}

// plain is the bound that anybody sees: every promise filled from its best
// source, at the cost of its eggs alone.
func plain(m *draft.Model) float64 {
	sum := m.Base.Score + fixedWorth(m) // fixed eggs are paid for already
	for o := range m.Order {
		q := &m.Order[o]
		most := 0.0
		for _, c := range m.Cands[o] {
			x := &m.Source[c.Src]
			if each := x.Best(); each > 0 {
				most = max(most, q.Young*(q.Value-m.P.EggCost/each))
			}
		}
		sum += most
	}
	return sum
}

// fixedWorth is what the young of fixed batches may bring at most.
func fixedWorth(m *draft.Model) (sum float64) {
	for _, p := range m.Base.Parts {
		best, pull := 0.0, p.T+m.Source[p.Src].Sp.Pull
		for o := range m.Order {
			q := &m.Order[o]
			if pull >= q.PullFrom && pull <= q.PullTo && slices.Contains(q.From, p.Src) {
				best = max(best, q.Value)
			}
		}
		sum += best * p.Young
	}
	return
}
