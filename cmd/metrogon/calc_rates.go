package main

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"

	"metrogon/core/candling"
	"metrogon/core/outcome"
	"metrogon/core/rates"
)

type rateOut struct {
	Rate       float64  `json:"rate_pct"`
	Low        float64  `json:"low_pct"`
	High       float64  `json:"high_pct"`
	Pooled     *float64 `json:"pooled_pct,omitempty"`
	PooledLow  *float64 `json:"pooled_low_pct,omitempty"`
	PooledHigh *float64 `json:"pooled_high_pct,omitempty"`
}

type groupOut struct {
	Name           string   `json:"name"`
	Fertility      *rateOut `json:"fertility,omitempty"`
	HatchOfFertile *rateOut `json:"hatch_of_fertile,omitempty"`
	HatchOfSet     *rateOut `json:"hatch_of_set"`
}

type priorOut struct {
	A          float64 `json:"a"`
	B          float64 `json:"b"`
	Degenerate bool    `json:"degenerate"`
	SD         float64 `json:"sd_points"` // how far groups differ
	SDLow      float64 `json:"sd_low_points"`
	SDHigh     float64 `json:"sd_high_points"`
}

type spreadOut struct {
	Rho         float64 `json:"rho"`
	BatchPoints float64 `json:"batch_sd_points"`
}

// counted is what became of eggs, of a group or of one batch.
type counted struct {
	Set     *int `json:"set"`
	Fertile *int `json:"fertile"`
	Hatched *int `json:"hatched"`
}

type groupIn struct {
	Name string `json:"name"`
	counted
	Batches []counted `json:"batches"`
}

func (c counted) check(field string) error {
	if c.Set == nil || c.Hatched == nil {
		return fmt.Errorf("%s: set and hatched are missing; they may be whole numbers", field)
	}
	most := *c.Set
	err := between(field+".set", float64(*c.Set), 1, 1e9)
	if c.Fertile != nil {
		err = cmp.Or(err, between(field+".fertile", float64(*c.Fertile), 0, float64(*c.Set)))
		most = *c.Fertile
	}
	return cmp.Or(err, between(field+".hatched", float64(*c.Hatched), 0, float64(most)))
}

// lots are the batches of a group; without any it is taken as one that tells of no spread.
func (g groupIn) lots(field string) ([]counted, error) {
	if g.Batches == nil {
		return []counted{g.counted}, g.check(field)
	}
	if g.Set != nil || g.Fertile != nil || g.Hatched != nil {
		return nil, fmt.Errorf("%s: set, fertile, hatched beside batches; it may be one of them", field)
	}
	if len(g.Batches) == 0 {
		return nil, fmt.Errorf("%s.batches: none are given; it may be one or more", field)
	}
	for i, b := range g.Batches {
		if err := b.check(fmt.Sprintf("%s.batches[%d]", field, i)); err != nil {
			return nil, err
		}
	}
	return g.Batches, nil
}

// The three rates; each reads a count from what is known of eggs.
var threeRates = []struct {
	name string
	of   func(c counted) (k, n *int)
	in   func(g *groupOut) **rateOut
}{
	{
		"fertility", func(c counted) (k, n *int) { return c.Fertile, c.Set },
		func(g *groupOut) **rateOut { return &g.Fertility },
	},
	{
		"hatch_of_fertile", func(c counted) (k, n *int) { return c.Hatched, c.Fertile },
		func(g *groupOut) **rateOut { return &g.HatchOfFertile },
	},
	{
		"hatch_of_set", func(c counted) (k, n *int) { return c.Hatched, c.Set },
		func(g *groupOut) **rateOut { return &g.HatchOfSet },
	},
}

func calcRates(ctx context.Context, in []byte) (any, error) {
	var q struct {
		Groups        []groupIn `json:"groups"`
		ConfidencePct *float64  `json:"confidence_pct"`
	}
	if err := strict(in, &q); err != nil {
		return nil, err
	}
	if len(q.Groups) == 0 {
		return nil, errors.New("groups: none are given; it may be one or more")
	}
	confidence := 95.0
	if q.ConfidencePct != nil {
		confidence = *q.ConfidencePct
	}
	if err := between("confidence_pct", confidence, 1, 99.9999); err != nil {
		return nil, err
	}
	lots := make([][]counted, len(q.Groups))
	out := make([]groupOut, len(q.Groups))
	for i, g := range q.Groups {
		var err error
		if lots[i], err = g.lots(fmt.Sprintf("groups[%d]", i)); err != nil {
			return nil, err
		}
		out[i].Name = g.Name
	}
	priors, spreads := map[string]priorOut{}, map[string]spreadOut{}
	for _, rate := range threeRates {
		batches := make([][]rates.Count, len(lots))
		byBatch := false
		for i, group := range lots {
			byBatch = byBatch || q.Groups[i].Batches != nil
			for _, b := range group {
				if k, n := rate.of(b); k != nil && n != nil && *n > 0 {
					batches[i] = append(batches[i], rates.Count{K: float64(*k), N: float64(*n)})
				}
			}
		}
		spread := rates.SpreadOf(batches)
		counts := make([]rates.Count, len(lots))
		for i := range lots {
			if counts[i] = spread.Worth(batches[i]); q.Groups[i].Batches == nil {
				counts[i] = rates.Spread{}.Worth(batches[i])
			}
		}
		eggs := make([]rates.Eggs, len(lots))
		for i := range lots {
			eggs[i] = rates.Eggs{Batches: batches[i], Apart: q.Groups[i].Batches != nil}
		}
		pooled := rates.Pool(eggs)
		for i, c := range counts {
			if c.N > 0 {
				*rate.in(&out[i]) = shown(c.Wilson(confidence/100), pooled.Of(i, confidence/100))
			}
		}
		unseen, points := pooled.Unseen(), pooled.Points()
		priors[rate.name] = priorOut{unseen.A, unseen.B, false, points.Rate, points.Low, points.High}
		if byBatch {
			spreads[rate.name] = spreadOut{spread.Rho, spread.Points()}
		}
	}
	return map[string]any{"groups": out, "prior": priors, "spread": spreads}, nil
}

func shown(own, pooled rates.Interval) *rateOut {
	pct := func(x float64) *float64 { x *= 100; return &x }
	return &rateOut{
		100 * own.Rate, 100 * own.Low, 100 * own.High, pct(pooled.Rate), pct(pooled.Low), pct(pooled.High),
	}
}

// beliefOf reads the belief of the hatch of set: a beta distribution, or a record.
func beliefOf(a, b *float64, set, hatched *int) (rates.Beta, error) {
	shape, record := a != nil || b != nil, set != nil || hatched != nil
	switch {
	case shape && !record && a != nil && b != nil:
		return rates.Beta{A: *a, B: *b}, cmp.Or(between("a", *a, 1e-6, 1e9), between("b", *b, 1e-6, 1e9))
	case record && !shape && set != nil && hatched != nil:
		err := cmp.Or(
			between("set", float64(*set), 0, 1e9), between("hatched", float64(*hatched), 0, float64(*set)),
		)
		if err != nil {
			return rates.Beta{}, err
		}
		return rates.Jeffreys.After(*hatched, *set), nil
	}
	return rates.Beta{}, errors.New("a, b, set, hatched: it may be a with b, or set with hatched")
}

func calcSetCount(ctx context.Context, in []byte) (any, error) {
	var q struct {
		Wanted        int      `json:"wanted"`
		ConfidencePct float64  `json:"confidence_pct"`
		A             *float64 `json:"a"`
		B             *float64 `json:"b"`
		Set           *int     `json:"set"`
		Hatched       *int     `json:"hatched"`
		Rho           float64  `json:"rho"`
	}
	if err := strict(in, &q); err != nil {
		return nil, err
	}
	if err := cmp.Or(
		between("wanted", float64(q.Wanted), 1, rates.MaxEggs), between("rho", q.Rho, 0, 0.9),
	); err != nil {
		return nil, err
	}
	if !(q.ConfidencePct > 0 && q.ConfidencePct < 100) {
		return nil, fmt.Errorf("confidence_pct: %v is not possible; it may lie between 0 and 100", q.ConfidencePct)
	}
	belief, err := beliefOf(q.A, q.B, q.Set, q.Hatched)
	if err != nil {
		return nil, err
	}
	n, err := rates.EggsFor(q.Wanted, q.ConfidencePct/100, belief, q.Rho)
	if err != nil {
		return nil, fmt.Errorf("wanted: %w", err)
	}
	return map[string]any{
		"eggs": n.Eggs, "prob_pct": 100 * n.Prob, "prob_one_fewer_pct": 100 * n.ProbFewer, "expected": n.Expected,
	}, nil
}

// mostYoung bounds the exact distribution of young.
const mostYoung = 5000

func calcYoung(ctx context.Context, in []byte) (any, error) {
	q := struct {
		Lots []struct {
			Eggs int     `json:"eggs"`
			A    float64 `json:"a"`
			B    float64 `json:"b"`
		} `json:"lots"`
		Rho      float64 `json:"rho"`
		Together bool    `json:"together"`
		Ask      []int   `json:"ask"`
	}{Rho: 0.02, Together: true}
	if err := strict(in, &q); err != nil {
		return nil, err
	}
	if err := between("rho", q.Rho, 0, 0.9); err != nil {
		return nil, err
	}
	all, eggs := make([]rates.Lot, len(q.Lots)), 0
	for i, l := range q.Lots {
		field := func(name string) string { return fmt.Sprintf("lots[%d].%s", i, name) }
		if err := cmp.Or(
			between(field("eggs"), float64(l.Eggs), 0, mostYoung), between(field("a"), l.A, 1e-3, 1e9),
			between(field("b"), l.B, 1e-3, 1e9),
		); err != nil {
			return nil, err
		}
		all[i] = rates.Lot{Eggs: l.Eggs, Belief: rates.Beta{A: l.A, B: l.B}}
		eggs += l.Eggs
	}
	if err := between("lots: eggs in all", float64(eggs), 0, mostYoung); err != nil {
		return nil, err
	}
	y := rates.Expect(all, q.Rho, q.Together)
	asked := []map[string]any{}
	for _, k := range q.Ask {
		asked = append(asked, map[string]any{"k": k, "prob_pct": 100 * y.AtLeast(k)})
	}
	return map[string]any{
		"expected": y.Mean(), "p5": y.Quantile(.05), "p10": y.Quantile(.10), "p90": y.Quantile(.90),
		"p95": y.Quantile(.95), "at_least": asked,
	}, nil
}

type eggIn struct {
	Calls        []candling.Call `json:"calls"`
	Hatched      bool            `json:"hatched"`
	Removed      bool            `json:"removed"`
	Opened       *candling.Stage `json:"opened"`
	BrokenByHand bool            `json:"broken_by_hand"`
}

func (e eggIn) check(field string) error {
	for _, c := range e.Calls {
		if !slices.Contains(candling.Calls, c) {
			return fmt.Errorf("%s.calls: %q is no call; it may be one of %v", field, c, candling.Calls)
		}
	}
	if e.Opened != nil && !slices.Contains(candling.Stages, *e.Opened) {
		return fmt.Errorf("%s.opened: %q is no stage; it may be one of %v", field, *e.Opened, candling.Stages)
	}
	if e.Hatched && (e.Removed || e.BrokenByHand || e.Opened != nil) {
		return fmt.Errorf("%s.hatched: beside removed, opened or broken; it may be one of them", field)
	}
	return nil
}

func calcFertility(ctx context.Context, in []byte) (any, error) {
	q := struct {
		Eggs              []eggIn `json:"eggs"`
		Done              bool    `json:"done"`
		HatchOfFertilePct float64 `json:"hatch_of_fertile_pct"`
	}{HatchOfFertilePct: 100 * outcome.UsualHatch}
	if err := strict(in, &q); err != nil {
		return nil, err
	}
	if err := between("hatch_of_fertile_pct", q.HatchOfFertilePct, 1, 100); err != nil {
		return nil, err
	}
	var l outcome.Looked
	for i, e := range q.Eggs {
		if err := e.check(fmt.Sprintf("eggs[%d]", i)); err != nil {
			return nil, err
		}
		if e.BrokenByHand {
			continue
		}
		stage := candling.Stage("")
		if e.Opened != nil {
			stage = *e.Opened
		}
		fertile, known := candling.Fertile(e.Calls, e.Hatched, stage)
		l.Add(fertile, known, e.Hatched)
	}
	return fertilityOut(l, q.Done, q.HatchOfFertilePct/100), nil
}

func fertilityOut(l outcome.Looked, done bool, hatch float64) map[string]any {
	out := map[string]any{
		"fertile": l.AtLeast(), "infertile": l.Infertile, "unknown": l.Unknown, "at_least_pct": nil,
		"at_most_pct": nil, "rate_pct": nil, "low_pct": nil, "high_pct": nil, "why": nil,
	}
	if l.All() > 0 {
		out["at_least_pct"] = 100 * float64(l.AtLeast()) / float64(l.All())
		out["at_most_pct"] = 100 * float64(l.AtMost()) / float64(l.All())
	}
	c, why := l.Count(done, hatch)
	if why != "" {
		out["why"] = why
	}
	if c.N > 0 {
		i := l.Interval(c, 0.95)
		out["rate_pct"], out["low_pct"], out["high_pct"] = 100*i.Rate, 100*i.Low, 100*i.High
	}
	return out
}
