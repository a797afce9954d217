package solve

import (
	"context"
	"slices"

	"metrogon/core/season"
)

// Raise is a few more eggs in one batch of a plan, which make a promise likelier.
type Raise struct {
	Order  string       `json:"order"`
	Batch  season.Batch `json:"batch"` // as it would be, with the eggs added
	More   int          `json:"more"`  // eggs
	Before float64      `json:"before"`
	After  float64      `json:"after"` // chance of all that is wanted
}

// Steps in which eggs are added, how often each is hatched, and what is worth a word.
var raiseBy = []int{2, 4, 6, 9, 12, 18}

const (
	raiseRuns = 600
	raised    = 0.04 // of chance
	wellDone  = 0.9
)

// RaiseOf finds the fewest eggs more, of those that the plan leaves and in a batch that it has,
// that make a promise well sure, or surer by as much as any others do. Nil if none do, or if
// the plan has no room for them.
func RaiseOf(ctx context.Context, p *season.Problem, plan *Plan, c Chance, order string, seed uint64) *Raise {
	c.Runs = raiseRuns
	chanceOf := func(batches []season.Batch) float64 {
		changed := *plan
		changed.Batches = batches
		all, _ := Simulate(context.WithoutCancel(ctx), p, &changed, c, seed)
		i := slices.IndexFunc(all, func(o Outcome) bool { return o.Order == order })
		return all[i].Chance
	}
	o := p.Orders[slices.IndexFunc(p.Orders, func(o season.Order) bool { return o.ID == order })]
	before := chanceOf(plan.Batches)
	_, broken := p.Judge(append(slices.Clone(plan.Standing), plan.Batches...))
	var best *Raise
	for _, more := range raiseBy {
		for i, b := range plan.Batches {
			if ctx.Err() != nil {
				return best
			}
			wider, ok := wider(p, o, b, plan.Batches, more)
			if !ok {
				continue
			}
			batches := slices.Clone(plan.Batches)
			batches[i] = wider
			if _, now := p.Judge(append(slices.Clone(plan.Standing), batches...)); len(now) > len(broken) {
				continue
			}
			after := chanceOf(batches)
			if after >= before+raised && (best == nil || after > best.After+raised/2) {
				best = &Raise{order, wider, more, before, after}
			}
		}
		if best != nil && best.After >= wellDone {
			break
		}
	}
	return best
}

// wider gives a batch more eggs that nobody takes, the freshest first; false if there are too
// few, or if it does not serve the promise.
func wider(p *season.Problem, o season.Order, b season.Batch, all []season.Batch, more int) (season.Batch, bool) {
	src := p.Sources[slices.IndexFunc(p.Sources, func(s season.Source) bool { return s.ID == b.Source })]
	sp, _ := p.SpeciesOf(src.Species)
	if pull := b.SetDay + sp.Pull; pull < o.PullFrom || pull > o.PullTo || !slices.Contains(o.Sources, b.Source) {
		return b, false
	}
	left := map[int]int{}
	for _, l := range src.Supply {
		left[l.Laid] += int(l.Eggs)
	}
	for _, other := range all {
		if other.Source == b.Source {
			for _, l := range other.Eggs {
				left[l.Laid] -= int(l.Eggs)
			}
		}
	}
	b.Eggs = slices.Clone(b.Eggs)
	for day := b.SetDay; day >= b.SetDay-sp.MaxAge && more > 0; day-- {
		n := min(left[day], more)
		if n <= 0 {
			continue
		}
		more -= n
		if i := slices.IndexFunc(b.Eggs, func(l season.Lay) bool { return l.Laid == day }); i >= 0 {
			b.Eggs[i].Eggs += float64(n)
		} else {
			b.Eggs = append(b.Eggs, season.Lay{Laid: day, Eggs: float64(n)})
		}
	}
	return b, more == 0
}
