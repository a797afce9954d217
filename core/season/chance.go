package season

import (
	"context"
	"math"
	"math/rand/v2"
	"slices"

	"gonum.org/v1/gonum/stat/distuv"
)

// Chance says what is uncertain.
type Chance struct {
	Runs       int                  `json:"runs"`
	YieldSD    float64              `json:"yield_sd,omitempty"`   // of a source's yield, as a share of it
	Posteriors map[string]Posterior `json:"posteriors,omitempty"` // of a source's yield, in its place
	// standard deviation of a day's eggs that are not laid yet, as a share
	LayingSpread float64 `json:"laying_spread,omitempty"`
}

// Posterior is a beta distribution of young per egg set.
type Posterior struct {
	A float64 `json:"a"`
	B float64 `json:"b"`
}

// Outcome is what chance does to a promise.
type Outcome struct {
	Order   string  `json:"order"`
	Wanted  float64 `json:"wanted"`
	Planned float64 `json:"planned"`
	Chance  float64 `json:"chance"` // of all that is wanted
	P10     float64 `json:"p10"`    // young
	P50     float64 `json:"p50"`
	P90     float64 `json:"p90"`
}

// leastRuns are done in any case: fewer tell nothing of one in ten.
const leastRuns = 100

// Simulate hatches a plan's batches many times over: a source's yield is the same
// for all its batches in one season, each day's laying varies, every egg hatches or
// not. What a batch has beyond its promises goes to those that are short. The most
// fragile is the promise that the plan fills and that chance leaves unfilled most.
// When the context ends, the hundred runs or more that were done count.
func Simulate(ctx context.Context, p *Problem, plan *Plan, c Chance, seed uint64) (all []Outcome, fragile string) {
	m := newModel(p)
	dice := rand.New(rand.NewPCG(seed, 0xc4a))
	batches := append(slices.Clone(plan.Standing), plan.Batches...)
	young := make([][]float64, len(m.order)) // by promise and run
	planned := make([]float64, len(m.order))
	for i := range young {
		young[i] = make([]float64, c.Runs)
	}
	no := map[string]int{}
	for i := range m.order {
		no[m.order[i].ID] = i
	}
	for _, b := range batches {
		for _, g := range b.Orders {
			planned[no[g.Order]] += g.Young
		}
	}
	yield := make([]float64, len(m.source))
	for run := range c.Runs {
		if run >= leastRuns && run%20 == 0 && ctx.Err() != nil {
			for o := range young {
				young[o] = young[o][:run]
			}
			c.Runs = run
			break
		}
		for i := range m.source {
			s := &m.source[i]
			if post, ok := c.Posteriors[s.ID]; ok {
				yield[i] = distuv.Beta{Alpha: post.A, Beta: post.B, Src: dice}.Rand()
			} else {
				yield[i] = min(max(s.Yield*(1+c.YieldSD*dice.NormFloat64()), 0), max(1, s.Yield))
			}
		}
		spare := make([]float64, len(batches))
		for k, b := range batches {
			x := &m.source[m.sourceNo(b.Source)]
			each := yield[m.sourceNo(b.Source)]
			hatched := 0.0
			if b.SetDay < 0 {
				hatched = *b.Young * each / max(x.Yield, 1e-9)
			}
			for _, l := range b.Eggs {
				if b.SetDay < 0 {
					break
				}
				eggs := l.Eggs
				if l.Laid > 0 && c.LayingSpread > 0 {
					eggs = max(0, math.Round(eggs*(1+c.LayingSpread*dice.NormFloat64())))
				}
				chance := each * x.sp.AgeFactor[b.SetDay-l.Laid]
				for range int(eggs) {
					if dice.Float64() < chance {
						hatched++
					}
				}
			}
			wants := 0.0
			for _, g := range b.Orders {
				wants += g.Young
			}
			for _, g := range b.Orders {
				young[no[g.Order]][run] += min(g.Young, hatched*g.Young/wants)
			}
			spare[k] = max(0, hatched-wants)
		}
		for k, b := range batches {
			x := &m.source[m.sourceNo(b.Source)]
			pull := b.SetDay + x.sp.Pull
			for o := range m.order {
				q := &m.order[o]
				if lacks := q.Young - young[o][run]; spare[k] > 0 && lacks > 0 && pull >= q.PullFrom &&
					pull <= q.PullTo && slices.Contains(q.Sources, b.Source) {
					y := min(lacks, spare[k])
					young[o][run] += y
					spare[k] -= y
				}
			}
		}
	}
	worst := math.Inf(1)
	for o := range m.order {
		q := &m.order[o]
		slices.Sort(young[o])
		out := Outcome{Order: q.ID, Wanted: q.Young, Planned: planned[o]}
		for _, y := range young[o] {
			if y >= q.Young-shortBy {
				out.Chance += 1 / float64(c.Runs)
			}
		}
		at := func(share float64) float64 { return young[o][min(int(share*float64(c.Runs)), c.Runs-1)] }
		out.P10, out.P50, out.P90 = at(.1), at(.5), at(.9)
		all = append(all, out)
		if planned[o] >= q.Young-shortBy && out.Chance < worst {
			worst, fragile = out.Chance, q.ID
		}
	}
	return all, fragile
}
