package season

import (
	"container/heap"
	"context"
	"math"
	"slices"
)

// prover lowers a bound until it meets the best plan, by branch and bound, and finds
// plans on the way. It takes turns with the searchers: a turn is so much work, not so
// much time, so that what it finds depends on the number of rounds alone.
type prover struct {
	m       *model
	r       *relaxation
	ctx     context.Context
	best    *state  // the best plan that anybody knows
	refined float64 // the score whose settings and loads were looked at closely
	bound   float64
	left    int // work of this turn
	pivots  int // that are paid for
	pause   func(struct{}) bool
	over    bool
}

// turn is the work of a usual turn, in squared rows of the program for each pivot and
// each part that is looked at: about as much as a searcher does in a round.
const turn = 80e6

func (m *model) prover(ctx context.Context) *prover {
	p := &prover{m: m, ctx: ctx, best: m.empty(), bound: m.plain()}
	p.best.copy(m.base)
	return p
}

// turns is the work, pausing when the turn is used up.
func (p *prover) turns(pause func(struct{}) bool) {
	p.pause = pause
	p.lower(p.m.windows(p.stop))
	p.r = p.m.relax()
	rows, _ := p.r.Size()
	p.r.fixed = rows
	if rows > mostRows {
		return
	}
	if rows == 0 {
		p.lower(p.m.base.score + p.m.fixedWorth())
		return
	}
	open := &nodes{{bound: p.bound - p.r.base}}
	for open.Len() > 0 && !p.stop() {
		if p.best.score != p.refined {
			p.refine()
		}
		if !p.dive(open) {
			return
		}
		if open.Len() == 0 {
			p.lower(p.best.score)
		} else {
			p.lower(p.r.base + (*open)[0].bound)
		}
	}
}

func (p *prover) lower(bound float64) { p.bound = min(p.bound, max(bound, p.best.score)) }

func (p *prover) goal() float64 { return p.best.score + 1e-6 - p.r.base }

// stop pauses when the turn is used up, and says whether it is all over.
func (p *prover) stop() bool {
	if p.r != nil {
		rows, _ := p.r.Size()
		p.left -= rows * rows * (1 + p.r.Pivots - p.pivots)
		p.pivots = p.r.Pivots
	}
	if p.left < 0 && !p.over {
		p.over = !p.pause(struct{}{})
	}
	p.over = p.over || p.ctx.Err() != nil
	return p.over
}

// refine looks for better eggs in the settings and loads of the best plan.
func (p *prover) refine() {
	p.refined = p.best.score
	open := &nodes{{bound: p.bound - p.r.base, branches: p.r.closed(p.best)}}
	for n := 0; n < 20 && open.Len() > 0 && !p.stop(); n++ {
		if !p.dive(open) {
			break
		}
	}
	p.refined = p.best.score
}

// dive takes the most promising part and goes down from it, one branch after the
// other, as long as there is something to be found: from one to the next it is not
// far. The other branches are kept. False: no more can be known.
func (p *prover) dive(open *nodes) bool {
	n := heap.Pop(open).(node)
	p.r.Trim(p.r.fixed)
	first := true
	for n.bound > p.goal() {
		own, v, x := p.visit(&n, first)
		first = false
		if own <= p.goal() {
			return true
		}
		if p.stop() {
			heap.Push(open, node{bound: own, branches: n.branches})
			return true
		}
		if v < 0 { // whole
			if own > p.goal() { // but what fills settings up has no room: this is the bound
				heap.Push(open, node{bound: own, branches: n.branches})
				p.lower(p.r.base + (*open)[0].bound)
				return false
			}
			return true
		}
		here, there := branch{v, math.Ceil(x), math.Inf(1)}, branch{v, math.Inf(-1), math.Floor(x)}
		if x-math.Floor(x) < .5 {
			here, there = there, here
		}
		heap.Push(open, node{own, append(slices.Clone(n.branches), there), v, x})
		n = node{own, append(n.branches, here), v, x}
	}
	return true
}

// node is a part of the plans: the bounds of whole variables that were branched on.
type node struct {
	bound    float64
	branches []branch
	v        int // the last variable that was branched on, and where it stood
	x        float64
}

type branch struct {
	v         int
	low, high float64
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

// mostRows of a relaxation that is worked on: its inverse takes rows² numbers.
const mostRows = 2600

// visit bounds a node, and gives a whole variable to branch on, or -1. What is then
// known of other whole variables is kept with the node.
func (p *prover) visit(n *node, first bool) (own float64, v int, x float64) {
	r := p.r
	type span struct{ low, high float64 }
	kept := map[int]span{}
	for _, b := range n.branches {
		low, high := r.Range(b.v)
		if _, seen := kept[b.v]; !seen {
			kept[b.v] = span{low, high}
		}
		r.Bounds(b.v, max(low, b.low), min(high, b.high))
	}
	own = n.bound
	for rounds := 1; ; rounds++ {
		before := own
		feasible := r.Solve(p.goal(), p.stop)
		if own = min(own, r.Bound()); !feasible {
			own = math.Inf(-1)
		}
		if own <= p.goal() || p.over || !first || len(n.branches) > 0 && rounds > 1 || rounds > 12 || before-own < 1e-6 && rounds > 3 || r.cut() == 0 {
			break
		}
	}
	if n.x != 0 {
		r.learn(n, max(own, p.goal()))
	}
	if v, x = r.fraction(); v < 0 && own > p.goal() && !p.over {
		if s := r.plan(p.m); s.score > p.best.score+hair {
			p.best.copy(s)
		}
	}
	if own > p.goal() {
		for _, j := range r.gates {
			low, high := r.Range(j)
			if cost := r.Cost(j); low < high && math.Abs(cost) > own-p.goal()+1e-7 {
				if cost < 0 {
					n.branches = append(n.branches, branch{j, low, low})
				} else {
					n.branches = append(n.branches, branch{j, high, high})
				}
			}
		}
	}
	for v, s := range kept {
		r.Bounds(v, s.low, s.high)
	}
	return
}

// lesson is how much the bound fell for every unit that a variable was moved down or up.
type lesson [2]struct {
	sum float64
	n   float64
}

func (l *lesson) mean(way int) float64 { return l[way].sum / max(l[way].n, 1) }

func (r *relaxation) learn(n *node, own float64) {
	way, by := 0, n.x-math.Floor(n.x)
	if low, _ := r.Range(n.v); low > n.x {
		way, by = 1, 1-by
	}
	for _, l := range []*lesson{r.lesson(n.v), &r.kinds[r.kind[n.v]]} {
		l[way].sum += max(0, n.bound-own) / by
		l[way].n++
	}
}

func (r *relaxation) lesson(v int) *lesson {
	if r.lessons[v] == nil {
		r.lessons[v] = &lesson{}
	}
	return r.lessons[v]
}

// fraction finds the whole variable to branch on.
func (r *relaxation) fraction() (v int, x float64) {
	if r.lessons == nil {
		r.lessons = map[int]*lesson{}
		r.kind = map[int]int{}
		for _, v := range r.settings {
			r.kind[v] = 0
		}
		for _, v := range r.loads {
			r.kind[v] = 1
		}
		for _, v := range r.turns {
			r.kind[v] = 2
		}
		for _, v := range r.sums {
			r.kind[v] = 3
		}
		for _, v := range r.counts {
			r.kind[v] = 4
		}
		for _, v := range r.lays {
			r.kind[v] = 5
		}
	}
	for _, list := range [][]int{slices.Concat(r.gates, r.sums), r.counts, r.lays} {
		best := -1.
		v = -1
		for _, j := range list {
			at := r.X(j)
			down := at - math.Floor(at)
			if min(down, 1-down) < 1e-6 {
				continue
			}
			gain := 1.
			for way, by := range []float64{down, 1 - down} {
				l := r.lesson(j)
				mean := l.mean(way)
				if k := &r.kinds[r.kind[j]]; l[way].n == 0 {
					if mean = k.mean(way); k[way].n == 0 {
						mean = 1
					}
				}
				gain *= max(mean*by, 1e-6)
			}
			if gain > best {
				best, v, x = gain, j, at
			}
		}
		if v >= 0 {
			return v, x
		}
	}
	return -1, 0
}

// plain is the bound that anybody sees: every promise filled from its best
// source, at the cost of its eggs alone.
func (m *model) plain() float64 {
	sum := m.base.score + m.fixedWorth() // fixed eggs are paid for already
	for o := range m.order {
		q := &m.order[o]
		most := 0.0
		for _, c := range m.cands[o] {
			x := &m.source[c.src]
			if each := x.Yield * slices.Max(x.sp.AgeFactor); each > 0 {
				most = max(most, q.Young*(q.Value-m.p.EggCost/each))
			}
		}
		sum += most
	}
	return sum
}

// fixedWorth is what the young of fixed batches may bring at most.
func (m *model) fixedWorth() (sum float64) {
	for _, p := range m.base.parts {
		best, pull := 0.0, p.t+m.source[p.src].sp.Pull
		for o := range m.order {
			q := &m.order[o]
			if pull >= q.PullFrom && pull <= q.PullTo && slices.Contains(q.sources, p.src) {
				best = max(best, q.Value)
			}
		}
		sum += best * p.young
	}
	return
}
