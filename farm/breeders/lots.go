package breeders

import (
	"cmp"
	"context"
	"slices"

	"metrogon/core/rates"
	"metrogon/farm"
	"metrogon/farm/snapshot"
	breedersrows "metrogon/store/breeders"
)

// Lot is the eggs of one pen in one batch, with what they did: the rates of a pen add up from its lots.
type Lot struct {
	Pen snapshot.Pen
	Row
}

// Batch is the batch that it was set in.
func (l Lot) Batch() *breedersrows.BatchFacts { return l.rows[0].Batch }

// Count is what tells of a rate: so many of so many. Where nobody could see each egg, a part of one counts.
func (l Lot) Count(rate string) (c rates.Count) {
	for _, t := range l.told {
		one := countOf(t, rate)
		c.K, c.N = c.K+one.K, c.N+one.N
	}
	return c
}

// Lots are those of all kinds, the oldest batches first.
func (b *Service) Lots(ctx context.Context, m *farm.Member) (all []Lot, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		s, err := newScene(ctx, tx, Query{})
		if err != nil {
			return err
		}
		t := &Table{Query: Query{Rate: HatchOfSet}}
		at := map[snapshot.GroupKey]int{}
		for _, kind := range s.kinds() {
			for _, f := range s.facts.ByKind[kind.ID] {
				key := snapshot.GroupKey{PenID: f.PenID, BatchID: f.BatchID}
				i, known := at[key]
				if !known {
					i = len(all)
					at[key] = i
					all = append(all, Lot{Pen: s.w.PenByID[f.PenID]})
				}
				all[i].rows = append(all[i].rows, f)
			}
		}
		for i := range all {
			s.fill(t, &all[i].Row)
		}
		slices.SortStableFunc(all, func(a, b Lot) int {
			x, y := a.Batch(), b.Batch()
			return cmp.Or(x.SetAt.Compare(y.SetAt), cmp.Compare(x.ID, y.ID), cmp.Compare(a.Pen.Name, b.Pen.Name))
		})
		return nil
	})
	return all, err
}
