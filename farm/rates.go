package farm

import (
	"context"

	"metrogon/core/outcome"
	"metrogon/core/rates"
	"metrogon/store"
)

func GroupOf(g store.Group) outcome.Group {
	return outcome.Group{Eggs: g.Eggs, Counted: g.Counted, Young: g.Young}
}

// WithGroups adds to a record what is known of groups.
func WithGroups(r store.Record, groups []store.Group) store.Record {
	for _, g := range groups {
		if g.Counted == 0 {
			continue
		}
		young, of := GroupOf(g).OfFertile(g.Fertile, g.Unknown)
		r.HatchedClosed += g.Young
		r.HatchedFertile += young
		r.FertileClosed += of
	}
	return r
}

// Rate is a share counted from eggs, with its 95 % interval.
type Rate struct {
	K, N int
	rates.Interval
	Pooled *rates.Interval // drawn towards others of its kind; nil where it stands alone
}

func rate(k, n int) Rate {
	if n == 0 {
		return Rate{}
	}
	return Rate{K: k, N: n, Interval: rates.Wilson(k, n, 0.95)}
}

// Rates are what a pen's eggs did. A rate with N 0 is not known.
type Rates struct{ Fertility, HatchOfFertile, HatchOfSet Rate }

func RatesOf(r store.Record) Rates {
	return Rates{
		rate(r.Fertile, r.Examined), rate(r.HatchedFertile, r.FertileClosed), rate(r.HatchedClosed, r.SetClosed),
	}
}

// RecordsOf tells what the eggs of these pens did, nil of all, with the young that
// were counted.
func RecordsOf(ctx context.Context, tx *Tx, pens []int64) ([]store.Record, error) {
	records, groups, err := tx.Records(ctx, pens)
	if err != nil {
		return nil, err
	}
	for i := range records {
		for _, g := range groups {
			if g.PenID == records[i].PenID && !g.Trial {
				records[i] = WithGroups(records[i], []store.Group{g})
			}
		}
	}
	return records, nil
}
