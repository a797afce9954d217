package flock

import (
	"context"
	"slices"

	"metrogon/core/species"
	"metrogon/core/units"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
)

// SavePen makes a pen (ID 0) or changes one.
func (b *Service) SavePen(ctx context.Context, req farm.Request, pen snapshot.Pen) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (done farm.Done, err error) {
		id, back, err := b.savePen(ctx, tx, pen)
		if err != nil {
			return done, err
		}
		return journal.Record(ctx, tx, journal.On(journal.Pen, id), journal.Undo{back}, "Saved the pen %s.", pen.Name)
	})
}

// NamePens makes several pens at once, as a farm begins with.
func (b *Service) NamePens(ctx context.Context, req farm.Request, pens []snapshot.Pen) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		if len(pens) == 0 {
			return farm.Done{}, farm.Problemf("name-0", "Name at least one pen.")
		}
		var names []string
		about, back := journal.Subjects{}, journal.Undo{}
		for _, pen := range pens {
			id, drop, err := b.savePen(ctx, tx, pen)
			if p, typed := farm.AsProblems(err); typed && len(pens) > 1 {
				return farm.Done{}, farm.Problemf(p[0].Field, "%s: %s", pen.Name, p.Error())
			}
			if err != nil {
				return farm.Done{}, err
			}
			names, about, back = append(names, pen.Name), about.And(journal.Pen, id), append(back, drop)
		}
		return journal.Record(ctx, tx, about, back, "Saved the pens %s.", wording.And(names))
	})
}

// savePen makes or changes a pen, and gives the step that takes it back.
func (b *Service) savePen(ctx context.Context, tx *farm.Tx, pen snapshot.Pen) (id int64, back journal.Step, err error) {
	if pen, err = snapshot.CheckPen(pen, b.Now()); err != nil {
		return 0, back, err
	}
	if pen.ID != 0 {
		pens, err := tx.Pens(ctx)
		if err != nil {
			return 0, back, err
		}
		i := slices.IndexFunc(pens, func(p snapshot.Pen) bool { return p.ID == pen.ID })
		if i < 0 {
			return 0, back, farm.ErrNone
		}
		pen.Supplier = pens[i].Supplier
		some, err := tx.PenHasEggs(ctx, pen.ID)
		if err != nil {
			return 0, back, err
		}
		if some && pens[i].Species != pen.Species {
			return 0, back, farm.Problemf(
				"species", "%s has eggs on record; for another kind make a new pen.", pens[i].Name,
			)
		}
		back = penBefore.Of(pens[i])
	}
	fresh := pen.ID == 0
	id, err = tx.SavePen(ctx, pen)
	if fresh {
		back = dropPen.Of(id)
	}
	return id, back, farm.Taken(err, "name", "There is a pen of that name already.")
}

// PenRates is a pen with its rates.
type PenRates struct {
	snapshot.Pen
	Kind *species.Profile
	snapshot.Rates
	Set int
	// Crowd warns of a male too few or too many, before he is blamed.
	Crowd string
}

// Pens lists the pens with what their eggs did.
func (b *Service) Pens(ctx context.Context, m *farm.Member) ([]PenRates, error) {
	all, _, err := b.pens(ctx, m)
	return all, err
}

func (b *Service) pens(ctx context.Context, m *farm.Member) (all []PenRates, ledger snapshot.Ledger, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return err
		}
		if ledger, err = snapshot.ReadLedger(ctx, tx); err != nil {
			return err
		}
		for _, p := range w.Pens {
			row, err := penRates(w, p, ledger)
			if err != nil {
				return err
			}
			all = append(all, row)
		}
		return nil
	})
	slices.SortStableFunc(all, func(a, b PenRates) int {
		if a.Supplier != b.Supplier { // bought eggs stand apart
			return map[bool]int{true: 1, false: -1}[a.Supplier]
		}
		return snapshot.CompareKinds(a.Kind, b.Kind)
	})
	return
}

func penRates(w *snapshot.Snapshot, p snapshot.Pen, ledger snapshot.Ledger) (PenRates, error) {
	kind, err := w.Kind(p.Species)
	if err != nil {
		return PenRates{}, err
	}
	row := PenRates{Pen: p, Kind: kind}
	of := ledger.Of(p.ID)
	row.Rates = ledger.Rates(of)
	for _, t := range of {
		row.Set += t.Eggs
	}
	if f := kind.FemalesPerMale; f.Known() && p.Males > 0 && p.Females > 0 {
		switch per := float64(p.Females) / float64(p.Males); {
		case per > 1.5*f.To:
			row.Crowd = "Many females for each male: usual is up to " + units.Number(f.To) + "."
		case per < f.From/2:
			row.Crowd = "Few females for each male: usual is " + units.Number(f.From) + " or more."
		}
	}
	return row, nil
}
