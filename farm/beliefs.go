package farm

import (
	"context"
	"slices"

	"metrogon/core/outcome"
	"metrogon/core/rates"
	"metrogon/core/species"
	"metrogon/core/storage"
	"metrogon/store"
)

// Beliefs are what is believed of the eggs of each pen, and what waiting
// leaves of them.
type Beliefs struct {
	Young  map[int64]rates.Beta // share of young of a fresh egg set, by pen
	curves map[string]storage.Curve
}

// Keeps is the share of a fresh egg's hatch that is left at an age in days.
func (x Beliefs) Keeps(kind *species.Profile, age int) float64 {
	if c, ok := x.curves[kind.ID]; ok {
		return c.Relative(float64(age))
	}
	return storage.Relative(kind, float64(age))
}

// AgeRecords are what eggs of one kind did by the days that they had waited.
type AgeRecords struct {
	rows   []store.AgeRecord
	groups map[GroupKey]store.Group
}

type GroupKey struct {
	PenID, BatchID int64
	Trial          bool
}

func GroupsByKey(groups []store.Group) map[GroupKey]store.Group {
	by := map[GroupKey]store.Group{}
	for _, g := range groups {
		by[GroupKey{g.PenID, g.BatchID, g.Trial}] = g
	}
	return by
}

func ReadAges(ctx context.Context, tx *Tx, species string) (r AgeRecords, err error) {
	rows, groups, err := tx.RecordsByAge(ctx, species)
	return AgeRecords{rows, GroupsByKey(groups)}, err
}

// part is a row with the group that it belongs to, if there is one.
func (r AgeRecords) part(row store.AgeRecord) outcome.Part {
	g := r.groups[GroupKey{row.PenID, row.BatchID, false}]
	return outcome.Part{Eggs: row.Set, Hatched: row.Hatched, Counted: row.Counted, Of: GroupOf(g)}
}

// Beliefs come from the farm's records: of each pen its own on top of a
// weak start at the mean of its species on this farm (worth four eggs), or of
// Jeffreys' prior where the farm has no record of the species. An egg that was
// set old counts as the part of a fresh one that waiting left of it. Bought eggs
// have a start of their own, since about half of the hatch of home eggs is
// normal for them [common practice].
func (w *Snapshot) Beliefs(records AgeRecords) Beliefs {
	x := Beliefs{map[int64]rates.Beta{}, map[string]storage.Curve{}}
	set, hatched := map[source]float64{}, map[source]float64{}
	of := func(penID int64) source { return source{w.PenByID[penID].Species, w.PenByID[penID].Supplier} }
	for _, r := range records.rows {
		kind, ok := w.Kinds[w.PenByID[r.PenID].Species]
		if !ok {
			continue
		}
		if _, ok := x.curves[kind.ID]; !ok {
			own, _ := w.OwnByAge(records, kind.ID)
			x.curves[kind.ID] = storage.Blend(kind, own)
		}
		young, _ := records.part(r).Share()
		set[of(r.PenID)] += float64(r.Set) * x.Keeps(kind, r.Age)
		hatched[of(r.PenID)] += young
	}
	for id := range w.PenByID {
		x.Young[id] = start(of(id), set, hatched)
	}
	for _, r := range records.rows {
		b, kind := x.Young[r.PenID], w.Kinds[w.PenByID[r.PenID].Species]
		if kind == nil {
			continue
		}
		young, _ := records.part(r).Share()
		x.Young[r.PenID] = rates.Beta{A: b.A + young, B: b.B + max(0, float64(r.Set)*x.Keeps(kind, r.Age)-young)}
	}
	return x
}

// source is a species, bought or of the farm's own pens.
type source struct {
	species  string
	supplier bool
}

// start is what is believed of a pen before its own record, from all of its kind.
func start(s source, set, hatched map[source]float64) rates.Beta {
	mean := func(s source) (float64, bool) {
		return (hatched[s] + .5) / (max(set[s], hatched[s]) + 1), set[s] >= 20
	}
	m, known := mean(s)
	if !known && s.supplier {
		if m, known = mean(source{s.species, false}); known {
			m /= 2
		}
	}
	if !known {
		return rates.Jeffreys
	}
	return rates.Beta{A: 4 * m, B: 4 * (1 - m)}
}

// Expect is how many young eggs of a pen and age should give.
func (x Beliefs) Expect(kind *species.Profile, penID int64, age, eggs int) float64 {
	return float64(eggs) * x.Young[penID].Mean() * x.Keeps(kind, age)
}

// OwnByAge gives what own eggs of a kind did at each age, and of how many nothing
// is known by age, since young were counted of eggs of several ages together.
func (w *Snapshot) OwnByAge(records AgeRecords, kindID string) (own []storage.Own, leftOut int) {
	for _, r := range records.rows {
		if w.PenByID[r.PenID].Species != kindID || r.Age > 60 || w.PenByID[r.PenID].Supplier {
			continue
		}
		set, hatched, out := records.part(r).Known()
		leftOut += out
		if set == 0 {
			continue
		}
		i := slices.IndexFunc(own, func(o storage.Own) bool { return int(o.AgeDays) == r.Age })
		if i < 0 {
			i = len(own)
			own = append(own, storage.Own{AgeDays: float64(r.Age)})
		}
		own[i].Set += set
		own[i].Hatched += hatched
	}
	return
}
