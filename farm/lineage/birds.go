// Package lineage is whose eggs they are: the birds and who stayed where (Flock), and
// what is known of each egg by its dam and sire (Facts).
package lineage

import (
	"context"
	"slices"
	"strings"
	"time"

	"metrogon/core/breeding"
	"metrogon/farm"
	"metrogon/farm/snapshot"
	"metrogon/store/breeders"
)

// Flock is the farm's birds, and where each was when.
type Flock struct {
	Birds  map[int64]breeders.Bird
	ByName []breeders.Bird
	Stays  []breeders.BirdStay
	all    breeding.Flock
	dams   map[damKey]int64
}

type damKey struct {
	pen int64
	hen string // in lower case
}

type flockKey struct{}

// Of reads the farm's birds; in a use case that changes nothing they are read once for as long
// as nothing is changed of them.
func Of(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot) (Flock, error) {
	return farm.Recall(ctx, tx, flockKey{}, func() (Flock, error) {
		birds, stays, err := breeders.On(tx).Flock(ctx)
		return newFlock(w.Pens, birds, stays), err
	})
}

// secondUnnamed tells a second unnamed male of a pen from the first.
const secondUnnamed = 1 << 40

// newFlock puts birds and stays together. A pen that has more males than are named has unnamed
// ones, from its first day; they stand as negative numbers, one a pen, or two, which is several.
func newFlock(pens []snapshot.Pen, birds []breeders.Bird, stays []breeders.BirdStay) Flock {
	f := Flock{Birds: map[int64]breeders.Bird{}, ByName: birds, Stays: stays, dams: map[damKey]int64{}}
	for _, b := range birds {
		f.Birds[b.ID] = b
	}
	named, ended := map[int64]int{}, map[int64]*time.Time{}
	for _, p := range pens {
		ended[p.ID] = p.UntilOn
	}
	for _, s := range stays {
		stay := breeding.Stay{Bird: s.BirdID, Pen: s.PenID, Male: s.Sex == Male, From: s.FromOn}
		if s.UntilOn != nil {
			stay.Until = *s.UntilOn
		} else if end := ended[s.PenID]; end != nil { // nobody stays in a pen that is no more
			stay.Until = farm.Latest(*end, s.FromOn)
		}
		f.all = append(f.all, stay)
		if stay.Male && s.UntilOn == nil {
			named[s.PenID]++
		}
		if !stay.Male {
			b := f.Birds[s.BirdID]
			for _, name := range []string{b.Name, b.Mark} {
				if name != "" {
					f.dams[damKey{s.PenID, strings.ToLower(name)}] = b.ID
				}
			}
		}
	}
	for _, p := range pens {
		unnamed := p.Males - named[p.ID]
		for i := range min(unnamed, 2) {
			stay := breeding.Stay{Bird: -p.ID - int64(i)*secondUnnamed, Pen: p.ID, Male: true, From: p.FromOn}
			if p.UntilOn != nil {
				stay.Until = *p.UntilOn
			}
			f.all = append(f.all, stay)
		}
	}
	return f
}

// The sexes as they are kept.
const (
	Male   = "male"
	Female = "female"
)

// Dam finds the hen of a pen that was noted with an egg, by her name or mark.
func (f Flock) Dam(penID int64, hen string) int64 {
	if hen == "" {
		return 0
	}
	return f.dams[damKey{penID, strings.ToLower(hen)}]
}

// SireOf tells who can have sired an egg laid in a pen on a day. Of eggs laid before the pen's first day it is whoever
// its first males are: a pen is often written down after its eggs.
func (f Flock) SireOf(w *snapshot.Snapshot, penID, dam int64, laidOn time.Time) breeding.Sire {
	pen := w.PenByID[penID]
	kind := w.Kinds[pen.Species]
	if kind == nil {
		return breeding.Sire{How: breeding.NoMale}
	}
	if laidOn.Before(pen.FromOn) {
		if sire := f.all.First(penID, pen.FromOn); sire.How != breeding.NoMale {
			return sire
		}
	}
	return f.all.SireOf(penID, dam, laidOn, breeding.FertileOf(kind))
}

// Former tells that the sire of eggs is sure, and is no longer in their pen.
func (f Flock) Former(penID int64, sire breeding.Sire) bool {
	return sire.How == breeding.Sure && !slices.ContainsFunc(f.all, func(s breeding.Stay) bool {
		return s.Pen == penID && s.Bird == sire.Males[0] && s.Until.IsZero()
	})
}

// Changes lists the males that came into a pen, with what follows of each.
func (f Flock) Changes(w *snapshot.Snapshot, penID int64) []breeding.Change {
	kind := w.Kinds[w.PenByID[penID].Species]
	if kind == nil || w.PenByID[penID].Supplier {
		return nil
	}
	return f.all.Changes(penID, breeding.FertileOf(kind))
}

// MaleName names a male, also one that nobody named.
func (f Flock) MaleName(w *snapshot.Snapshot, id int64) string {
	if b, ok := f.Birds[id]; ok {
		return b.Name
	}
	if id < 0 {
		return "the unnamed male of " + w.PenByID[-id%secondUnnamed].Name
	}
	return "a male without a name"
}

// Pedigree gives all birds with their parents.
func (f Flock) Pedigree() (ids []int64, parents map[int64]breeding.Parents[int64]) {
	parents = map[int64]breeding.Parents[int64]{}
	for _, b := range f.ByName {
		ids = append(ids, b.ID)
		parents[b.ID] = ParentsOf(b)
	}
	return ids, parents
}

// ParentsOf a bird; 0 where one is not known.
func ParentsOf(b breeders.Bird) (p breeding.Parents[int64]) {
	if b.SireID != nil {
		p.Sire = *b.SireID
	}
	if b.DamID != nil {
		p.Dam = *b.DamID
	}
	return p
}

// AgeYears of a bird on a day; 0 where its hatch date is not known.
func AgeYears(b breeders.Bird, on time.Time) float64 {
	if b.HatchedOn == nil {
		return 0
	}
	return on.Sub(*b.HatchedOn).Hours() / 24 / 365.25
}
