package breeders

import (
	"context"
	"slices"

	"metrogon/core/rates"
	"metrogon/farm"
	"metrogon/farm/snapshot"
)

// CostQuery are a farm's own prices, in its own money; 0 is not reckoned.
type CostQuery struct {
	Pen     int64   // of whose eggs; 0: the first
	Eggs    int     // of one batch
	Egg     float64 // what one is worth: it could have been sold
	Batch   float64 // power and the like, of one batch
	Feed    float64 // of one young until it is sold
	Price   float64 // of one young
	Machine float64 // price of a machine
	Better  float64 // points of hatch that it would add
	PerYear int     // eggs that it would hatch in a year
}

// Costs are what a young costs, with its spread.
type Costs struct {
	CostQuery
	Pens          []snapshot.Pen
	Young         float64 // expected of the batch
	Few, Many     int     // 9 in 10 batches give at least Few and at most Many
	Each          float64 // cost of one young, at the expected number
	EachFew       float64 // at few
	EachMany      float64 // at many
	Gain, GainFew float64 // of a batch, expected, and at few
	Loss          float64 // chance that a batch costs more than it brings; without a price 0
	Added         float64 // young a year that the machine adds
	Years         float64 // until it is paid; 0: never, or not asked
}

// Costs reckons them for a pen's eggs.
func (b *Service) Costs(ctx context.Context, m *farm.Member, q CostQuery) (c Costs, err error) {
	q.Eggs, q.PerYear = min(max(q.Eggs, 1), 2000), min(max(q.PerYear, 0), 100_000)
	c.CostQuery = q
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return err
		}
		for _, p := range w.Pens {
			if kind := w.Kinds[p.Species]; p.UntilOn == nil && kind != nil && !kind.IsReptile() {
				c.Pens = append(c.Pens, p)
			}
		}
		if len(c.Pens) == 0 {
			return nil
		}
		if !slices.ContainsFunc(c.Pens, func(p snapshot.Pen) bool { return p.ID == c.Pen }) {
			c.Pen = c.Pens[0].ID
		}
		ages, err := snapshot.ReadAges(ctx, tx, w.PenByID[c.Pen].Species)
		if err != nil {
			return err
		}
		beliefs := w.Beliefs(ages)
		c.reckon(rates.Expect([]rates.Lot{{Eggs: q.Eggs, Belief: beliefs.Young[c.Pen]}}, beliefs.Rho, true))
		return nil
	})
	return c, err
}

func (c *Costs) reckon(y rates.Young) {
	spent := float64(c.Eggs)*c.Egg + c.Batch
	c.Young, c.Few, c.Many = y.Mean(), y.Quantile(.1), y.Quantile(.9)
	each := func(young float64) float64 {
		if young <= 0 {
			return 0
		}
		return spent/young + c.Feed
	}
	c.Each, c.EachFew, c.EachMany = each(c.Young), each(float64(c.Few)), each(float64(c.Many))
	if c.Price > 0 {
		gain := func(young float64) float64 { return young*(c.Price-c.Feed) - spent }
		c.Gain, c.GainFew = gain(c.Young), gain(float64(c.Few))
		for young, p := range y.At {
			if gain(float64(young)) < 0 {
				c.Loss += p
			}
		}
	}
	c.Added = float64(c.PerYear) * c.Better / 100
	if worth := c.Added * (c.Price - c.Feed); c.Machine > 0 && worth > 0 {
		c.Years = c.Machine / worth
	}
}
