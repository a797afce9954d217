// Package solve finds plans of a season: a search that takes parts of a plan out and fills them in anew, beside the
// proof of package bound; what would have to change for what could not be met; and how sure a plan is.
package solve

import (
	"context"
	"fmt"
	"math"
	"slices"
	"sync"

	"metrogon/core/season"
	"metrogon/core/season/bound"
	"metrogon/core/season/draft"
)

// Plan is an answer.
type Plan struct {
	Batches  []season.Batch  `json:"batches"`
	Standing []season.Batch  `json:"standing,omitempty"` // what stood already, with what it gives
	Score    float64         `json:"score"`
	Bound    *float64        `json:"bound"` // proven; equal to the score: the plan is best
	Notes    []Note          `json:"notes"`
	Changes  []season.Change `json:"changes,omitempty"`
	Steps    int             `json:"-"`
}

// Options of a solution.
type Options struct {
	Seed     uint64
	Steps    int            // of the search; 0: until the context ends
	Progress func(Progress) // may be nil
	Accepted []season.Batch // a plan that was agreed on: changing it costs
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
	See(best *draft.State)
	Turn(quiet int, longer float64) (more bool)
	Bound() float64
	Best() *draft.State
	Prices() [][]float64
	Stop()
}

// unproven leaves the work to the search alone.
type unproven struct{}

func (unproven) See(*draft.State)       {}
func (unproven) Turn(int, float64) bool { return false }
func (unproven) Bound() float64         { return math.Inf(1) }
func (unproven) Best() *draft.State     { return nil }
func (unproven) Prices() [][]float64    { return nil }
func (unproven) Stop()                  {}

// Solve plans until the best is proven, the steps are done or the context ends,
// and always gives a plan that keeps the rules. The same problem, seed and number of
// steps give the same plan and bound. Pins that contradict the rules, or a pinned
// setting that is too small and that nothing can join, are an error.
func Solve(ctx context.Context, p *season.Problem, o Options) (*Plan, error) {
	if err := p.Pins(); err != nil {
		return nil, err
	}
	m := draft.NewModel(p)
	plan, best := solve(ctx, m, o)
	if best.Lacks() > 0 {
		k := m.Small[slices.IndexFunc(m.Small, func(k draft.At) bool {
			return float64(best.Sets[k.Machine][k.Day].Eggs) < p.MinBatch*(1-season.Tolerance)
		})]
		return nil, fmt.Errorf(
			"fixed: the setting of day %d in %s holds %d eggs, at least %g are needed, and no more can join it",
			k.Day, p.Machines[k.Machine].ID, m.Base.Sets[k.Machine][k.Day].Eggs, p.MinBatch,
		)
	}
	return plan, nil
}

func solve(ctx context.Context, m *draft.Model, o Options) (*Plan, *draft.State) {
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
			team[i].now.Copy(restore(m, o.Accepted))
			team[i].best.Copy(team[i].now)
		}
		team[i].start() // however little time there is: then there is a plan
		team[i].ctx = ctx
	}
	lead := team[0]
	for _, s := range team {
		if s.best.Better(lead.best) {
			lead = s
		}
	}
	var proof proof = unproven{}
	if o.Accepted == nil {
		proof = bound.New(ctx, m)
	}
	defer proof.Stop()
	done, quiet := 0, 0
	proving := true
	open := func() bool { return proof.Bound()-lead.best.Score > 1e-6 || lead.best.Lacks() > 0 }
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
			if s.best.Better(lead.best) {
				lead, quiet = s, 0
			}
		}
		if found := proof.Best(); found != nil && found.Better(lead.best) {
			lead.best.Copy(found)
			lead.now.Copy(found)
		}
		for _, s := range team { // who is behind for long begins anew from the best
			if s != lead && lead.best.Better(s.best) && (done/round)%apart == 0 {
				s.now.Copy(lead.best)
				s.best.Copy(lead.best)
			}
		}
		if o.Progress != nil {
			o.Progress(Progress{done, lead.best.Score, proof.Bound()})
		}
	}
	plan := &Plan{Notes: []Note{}, Steps: done}
	plan.Batches, plan.Standing = lead.best.Batches()
	plan.Score, _ = m.P.Judge(append(slices.Clone(plan.Standing), plan.Batches...))
	if plan.Batches == nil {
		plan.Batches = []season.Batch{}
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
func accept(m *draft.Model, batches []season.Batch, change float64) {
	m.Changed, m.Change = map[draft.At]bool{}, change
	for _, b := range batches {
		m.Changed[draft.At{Machine: m.MachineNo(b.Setter), Day: b.SetDay}] = true
	}
	m.Stand()
}

// restore puts the batches of a plan back as far as they still fit: those for which
// eggs, machines or days are lacking are made smaller or left out.
func restore(m *draft.Model, batches []season.Batch) *draft.State {
	s := newSearcher(m, 1)
	s.trial.Copy(m.Base)
	for _, b := range batches {
		p := draft.Part{Src: m.SourceNo(b.Source), T: b.SetDay, A: m.MachineNo(b.Setter), H: m.MachineNo(b.Hatcher)}
		fixed := slices.ContainsFunc(m.P.Fixed, func(f season.Batch) bool { return season.SamePlace(f, b) })
		if p.Src < 0 || p.A < 0 || p.H < 0 || fixed {
			continue
		}
		c, ok := m.Cand(p.Src, p.T)
		if !ok || !slices.Contains(c.Setters, p.A) || !slices.Contains(c.Hatches, p.H) || m.Banned(p.Src, p.T, p.A, p.H) {
			continue
		}
		x := &m.Source[p.Src]
		most := min(s.trial.SetterRoom(p.Src, p.T, p.A), s.trial.HatcherRoom(p.Src, p.T, p.H))
		free := s.trial.BroodRoom(p.Src, p.T) / max(x.Sp.BroodPlaces, 1e-12)
		for _, l := range b.Eggs {
			i, age := l.Laid-x.First, p.T-l.Laid
			if i < 0 || i >= len(x.Laid) || age < 0 || age > x.Sp.MaxAge {
				continue
			}
			each := x.Yield * x.Sp.AgeFactor[age]
			n := min(int(l.Eggs), s.trial.Left[p.Src][i], int(most)-p.Eggs)
			if each > 0 {
				n = min(n, int((free-p.Young)/each))
			}
			if n > 0 {
				p.Lays = append(p.Lays, draft.Take{Laid: i, Eggs: n})
				p.Eggs += n
				p.Young += float64(n) * each
			}
		}
		if p.Eggs > 0 {
			s.trial.Put(p)
		}
	}
	s.trial.DropSmall()
	s.trial.Spread()
	return s.trial
}
