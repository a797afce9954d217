package flock

import (
	"context"
	"slices"

	"metrogon/core/grading"
	"metrogon/core/marks"
	"metrogon/core/species"
	"metrogon/farm"
	"metrogon/farm/lineage"
	"metrogon/farm/snapshot"
	"metrogon/store"
	"metrogon/store/breeders"
)

// PenBatch is what a pen's eggs did in one batch.
type PenBatch struct {
	snapshot.BatchView
	snapshot.Rates
	Eggs int
}

// PenPage is a pen with the eggs and batches behind its figures.
type PenPage struct {
	PenRates
	Laid, Rejected, Stored, CastOut int        // of all its eggs
	Reasons                         []Reject   // why the rejected were
	Batches                         []PenBatch // the newest
	Hens                            []Part     // where eggs are known hen by hen
	Shells                          []Part     // where shells were treated in more than one way
	Trials                          []Part     // rejected or doubtful eggs that were set on trial, by reason
	LeftOut                         int        // eggs that tell nothing of hens and shells: young were counted by pen
	Band                            marks.Band // of its hatch basket
	InPen                           InPen
	Pace                            Pace
}

// Reject is how many eggs were not fit for a reason; "" is none told.
type Reject struct {
	Reason string
	Eggs   int
}

// Part is a part of a pen's eggs with its rates.
type Part struct {
	Name string
	snapshot.Rates
}

// lots are a pen's eggs as far as they are told apart, with the groups that they
// belong to.
type lots struct {
	all    []breeders.PenLot
	ledger snapshot.Ledger
	kind   *species.Profile
}

// byBatch tells of the eggs that are not on trial, the newest batch first.
func (l lots) byBatch(penID int64) []snapshot.Told {
	told := slices.Clone(l.ledger.Of(penID))
	slices.Reverse(told)
	return told
}

// parts sums the eggs that were set by a name that their lots have, "" for none.
// Hatch is told of a group only where all its eggs have the name.
func (l lots) parts(name func(breeders.PenLot) string) (all []Part, leftOut int) {
	type cell struct {
		key  snapshot.GroupKey
		name string
	}
	cells := map[cell]breeders.PenLot{}
	var order []cell
	var names []string
	for _, x := range l.all {
		n := name(x)
		if n == "" || x.Set == 0 {
			continue
		}
		at := cell{snapshot.GroupKey{PenID: x.PenID, BatchID: x.BatchID, Trial: x.Trial}, n}
		before, seen := cells[at]
		if !seen {
			order = append(order, at)
		}
		if !slices.Contains(names, n) {
			names = append(names, n)
		}
		x.Record, x.Counted = plus(before.Record, x.Record), x.Counted+before.Counted
		cells[at] = x
	}
	told := map[string][]snapshot.Told{}
	for _, at := range order {
		x := cells[at]
		t, out := lineage.TellPart(l.kind, x.Record, x.Counted, x.SetClosed > 0, l.ledger.Group(at.key))
		leftOut += out
		told[at.name] = append(told[at.name], t)
	}
	for _, n := range names {
		all = append(all, Part{n, l.ledger.Rates(told[n])})
	}
	return all, leftOut
}

func (p *PenPage) count(l lots) {
	for _, x := range l.all {
		p.Laid += x.Eggs
		p.Stored += x.Stored
		p.CastOut += x.CastOut
		if !x.Rejected {
			continue
		}
		p.Rejected += x.Eggs
		i := slices.IndexFunc(p.Reasons, func(r Reject) bool { return r.Reason == x.Reason })
		if i < 0 {
			i = len(p.Reasons)
			p.Reasons = append(p.Reasons, Reject{Reason: x.Reason})
		}
		p.Reasons[i].Eggs += x.Eggs
	}
	slices.SortStableFunc(p.Reasons, func(a, b Reject) int { return b.Eggs - a.Eggs })
}

// compare sorts the eggs by hen, by what was done to their shells, and those on trial.
func (p *PenPage) compare(l lots) {
	ordinary := func(name func(breeders.PenLot) string) func(breeders.PenLot) string {
		return func(x breeders.PenLot) string {
			if x.Trial {
				return ""
			}
			return name(x)
		}
	}
	var outOfHens, outOfShells int
	p.Hens, outOfHens = l.parts(ordinary(func(x breeders.PenLot) string { return x.Hen }))
	if p.Shells, outOfShells = l.parts(ordinary(func(x breeders.PenLot) string { return x.Washing })); len(p.Shells) < 2 {
		p.Shells, outOfShells = nil, 0 // nothing to compare
	}
	p.LeftOut = max(outOfHens, outOfShells)
	p.Trials, _ = l.parts(func(x breeders.PenLot) string {
		if !x.Trial {
			return ""
		}
		if reason, known := grading.Known(x.Reason); known {
			return reason.Name
		}
		return "rejected"
	})
}

// newest is how many batches a pen shows.
const newest = 60

// plus adds one record to another.
func plus(a, b breeders.Record) breeders.Record {
	a.Set += b.Set
	a.Examined += b.Examined
	a.Fertile += b.Fertile
	a.HatchedUnseen += b.HatchedUnseen
	a.SetClosed += b.SetClosed
	a.HatchedClosed += b.HatchedClosed
	a.FertileClosed += b.FertileClosed
	a.HatchedFertile += b.HatchedFertile
	return a
}

// Pen shows one pen.
func (b *Service) Pen(ctx context.Context, m *farm.Member, id int64) (page PenPage, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return err
		}
		pen, ok := w.PenByID[id]
		if !ok {
			return farm.ErrNone
		}
		all, err := snapshot.ReadLots(ctx, tx, id)
		if err != nil {
			return err
		}
		ledger, err := snapshot.ReadLedger(ctx, tx)
		if err != nil {
			return err
		}
		kind, err := w.Kind(pen.Species)
		if err != nil {
			return err
		}
		l := lots{all, ledger, kind}
		page.count(l)
		page.compare(l)
		page.Band = w.Band(id)
		if page.PenRates, err = penRates(w, pen, l.ledger); err != nil {
			return err
		}
		if page.InPen, err = inPen(ctx, tx, w, pen); err != nil {
			return err
		}
		if page.Pace, err = paceOf(ctx, tx, w, pen); err != nil {
			return err
		}
		told := l.byBatch(id)
		told = told[:min(len(told), newest)]
		ids := make([]int64, len(told))
		for i, t := range told {
			ids[i] = t.BatchID
		}
		batches, err := w.Views(ctx, tx, func() ([]store.Batch, error) { return tx.BatchesByID(ctx, ids) })
		if err != nil {
			return err
		}
		for _, t := range told {
			i := slices.IndexFunc(batches, func(v snapshot.BatchView) bool { return v.ID == t.BatchID })
			page.Batches = append(page.Batches, PenBatch{batches[i], l.ledger.Rates([]snapshot.Told{t}), t.Eggs})
		}
		return nil
	})
	return
}
