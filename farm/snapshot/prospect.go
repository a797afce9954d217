package snapshot

import (
	"math"
	"time"

	"metrogon/core/candling"
	"metrogon/core/choice"
	"metrogon/core/hatching"
	"metrogon/core/outcome"
	"metrogon/core/rates"
	"metrogon/core/species"
	"metrogon/farm"
	"metrogon/store"
)

// Prospect is how many young a batch may bring, those that are out already among them: of
// the eggs as they are known now, 9 times in 10 between Low and High; and of all eggs as
// they were set, as Set says it.
type Prospect struct {
	Standing
	Young     float64
	Low, High int
	AtSet     float64
	Out       int // eggs that were taken out: their places are free
}

// Standing is what a batch may bring by pen, and what of it is still in the machine.
type Standing struct {
	ByPen map[int64]float64 // young
	Eggs  map[int64]int
}

// reckoning is what a batch's prospect is reckoned from.
type reckoning struct {
	Standing
	atSet, uncalled []choice.Lot
	lots            []rates.Lot // of eggs seen alive
	hatched, out    int
	load            *hatching.Load // of a batch in lockdown that is watched
}

// Prospect counts an egg by what is known of it: one that nobody called as Set does, one
// seen alive by what is usual of live eggs, a clear or a dead one not at all.
func (w *Snapshot) Prospect(records AgeRecords, v BatchView, pens []PenEggs) Prospect {
	x := w.Beliefs(records)
	r := w.reckon(records, x, v, pens)
	o := Prospect{Standing: r.Standing, Out: r.out, AtSet: choice.Expect(r.atSet, ones(r.atSet), x.Rho).Mean()}
	if r.load != nil { // what hatches is watched
		f := r.load.Forecast()
		o.Young, o.Low, o.High = f.Young, int(f.P5+.5), int(f.P95+.5)
		return o
	}
	y := rates.Expect(append(r.lots, choice.Joined(r.uncalled, ones(r.uncalled))...), x.Rho, true)
	o.Young = float64(r.hatched) + y.Mean()
	o.Low, o.High = r.hatched+y.Quantile(0.05), r.hatched+y.Quantile(0.95)
	return o
}

// Stands is the same without its spread, which takes most of the time.
func (w *Snapshot) Stands(records AgeRecords, x Beliefs, v BatchView, pens []PenEggs) Standing {
	return w.reckon(records, x, v, pens).Standing
}

func (w *Snapshot) reckon(records AgeRecords, x Beliefs, v BatchView, pens []PenEggs) (o reckoning) {
	late := v.seenLate()
	on := w.Member.Date(v.SetAt)
	o.ByPen, o.Eggs = map[int64]float64{}, map[int64]int{}
	for _, p := range pens {
		k := sorted(p, func(e store.Egg) choice.Lot { return x.Egg(v.Kind, e, on) })
		o.atSet, o.out = append(o.atSet, k.all...), o.out+k.out
		// Of eggs whose young were counted some are shells by now.
		left := 1.0
		if in := len(p.Left()); in > 0 {
			left = float64(p.Alive) / float64(in)
		}
		open := k.open[:int(math.Round(left*float64(len(k.open))))]
		o.uncalled = append(o.uncalled, open...)
		o.ByPen[p.ID] += float64(p.Hatched)
		o.Eggs[p.ID] += p.Alive
		for _, l := range open {
			o.ByPen[p.ID] += l.Young.Mean() * l.Keeps
		}
		if n := int(math.Round(left * float64(k.alive))); n > 0 {
			// Half of what waiting costs shows by the first candling [common practice].
			belief := w.Live(records, p.ID, v.Kind, late)
			belief = belief.Scaled((1 + k.keeps/float64(k.alive)) / 2)
			o.lots = append(o.lots, rates.Lot{Eggs: n, Belief: belief})
			o.ByPen[p.ID] += float64(n) * belief.Mean()
		}
		o.hatched += p.Hatched
	}
	if w.forecast(v) {
		o.watch(w, records, x, v, pens)
	}
	return o
}

// Egg is a lot of one that was set on a date and not seen alive since: by its pen, its age, and its air cell.
func (x Beliefs) Egg(kind *species.Profile, e store.Egg, setOn time.Time) choice.Lot {
	keeps := x.Keeps(kind, farm.AgeDays(e.LaidOn, setOn)) * candling.Cell(e.Calls, e.Loose)
	return choice.Lot{Pen: e.PenID, Eggs: 1, Young: x.Young[e.PenID], Keeps: keeps}
}

// watch puts what the watch forecasts in place of what is usual, by pen as far as that says how many of its eggs live.
func (o *reckoning) watch(w *Snapshot, records AgeRecords, x Beliefs, v BatchView, pens []PenEggs) {
	o.load = w.Load(records, x, v, pens, w.hatch.rows)
	out, usual := map[int64]float64{}, 0.0
	for _, p := range pens {
		out[p.ID] += float64(p.Hatched)
	}
	for _, young := range o.ByPen {
		usual += young
	}
	usual -= float64(o.hatched)
	if usual <= 0 {
		return
	}
	to := max(0, o.load.Expect()-float64(o.hatched)) / usual
	for id, young := range o.ByPen {
		o.ByPen[id] = out[id] + (young-out[id])*to
	}
}

// known is a pen's eggs by what is known of them, one lot an egg.
type known struct {
	all, open []choice.Lot // as they were set; not called yet
	alive     int
	keeps     float64 // of those alive, together
	out       int
}

func sorted(p PenEggs, lot func(store.Egg) choice.Lot) (k known) {
	for _, e := range p.Eggs {
		egg := lot(e)
		k.all = append(k.all, egg)
		switch fate := FateOf(e); {
		case fate == outcome.Removed || fate == outcome.Broken:
			k.out++
		case fate != "":
		case candling.LastOf(e.Calls) == candling.Live:
			k.alive, k.keeps = k.alive+1, k.keeps+egg.Keeps
		case candling.LastOf(e.Calls) == "":
			k.open = append(k.open, egg)
		}
	}
	return k
}

func ones(lots []choice.Lot) []int {
	take := make([]int, len(lots))
	for i := range take {
		take[i] = 1
	}
	return take
}
