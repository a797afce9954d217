package demo

import (
	"context"
	"fmt"
	"time"

	"metrogon/farm"
	"metrogon/store/breeders"
)

// bred is a bird of the demo farm: days old, of which parents, in which pen since how many days ago.
type bred struct {
	name, mark, sex string
	breed, origin   string
	old             int
	sire, dam       string
	weightG         float64
	shell           string
	pen             int // index; -1: in none
	since, until    int // days ago; until 0: there now
	gone            string
}

// birds are families over four generations: a cock that was swapped twelve days ago, so that the last
// weeks' eggs have no certain sire; his son in the next pen; and quail that are selected by weight.
func (l *loader) birds(ctx context.Context) error {
	all := []bred{
		{
			name: "Alder", mark: "red 04", sex: "male", breed: "Barred Fold", origin: "Thistledown Farm", old: 1480,
			weightG: 3650, shell: "brown", pen: 0, since: 900, until: 12, gone: "retired",
		},
		{
			name: "Hazel", mark: "red 11", sex: "female", breed: "Barred Fold", old: 1400, weightG: 2710, shell: "brown",
			pen: 0, since: 900,
		},
		{
			name: "Rowan", mark: "red 12", sex: "female", breed: "Barred Fold", old: 1310, weightG: 2640,
			shell: "dark brown", pen: 0, since: 900,
		},
		{
			name: "Briar", mark: "blue 02", sex: "male", breed: "Barred Fold", old: 720, sire: "Alder", dam: "Hazel",
			weightG: 3580, shell: "brown", pen: 1, since: 380,
		},
		{
			name: "Tansy", mark: "blue 07", sex: "female", breed: "Barred Fold", old: 705, sire: "Alder", dam: "Rowan",
			weightG: 2690, shell: "dark brown", pen: 1, since: 380,
		},
		{
			name: "Cobnut", mark: "green 01", sex: "male", breed: "Barred Fold", old: 400, sire: "Briar", dam: "Tansy",
			weightG: 3610, shell: "brown", pen: 0, since: 12,
		},
		{
			name: "Sedge", sex: "male", breed: "Lavender", origin: "Perrin Oake", old: 810, weightG: 820, shell: "cream",
			pen: 2, since: 400,
		},
		{name: "Marl", sex: "male", breed: "Marsh runner", old: 950, weightG: 2050, shell: "pale green", pen: 4, since: 410},
	}
	all = append(all, l.quail()...)
	today := l.m.Date(l.now)
	ago := func(days int) time.Time { return today.AddDate(0, 0, -days) }
	ids := map[string]int64{}
	parent := func(name string) *int64 {
		if id, ok := ids[name]; ok {
			return &id
		}
		return nil
	}
	for _, b := range all {
		hatched, weight := ago(b.old), b.weightG
		bird := breeders.Bird{
			Name: b.name, Mark: b.mark, Species: "coturnix-quail", Breed: b.breed, Sex: b.sex, HatchedOn: &hatched,
			SireID: parent(b.sire), DamID: parent(b.dam), Origin: b.origin, WeightG: &weight, Shell: b.shell, Gone: b.gone,
		}
		if b.pen >= 0 {
			bird.Species = l.pens[b.pen].species
		}
		if b.gone != "" {
			on := ago(b.until)
			bird.GoneOn = &on
		}
		id, err := breeders.On(l.tx).SaveBird(ctx, bird)
		if err != nil {
			return err
		}
		ids[b.name] = id
		if b.pen < 0 {
			continue
		}
		stay := breeders.BirdStay{BirdID: id, PenID: l.pens[b.pen].id, FromOn: farm.Latest(ago(b.since), l.from)}
		if b.until > 0 {
			until := ago(b.until)
			stay.UntilOn = &until
		}
		if _, err := breeders.On(l.tx).SaveStay(ctx, stay); err != nil {
			return err
		}
	}
	return l.tested(ctx, ago)
}

// tested is a fertility test of the turkeys, whose eggs are in and not candled yet.
func (l *loader) tested(ctx context.Context, ago func(days int) time.Time) error {
	open, err := l.tx.OpenBatches(ctx)
	if err != nil {
		return err
	}
	for _, b := range open {
		if b.Species == "turkey" {
			_, err := breeders.On(l.tx).SaveTest(ctx, breeders.FertilityTest{
				PenID: l.pens[5].id, AskedOn: ago(6), Eggs: 12, BatchID: &b.ID, Why: "many clears in spring",
			})
			return err
		}
	}
	return nil
}

// quail are four generations selected by weight: the heaviest of each have the young of the next.
func (l *loader) quail() (all []bred) {
	for g := range 4 {
		for i := range 6 {
			b := bred{
				name: fmt.Sprintf("Oat %d-%d", g, i+1), sex: []string{"male", "female"}[i%2], breed: "Oat",
				old: 900 - 210*g, weightG: float64(236 + 9*g + 7*i - l.dice.IntN(9)),
				shell: []string{"spotted", "spotted", "pale blue"}[(g+i)%3], pen: -1,
			}
			if g > 0 {
				b.sire, b.dam = fmt.Sprintf("Oat %d-5", g-1), fmt.Sprintf("Oat %d-%d", g-1, 4+2*(i%2))
			}
			if g < 2 { // their time is over
				b.gone, b.until = "sold", 150
			}
			if g == 3 && (i == 0 || i == 2 || i == 3) {
				b.pen, b.since = 3, 190
			}
			all = append(all, b)
		}
	}
	return all
}
