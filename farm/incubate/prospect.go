package incubate

import (
	"context"

	"metrogon/core/outcome"
	"metrogon/core/rates"
	"metrogon/farm"
)

// Prospect is how many young a batch may bring: of the eggs that are left now, and
// of all as they were set.
type Prospect struct {
	Young, AtSet float64
	Out          int // eggs that were taken out: their places are free
}

// What is believed of a pen without a record, worth four eggs [common practice:
// 85 % fertile, of these 80 % hatch].
var (
	newFertile = rates.Beta{A: 4 * .85, B: 4 * .15}
	newHatch   = rates.Beta{A: 4 * .80, B: 4 * .20}
)

// prospect counts an egg by what is known of it: one seen alive hatches as the
// pen's fertile eggs do, a clear not at all, one not called yet as an egg of the
// pen does.
func prospect(ctx context.Context, tx *farm.Tx, w *farm.Snapshot, page Page) (o Prospect, err error) {
	ids := make([]int64, len(page.Pens))
	for i, p := range page.Pens {
		ids[i] = p.ID
	}
	records, err := farm.RecordsOf(ctx, tx, ids)
	if err != nil {
		return o, err
	}
	fertile, hatch := map[int64]float64{}, map[int64]float64{}
	for _, id := range ids {
		fertile[id], hatch[id] = newFertile.Mean(), newHatch.Mean()
	}
	for _, r := range records {
		fertile[r.PenID] = newFertile.After(r.Fertile, r.Examined).Mean()
		hatch[r.PenID] = newHatch.After(r.HatchedFertile, r.FertileClosed).Mean()
	}
	for _, p := range page.Pens {
		o.add(p, fertile[p.ID], hatch[p.ID])
	}
	return o, nil
}

// add reckons the eggs of one pen.
func (o *Prospect) add(p farm.PenEggs, fertile, hatch float64) {
	left := 0.0
	for _, e := range p.Eggs {
		o.AtSet += fertile * hatch
		switch farm.FateOf(e) {
		case outcome.Removed, outcome.Broken:
			o.Out++
		case "":
			switch {
			case e.Fertile == nil:
				left += fertile * hatch
			case *e.Fertile:
				left += hatch
			}
		}
	}
	// Of eggs whose young were counted some are shells by now.
	if in := len(p.Left()); in > 0 {
		left *= float64(p.Alive) / float64(in)
	}
	o.Young += float64(p.Hatched) + left
}
