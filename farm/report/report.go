// Package report is what a batch tells once it is over: its figures, what became of every egg, why
// those that died may have died, and what is to be done otherwise next time.
package report

import (
	"context"
	"slices"
	"time"

	"metrogon/core/diagnosis"
	"metrogon/core/hatching"
	"metrogon/farm"
	"metrogon/farm/lineage"
	"metrogon/farm/snapshot"
	"metrogon/store"
	hatchrows "metrogon/store/hatch"
	"metrogon/store/outage"
	"metrogon/store/weigh"
)

// Service holds the use cases. What other rooms know is asked of them.
type Service struct {
	*farm.Service
	// Loss tells what a batch's eggs lost by lockdown, % of their fresh mass, and the goal.
	Loss func(
		w *snapshot.Snapshot, v snapshot.BatchView, eggs []store.Egg, all []weigh.Weighing,
	) (lossPct, goalPct float64, ok bool)
	// Patterns tells by what batches of a kind differ by more than chance.
	Patterns func(ctx context.Context, tx *farm.Tx, species string) ([]Pattern, error)
}

// Pattern is something by which hatches of a kind differ.
type Pattern struct {
	By   string // of the dimensions of the rates
	Name string
	Says string
}

// NextTime is something that somebody means to do otherwise.
type NextTime = hatchrows.NextTime

// Page is the report of a batch.
type Page struct {
	snapshot.BatchView
	FarmName  string
	Pens      []snapshot.PenEggs
	Rates     snapshot.Rates // of the whole batch
	Usual     snapshot.Rates // of the farm's other batches of this kind that are over; N 0: none
	Losses    []Loss
	Diagnosis diagnosis.Result
	LossPct   *float64 // water
	GoalPct   float64
	Outs      []Out
	FirstPip  *time.Time
	Notes     []store.Note
	Outages   []outage.OutageBatch
	NextTimes []NextTime // that stand for this kind
	Patterns  []Pattern  // over the batches of this kind
	Opened    int        // eggs of which somebody saw what they showed
	Unopened  int
	snapshot.Divided
}

// Out is young that came at one time.
type Out struct {
	At    time.Time
	Young int
}

// Loss is how some of the eggs ended, beside what would be usual.
type Loss struct {
	ID, Name string
	Eggs     int
	Usual    float64
}

// Report tells of a batch.
func (b *Service) Report(ctx context.Context, m *farm.Member, id int64) (p Page, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return err
		}
		views, err := w.Views(ctx, tx, func() ([]store.Batch, error) { return tx.BatchesByID(ctx, []int64{id}) })
		if err != nil {
			return err
		}
		if len(views) == 0 || views[0].Kind.IsReptile() {
			return farm.ErrNone
		}
		g := gathered{w: w, v: views[0]}
		if err := g.read(ctx, tx, b); err != nil {
			return err
		}
		p = g.page()
		if p.Patterns, err = b.Patterns(ctx, tx, p.Species); err != nil {
			return err
		}
		p.Divided, err = w.Divided(ctx, tx, g.after.Log.Parts, g.after.Log.Legs)
		return err
	})
	return p, err
}

// gathered is all that is known of a batch.
type gathered struct {
	w       *snapshot.Snapshot
	v       snapshot.BatchView
	eggs    []store.Egg
	pens    []snapshot.PenEggs
	hatch   hatchrows.Hatch
	after   hatchrows.Aftermath
	ledger  snapshot.Ledger
	flock   lineage.Flock
	lossPct *float64
	goalPct float64
}

// mostNotes of a batch are told.
const mostNotes = 40

func (g *gathered) read(ctx context.Context, tx *farm.Tx, b *Service) (err error) {
	v := g.v
	since := v.SetAt
	if v.LockedAt != nil {
		since = *v.LockedAt
	}
	if g.hatch, err = hatchrows.On(tx).Hatch(ctx, v.HatcherID, []int64{v.ID}, []string{v.Species}, since); err != nil {
		return err
	}
	g.eggs = g.hatch.Eggs[v.ID]
	g.pens = g.w.ByPen(g.eggs, g.hatch.YoungOf(g.v.ID), v)
	until := g.w.Now
	if v.LockedAt != nil {
		until = *v.LockedAt
	}
	if g.after, err = hatchrows.On(tx).Aftermath(ctx, v.Batch, until, mostNotes); err != nil {
		return err
	}
	if g.ledger, err = snapshot.ReadLedger(ctx, tx); err != nil {
		return err
	}
	if g.flock, err = lineage.Of(ctx, tx, g.w); err != nil {
		return err
	}
	loss, goal, ok := b.Loss(g.w, v, g.eggs, g.after.Weighings)
	if ok {
		g.lossPct = &loss
	}
	g.goalPct = goal
	return nil
}

// page puts the report together.
func (g *gathered) page() Page {
	p := Page{
		BatchView: g.v, FarmName: g.w.Member.FarmName, Pens: g.pens, Notes: g.after.Log.Notes, LossPct: g.lossPct,
		GoalPct: g.goalPct, Outages: g.after.Outages,
	}
	p.Rates, p.Usual = g.rates()
	d := diagnosis.Batch{Kind: g.v.Kind, Counts: g.counts(), Facts: g.facts(p.Usual)}
	p.Diagnosis = d.Diagnose()
	p.Unopened = d.NotOpened
	p.Opened = d.Set() - d.NotOpened - d.Hatched
	for _, l := range d.Expected() {
		p.Losses = append(p.Losses, Loss{l.ID, l.Name, l.Eggs, l.Usual})
	}
	p.Outs = g.outs()
	for _, s := range g.hatch.Signs {
		if s.Kind == hatching.Pip && (p.FirstPip == nil || s.At.Before(*p.FirstPip)) {
			at := s.At
			p.FirstPip = &at
		}
	}
	for _, n := range g.after.NextTimes {
		if n.Species == g.v.Species {
			p.NextTimes = append(p.NextTimes, n)
		}
	}
	return p
}

// rates are those of the batch alone, and the farm's usual ones of the kind: of its own pens, or of
// bought eggs where most of these were.
func (g *gathered) rates() (own, usual snapshot.Rates) {
	bought := g.share(func(e store.Egg) bool { return g.w.PenByID[e.PenID].Supplier }) > 0.5
	var mine, others []snapshot.Told
	for _, pen := range g.w.Pens {
		if pen.Species != g.v.Species {
			continue
		}
		for _, t := range g.ledger.Of(pen.ID) {
			switch {
			case t.BatchID == g.v.ID:
				mine = append(mine, t)
			case t.Closed && pen.Supplier == bought:
				others = append(others, t)
			}
		}
	}
	slices.SortStableFunc(others, func(a, b snapshot.Told) int { return int(a.BatchID - b.BatchID) })
	return snapshot.Ledger{}.Rates(mine), g.ledger.Rates(others)
}

// share of the eggs for which something is so.
func (g *gathered) share(is func(store.Egg) bool) float64 {
	n := 0
	for _, e := range g.eggs {
		n += farm.OneIf(is(e))
	}
	return float64(n) / float64(max(1, len(g.eggs)))
}

// outs are the young by the time at which they were seen.
func (g *gathered) outs() (all []Out) {
	at := map[int64]int{}
	add := func(t time.Time, n int) { at[t.Unix()] += n }
	for _, e := range g.eggs {
		if hatched(e) && e.FateAt != nil {
			add(*e.FateAt, 1)
		}
	}
	for _, c := range g.hatch.Counts {
		add(c.At, c.Young)
	}
	for t, n := range at {
		if n > 0 {
			all = append(all, Out{time.Unix(t, 0), n})
		}
	}
	slices.SortFunc(all, func(a, b Out) int { return a.At.Compare(b.At) })
	return all
}
