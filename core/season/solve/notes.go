package solve

import (
	"context"
	"fmt"
	"maps"
	"math"
	"slices"
	"sync"

	"metrogon/core/season"
	"metrogon/core/season/draft"
)

// Note is a promise that falls short, with the limit that binds.
type Note struct {
	Order string  `json:"order"`
	Short float64 `json:"short"` // young
	Limit string  `json:"limit"` // eggs, setter, hatcher, brooder, days away, window, cost, others
	Why   string  `json:"why"`
	Cure  string  `json:"cure,omitempty"` // the single change that helps most, tried out
	Gains float64 `json:"gains,omitempty"`
}

// shortBy is how many young may lack before it is worth a word.
const shortBy = 0.5

// Explain notes for every promise that falls short which limit binds, and the
// single change that helps it most. Each is tried: the problem is changed, the plan
// improved for so many steps, and what the promise then gets is compared.
func Explain(ctx context.Context, p *season.Problem, plan *Plan, seed uint64) []Note {
	got := map[string]float64{}
	for _, b := range append(slices.Clone(plan.Batches), plan.Standing...) {
		for _, g := range b.Orders {
			got[g.Order] += g.Young
		}
	}
	notes := []Note{}
	for i := range p.Orders {
		if o := &p.Orders[i]; o.Young-got[o.ID] > shortBy {
			notes = append(notes, Note{Order: o.ID, Short: math.Round(10*(o.Young-got[o.ID])) / 10})
		}
	}
	m := draft.NewModel(p)
	turns := make(chan int, len(notes))
	for i := range notes {
		turns <- i
	}
	close(turns)
	var work sync.WaitGroup
	for range searchers {
		work.Go(func() {
			for i := range turns {
				notes[i].find(ctx, m, plan, got[notes[i].Order], seed)
			}
		})
	}
	work.Wait()
	return notes
}

// cure is a change that may help.
type cure struct {
	limit, why, says string
	p                *season.Problem
}

const cureSteps = 120

func (n *Note) find(ctx context.Context, m *draft.Model, plan *Plan, got float64, seed uint64) {
	p := m.P
	o := p.Orders[slices.IndexFunc(p.Orders, func(o season.Order) bool { return o.ID == n.Order })]
	n.Limit, n.Why = "others", "Other promises that are worth more take what it needs."
	if limit, why := never(m, o); limit != "" {
		n.Limit, n.Why = limit, why
	}
	for _, c := range curesFor(p, o, n.Short) {
		if ctx.Err() != nil {
			return
		}
		if gains := c.try(ctx, plan, o.ID, got, seed); gains > n.Gains+.3 {
			n.Gains = math.Round(10*gains) / 10
			n.Limit, n.Why = c.limit, c.why
			n.Cure = fmt.Sprintf("%s would bring %.1f more of its young.", c.says, gains)
		}
	}
}

// try gives how many more young the promise gets in the changed problem.
func (c cure) try(ctx context.Context, plan *Plan, order string, got float64, seed uint64) float64 {
	m := draft.NewModel(c.p)
	s := newSearcher(m, seed)
	s.ctx = ctx
	s.now.Copy(restore(m, plan.Batches))
	s.best.Copy(s.now)
	no := slices.IndexFunc(m.Order, func(q draft.Promise) bool { return q.ID == order })
	s.trial.Copy(s.now)
	for s.queue = append(s.queue[:0], no); s.fill(no); {
	}
	s.keep()
	for i := range cureSteps {
		if i%8 == 0 && s.over() {
			break
		}
		s.step()
	}
	return s.best.Got[no] - got
}

// never tells why a promise cannot be served at all, whatever else is dropped.
func never(m *draft.Model, o season.Order) (limit, why string) {
	p := m.P
	no := slices.IndexFunc(m.Order, func(q draft.Promise) bool { return q.ID == o.ID })
	if len(m.Cands[no]) > 0 {
		return "", ""
	}
	if len(o.Sources) == 0 {
		return "eggs", "It names no pen."
	}
	if o.Value <= 0 {
		return "cost", "It is worth nothing, so that no egg is set for it."
	}
	x := &m.Source[m.Order[no].From[0]]
	switch first, last := o.PullFrom-x.Sp.Pull, o.PullTo-x.Sp.Pull; {
	case o.PullTo < o.PullFrom:
		return "window", "Its window ends before it begins."
	case last < 0:
		return "window", fmt.Sprintf("Its eggs would have had to be set by %s, before the plan begins.", p.Words.OnDay(last))
	case o.PullFrom >= p.Days:
		return "window", fmt.Sprintf("Its window begins on %s, after the plan ends.", p.Words.OnDay(o.PullFrom))
	default:
		fits := func(room func(draft.Box) float64) bool {
			return slices.ContainsFunc(m.Machine, func(b draft.Box) bool { return room(b) > 0 })
		}
		if !fits(func(b draft.Box) float64 { return b.Egg[x.SpNo] }) {
			return "setter", fmt.Sprintf("No machine sets %s.", p.Words.Called(x.Species))
		}
		if !fits(func(b draft.Box) float64 { return b.Locked[x.SpNo] }) {
			return "hatcher", fmt.Sprintf("No machine hatches %s.", p.Words.Called(x.Species))
		}
		for t := max(first, 0); t <= min(last, p.Days-1); t++ {
			if !m.Barred[0][t] && t+x.Sp.Pull < p.Days && !m.Barred[1][t+x.Sp.Lockdown] && !m.Barred[2][t+x.Sp.Pull] {
				return "eggs", fmt.Sprintf(
					"No eggs of %s are young enough on the days on which they would have to be set, %s, or "+
						"every machine is closed then.",
					p.Words.AllCalled(o.Sources), p.Words.OnDays(max(first, 0), last),
				)
			}
		}
		return "days away", fmt.Sprintf(
			"Every day on which its eggs could be set, locked down and pulled is a day away (setting on %s).",
			p.Words.OnDays(max(first, 0), last),
		)
	}
}

// cures are the changes to be tried for a promise, one limit each.
type cures struct {
	*season.Problem
	o     season.Order
	short float64
	kinds map[string]bool // of its sources
	all   []cure
}

func (c *cures) add(limit, why, says string, change func(q *season.Problem)) {
	q := *c.Problem
	change(&q)
	c.all = append(c.all, cure{limit, why, says, &q})
}

// cures lists them.
func curesFor(p *season.Problem, o season.Order, short float64) []cure {
	c := &cures{Problem: p, o: o, short: short, kinds: map[string]bool{}}
	for _, id := range o.Sources {
		c.moreEggs(id)
	}
	for i := range p.Machines {
		c.morePlaces(i)
	}
	if len(p.Machines) > 0 {
		c.add("hatcher", hatchersFull, "One more machine to hatch in", func(q *season.Problem) {
			spare := season.Machine{ID: "one more", Set: map[string]float64{}, Hatch: map[string]float64{}}
			for k := range c.kinds {
				spare.Hatch[k] = math.Ceil(3 * short)
			}
			q.Machines = append(slices.Clone(p.Machines), spare)
		})
	}
	c.add(
		"brooder", "The brooder is full when its young would come.",
		fmt.Sprintf("%v more brooder places", math.Ceil(2*short)),
		func(q *season.Problem) { q.BrooderPlaces += math.Ceil(2 * short) },
	)
	touch := touching(p, o)
	for _, i := range touch {
		days := p.Words.OnDay(p.Away[i].From)
		if p.Away[i].To > p.Away[i].From {
			days = p.Words.OnDays(p.Away[i].From, p.Away[i].To)
		}
		c.add(
			"days away", "Days away fall on its setting, lockdown or pull.", "Somebody at home on "+days,
			func(q *season.Problem) { q.Away = slices.Delete(slices.Clone(p.Away), i, i+1) },
		)
	}
	if len(touch) > 1 {
		c.add(
			"days away", "Days away fall on its setting, lockdown or pull.", "Somebody at home on all those days",
			func(q *season.Problem) { q.Away = nil },
		)
	}
	c.add("window", "Its window is too narrow for what else goes "+
		"on.", "Three days more on both sides of its window", func(q *season.Problem) {
		q.Orders = slices.Clone(p.Orders)
		i := slices.IndexFunc(q.Orders, func(x season.Order) bool { return x.ID == o.ID })
		q.Orders[i].PullFrom -= 3
		q.Orders[i].PullTo += 3
	})
	return c.all
}

// moreEggs tries as many more eggs of a source as would do.
func (c *cures) moreEggs(id string) {
	s := c.Sources[slices.IndexFunc(c.Sources, func(s season.Source) bool { return s.ID == id })]
	sp, _ := c.SpeciesOf(s.Species)
	c.kinds[s.Species] = true
	if s.Yield <= 0 {
		return
	}
	n, by := math.Ceil(max(c.short/s.Yield, c.MinBatch)), max(0, c.o.PullFrom-sp.Pull)
	why := "Too few eggs of " + c.Words.AllCalled(c.o.Sources) + " are there in time."
	says := fmt.Sprintf("%v more eggs of %s by %s", n, c.Words.Called(id), c.Words.OnDay(by))
	c.add("eggs", why, says, func(q *season.Problem) {
		q.Sources = slices.Clone(c.Sources)
		i := slices.IndexFunc(q.Sources, func(x season.Source) bool { return x.ID == id })
		q.Sources[i].Supply = append(slices.Clone(q.Sources[i].Supply), season.Lay{Laid: by, Eggs: n})
	})
}

const (
	hatchersFull = "The hatchers are full, or their lids are shut, when its eggs need lockdown."
	settersFull  = "The setters are full when its eggs would have to be set."
)

// morePlaces tries a roomier machine.
func (c *cures) morePlaces(i int) {
	x, more := c.Machines[i], math.Ceil(2*c.short)
	if c.serves(x.Hatch) {
		c.add("hatcher", hatchersFull, fmt.Sprintf(
			"%v more places in %s in lockdown", more, c.Words.Called(x.ID),
		), func(q *season.Problem) {
			q.Machines = slices.Clone(c.Machines)
			q.Machines[i].Hatch = c.grown(x.Hatch, more)
		})
	}
	if c.serves(x.Set) {
		c.add("setter", settersFull, fmt.Sprintf(
			"%v more places in %s while turning", more, c.Words.Called(x.ID),
		), func(q *season.Problem) {
			q.Machines = slices.Clone(c.Machines)
			q.Machines[i].Set = c.grown(x.Set, more)
		})
	}
}

func (c *cures) serves(room map[string]float64) bool {
	for k := range c.kinds {
		if room[k] > 0 {
			return true
		}
	}
	return false
}

func (c *cures) grown(room map[string]float64, by float64) map[string]float64 {
	more := maps.Clone(room)
	for k := range more {
		if c.kinds[k] {
			more[k] += by
		}
	}
	return more
}

// touching lists the times away on which a promise's eggs would else be set, locked
// down or pulled.
func touching(p *season.Problem, o season.Order) (away []int) {
	for i, a := range p.Away {
		hits := func(action string, from, to int) bool {
			return slices.Contains(a.Not, action) && a.From <= to && from <= a.To
		}
		if slices.ContainsFunc(o.Sources, func(id string) bool {
			s := p.Sources[slices.IndexFunc(p.Sources, func(s season.Source) bool { return s.ID == id })]
			sp, _ := p.SpeciesOf(s.Species)
			return hits("set", o.PullFrom-sp.Pull, o.PullTo-sp.Pull) ||
				hits("lockdown", o.PullFrom-sp.Pull+sp.Lockdown, o.PullTo-sp.Pull+sp.Lockdown) || hits(
				"pull", o.PullFrom, o.PullTo,
			)
		}) {
			away = append(away, i)
		}
	}
	return
}
