package incubate

import (
	"context"
	"math"

	"metrogon/core/calendar"
	"metrogon/core/candling"
	"metrogon/core/choice"
	"metrogon/core/outcome"
	"metrogon/core/rates"
	"metrogon/farm"
	"metrogon/store"
)

// Prospect is how many young a batch may bring, those that are out already among them: of
// the eggs as they are known now, 9 times in 10 between Low and High; and of all eggs as
// they were set, as Set says it.
type Prospect struct {
	Young     float64
	Low, High int
	AtSet     float64
	Out       int // eggs that were taken out: their places are free
}

// prospect counts an egg by what is known of it: one that nobody called as Set does, one
// seen alive by what is usual of live eggs, a clear or a dead one not at all.
func prospect(ctx context.Context, tx *farm.Tx, w *farm.Snapshot, page Page) (o Prospect, err error) {
	records, err := farm.ReadAges(ctx, tx, page.Species)
	if err != nil {
		return o, err
	}
	x := w.Beliefs(records)
	late := page.CandledAt != nil && calendar.Elapsed(page.SetAt, *page.CandledAt) >= page.HatchDay/2
	on := w.Member.Date(page.SetAt)
	var atSet, uncalled []choice.Lot
	var lots []rates.Lot
	hatched := 0
	for _, p := range page.Pens {
		k := sorted(p, func(e store.Egg) choice.Lot {
			return choice.Lot{
				Pen: p.ID, Eggs: 1, Young: x.Young[p.ID], Keeps: x.Keeps(page.Kind, farm.AgeDays(e.LaidOn, on)),
			}
		})
		atSet, o.Out = append(atSet, k.all...), o.Out+k.out
		// Of eggs whose young were counted some are shells by now.
		left := 1.0
		if in := len(p.Left()); in > 0 {
			left = float64(p.Alive) / float64(in)
		}
		uncalled = append(uncalled, k.open[:int(math.Round(left*float64(len(k.open))))]...)
		if n := int(math.Round(left * float64(k.alive))); n > 0 {
			// Half of what waiting costs shows by the first candling [common practice].
			belief := w.Live(records, p.ID, page.Kind, late)
			lots = append(lots, rates.Lot{Eggs: n, Belief: belief.Scaled((1 + k.keeps/float64(k.alive)) / 2)})
		}
		hatched += p.Hatched
	}
	o.AtSet = choice.Expect(atSet, ones(atSet), x.Rho).Mean()
	lots = append(lots, choice.Joined(uncalled, ones(uncalled))...)
	y := rates.Expect(lots, x.Rho, true)
	o.Young = float64(hatched) + y.Mean()
	o.Low, o.High = hatched+y.Quantile(0.05), hatched+y.Quantile(0.95)
	return o, nil
}

// known is a pen's eggs by what is known of them, one lot an egg.
type known struct {
	all, open []choice.Lot // as they were set; not called yet
	alive     int
	keeps     float64 // of those alive, together
	out       int
}

func sorted(p farm.PenEggs, lot func(store.Egg) choice.Lot) (k known) {
	for _, e := range p.Eggs {
		egg := lot(e)
		k.all = append(k.all, egg)
		switch fate := farm.FateOf(e); {
		case fate == outcome.Removed || fate == outcome.Broken:
			k.out++
		case fate != "":
		case candling.LastOf(e.Calls) == candling.Live:
			k.alive, k.keeps = k.alive+1, k.keeps+egg.Keeps
		case candling.LastOf(e.Calls) == "":
			k.open = append(k.open, egg)
		}
	}
	return k
}

func ones(lots []choice.Lot) []int {
	take := make([]int, len(lots))
	for i := range take {
		take[i] = 1
	}
	return take
}
