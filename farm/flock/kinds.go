package flock

import (
	"context"
	"fmt"

	"metrogon/core/rates"
	"metrogon/core/species"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/snapshot"
)

// KindRates are the pens of one kind, the farm's own or bought eggs', with what is common
// to them.
type KindRates struct {
	Kind     *species.Profile
	Supplier bool
	Pens     []PenRates
	// Mean of the kind's pens, 0 where nothing is known.
	Fertility, HatchOfFertile, HatchOfSet float64
}

// Overview is the pens by kind, and how far their batches differ from one another.
type Overview struct {
	Kinds []KindRates
	// Spread between batches in the hatch of set, and of how many batches that is known.
	Spread  rates.Spread
	Batches int
}

// Overview shows all pens.
func (b *Service) Overview(ctx context.Context, m *farm.Member) (Overview, error) {
	pens, ledger, err := b.pens(ctx, m)
	return Overview{ByKind(pens), ledger.HatchOfSet, ledger.Done()}, err
}

// Says tells of the spread in one sentence; empty where there is nothing to say.
func (o Overview) Says() string {
	switch {
	case o.Batches < rates.LeastBatches:
		return "How far your batches differ: " + wording.Lower(wording.TooFew(o.Batches, rates.LeastBatches, "batch"))
	case !o.Spread.Differ():
		return ""
	}
	return fmt.Sprintf(
		"Your batches differ by about %.0f points from one another; the bars allow for it.", o.Spread.Points(),
	)
}

// ByKind groups pens, which stand by kind, and draws the rates of each towards the others
// of its kind (farm.Pool).
func ByKind(pens []PenRates) (all []KindRates) {
	for _, p := range pens {
		n := len(all)
		if n == 0 || all[n-1].Kind.ID != p.Kind.ID || all[n-1].Supplier != p.Supplier {
			all = append(all, KindRates{Kind: p.Kind, Supplier: p.Supplier})
			n++
		}
		all[n-1].Pens = append(all[n-1].Pens, p)
	}
	for i := range all {
		k := &all[i]
		k.Fertility = pool(k.Pens, func(p *PenRates) *snapshot.Rate { return &p.Fertility })
		k.HatchOfFertile = pool(k.Pens, func(p *PenRates) *snapshot.Rate { return &p.HatchOfFertile })
		k.HatchOfSet = pool(k.Pens, func(p *PenRates) *snapshot.Rate { return &p.HatchOfSet })
	}
	return all
}

// pool draws one of the rates of pens together and gives its mean.
func pool(pens []PenRates, of func(*PenRates) *snapshot.Rate) float64 {
	all := make([]*snapshot.Rate, len(pens))
	for i := range pens {
		all[i] = of(&pens[i])
	}
	return snapshot.Pool(all)
}
