package solve

import (
	"context"
	"math"
	"math/rand/v2"
	"slices"

	"metrogon/core/season"
	"metrogon/core/season/draft"

	"gonum.org/v1/gonum/stat/distuv"
)

// Chance says what is uncertain.
type Chance struct {
	Runs       int                  `json:"runs"`
	YieldSD    float64              `json:"yield_sd,omitempty"`   // of a source's yield, as a share of it
	Posteriors map[string]Posterior `json:"posteriors,omitempty"` // of a source's yield, in its place
	// standard deviation of a day's eggs that are not laid yet, as a share
	LayingSpread float64 `json:"laying_spread,omitempty"`
	// correlation between the eggs that are set together (rates.Spread), 0 to 1
	Rho float64 `json:"rho,omitempty"`
	// what orders need for their promise to be kept, where that is not all that they ask for
	Needs map[string]Need `json:"needs,omitempty"`
}

// Need is so many young, or so many of which only females count: each is one by an even chance.
type Need struct {
	Count   float64 `json:"count"`
	Females bool    `json:"females,omitempty"`
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

// Simulate hatches a plan's batches many times over: a source's yield is the same for all
// its batches in one season, what is set together has a good or a bad batch together, each
// day's laying varies, every egg hatches or not. What a batch has beyond its promises goes
// to those that are short. The most fragile is the promise that the plan fills and that
// chance leaves unfilled most. When the context ends, the hundred runs or more that were
// done count.
func Simulate(
	ctx context.Context, p *season.Problem, plan *Plan, c Chance, seed uint64,
) (all []Outcome, fragile string) {
	s := newSimulation(p, plan, c, seed)
	runs := 0
	for ; runs < c.Runs; runs++ {
		if runs >= leastRuns && runs%20 == 0 && ctx.Err() != nil {
			break
		}
		s.run()
	}
	worst := math.Inf(1)
	for o := range s.m.Order {
		out, full := s.outcome(o, runs)
		all = append(all, out)
		if full && out.Chance < worst {
			worst, fragile = out.Chance, out.Order
		}
	}
	return all, fragile
}

// simulation hatches the batches of a plan by chance.
type simulation struct {
	m       *draft.Model
	c       Chance
	dice    *rand.Rand
	batches []season.Batch
	no      map[string]int // of promises
	planned []float64      // by promise
	young   [][]float64    // by promise and run
	yield   []float64      // of each source, this time
	luck    map[moment]float64
}

// moment is when and where eggs are set together.
type moment struct {
	machine string
	day     int
}

func newSimulation(p *season.Problem, plan *Plan, c Chance, seed uint64) *simulation {
	m := draft.NewModel(p)
	s := &simulation{
		m: m, c: c, dice: rand.New(rand.NewPCG(seed, 0xc4a)), no: map[string]int{},
		batches: append(slices.Clone(plan.Standing), plan.Batches...),
		planned: make([]float64, len(m.Order)), young: make([][]float64, len(m.Order)),
		yield: make([]float64, len(m.Source)),
	}
	for i := range m.Order {
		s.no[m.Order[i].ID] = i
	}
	for _, b := range s.batches {
		for _, g := range b.Orders {
			s.planned[s.no[g.Order]] += g.Young
		}
	}
	return s
}

// run hatches every batch once.
func (s *simulation) run() {
	for i := range s.m.Source {
		src := &s.m.Source[i]
		if post, ok := s.c.Posteriors[src.ID]; ok {
			s.yield[i] = distuv.Beta{Alpha: post.A, Beta: post.B, Src: s.dice}.Rand()
		} else {
			s.yield[i] = min(max(src.Yield*(1+s.c.YieldSD*s.dice.NormFloat64()), 0), max(1, src.Yield))
		}
	}
	s.luck = map[moment]float64{}
	got, spare := make([]float64, len(s.m.Order)), make([]float64, len(s.batches))
	for k, b := range s.batches {
		hatched, wants := s.hatch(b), 0.0
		for _, g := range b.Orders {
			wants += g.Young
		}
		for _, g := range b.Orders {
			got[s.no[g.Order]] += min(g.Young, hatched*g.Young/wants)
		}
		spare[k] = max(0, hatched-wants)
	}
	for k, b := range s.batches {
		s.handOut(b, spare[k], got)
	}
	for o, young := range got {
		if s.c.Needs[s.m.Order[o].ID].Females && young >= 0.5 {
			young = distuv.Binomial{N: math.Round(young), P: .5, Src: s.dice}.Rand()
		}
		s.young[o] = append(s.young[o], young)
	}
}

// hatch gives how many young a batch brings this time.
func (s *simulation) hatch(b season.Batch) (hatched float64) {
	no := s.m.SourceNo(b.Source)
	x := &s.m.Source[no]
	if b.SetDay < 0 {
		return *b.Young * s.inBatch(b, s.yield[no]) / max(x.Yield, 1e-9)
	}
	yield := s.inBatch(b, s.yield[no])
	for _, l := range b.Eggs {
		eggs := l.Eggs
		if l.Laid > 0 && s.c.LayingSpread > 0 {
			eggs = max(0, math.Round(eggs*(1+s.c.LayingSpread*s.dice.NormFloat64())))
		}
		chance := yield * x.Sp.AgeFactor[b.SetDay-l.Laid]
		for range int(eggs) {
			if s.dice.Float64() < chance {
				hatched++
			}
		}
	}
	return hatched
}

// inBatch is a source's yield as it is in this batch: all that is set together in a machine
// has the same luck.
func (s *simulation) inBatch(b season.Batch, yield float64) float64 {
	if s.c.Rho <= 0 || yield <= 0 || yield >= 1 {
		return yield
	}
	at := moment{b.Setter, b.SetDay}
	u, known := s.luck[at]
	if !known {
		u = s.dice.Float64()
		s.luck[at] = u
	}
	size := (1 - s.c.Rho) / s.c.Rho
	return distuv.Beta{Alpha: yield * size, Beta: (1 - yield) * size}.Quantile(u)
}

// handOut gives what a batch has beyond its promises to those that are short.
func (s *simulation) handOut(b season.Batch, spare float64, got []float64) {
	pull := b.SetDay + s.m.Source[s.m.SourceNo(b.Source)].Sp.Pull
	for o := range s.m.Order {
		q := &s.m.Order[o]
		lacks := q.Young - got[o]
		if spare > 0 && lacks > 0 && pull >= q.PullFrom && pull <= q.PullTo && slices.Contains(q.Sources, b.Source) {
			given := min(lacks, spare)
			got[o] += given
			spare -= given
		}
	}
}

// outcome sums a promise up; full tells that the plan fills it.
func (s *simulation) outcome(o, runs int) (out Outcome, full bool) {
	q := &s.m.Order[o]
	young := s.young[o]
	slices.Sort(young)
	out = Outcome{Order: q.ID, Wanted: q.Young, Planned: s.planned[o]}
	if need, ok := s.c.Needs[q.ID]; ok {
		out.Wanted = need.Count
		if need.Females {
			out.Planned /= 2
		}
	}
	for _, y := range young {
		if y >= out.Wanted-shortBy {
			out.Chance += 1 / float64(runs)
		}
	}
	if runs > 0 {
		at := func(share float64) float64 { return young[min(int(share*float64(runs)), runs-1)] }
		out.P10, out.P50, out.P90 = at(.1), at(.5), at(.9)
	}
	return out, out.Planned >= out.Wanted-shortBy
}
