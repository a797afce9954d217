package snapshot

import (
	"maps"
	"slices"

	"metrogon/core/outcome"
	"metrogon/core/rates"
	"metrogon/core/species"
	"metrogon/farm"
	"metrogon/store/breeders"
)

func GroupOf(g breeders.Group) outcome.Group {
	return outcome.Group{Eggs: g.Eggs, Counted: g.Counted, Young: g.Young}
}

// Told is what one pen's eggs in one batch tell of its rates; a count of none tells
// nothing.
type Told struct {
	PenID, BatchID                        int64
	Closed                                bool
	Eggs                                  int
	Looked                                outcome.Looked
	Fertility, HatchOfFertile, HatchOfSet rates.Count
}

func countOf(k, n int) rates.Count { return rates.Count{K: float64(k), N: float64(n)} }

// Tell reads what eggs of one pen did in one batch, g those whose own end nobody saw.
func Tell(kind *species.Profile, r breeders.Record, closed bool, g breeders.Group) Told {
	t := tell(r, closed, g)
	t.reckon(kind.UsualHatchPct.At/100, false)
	return t
}

func tell(r breeders.Record, closed bool, g breeders.Group) Told {
	t := Told{PenID: r.PenID, BatchID: r.BatchID, Closed: closed, Eggs: r.Set}
	t.Looked = outcome.Looked{
		Fertile: r.Fertile, Infertile: r.Examined - r.Fertile, Hatched: r.HatchedUnseen,
		Unknown: r.Set - r.Examined - r.HatchedUnseen,
	}
	if g.Counted > 0 {
		young, of := GroupOf(g).OfFertile(g.Fertile, g.Unknown)
		r.HatchedClosed += g.Young
		r.HatchedFertile += young
		r.FertileClosed += of
	}
	t.HatchOfFertile = countOf(r.HatchedFertile, r.FertileClosed)
	t.HatchOfSet = countOf(r.HatchedClosed, r.SetClosed)
	return t
}

// told reads a sum.
func told(s breeders.Sum) Told {
	r := breeders.Record{
		PenID: s.PenID, BatchID: s.BatchID, Set: s.Eggs, Examined: s.Examined, Fertile: s.Fertile,
		HatchedUnseen: s.HatchedUnseen,
	}
	if s.Closed {
		r.SetClosed, r.HatchedClosed = s.Eggs, s.Hatched
		r.FertileClosed, r.HatchedFertile = s.Fertile-s.CountedFertile, s.HatchedFertile
	}
	g, _ := s.Group()
	return tell(r, s.Closed, g)
}

// Ledger is what the eggs of all pens did, batch by batch, but for those on trial, and how
// far batches of this farm differ from one another.
type Ledger struct {
	ByPen                                 map[int64][]Told // the oldest batches first
	Groups                                map[GroupKey]breeders.Group
	Fertility, HatchOfFertile, HatchOfSet rates.Spread
}

// NewLedger makes it of the sums of all pens.
func NewLedger(sums []breeders.Sum) Ledger {
	l := Ledger{ByPen: map[int64][]Told{}, Groups: groupsByKey(sums)}
	kindOf := map[int64]string{}
	for _, s := range sums {
		if !s.Trial {
			l.ByPen[s.PenID], kindOf[s.PenID] = append(l.ByPen[s.PenID], told(s)), s.Species
		}
	}
	pens := slices.Sorted(maps.Keys(l.ByPen)) // in one order, so that one sum comes of them
	for _, id := range pens {
		usual := outcome.UsualHatch
		if kind, err := species.Find(kindOf[id]); err == nil {
			usual = kind.UsualHatchPct.At / 100
		}
		reckon(l.ByPen[id], usual)
	}
	spread := func(of func(Told) rates.Count) rates.Spread {
		groups := make([][]rates.Count, len(pens))
		for i, id := range pens {
			for _, t := range l.ByPen[id] {
				groups[i] = append(groups[i], of(t))
			}
		}
		return rates.SpreadOf(groups)
	}
	l.Fertility = spread(func(t Told) rates.Count { return t.Fertility })
	l.HatchOfFertile = spread(func(t Told) rates.Count { return t.HatchOfFertile })
	l.HatchOfSet = spread(func(t Told) rates.Count { return t.HatchOfSet })
	return l
}

// Done counts the batches that are over, a pen's share of one as one.
func (l Ledger) Done() (n int) {
	for _, of := range l.ByPen {
		for _, t := range of {
			n += farm.OneIf(t.Closed)
		}
	}
	return n
}

// Group of which young were counted, if these eggs are one.
func (l Ledger) Group(k GroupKey) breeders.Group { return l.Groups[k] }

// reckon tells the fertility of a pen's eggs, batch by batch, with the hatch of fertile eggs
// (0 to 1) that is known of the pen, or else is usual for the kind.
func reckon(of []Told, hatch float64) {
	var looked outcome.Looked
	var hatched rates.Count
	for _, t := range of {
		looked = looked.Plus(t.Looked)
		hatched = rates.Count{K: hatched.K + t.HatchOfFertile.K, N: hatched.N + t.HatchOfFertile.N}
	}
	if hatched.N >= recordEggs && hatched.K > 0 {
		hatch = hatched.K / hatched.N
	}
	for i := range of {
		of[i].reckon(hatch, looked.Known())
	}
}

// reckon counts the fertile eggs of a batch: with the pen's hatch of fertile eggs (0 to 1)
// where the fate of eggs that nobody could see decided which are known, and without the
// unknown where they are few of all eggs of the pen.
func (t *Told) reckon(hatch float64, few bool) {
	l := t.Looked
	if l.Known() && t.Closed { // those that hatched unseen were fertile, as all others are known
		t.HatchOfFertile.K += float64(l.Hatched)
		t.HatchOfFertile.N += float64(l.Hatched)
	}
	if few && (l.Known() || l.Hatched == 0) {
		t.Fertility = countOf(l.AtLeast(), l.All()-l.Unknown)
		return
	}
	t.Fertility, _ = l.Count(t.Closed, hatch)
}

// Of gives what is told of a pen's eggs that are not on trial.
func (l Ledger) Of(penID int64) []Told { return l.ByPen[penID] }

// Rate is a share counted from eggs, with its 95 % interval, which allows for batches
// that differ from one another.
type Rate struct {
	K, N int
	rates.Interval
	Worth   rates.Count     // of independent eggs
	Batches []rates.Count   // what they did one by one
	Pooled  *rates.Interval // drawn towards others of its kind; nil where it stands alone
	Why     string          // what is known only in part, or why nothing is told
}

// Rates are what a pen's eggs did. A rate with N 0 is not known.
type Rates struct{ Fertility, HatchOfFertile, HatchOfSet Rate }

// ByBatch counts what eggs tell of a rate, batch by batch: what several pens' eggs did in one batch,
// which lie together, is one count, since they fared alike.
func ByBatch(told []Told, of func(Told) rates.Count) (all []rates.Count) {
	last := int64(0)
	for _, t := range told {
		c := of(t)
		if n := len(all); n > 0 && t.BatchID == last {
			all[n-1] = rates.Count{K: all[n-1].K + c.K, N: all[n-1].N + c.N}
			continue
		}
		last = t.BatchID
		all = append(all, c)
	}
	return all
}

// Rates of some eggs, the eggs of a batch together.
func (l Ledger) Rates(of []Told) (r Rates) {
	var looked outcome.Looked
	done := true
	for _, t := range of {
		if t.Looked.Unknown < t.Looked.All() { // somebody has looked
			looked, done = looked.Plus(t.Looked), done && t.Closed
		}
	}
	r = Rates{
		RateOf(l.Fertility, ByBatch(of, func(t Told) rates.Count { return t.Fertility })),
		RateOf(l.HatchOfFertile, ByBatch(of, func(t Told) rates.Count { return t.HatchOfFertile })),
		RateOf(l.HatchOfSet, ByBatch(of, func(t Told) rates.Count { return t.HatchOfSet })),
	}
	if len(of) > 0 && r.HatchOfSet.N == 0 {
		r.HatchOfSet.Why = "not over yet"
	}
	if looked.All() > 0 && !looked.Known() {
		_, r.Fertility.Why = looked.Count(done, outcome.UsualHatch)
		if r.Fertility.N > 0 {
			r.Fertility.Interval = looked.Widened(r.Fertility.Interval)
		}
	}
	return r
}

// RateOf is the rate of some batches, with an interval that allows for their spread; N 0 where nothing is known.
func RateOf(spread rates.Spread, batches []rates.Count) Rate {
	var all rates.Count
	for _, b := range batches {
		all.K, all.N = all.K+b.K, all.N+b.N
	}
	if all.N == 0 {
		return Rate{}
	}
	worth := spread.Worth(batches)
	return Rate{K: int(all.K + .5), N: int(all.N + .5), Interval: worth.Wilson(0.95), Worth: worth, Batches: batches}
}

// RatesOf tells of the eggs of one batch alone: what they did, not what their pen does.
func RatesOf(kind *species.Profile, r breeders.Record, closed bool, g breeders.Group) Rates {
	return Ledger{}.Rates([]Told{Tell(kind, r, closed, g)})
}

// Pool draws the rates of several groups together (rates.Pool), those without eggs left out, and gives
// their mean; 0 where nothing is known.
func Pool(groups []*Rate) float64 {
	eggs := make([]rates.Eggs, len(groups))
	known := 0
	for i, r := range groups {
		eggs[i] = rates.Eggs{Batches: r.Batches, Apart: true}
		known += farm.OneIf(r.N > 0)
	}
	if known == 0 {
		return 0
	}
	pooled := rates.Pool(eggs)
	for i, r := range groups {
		if r.N > 0 && known > 1 {
			in := pooled.Of(i, 0.95)
			r.Pooled = &in
		}
	}
	return pooled.Unseen().Mean()
}
