package solve_test

import (
	"cmp"
	"fmt"
	"maps"
	"math"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/season"
	"metrogon/core/season/solve"
)

// Every plan of a season of a few eggs is tried and judged: what is called proven is
// the best of them, and no bound is below it.
func TestEveryPlanOfATinySeason(t *testing.T) {
	dice := rand.New(rand.NewPCG(5, 6))
	proven, plans := 0, 0
	for i := range 120 {
		p := tinyProblem(dice)
		plan := solved(t, p, time.Minute, solve.Options{Seed: uint64(i), Steps: 4000})
		score := kept(t, p, plan.Batches, "season %d", i)
		best := everyPlan(p, &plans)
		require.GreaterOrEqual(t, *plan.Bound, best-1e-6, "season %d: a bound below a plan", i)
		if *plan.Bound == plan.Score {
			proven++
			require.GreaterOrEqual(t, score, best-1e-6, "season %d", i)
			for _, b := range plan.Batches { // pinned, it changes nothing
				b.Orders = nil
				pinned := *p
				pinned.Fixed = []season.Batch{b}
				again := solved(t, &pinned, time.Minute, solve.Options{Seed: uint64(i), Steps: 4000})
				kept(t, &pinned, again.Batches, "season %d with a pin", i)
				require.InDelta(t, score, again.Score, 1e-6, "season %d with a pin", i)
				require.GreaterOrEqual(t, *again.Bound, score-1e-6, "season %d with a pin", i)
			}
		}
	}
	t.Logf("%d of 120 proven, %d plans tried", proven, plans)
	assert.Greater(t, proven, 115)
}

// tinyProblem has few eggs, kinds of eggs that take different room, and machines in
// which two or three of them fit.
func tinyProblem(dice *rand.Rand) *season.Problem {
	n := func(least, most int) int { return least + dice.IntN(most-least+1) }
	p := &season.Problem{
		Days: 7, MinBatch: float64(n(0, 3)), EggCost: .3 * dice.Float64(), SettingCost: dice.Float64(),
		BrooderPlaces: .5 + 4*dice.Float64(),
	}
	eggs := 5
	for i := range 2 {
		kind := fmt.Sprint("kind-", i)
		p.Species = append(p.Species, season.Species{
			ID: kind, Lockdown: n(1, 2), Pull: n(3, 4), MaxAge: 2,
			AgeFactor: []float64{1, 1 - .2*dice.Float64(), .7 - .2*dice.Float64()}, BroodPlaces: float64(n(0, 2)) / 2,
			BroodDays: n(1, 3),
		})
		s := season.Source{
			ID: fmt.Sprint("pen-", i), Species: kind, Yield: .4 + .6*dice.Float64(), Kept: .6 + .4*dice.Float64(),
		}
		for laid := n(-1, 1); laid <= 2 && eggs > 0; laid++ {
			k := min(n(0, 2), eggs)
			eggs -= k
			s.Supply = append(s.Supply, season.Lay{Laid: laid, Eggs: float64(k)})
		}
		p.Sources = append(p.Sources, s)
	}
	room := func() map[string]float64 {
		return map[string]float64{"kind-0": 1 + 2*dice.Float64(), "kind-1": 1 + 2*dice.Float64()}
	}
	p.Machines = []season.Machine{{ID: "box", Set: room(), Hatch: room(), CleanDays: n(0, 1)}}
	if dice.IntN(2) == 0 {
		p.Machines = append(p.Machines, season.Machine{ID: "cabinet", Set: room()})
	}
	for i := range n(1, 3) {
		from := n(3, 5)
		p.Orders = append(p.Orders, season.Order{
			ID: fmt.Sprint("order-", i), Sources: []string{"pen-0", "pen-1"}[dice.IntN(2):],
			Young: .5 + 3*dice.Float64(), PullFrom: from, PullTo: from + n(0, 2), Value: 1 + 4*dice.Float64(),
		})
	}
	return p
}

// everyPlan gives each egg every way, or none, and hands the young to the dearest
// promises first.
func everyPlan(p *season.Problem, plans *int) (best float64) {
	type egg struct{ src, laid int }
	type way struct{ src, t, a, h int }
	var eggs []egg
	for s, x := range p.Sources {
		for _, l := range x.Supply {
			for range int(l.Eggs) {
				eggs = append(eggs, egg{s, l.Laid})
			}
		}
	}
	chosen := map[way]map[int]int{} // eggs by lay day
	var number func(i int, last way)
	number = func(i int, last way) {
		if i == len(eggs) {
			*plans++
			var plan []season.Batch
			for _, w := range slices.SortedFunc(maps.Keys(chosen), func(a, b way) int {
				return cmp.Or(a.src-b.src, a.t-b.t, a.a-b.a)
			}) {
				b := season.Batch{
					Source: p.Sources[w.src].ID, SetDay: w.t, Setter: p.Machines[w.a].ID, Hatcher: p.Machines[w.h].ID,
				}
				for d, n := range chosen[w] {
					b.Eggs = append(b.Eggs, season.Lay{Laid: d, Eggs: float64(n)})
				}
				if len(b.Eggs) > 0 {
					plan = append(plan, b)
				}
			}
			if score, broken := p.Judge(dearestFirst(p, plan)); len(broken) == 0 {
				best = max(best, score)
			}
			return
		}
		e := eggs[i]
		number(i+1, way{src: -1})
		for t := max(0, e.laid); t <= e.laid+2 && t < 4; t++ {
			for a := range p.Machines {
				w := way{e.src, t, a, 0}
				if i > 0 && eggs[i-1] == e && (last.src < 0 || w.t < last.t || w.t == last.t && w.a < last.a) {
					continue // eggs of a day are alike
				}
				if chosen[w] == nil {
					chosen[w] = map[int]int{}
				}
				chosen[w][e.laid]++
				number(i+1, w)
				if chosen[w][e.laid]--; chosen[w][e.laid] == 0 {
					delete(chosen[w], e.laid)
				}
			}
		}
	}
	number(0, way{src: -1})
	return best
}

func dearestFirst(p *season.Problem, plan []season.Batch) []season.Batch {
	got := make([]float64, len(p.Orders))
	for i := range plan {
		b := &plan[i]
		young, pull := 0., 0
		for s, x := range p.Sources {
			if x.ID == b.Source {
				pull = b.SetDay + p.Species[s].Pull
				for _, l := range b.Eggs {
					young += l.Eggs * x.Yield * p.Species[s].AgeFactor[b.SetDay-l.Laid]
				}
			}
		}
		for young > 0 {
			o := -1
			for k, q := range p.Orders {
				if pull >= q.PullFrom && pull <= q.PullTo && got[k] < q.Young &&
					(b.Source == "pen-1" || q.Sources[0] == "pen-0") && (o < 0 || q.Value > p.Orders[o].Value) {
					o = k
				}
			}
			if o < 0 {
				break
			}
			y := math.Min(young, p.Orders[o].Young-got[o])
			b.Orders = append(b.Orders, season.Give{Order: p.Orders[o].ID, Young: y})
			got[o], young = got[o]+y, young-y
		}
	}
	return plan
}
