package season

import (
	"context"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"
	"time"

	"metrogon/core/rates"
	"metrogon/core/species"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	rows "metrogon/store/season"
	"metrogon/store/stock"
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
func (p Promise) Thing() string { return thing(p.Order, p.Kind) }

func thing(o rows.Order, kind *species.Profile) string {
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

// SaveOrder makes a promise or changes one.
func (b *Service) SaveOrder(ctx context.Context, req farm.Request, o rows.Order) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return farm.Done{}, err
		}
		before := kept[rows.Order]{ID: o.ID}
		if o.ID != 0 {
			was, err := rows.On(tx).Order(ctx, o.ID)
			if err != nil {
				return farm.Done{}, err
			}
			before.Before, o.Delivered, o.EndedOn = &was, was.Delivered, was.EndedOn
		}
		if err := checkOrder(w, &o); err != nil {
			return farm.Done{}, err
		}
		if before.ID, err = rows.On(tx).SaveOrder(ctx, o); err != nil {
			return farm.Done{}, err
		}
		return journal.Record(
			ctx, tx, journal.On(journal.Order, before.ID), journal.Undo{orderBefore.Of(before)},
			"Promised %s to %s, %s.", thing(o, w.Kinds[o.Species]), o.Who, window(o),
		)
	})
}

// window writes the days between which a promise is kept.
func window(o rows.Order) string {
	if o.FromOn.Equal(o.ToOn) {
		return o.ToOn.Format("Mon 2 Jan 2006")
	}
	return o.FromOn.Format("2 Jan") + " to " + o.ToOn.Format("2 Jan 2006")
}

func checkOrder(w *snapshot.Snapshot, o *rows.Order) error {
	var p farm.Problems
	o.Who = p.Name("who", "Whom it is for", o.Who, 80, true)
	o.Note = p.Name("note", "The note", o.Note, 500, false)
	kind, err := w.Kind(o.Species)
	switch {
	case err != nil:
		p.Addf("species", "Pick what is promised.")
	case kind.IsReptile() && o.What != YoungOrder:
		p.Addf("what", "Of %s only young can be promised here.", wording.Lower(kind.Name))
	default:
		o.Species = kind.ID
	}
	if !slices.Contains([]string{YoungOrder, PulletsOrder, EggsOrder}, o.What) {
		p.Addf("what", "Pick what is promised: young, females only, or hatching eggs.")
	}
	for _, id := range o.Pens {
		if w.PenByID[id].Species != o.Species {
			p.Addf("pens", "Pick pens of that kind.")
			break
		}
	}
	p.Count("count", "How many", o.Count, 1, 10000)
	p.Count("sure_pct", "How sure it is to be", o.SurePct, 50, 99)
	latest := w.Now.AddDate(3, 0, 0)
	p.Date("from_on", "The first day", o.FromOn, latest)
	p.Date("to_on", "The last day", o.ToOn, latest)
	if o.ToOn.Before(o.FromOn) {
		p.Addf("to_on", "The last day comes before the first.")
	}
	if o.Price != nil && !(*o.Price >= 0 && *o.Price <= 100000) {
		p.Addf("price", "The price of one may be 0 to 100,000.")
	}
	return p.Err()
}

// Deliver notes how many of a promise were handed over; with end it is done, whatever is left.
func (b *Service) Deliver(
	ctx context.Context, req farm.Request, id int64, n int, end bool,
) (farm.Done, error) {
	return b.Act(ctx, req, farm.Helping, func(tx *farm.Tx) (farm.Done, error) {
		o, err := rows.On(tx).Order(ctx, id)
		if err != nil {
			return farm.Done{}, err
		}
		if o.EndedOn != nil {
			return farm.Done{}, farm.Problemf("delivered", "This promise is done already.")
		}
		var p farm.Problems
		p.Count("delivered", "The number handed over", n, farm.OneIf(!end), 10000)
		if err := p.Err(); err != nil {
			return farm.Done{}, err
		}
		before := kept[rows.Order]{ID: id, Before: &o}
		now := o
		now.Delivered += n
		if today := req.Date(tx.At); end || now.Delivered >= now.Count {
			now.EndedOn = &today
		}
		if _, err := rows.On(tx).SaveOrder(ctx, now); err != nil {
			return farm.Done{}, err
		}
		said := fmt.Sprintf("Handed %d over to %s, %d of %d in all.", n, o.Who, now.Delivered, o.Count)
		u := journal.Undo{orderBefore.Of(before)}
		if o.What == EggsOrder && n > 0 {
			eggs, of, err := handOut(ctx, tx, o, n)
			if err != nil {
				return farm.Done{}, err
			}
			u = append(u, eggsBack.Of(eggs))
			said += " Out of the store: " + of + "."
		}
		if n == 0 {
			said = fmt.Sprintf("Called the promise to %s off, with %d of %d handed over.", o.Who, o.Delivered, o.Count)
		}
		return journal.Record(ctx, tx, journal.On(journal.Order, id), u, "%s", said)
	})
}

// handOut takes eggs that were promised out of the store, the freshest first, and names them.
func handOut(ctx context.Context, tx *farm.Tx, o rows.Order, n int) (eggs []int64, of string, err error) {
	s, err := see(ctx, tx)
	if err != nil {
		return nil, "", err
	}
	var from []string
	for day := 0; day >= -maxAge(s.w.Kinds[o.Species]) && len(eggs) < n; day-- {
		for _, p := range s.pensFor(o) {
			for _, l := range s.supply[p.ID] {
				if l.day != day || l.ready > 0 || len(eggs) == n {
					continue
				}
				ids, err := stock.On(tx).HandOut(ctx, p.ID, l.on, min(l.eggs, n-len(eggs)), tx.At)
				if err != nil {
					return nil, "", err
				}
				eggs = append(eggs, ids...)
				from = append(from, fmt.Sprintf("%d of %s, %s", len(ids), p.Name, l.on.Format("2 Jan")))
			}
		}
	}
	if len(eggs) < n {
		return nil, "", farm.Problemf(
			"delivered", "Only %s fit to be handed over are in store.", wording.Plural(len(eggs), "egg"),
		)
	}
	return eggs, strings.Join(from, "; "), nil
}

// target is how many young are to be expected for a promise so that it is kept as surely as it
// has to be, if they come of one batch; of several they are surer still.
func (s *scene) target(o rows.Order) float64 {
	want := float64(max(0, o.Count-o.Delivered))
	pens := s.pensFor(o)
	if len(pens) == 0 || want == 0 {
		return want
	}
	var belief rates.Beta
	for _, p := range pens { // of all of them alike
		y := s.beliefs[o.Species].Young[p.ID]
		belief.A, belief.B = belief.A+y.A/float64(len(pens)), belief.B+y.B/float64(len(pens))
	}
	each := counts(o)
	return rates.Needed(belief.Scaled(each), s.beliefs[o.Species].Rho, s.layingOff(o), want, float64(o.SurePct)/100) / each
}

// layingOff is how far the eggs of a setting for a promise may lie off what is expected, as a
// share: a week's eggs of its pens, where they are still to be laid.
func (s *scene) layingOff(o rows.Order) float64 {
	kind := s.w.Kinds[o.Species]
	if s.day(o.ToOn) < int(kind.HatchDays.At)+week {
		return 0
	}
	return s.layingSpread() / math.Sqrt(week)
}

const week = 7 // days

// counts is how much of one young counts for a promise.
func counts(o rows.Order) float64 {
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
func (s *scene) coverings() (all []covering) {
	for _, v := range s.open {
		young := maps.Clone(s.stands[v.ID].ByPen)
		all = append(all, covering{Cover{BatchID: v.ID, Label: v.Code}, pullDay(s.w.Member, v), young, nil})
	}
	there := s.supply.copy().planned(s, s.ahead)
	for _, p := range s.ahead { // of their eggs, those that will be there
		young := s.youngOf(there[p.ID], s.w.Member.Date(p.SetAt))
		all = append(all, covering{
			Cover{PlannedID: p.ID, Label: p.Label()}, pullDay(s.w.Member, p.BatchView), young, p.For,
		})
	}
	return all
}

// give lets a promise have up to so many of what it counts of a batch, where the days and the
// pens are right.
func (b *covering) give(p *Promise, most float64) {
	each := counts(p.Order)
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

// cover hands the young of what stands and of what is planned out to the promises, those that
// are due first first; a planned batch serves those it was planned for before others.
func (s *scene) cover() (all []Promise) {
	all, _ = s.coverAll()
	return all
}

// coverAll is cover, with what is left of the batches.
func (s *scene) coverAll() (all []Promise, batches []covering) {
	eggs := s.reserve()
	for _, o := range s.book.Orders {
		p := Promise{Order: o, Kind: s.w.Kinds[o.Species], Pens: s.pensFor(o), Chance: -1}
		if o.What == EggsOrder {
			p.Covered = float64(eggs[o.ID])
		} else if s.beliefs[o.Species].Young != nil {
			p.Need = s.target(o) * counts(o)
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
				b.give(p, f.Young*counts(p.Order))
			}
		}
	})
	each(func(p *Promise, b *covering) { b.give(p, max(p.Need, float64(p.Left()))-p.Covered) })
	return all, batches
}

// spare adds up what is left of the batches, by kind.
func (s *scene) spare(batches []covering) (all []Spare) {
	for _, k := range s.kinds {
		one := Spare{Kind: k}
		for _, b := range batches {
			for pen, young := range b.young {
				if s.w.PenByID[pen].Species == k.ID {
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

// Promised is what is promised, with what a form for more of it offers.
type Promised struct {
	Open  []Promise
	Ended []Promise
	Spare []Spare
	Kinds []*species.Profile
	Pens  []snapshot.Pen
	Today time.Time
}

// Spare is young of a kind that nobody is promised, expected of what stands and is planned.
type Spare struct {
	Kind  *species.Profile
	Young float64
}

// Promises lists what is promised, with the chances of the last plan.
func (b *Service) Promises(ctx context.Context, m *farm.Member) (all Promised, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		s, err := see(ctx, tx)
		if err != nil {
			return err
		}
		s.supply.laid(s, mostDays)
		open, batches := s.coverAll()
		all = Promised{Open: open, Spare: s.spare(batches), Kinds: s.kinds, Today: s.today}
		for _, p := range s.w.Pens {
			if slices.Contains(s.kinds, s.w.Kinds[p.Species]) {
				all.Pens = append(all.Pens, p)
			}
		}
		plan, err := s.lastPlan()
		if err != nil {
			return err
		}
		if plan != nil {
			for i := range all.Open {
				for _, r := range plan.Results {
					if r.ID == all.Open[i].ID && plan.Left == 0 {
						all.Open[i].Chance = r.Chance
					}
				}
			}
		}
		ended, err := rows.On(tx).EndedOrders(ctx, 20)
		for _, o := range ended {
			all.Ended = append(all.Ended, Promise{Order: o, Kind: s.w.Kinds[o.Species], Chance: -1})
		}
		return err
	})
	return
}
