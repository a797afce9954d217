package season

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	planner "metrogon/core/season"
	"metrogon/core/season/solve"
	"metrogon/core/species"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/ahead"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	rows "metrogon/store/season"
)

// PlanView is a plan as far as it is.
type PlanView struct {
	ID           int64
	State        string
	Seconds      int
	From         time.Time // its day 0
	Score, Bound float64
	HasBound     bool
	WhatIf       *WhatIf
	IfSays       string // the what-if in words
	Says         string // why it failed
	Proposals    []Proposal
	Results      []Result
	Gap          string
	Fragile      string   // which promise hangs on a thread, and what would help
	Left         int      // proposals that can still be accepted
	Differs      []string // of a what-if, in what
	Because      []rows.Upset
	Alone        bool     // made again by itself, because of those
	Lost         int      // proposals that could be accepted, had nothing changed
	Void         []string // what of it has changed since it was made: nothing of it can be accepted
	Changes      []Change // what accepting all that is left makes of the promises
}

// Running tells that a job is at it, or will be.
func (v PlanView) Running() bool { return v.State == Waiting || v.State == Working }

// Proposal is one setting of a plan, or a planned batch that it drops.
type Proposal struct {
	No              int
	Kind            *species.Profile
	SetOn, PullOn   time.Time
	Setter, Hatcher snapshot.Machine
	Eggs            []rows.PlannedEggs
	Count           int
	For             []rows.PlannedFor
	Says            string
	Taken           bool
	Gone            string            // why it cannot be accepted any more
	Replaces        *snapshot.Planned // what she expects in its place; with no eggs it is dropped
	Before          int               // eggs of that
}

// Result is what a plan makes of a promise.
type Result struct {
	rows.Order
	Thing     string
	Planned   float64 // young expected for it
	Chance    float64 // of all that is promised; below 0: not reckoned
	Low, High float64 // 8 times in 10
	Short     float64 // young that lack
	Why, Cure string  // the limit that binds, and the single change that helps most
}

// Sentences of the planner keep days and ids in marks, until they are read.
var markedWords = planner.Words{
	Day:  func(d int) string { return wording.Mark(fmt.Sprintf("day %d", d)) },
	Name: wording.Mark,
}

// told writes a sentence of the planner in the farm's names and dates.
func (s *outlook) told(text string, from time.Time) string {
	return wording.Marked(text, func(id string) string {
		if d, ok := strings.CutPrefix(id, "day "); ok {
			n, _ := strconv.Atoi(d)
			return from.AddDate(0, 0, n).Format("Mon 2 Jan")
		}
		return s.name(id)
	})
}

// Plans is the farm's last plan, and the what-ifs asked for since.
type Plans struct {
	Plan    *PlanView
	WhatIfs []PlanView
	Pens    []snapshot.Pen // whose females may be more
	Orders  int
}

// Plans shows them.
func (b *Service) Plans(ctx context.Context, m *farm.Member) (all Plans, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		s, err := see(ctx, tx)
		if err != nil {
			return err
		}
		all.Orders = len(s.Book.Orders)
		for _, p := range s.W.Pens {
			if p.Females > 0 && s.Lays[p.ID].PerDay > 0 {
				all.Pens = append(all.Pens, p)
			}
		}
		for _, row := range s.Plans {
			v, err := s.view(row)
			if err != nil {
				return err
			}
			if v.WhatIf == nil {
				all.Plan = &v
			} else if v.State != Cancelled {
				all.WhatIfs = append(all.WhatIfs, v)
			}
		}
		for i := range all.WhatIfs {
			all.WhatIfs[i].beside(all.Plan)
		}
		if p := all.Plan; p != nil && p.Left > 0 {
			s.LayAhead()
			p.Changes = s.changes(*p, nil)
		}
		return nil
	})
	return
}

// beside names in what a what-if differs from the plan of the farm as it is.
func (v *PlanView) beside(plan *PlanView) {
	if plan == nil || plan.State != Finished || v.State != Finished {
		return
	}
	for _, r := range v.Results {
		i := slices.IndexFunc(plan.Results, func(o Result) bool { return o.ID == r.ID })
		if i < 0 {
			continue
		}
		was := plan.Results[i]
		more := math.Round(r.Planned) - math.Round(was.Planned)
		switch {
		case more == 0 && math.Abs(r.Chance-was.Chance) < 0.05:
		case more == 0:
			v.Differs = append(v.Differs, fmt.Sprintf(
				"%s for %s: %s instead of %s.", wording.Capital(r.Thing), r.Who, InTen(r.Chance), InTen(was.Chance),
			))
		default:
			v.Differs = append(v.Differs, fmt.Sprintf(
				"%s for %s: about %.0f expected instead of %.0f, %s instead of %s.", wording.Capital(r.Thing), r.Who, r.Planned,
				was.Planned, InTen(r.Chance), InTen(was.Chance),
			))
		}
	}
	eggs := func(v *PlanView) (settings, eggs int) {
		for _, p := range v.Proposals {
			settings, eggs = settings+farm.OneIf(p.Count > 0), eggs+p.Count
		}
		return
	}
	s, n := eggs(v)
	was, before := eggs(plan)
	if s != was || n != before {
		v.Differs = append(v.Differs, fmt.Sprintf(
			"%s of %s instead of %d of %d.", wording.Plural(s, "setting"), wording.Plural(n, "egg"), was, before,
		))
	}
	if len(v.Differs) == 0 {
		v.Differs = []string{"It changes nothing that counts."}
	}
}

// proposed reads a plan with its proposals.
func (b *Service) proposed(ctx context.Context, tx *farm.Tx, id int64) (*outlook, rows.Plan, PlanView, error) {
	s, err := see(ctx, tx)
	if err != nil {
		return nil, rows.Plan{}, PlanView{}, err
	}
	row, err := rows.On(tx).Plan(ctx, id)
	if err != nil {
		return nil, row, PlanView{}, err
	}
	v, err := s.view(row)
	return s, row, v, err
}

// view reads a plan.
func (s *outlook) view(row rows.Plan) (v PlanView, err error) {
	v = PlanView{ID: row.ID, State: row.State, Seconds: row.Seconds, From: row.FromOn, Says: row.Says}
	v.Because, v.Alone = row.Because, row.Alone
	if row.Score != nil {
		v.Score = *row.Score
	}
	if row.Bound != nil {
		v.Bound, v.HasBound = *row.Bound, true
	}
	if row.WhatIf != nil {
		v.WhatIf = new(WhatIf)
		if err := json.Unmarshal(row.WhatIf, v.WhatIf); err != nil {
			return v, err
		}
		v.IfSays = v.WhatIf.says(s)
	}
	v.Says = s.told(row.Says, row.FromOn)
	if row.State != Finished {
		return v, nil
	}
	r, err := solve.ReadRequest(row.Request)
	if err != nil {
		return v, err
	}
	var a answer
	if err := json.Unmarshal(row.Answer, &a); err != nil {
		return v, err
	}
	v.Score = a.Score
	v.Gap = gap(a.Plan)
	var of made
	if err := json.Unmarshal(row.MadeOf, &of); err != nil {
		return v, err
	}
	v.Void = of.changed(s.madeOf(), s.Today)
	v.results(s, r, a)
	v.settings(s, r, a, row)
	if o, ok := s.order(a.Fragile); ok {
		v.Fragile = s.fragile(a, o, row.FromOn)
	}
	return v, nil
}

// order finds an open promise by the planner's id.
func (s *outlook) order(id string) (rows.Order, bool) {
	i := slices.IndexFunc(s.Book.Orders, func(o rows.Order) bool { return orderID(o.ID) == id })
	if i < 0 {
		return rows.Order{}, false
	}
	return s.Book.Orders[i], true
}

// gap tells how far from the best a plan may be.
func gap(p *solve.Plan) string {
	switch {
	case p.Bound == nil:
		return "It keeps what you expect as far as that is worth it."
	case len(p.Batches) == 0 && *p.Bound < 1:
		return "No plan can keep any of it."
	case *p.Bound-p.Score <= 1e-6:
		return "No plan does better: that is proven."
	}
	if p.Score <= 0 {
		return "How much better a plan could be is not known."
	}
	share := 100 * (*p.Bound - p.Score) / p.Score
	if share < 0.5 {
		return "No plan can do half of a percent better: that is proven."
	}
	return fmt.Sprintf("No plan can do more than %.0f %% better: that is proven.", math.Ceil(share))
}

func (v *PlanView) results(s *outlook, r *solve.Request, a answer) {
	for _, q := range r.Orders {
		o, ok := s.order(q.ID)
		if !ok {
			continue
		}
		res := Result{Order: o, Thing: ahead.Thing(o, s.W.Kinds[o.Species]), Chance: -1}
		for _, b := range append(slices.Clone(a.Batches), a.Standing...) {
			for _, g := range b.Orders {
				if g.Order == q.ID {
					res.Planned += g.Young * ahead.Counts(o)
				}
			}
		}
		for _, sim := range a.Simulated {
			if sim.Order == q.ID {
				res.Chance, res.Low, res.High = sim.Chance, sim.P10, sim.P90
			}
		}
		for _, n := range a.Notes {
			if n.Order == q.ID {
				res.Short = n.Short * ahead.Counts(o)
				res.Why, res.Cure = s.told(n.Why, v.From), s.told(n.Cure, v.From)
			}
		}
		v.Results = append(v.Results, res)
	}
}

// fragile names the promise that the plan fills and chance leaves unfilled most, with the fewest
// eggs more that help.
func (s *outlook) fragile(a answer, o rows.Order, from time.Time) string {
	i := slices.IndexFunc(a.Simulated, func(x solve.Outcome) bool { return x.Order == a.Fragile })
	if i < 0 {
		return ""
	}
	says := fmt.Sprintf(
		"Hanging by the thinnest thread: %s for %s, kept %s.", ahead.Thing(o, s.W.Kinds[o.Species]), o.Who,
		InTen(a.Simulated[i].Chance),
	)
	if x := a.Raise; x != nil {
		says += fmt.Sprintf(
			" Set %d more of %s on %s: %.0f → %.0f %%.", x.More, s.name(x.Batch.Source),
			from.AddDate(0, 0, x.Batch.SetDay).Format("Mon 2 Jan"), 100*x.Before, 100*x.After,
		)
	}
	return says
}

// InTen writes a chance as people say it.
func InTen(chance float64) string {
	switch n := int(math.Round(10 * chance)); {
	case chance >= 0.98:
		return "as good as always"
	case chance < 0.02:
		return "hardly ever"
	case n == 0:
		return "less than once in 10"
	case n == 10:
		return "more than 9 times in 10"
	default:
		return wording.Plural(n, "time") + " in 10"
	}
}

// settings puts the batches of a plan together that are set as one, in order of time, beside
// what she expects.
func (v *PlanView) settings(s *outlook, r *solve.Request, a answer, row rows.Plan) {
	for _, b := range a.Batches {
		eggs := beyondPins(b, r.Fixed)
		if eggs.Count() == 0 {
			continue
		}
		v.join(s, b, eggs, r.Species)
	}
	for i := range v.Proposals {
		p := &v.Proposals[i]
		for _, x := range s.Ahead {
			if mayMove(x, row.Loose) && x.Species == p.Kind.ID && x.SetterID == p.Setter.ID &&
				x.HatcherID == p.Hatcher.ID && farm.Latest(x.SetOn, v.From).Equal(p.SetOn) {
				p.Replaces, p.Before = &x, x.Count
			}
		}
	}
	if r.Replan != nil || len(row.Loose) > 0 {
		for _, x := range s.Ahead {
			met := slices.ContainsFunc(v.Proposals, func(p Proposal) bool { return p.Replaces != nil && p.Replaces.ID == x.ID })
			if mayMove(x, row.Loose) && !met {
				v.Proposals = append(v.Proposals, Proposal{
					Kind: x.Kind, SetOn: x.SetOn, Setter: x.Setter, Hatcher: x.Hatcher, Replaces: &x, Before: x.Count,
				})
			}
		}
	}
	slices.SortStableFunc(v.Proposals, func(a, b Proposal) int {
		return cmp.Or(a.SetOn.Compare(b.SetOn), strings.Compare(a.Setter.Name, b.Setter.Name))
	})
	kept := v.Proposals[:0]
	for i, p := range v.Proposals {
		p.No = i + 1
		if p.Replaces != nil && p.Count == p.Before {
			continue // as she expects it
		}
		p.Taken = slices.Contains(row.Taken, int32(p.No))
		p.gone(s)
		if open := !p.Taken && p.Gone == ""; open && len(v.Void) > 0 {
			p.Gone = "Not any more."
			v.Lost++
		}
		p.Says = p.sentence(s, a)
		if !p.Taken && p.Gone == "" {
			v.Left++
		}
		kept = append(kept, p)
	}
	v.Proposals = kept
}

// beyondPins are the eggs of a batch that no pin holds already.
func beyondPins(b planner.Batch, pins []planner.Batch) (left planner.Clutch) {
	for _, l := range b.Eggs {
		for _, p := range pins {
			if p.Source != b.Source || p.SetDay != b.SetDay || p.Setter != b.Setter || p.Hatcher != b.Hatcher {
				continue
			}
			for _, o := range p.Eggs {
				if o.Laid == l.Laid {
					l.Eggs -= o.Eggs
				}
			}
		}
		if l.Eggs > 0 {
			left = append(left, l)
		}
	}
	return left
}

// join adds a batch to the setting that it belongs to.
func (v *PlanView) join(s *outlook, b planner.Batch, eggs planner.Clutch, kinds []planner.Species) {
	on := v.From.AddDate(0, 0, b.SetDay)
	kind := s.W.Kinds[s.W.PenByID[numberOf(b.Source)].Species]
	if kind == nil {
		return
	}
	machine := func(id string) snapshot.Machine {
		if x, ok := s.W.MachineByID[numberOf(id)]; ok {
			return x
		}
		return snapshot.Machine{Name: "the new hatcher"}
	}
	i := slices.IndexFunc(v.Proposals, func(p Proposal) bool {
		return p.Kind.ID == kind.ID && p.SetOn.Equal(on) && machineID(p.Setter.ID) == b.Setter &&
			machineID(p.Hatcher.ID) == b.Hatcher
	})
	if i < 0 {
		i = len(v.Proposals)
		v.Proposals = append(
			v.Proposals, Proposal{Kind: kind, SetOn: on, Setter: machine(b.Setter), Hatcher: machine(b.Hatcher)},
		)
		for _, sp := range kinds {
			if sp.ID == kind.ID {
				v.Proposals[i].PullOn = on.AddDate(0, 0, sp.Pull)
			}
		}
	}
	p := &v.Proposals[i]
	for _, l := range eggs {
		pen, laid := layOf(b.Source, l.Laid, v.From)
		p.Eggs = append(p.Eggs, rows.PlannedEggs{PenID: pen, LaidOn: laid, Eggs: int(l.Eggs)})
		p.Count += int(l.Eggs)
	}
	for _, g := range b.Orders {
		id := numberOf(g.Order)
		at := slices.IndexFunc(p.For, func(f rows.PlannedFor) bool { return f.OrderID == id })
		if at < 0 {
			at = len(p.For)
			p.For = append(p.For, rows.PlannedFor{OrderID: id})
		}
		p.For[at].Young += g.Young
	}
}

// gone tells why a setting cannot be accepted any more.
func (p *Proposal) gone(s *outlook) {
	switch {
	case p.Taken:
	case p.Count > 0 && p.SetOn.Before(s.Today):
		p.Gone = "Its day is over."
	case p.Setter.ID == 0 || p.Hatcher.ID == 0:
		p.Gone = "It needs the new machine."
	case p.Count == 0 && !slices.ContainsFunc(s.Ahead, func(x snapshot.Planned) bool { return x.ID == p.Replaces.ID }):
		p.Gone = "It is not planned any more."
	}
}

// sentence says what a setting is for.
func (p Proposal) sentence(s *outlook, a answer) string {
	if p.Count == 0 {
		why := "the rest of the plan does better without."
		if t := s.Troubles(s.Yard(), *p.Replaces, p.Replaces.Count); len(t) > 0 {
			why = t[0].Says
		}
		return fmt.Sprintf(
			"Do not set the %s of %s after all: %s", wording.Plural(p.Before, "egg"), p.Replaces.Label(), why,
		)
	}
	var pens []string
	for _, e := range p.Eggs {
		if name := s.W.PenByID[e.PenID].Name; !slices.Contains(pens, name) {
			pens = append(pens, name)
		}
	}
	slices.Sort(pens)
	of, on := wording.And(pens), p.SetOn.Format("Mon 2 January")
	says := fmt.Sprintf("%s of %s on %s", wording.Plural(p.Count, "egg"), of, on)
	if p.Replaces != nil {
		says = fmt.Sprintf("%d instead of %d eggs of %s on %s", p.Count, p.Before, of, on)
	}
	var whom []string
	sure := 1.0
	for _, f := range p.For {
		o, ok := s.order(orderID(f.OrderID))
		if !ok {
			continue
		}
		whom = append(whom, fmt.Sprintf("the %s for %s", ahead.Thing(o, p.Kind), o.Who))
		for _, sim := range a.Simulated {
			if sim.Order == orderID(o.ID) {
				sure = min(sure, sim.Chance)
			}
		}
	}
	if len(whom) == 0 {
		return says + ", to fill the setting."
	}
	return fmt.Sprintf(
		"%s, so that %s come on %s; %s.", says, wording.And(whom), p.PullOn.Format("Mon 2 January"), InTen(sure),
	)
}

// keep makes a planned batch of a proposal, in place of the one that it replaces.
func (p Proposal) keep(ctx context.Context, tx *farm.Tx, s *outlook) (journal.Undo, journal.Subjects, error) {
	if p.Replaces != nil {
		r := ahead.RowsOf(*p.Replaces)
		if p.Count == 0 {
			r.DroppedAt = &tx.At
		} else {
			r.SetOn, r.Eggs, r.For, r.Says = p.SetOn, p.Eggs, p.For, p.Says
		}
		return nil, nil, r.Save(ctx, tx)
	}
	return ahead.Add(ctx, tx, []ahead.PlannedRows{{
		Planned: rows.Planned{
			Species: p.Kind.ID, SetterID: p.Setter.ID, HatcherID: p.Hatcher.ID, SetOn: p.SetOn, Pinned: true, Says: p.Says,
		}, Eggs: p.Eggs, For: p.For,
	}})
}
