package books

import (
	"context"
	"math"
	"time"

	"metrogon/farm"
	"metrogon/farm/snapshot"
)

// HatchRecord is what the eggs of a year did, pen by pen: of batches set in it that are over. Eggs on trial
// are left out.
type HatchRecord struct {
	Farm string
	Year int
	Pens []RecordPen
}

// RecordPen is one pen's part. Its rates are those of these batches, with the interval that batches which
// differ from one another leave.
type RecordPen struct {
	snapshot.Pen
	Kind    string
	Batches []RecordBatch // by the day of setting
	Eggs    int
	snapshot.Rates
}

// RecordBatch is what a pen's eggs did in one batch.
type RecordBatch struct {
	Code  string
	SetAt time.Time
	Eggs  int
	snapshot.Rates
}

// RecordYears are the years in which batches were set that are over, the newest first.
func (b *Service) RecordYears(ctx context.Context, m *farm.Member) (years []int, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) (err error) {
		years, err = tx.YearsSet(ctx, m.Zone)
		return err
	})
	return years, err
}

// HatchRecord gives the record of a year.
func (b *Service) HatchRecord(ctx context.Context, m *farm.Member, year int) (r HatchRecord, err error) {
	r = HatchRecord{Farm: m.FarmName, Year: year}
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return err
		}
		ledger, err := snapshot.ReadLedger(ctx, tx)
		if err != nil {
			return err
		}
		closed, err := tx.ClosedBatches(ctx, math.MaxInt32, 0)
		if err != nil {
			return err
		}
		set := map[int64]RecordBatch{}
		for _, c := range closed {
			if c.SetAt.In(m.Place).Year() == year {
				set[c.ID] = RecordBatch{Code: c.Code, SetAt: c.SetAt}
			}
		}
		for _, pen := range w.Pens {
			part := RecordPen{Pen: pen}
			if kind, err := w.Kind(pen.Species); err == nil {
				part.Kind = kind.Name
			}
			var told []snapshot.Told
			for _, t := range ledger.Of(pen.ID) {
				line, ok := set[t.BatchID]
				if !ok || !t.Closed {
					continue
				}
				line.Eggs, line.Rates = t.Eggs, ledger.Rates([]snapshot.Told{t})
				told, part.Batches, part.Eggs = append(told, t), append(part.Batches, line), part.Eggs+t.Eggs
			}
			if len(told) > 0 {
				part.Rates = ledger.Rates(told)
				r.Pens = append(r.Pens, part)
			}
		}
		return nil
	})
	return r, err
}
