package ahead

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"time"

	"metrogon/core/rates"
	"metrogon/core/species"
	"metrogon/core/wording"
	"metrogon/farm/snapshot"
	rows "metrogon/store/season"
)

// What is promised.
const (
	YoungOrder   = "young"
	PulletsOrder = "pullets" // half of the young are males
	EggsOrder    = "eggs"    // hatching eggs from the store
)

// Promise is an order with how well it is covered.
type Promise struct {
	rows.Order
	Kind    *species.Profile
	Pens    []snapshot.Pen // that may serve it
	Covered float64        // expected of what stands and what is planned; eggs: there or to be laid
	Need    float64        // to be expected, for it to be as sure as was promised
	From    []Cover
	Chance  float64 // of all of it, by the last plan; below 0: not known
}

// Cover is a part of a promise that one batch gives.
type Cover struct {
	BatchID, PlannedID int64
	Label              string
	Young              float64 // of pullets the females
}

// Left is what is not delivered yet.
func (p Promise) Left() int { return max(0, p.Count-p.Delivered) }

// Short is how many are not covered, 0 if all are.
func (p Promise) Short() int {
	if lacks := float64(p.Left()) - p.Covered; lacks > 0.5 {
		return int(lacks + 0.5)
	}
	return 0
}

// Sure tells that it is covered as surely as was promised.
func (p Promise) Sure() bool { return p.Short() == 0 && p.Covered >= p.Need-0.5 }

// Over tells that its window is past.
func (p Promise) Over(today time.Time) bool { return p.ToOn.Before(today) }

// Thing is what is promised, in words: "20 ducklings", "6 pullets", "24 hatching eggs of
// chickens".
func (p Promise) Thing() string { return Thing(p.Order, p.Kind) }

func Thing(o rows.Order, kind *species.Profile) string {
	switch {
	case kind == nil:
		return wording.Plural(o.Count, "young")
	case o.What == EggsOrder:
		return fmt.Sprintf("%s of %s", wording.Plural(o.Count, "hatching egg"), wording.Lower(kind.Name))
	case o.What == PulletsOrder && kind.ID == "chicken":
		return wording.Plural(o.Count, "pullet")
	case o.What == PulletsOrder:
		return fmt.Sprintf("%d female %s", o.Count, plural(kind.Young, o.Count))
	}
	return wording.Plural(o.Count, kind.Young)
}

func plural(one string, n int) string {
	if n == 1 {
		return one
	}
	return one + "s"
}

// Target is how many young are to be expected for a promise so that it is kept as surely as it
// has to be, if they come of one batch; of several they are surer still.
func (s *Outlook) Target(o rows.Order) float64 {
	want := float64(max(0, o.Count-o.Delivered))
	pens := s.PensFor(o)
	if len(pens) == 0 || want == 0 {
		return want
	}
	var belief rates.Beta
	for _, p := range pens { // of all of them alike
		y := s.Beliefs[o.Species].Young[p.ID]
		belief.A, belief.B = belief.A+y.A/float64(len(pens)), belief.B+y.B/float64(len(pens))
	}
	each := Counts(o)
	return rates.Needed(belief.Scaled(each), s.Beliefs[o.Species].Rho, s.layingOff(o), want, float64(o.SurePct)/100) / each
}

// layingOff is how far the eggs of a setting for a promise may lie off what is expected, as a
// share: a week's eggs of its pens, where they are still to be laid.
func (s *Outlook) layingOff(o rows.Order) float64 {
	kind := s.W.Kinds[o.Species]
	if s.Day(o.ToOn) < int(kind.HatchDays.At)+week {
		return 0
	}
	return s.LayingSpread() / math.Sqrt(week)
}

// Counts is how much of one young counts for a promise.
func Counts(o rows.Order) float64 {
	if o.What == PulletsOrder {
		return 0.5
	}
	return 1
}

// covering is a batch with the young that it may still give.
type covering struct {
	Cover
	pull  time.Time
	young map[int64]float64 // by pen
	first []rows.PlannedFor // that it was planned for
}

// coverings are what stands and what is planned.
func (s *Outlook) coverings() (all []covering) {
	for _, v := range s.Open {
		young := maps.Clone(s.Stands[v.ID].ByPen)
		all = append(all, covering{Cover{BatchID: v.ID, Label: v.Code}, PullDay(s.W.Member, v), young, nil})
	}
	there := s.Supply.Copy().Planned(s, s.Ahead)
	for _, p := range s.Ahead { // of their eggs, those that will be there
		young := s.youngOf(there[p.ID], s.W.Member.Date(p.SetAt))
		all = append(all, covering{
			Cover{PlannedID: p.ID, Label: p.Label()}, PullDay(s.W.Member, p.BatchView), young, p.For,
		})
	}
	return all
}

// give lets a promise have up to so many of what it counts of a batch, where the days and the
// pens are right.
func (b *covering) give(p *Promise, most float64) {
	each := Counts(p.Order)
	if b.pull.Before(p.FromOn) || b.pull.After(p.ToOn) || most <= 0 {
		return
	}
	got := 0.0
	for _, pen := range p.Pens {
		if n := min(b.young[pen.ID]*each, most-got); n > 0 {
			b.young[pen.ID] -= n / each
			p.Covered, got = p.Covered+n, got+n
		}
	}
	if got == 0 {
		return
	}
	at := slices.IndexFunc(p.From, func(c Cover) bool {
		return c.BatchID == b.BatchID && c.PlannedID == b.PlannedID
	})
	if at < 0 {
		at = len(p.From)
		p.From = append(p.From, b.Cover)
	}
	p.From[at].Young += got
}

// Cover hands the young of what stands and of what is planned out to the promises, those that
// are due first first; a planned batch serves those it was planned for before others.
func (s *Outlook) Cover() (all []Promise) {
	all, _ = s.CoverAll()
	return all
}

// CoverAll is cover, with what is left of the batches.
func (s *Outlook) CoverAll() (all []Promise, batches []covering) {
	eggs := s.Reserve()
	for _, o := range s.Book.Orders {
		p := Promise{Order: o, Kind: s.W.Kinds[o.Species], Pens: s.PensFor(o), Chance: -1}
		if o.What == EggsOrder {
			p.Covered = float64(eggs[o.ID])
		} else if s.Beliefs[o.Species].Young != nil {
			p.Need = s.Target(o) * Counts(o)
		}
		all = append(all, p)
	}
	batches = s.coverings()
	each := func(serve func(p *Promise, b *covering)) {
		for i := range all {
			for j := range batches {
				if all[i].What != EggsOrder {
					serve(&all[i], &batches[j])
				}
			}
		}
	}
	each(func(p *Promise, b *covering) {
		for _, f := range b.first {
			if f.OrderID == p.ID {
				b.give(p, f.Young*Counts(p.Order))
			}
		}
	})
	each(func(p *Promise, b *covering) { b.give(p, max(p.Need, float64(p.Left()))-p.Covered) })
	return all, batches
}

// Spare adds up what is left of the batches, by kind.
func (s *Outlook) Spare(batches []covering) (all []Spare) {
	for _, k := range s.Kinds {
		one := Spare{Kind: k}
		for _, b := range batches {
			for pen, young := range b.young {
				if s.W.PenByID[pen].Species == k.ID {
					one.Young += young
				}
			}
		}
		if one.Young >= 1 {
			all = append(all, one)
		}
	}
	return all
}

// Spare is young of a kind that nobody is promised, expected of what stands and is planned.
type Spare struct {
	Kind  *species.Profile
	Young float64
}

const week = 7
