package season

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"metrogon/core/species"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/ahead"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	rows "metrogon/store/season"
	"metrogon/store/stock"
)

// SaveOrder makes a promise or changes one.
func (b *Service) SaveOrder(ctx context.Context, req farm.Request, o rows.Order) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return farm.Done{}, err
		}
		before := ahead.Kept[rows.Order]{ID: o.ID}
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
			"Promised %s to %s, %s.", ahead.Thing(o, w.Kinds[o.Species]), o.Who, window(o),
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
	case kind.IsReptile() && o.What != ahead.YoungOrder:
		p.Addf("what", "Of %s only young can be promised here.", wording.Lower(kind.Name))
	default:
		o.Species = kind.ID
	}
	if !slices.Contains([]string{ahead.YoungOrder, ahead.PulletsOrder, ahead.EggsOrder}, o.What) {
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
		before := ahead.Kept[rows.Order]{ID: id, Before: &o}
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
		if o.What == ahead.EggsOrder && n > 0 {
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
	for day := 0; day >= -ahead.MaxAge(s.W.Kinds[o.Species]) && len(eggs) < n; day-- {
		for _, p := range s.PensFor(o) {
			for _, l := range s.Supply[p.ID] {
				if l.Day != day || l.Ready > 0 || len(eggs) == n {
					continue
				}
				ids, err := stock.On(tx).HandOut(ctx, p.ID, l.On, min(l.Eggs, n-len(eggs)), tx.At)
				if err != nil {
					return nil, "", err
				}
				eggs = append(eggs, ids...)
				from = append(from, fmt.Sprintf("%d of %s, %s", len(ids), p.Name, l.On.Format("2 Jan")))
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

// days

// Promised is what is promised, with what a form for more of it offers.
type Promised struct {
	Open  []ahead.Promise
	Ended []ahead.Promise
	Spare []ahead.Spare
	Kinds []*species.Profile
	Pens  []snapshot.Pen
	Today time.Time
}

// Promises lists what is promised, with the chances of the last plan.
func (b *Service) Promises(ctx context.Context, m *farm.Member) (all Promised, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		s, err := see(ctx, tx)
		if err != nil {
			return err
		}
		s.Supply.Laid(s.Outlook, ahead.MostDays)
		open, batches := s.CoverAll()
		all = Promised{Open: open, Spare: s.Spare(batches), Kinds: s.Kinds, Today: s.Today}
		for _, p := range s.W.Pens {
			if slices.Contains(s.Kinds, s.W.Kinds[p.Species]) {
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
			all.Ended = append(all.Ended, ahead.Promise{Order: o, Kind: s.W.Kinds[o.Species], Chance: -1})
		}
		return err
	})
	return
}
