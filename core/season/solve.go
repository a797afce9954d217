package season

import (
	"context"
	"fmt"
	"math"
	"slices"
	"sync"
)

// Plan is an answer.
type Plan struct {
	Batches  []Batch  `json:"batches"`
	Standing []Batch  `json:"standing,omitempty"` // what stood already, with what it gives
	Score    float64  `json:"score"`
	Bound    *float64 `json:"bound"` // proven; equal to the score: the plan is best
	Notes    []Note   `json:"notes"`
	Changes  []Change `json:"changes,omitempty"`
	Steps    int      `json:"-"`
}

// Options of a solution.
type Options struct {
	Seed     uint64
	Steps    int            // of the search; 0: until the context ends
	Progress func(Progress) // may be nil
	Accepted []Batch        // a plan that was agreed on: changing it costs
	Change   float64        // for every setting that is dropped or new
}

// Progress is how far the work is.
type Progress struct {
	Steps        int
	Score, Bound float64
}

// unbounded is how many steps are done when neither steps nor a deadline are given.
const unbounded = 20 * round

// patience is how many rounds without a better plan show that the work is better
// spent on the proof.
const patience = 12

// searchers that work side by side; more than two hardly help.
const searchers = 2

// apart is how many rounds of all searchers lie between looks at one another's plans: often
// enough to give up a poor one, seldom enough to stay different.
const apart = 40

// proof lowers a bound that no plan exceeds, and finds plans on the way.
type proof interface {
	See(best *state)
	Turn(quiet int, longer float64) (more bool)
	Bound() float64
	Best() *state
	Prices() [][]float64
	Stop()
}

// unproven leaves the work to the search alone.
type unproven struct{}

func (unproven) See(*state)             {}
func (unproven) Turn(int, float64) bool { return false }
func (unproven) Bound() float64         { return math.Inf(1) }
func (unproven) Best() *state           { return nil }
func (unproven) Prices() [][]float64    { return nil }
func (unproven) Stop()                  {}

// Solve plans until the best is proven, the steps are done or the context ends,
// and always gives a plan that keeps the rules. The same problem, seed and number of
// steps give the same plan and bound. Pins that contradict the rules, or a pinned
// setting that is too small and that nothing can join, are an error.
func Solve(ctx context.Context, p *Problem, o Options) (*Plan, error) {
	if err := p.pins(); err != nil {
		return nil, err
	}
	m := newModel(p)
	plan, best := solve(ctx, m, o)
	if best.lacks() > 0 {
		k := m.small[slices.IndexFunc(m.small, func(k at) bool {
			return float64(best.sets[k.machine][k.day].eggs) < p.MinBatch*(1-tolerance)
		})]
		return nil, fmt.Errorf(
			"fixed: the setting of day %d in %s holds %d eggs, at least %g are needed, and no more can join it",
			k.day, p.Machines[k.machine].ID, m.base.sets[k.machine][k.day].eggs, p.MinBatch,
		)
	}
	return plan, nil
}

func solve(ctx context.Context, m *model, o Options) (*Plan, *state) {
	if o.Accepted != nil {
		accept(m, o.Accepted, o.Change)
	}
	steps := o.Steps
	if _, timed := ctx.Deadline(); steps == 0 && !timed {
		steps = unbounded
	}
	team := make([]*searcher, searchers)
	for i := range team {
		team[i] = newSearcher(m, o.Seed*searchers+uint64(i))
		if o.Accepted != nil {
			team[i].now.copy(restore(m, o.Accepted))
			team[i].best.copy(team[i].now)
		}
		team[i].start() // however little time there is: then there is a plan
		team[i].ctx = ctx
	}
	lead := team[0]
	for _, s := range team {
		if s.best.better(lead.best) {
			lead = s
		}
	}
	var proof proof = unproven{}
	if o.Accepted == nil {
		proof = newProver(ctx, m)
	}
	defer proof.Stop()
	done, quiet := 0, 0
	proving := true
	open := func() bool { return proof.Bound()-lead.best.score > 1e-6 || lead.best.lacks() > 0 }
	for ctx.Err() == nil && open() && (steps == 0 || done < steps) {
		var work sync.WaitGroup
		for _, s := range team {
			s.prices = proof.Prices()
		}
		if proving {
			longer := 1.0
			if quiet > patience { // the search finds no more
				longer = 8
			}
			proof.See(lead.best)
			work.Go(func() { proving = proof.Turn(quiet, longer) })
		}
		for _, s := range team {
			work.Go(func() {
				for i := 0; i < round && ctx.Err() == nil; i++ {
					s.step()
				}
			})
		}
		work.Wait()
		done += round * searchers
		quiet++
		for _, s := range team {
			if s.best.better(lead.best) {
				lead, quiet = s, 0
			}
		}
		if found := proof.Best(); found != nil && found.better(lead.best) {
			lead.best.copy(found)
			lead.now.copy(found)
		}
		for _, s := range team { // who is behind for long begins anew from the best
			if s != lead && lead.best.better(s.best) && (done/round)%apart == 0 {
				s.now.copy(lead.best)
				s.best.copy(lead.best)
			}
		}
		if o.Progress != nil {
			o.Progress(Progress{done, lead.best.score, proof.Bound()})
		}
	}
	plan := &Plan{Notes: []Note{}, Steps: done}
	plan.Batches, plan.Standing = lead.best.batches()
	plan.Score, _ = m.p.Judge(append(slices.Clone(plan.Standing), plan.Batches...))
	if plan.Batches == nil {
		plan.Batches = []Batch{}
	}
	if b := proof.Bound(); o.Accepted == nil {
		b = max(b, plan.Score)
		if b-plan.Score <= 1e-6 {
			b = plan.Score
		}
		plan.Bound = &b
	}
	return plan, lead.best
}

// accept makes settings that differ from a plan cost more.
func accept(m *model, batches []Batch, change float64) {
	m.changed, m.change = map[at]bool{}, change
	for _, b := range batches {
		m.changed[at{m.machineNo(b.Setter), b.SetDay}] = true
	}
	m.stand()
}

// restore puts the batches of a plan back as far as they still fit: those for which
// eggs, machines or days are lacking are made smaller or left out.
func restore(m *model, batches []Batch) *state {
	s := newSearcher(m, 1)
	s.trial.copy(m.base)
	for _, b := range batches {
		p := part{src: m.sourceNo(b.Source), t: b.SetDay, a: m.machineNo(b.Setter), h: m.machineNo(b.Hatcher)}
		if p.src < 0 || p.a < 0 || p.h < 0 || slices.ContainsFunc(m.p.Fixed, func(f Batch) bool { return samePlace(f, b) }) {
			continue
		}
		c, ok := m.cand(p.src, p.t)
		if !ok || !slices.Contains(c.setters, p.a) || !slices.Contains(c.hatches, p.h) || m.banned(p.src, p.t, p.a, p.h) {
			continue
		}
		x := &m.source[p.src]
		most := min(s.trial.setterRoom(p.src, p.t, p.a), s.trial.hatcherRoom(p.src, p.t, p.h))
		free := s.trial.broodRoom(p.src, p.t) / max(x.sp.BroodPlaces, 1e-12)
		for _, l := range b.Eggs {
			i, age := l.Laid-x.first, p.t-l.Laid
			if i < 0 || i >= len(x.supply) || age < 0 || age > x.sp.MaxAge {
				continue
			}
			each := x.Yield * x.sp.AgeFactor[age]
			n := min(int(l.Eggs), s.trial.left[p.src][i], int(most)-p.eggs)
			if each > 0 {
				n = min(n, int((free-p.young)/each))
			}
			if n > 0 {
				p.lays = append(p.lays, take{i, n})
				p.eggs += n
				p.young += float64(n) * each
			}
		}
		if p.eggs > 0 {
			s.trial.put(p)
		}
	}
	s.trial.dropSmall()
	s.trial.spread()
	return s.trial
}
