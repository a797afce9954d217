package farm

import (
	"metrogon/core/outcome"
	"metrogon/core/rates"
	"metrogon/store"
)

func GroupOf(g store.Group) outcome.Group {
	return outcome.Group{Eggs: g.Eggs, Counted: g.Counted, Young: g.Young}
}

// Told is what one pen's eggs in one batch tell of its rates; a count of none tells
// nothing.
type Told struct {
	PenID, BatchID                        int64
	Trial, Closed                         bool
	Eggs                                  int
	Looked                                outcome.Looked
	Fertility, HatchOfFertile, HatchOfSet rates.Count
}

func countOf(k, n int) rates.Count { return rates.Count{K: float64(k), N: float64(n)} }

// Tell reads what eggs of one pen did in one batch, g those whose own end nobody saw.
func Tell(r store.Record, closed bool, g store.Group) Told {
	t := tell(r, closed, g)
	t.reckon(outcome.UsualHatch, false)
	return t
}

func tell(r store.Record, closed bool, g store.Group) Told {
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
func told(s store.Sum) Told {
	r := store.Record{
		PenID: s.PenID, BatchID: s.BatchID, Set: s.Eggs, Examined: s.Examined, Fertile: s.Fertile,
		HatchedUnseen: s.HatchedUnseen,
	}
	if s.Closed {
		r.SetClosed, r.HatchedClosed = s.Eggs, s.Hatched
		r.FertileClosed, r.HatchedFertile = s.Fertile-s.CountedFertile, s.HatchedFertile
	}
	g, _ := s.Group()
	t := tell(r, s.Closed, g)
	t.Trial = s.Trial
	return t
}

// Ledger is what the eggs of all pens did, batch by batch, and how far batches of this
// farm differ from one another.
type Ledger struct {
	Told                                  []Told // the oldest batches first; eggs on trial apart
	byPen                                 map[int64][]Told
	groups                                map[GroupKey]store.Group
	Fertility, HatchOfFertile, HatchOfSet rates.Spread
}

// NewLedger makes it of the sums of all pens. The spread is that of eggs of one pen that
// are not on trial.
func NewLedger(sums []store.Sum) (l Ledger) {
	l.byPen, l.groups = map[int64][]Told{}, groupsByKey(sums)
	byPen := map[int64][]int{}
	for i, s := range sums {
		l.Told = append(l.Told, told(s))
		if !s.Trial {
			byPen[s.PenID] = append(byPen[s.PenID], i)
		}
	}
	for _, rows := range byPen {
		hatch := outcome.UsualHatch
		var of rates.Count
		for _, i := range rows {
			of.K, of.N = of.K+l.Told[i].HatchOfFertile.K, of.N+l.Told[i].HatchOfFertile.N
		}
		if of.N >= 20 && of.K > 0 {
			hatch = of.K / of.N
		}
		var looked outcome.Looked
		for _, i := range rows {
			looked = looked.Plus(l.Told[i].Looked)
		}
		for _, i := range rows {
			l.Told[i].reckon(hatch, 10*looked.Unknown < looked.All())
		}
	}
	spread := func(of func(Told) rates.Count) rates.Spread {
		var groups [][]rates.Count
		for _, rows := range byPen {
			var batches []rates.Count
			for _, i := range rows {
				batches = append(batches, of(l.Told[i]))
			}
			groups = append(groups, batches)
		}
		return rates.SpreadOf(groups)
	}
	l.Fertility = spread(func(t Told) rates.Count { return t.Fertility })
	l.HatchOfFertile = spread(func(t Told) rates.Count { return t.HatchOfFertile })
	l.HatchOfSet = spread(func(t Told) rates.Count { return t.HatchOfSet })
	for _, t := range l.Told {
		if !t.Trial {
			l.byPen[t.PenID] = append(l.byPen[t.PenID], t)
		}
	}
	return l
}

// Group of which young were counted, if these eggs are one.
func (l Ledger) Group(k GroupKey) store.Group { return l.groups[k] }

// reckon counts the fertile eggs: with the pen's hatch of fertile eggs where some could not
// be seen, and without those where few are unknown of all eggs of the pen.
func (t *Told) reckon(hatch float64, few bool) {
	if few {
		t.Fertility = countOf(t.Looked.AtLeast(), t.Looked.All()-t.Looked.Unknown)
		return
	}
	t.Fertility, _ = t.Looked.Count(t.Closed, hatch)
}

// Of gives what is told of a pen's eggs that are not on trial.
func (l Ledger) Of(penID int64) []Told { return l.byPen[penID] }

// Rate is a share counted from eggs, with its 95 % interval, which allows for batches
// that differ from one another.
type Rate struct {
	K, N int
	rates.Interval
	Worth  rates.Count     // of independent eggs
	Pooled *rates.Interval // drawn towards others of its kind; nil where it stands alone
	Why    string          // what is known only in part, or why nothing is told
}

// Rates are what a pen's eggs did. A rate with N 0 is not known.
type Rates struct{ Fertility, HatchOfFertile, HatchOfSet Rate }

// Rates of some eggs, batch by batch.
func (l Ledger) Rates(of []Told) Rates {
	var looked outcome.Looked
	fertility, hatchOfFertile, hatchOfSet := make([]rates.Count, len(of)), make([]rates.Count, len(of)),
		make([]rates.Count, len(of))
	reckoned, why := 0.0, ""
	for i, t := range of {
		fertility[i], hatchOfFertile[i], hatchOfSet[i] = t.Fertility, t.HatchOfFertile, t.HatchOfSet
		if l := t.Looked; l.Unknown < l.All() { // somebody has looked
			looked = looked.Plus(l)
			reckoned += t.Fertility.N
		}
	}
	r := Rates{rate(l.Fertility, fertility), rate(l.HatchOfFertile, hatchOfFertile), rate(l.HatchOfSet, hatchOfSet)}
	if looked.All() > 0 && reckoned < float64(looked.All()) && 10*looked.Unknown >= looked.All() {
		_, why = looked.Count(false, outcome.UsualHatch)
	}
	r.Fertility.Why = why
	return r
}

func rate(spread rates.Spread, batches []rates.Count) Rate {
	var all rates.Count
	for _, b := range batches {
		all.K, all.N = all.K+b.K, all.N+b.N
	}
	if all.N == 0 {
		return Rate{}
	}
	worth := spread.Worth(batches)
	return Rate{K: int(all.K + .5), N: int(all.N + .5), Interval: worth.Wilson(0.95), Worth: worth}
}

// RatesOf tells of the eggs of one batch alone: what they did, not what their pen does.
func RatesOf(r store.Record, closed bool, g store.Group) Rates {
	return Ledger{}.Rates([]Told{Tell(r, closed, g)})
}
