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
	starts map[source]rates.Beta // of pens that have no record yet, where others of theirs have
	Rho    float64               // correlation between the eggs of one batch
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

// Beliefs come from the farm's records: of each pen its own together with those of the other pens of its kind on this
// farm (rates.Pool), or, where there is too little record, its own on top of what is usual. An egg that was set old
// counts as the part of a fresh one that waiting left of it. Bought eggs have a start of their own.
func (w *Snapshot) Beliefs(records AgeRecords) Beliefs {
	x := Beliefs{
		map[int64]rates.Beta{}, map[string]storage.Curve{}, map[source]rates.Beta{}, records.HatchOfSet.Rho,
	}
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
	byKind := map[source][]int64{}
	eggs := map[int64]rates.Eggs{}
	for _, pen := range w.Pens {
		if c, known := own[pen.ID]; known && c.N > 0 {
			of := source{pen.Species, pen.Supplier}
			byKind[of], eggs[pen.ID] = append(byKind[of], pen.ID), records.fresh(pen.ID, c)
		}
	}
	for of, pens := range byKind {
		x.pool(of, pens, eggs)
	}
	for id, pen := range w.PenByID {
		if _, known := x.Young[id]; !known {
			start, known := x.starts[source{pen.Species, pen.Supplier}]
			if !known {
				start = w.usual(source{pen.Species, pen.Supplier})
			}
			x.Young[id] = start.With(records.HatchOfSet.Worth(eggs[id].Batches))
		}
	}
	return x
}

// pool draws pens of one source together, where there are two of them and eggs enough.
func (x *Beliefs) pool(of source, pens []int64, eggs map[int64]rates.Eggs) {
	var groups []rates.Eggs
	sum := 0.0
	for _, id := range pens {
		groups = append(groups, eggs[id])
		for _, b := range eggs[id].Batches {
			sum += b.N
		}
	}
	if sum < recordEggs || len(pens) < 2 {
		return
	}
	pooled := rates.Pool(groups)
	for i, id := range pens {
		x.Young[id] = pooled.Belief(i)
	}
	x.starts[of] = pooled.Bounded()
}

// fresh gives a pen's batches as if its eggs had been fresh: all together they count c.
func (r AgeRecords) fresh(penID int64, c rates.Count) rates.Eggs {
	var all rates.Count
	batches := r.Of(penID)
	for _, t := range batches {
		all.K, all.N = all.K+t.HatchOfSet.K, all.N+t.HatchOfSet.N
	}
	if all.N == 0 || all.K == 0 && c.K > 0 {
		return rates.Eggs{Batches: []rates.Count{c}, Apart: true}
	}
	eggs := rates.Eggs{Apart: true}
	for _, t := range batches {
		b := t.HatchOfSet
		n := b.N * c.N / all.N
		k := b.K
		if all.K > 0 {
			k = b.K * c.K / all.K
		}
		eggs.Batches = append(eggs.Batches, rates.Count{K: k, N: max(n, k)})
	}
	return eggs
}

// source is a species, bought or of the farm's own pens.
type source struct {
	species  string
	supplier bool
}

// usual is what is believed of a pen before any record.
func (w *Snapshot) usual(of source) rates.Beta {
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
