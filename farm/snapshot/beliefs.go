package snapshot

import (
	"slices"

	"metrogon/core/outcome"
	"metrogon/core/rates"
	"metrogon/core/species"
	"metrogon/core/storage"
	"metrogon/store/breeders"
)

// Beliefs are what is believed of the eggs of each pen, and what waiting
// leaves of them.
type Beliefs struct {
	Young  map[int64]rates.Beta // share of young of a fresh egg set, by pen
	curves map[string]storage.Curve
	Rho    float64 // correlation between the eggs of one batch
}

// Keeps is the share of a fresh egg's hatch that is left at an age in days.
func (x Beliefs) Keeps(kind *species.Profile, age int) float64 {
	if c, ok := x.curves[kind.ID]; ok {
		return c.Relative(float64(age))
	}
	return storage.Relative(kind, float64(age))
}

// AgeRecords are what eggs of one kind did by the days that they had waited, and what all
// eggs of the farm did batch by batch.
type AgeRecords struct {
	rows []breeders.AgeRecord
	live []breeders.LiveRecord
	Ledger
}

type GroupKey struct {
	PenID, BatchID int64
	Trial          bool
}

// groupsByKey finds the groups of which young were counted, among all sums.
func groupsByKey(sums []breeders.Sum) map[GroupKey]breeders.Group {
	by := map[GroupKey]breeders.Group{}
	for _, s := range sums {
		if g, ok := s.Group(); ok {
			by[GroupKey{g.PenID, g.BatchID, g.Trial}] = g
		}
	}
	return by
}

// part is a row with the group that it belongs to, if there is one.
func (r AgeRecords) part(row breeders.AgeRecord) outcome.Part {
	g := r.Groups[GroupKey{row.PenID, row.BatchID, false}]
	return outcome.Part{Eggs: row.Set, Hatched: row.Hatched, Counted: row.Counted, Of: GroupOf(g)}
}

// Worth of what is believed of a kind before the farm has a record of it, in eggs, and of
// how many eggs a record is one [common practice].
const (
	startEggs  = 10
	recordEggs = 20
	// Of eggs from a parcel about half hatch, of all that are set; of good ones 70 %
	// [common practice].
	parcelHatch = 0.5
)

// Beliefs come from the farm's records: of each pen its own on top of what is common to
// the pens of its kind on this farm (rates.Pool), or, where there is no such record, of
// what is usual. An egg that was set old counts as the part of a fresh one that waiting
// left of it, and the eggs of a batch for as many as fare independently. Bought eggs have
// a start of their own.
func (w *Snapshot) Beliefs(records AgeRecords) Beliefs {
	x := Beliefs{map[int64]rates.Beta{}, map[string]storage.Curve{}, records.HatchOfSet.Rho}
	own := map[int64]rates.Count{}
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
		c := own[r.PenID]
		own[r.PenID] = rates.Count{K: c.K + young, N: c.N + max(young, float64(r.Set)*x.Keeps(kind, r.Age))}
	}
	byKind := map[source][]rates.Count{}
	for _, pen := range w.Pens {
		if c, known := own[pen.ID]; known {
			own[pen.ID] = records.worth(pen.ID, c)
			of := source{pen.Species, pen.Supplier}
			byKind[of] = append(byKind[of], own[pen.ID])
		}
	}
	for id, pen := range w.PenByID {
		x.Young[id] = w.start(source{pen.Species, pen.Supplier}, byKind).With(own[id])
	}
	return x
}

// worth counts a pen's eggs for as many as fare independently of one another.
func (r AgeRecords) worth(penID int64, c rates.Count) rates.Count {
	var batches []rates.Count
	eggs := 0.0
	for _, t := range r.Of(penID) {
		batches = append(batches, t.HatchOfSet)
		eggs += t.HatchOfSet.N
	}
	if eggs == 0 {
		return c
	}
	share := r.HatchOfSet.Worth(batches).N / eggs
	return rates.Count{K: c.K * share, N: c.N * share}
}

// source is a species, bought or of the farm's own pens.
type source struct {
	species  string
	supplier bool
}

// start is what is believed of a pen before its own record, from the others of its kind.
func (w *Snapshot) start(of source, byKind map[source][]rates.Count) rates.Beta {
	eggs := 0.0
	for _, c := range byKind[of] {
		eggs += c.N
	}
	if eggs >= recordEggs && len(byKind[of]) > 1 {
		return rates.Pool(byKind[of]).Bounded()
	}
	mean := parcelHatch
	if kind := w.Kinds[of.species]; kind != nil && !of.supplier {
		mean = kind.UsualHatch()
	}
	return rates.Beta{A: startEggs * mean, B: startEggs * (1 - mean)}
}

// liveEggs is what the kind's usual hatch of live eggs is worth beside a farm's own.
const liveEggs = 40

// Live is what is believed of eggs of a pen that were seen alive, late in the second half of
// incubation: the farm's own share of such eggs, beginning at the kind's, as much higher or
// lower as the pen's fertile eggs hatch than usual there.
func (w *Snapshot) Live(r AgeRecords, penID int64, kind *species.Profile, late bool) rates.Beta {
	usual := kind.LiveHatchPct.From / 100
	if late {
		usual = kind.LiveHatchPct.To / 100
	}
	hatch, own := kind.UsualHatchPct.At/100, rates.Count{}
	b := rates.Beta{A: startEggs * hatch, B: startEggs * (1 - hatch)}
	for _, p := range w.Pens {
		if p.Species != kind.ID {
			continue
		}
		for _, t := range r.Of(p.ID) {
			own.K, own.N = own.K+t.HatchOfFertile.K, own.N+t.HatchOfFertile.N
		}
	}
	for _, l := range r.live {
		if l.Late == late && l.Live > 0 {
			usual = (liveEggs*usual + float64(l.Hatched)) / float64(liveEggs+l.Live)
			hatch = (liveEggs*hatch + own.K) / (liveEggs + own.N)
		}
	}
	var batches []rates.Count
	for _, t := range r.Of(penID) {
		batches = append(batches, t.HatchOfFertile)
	}
	b = b.With(r.HatchOfFertile.Worth(batches))
	mean, size := min(b.Mean()*usual/hatch, 0.98), b.A+b.B
	return rates.Beta{A: mean * size, B: (1 - mean) * size}
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
