// Package brood is young birds from the pull until they are sold or go into a pen: where they are,
// how warm, with whom, and what became of them. Each group keeps where it came from.
package brood

import (
	"context"
	"fmt"
	"slices"
	"time"

	"metrogon/core/brooding"
	"metrogon/core/species"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
	broodrows "metrogon/store/brood"
	"metrogon/store/season"
)

// Service holds the use cases.
type Service struct {
	*farm.Service
	// Comers tells of the young that are in the brooders, or will be, as the season counts them.
	Comers func(ctx context.Context, tx *farm.Tx) ([]Comer, error)
}

// Comer is young that are in the brooders, or will be.
type Comer struct {
	brooding.Group
	Code    string
	BatchID int64 // 0: of a planned batch, or bought
	StayID  int64 // of a planned batch; 0: it stands
	Young   float64
}

// Records as they are kept.
type (
	Brooder = season.Brooder
	Heat    = broodrows.Heat
	Out     = broodrows.BroodOut
)

// Whys are why young leave a group, in the words of the trade.
var Whys = []string{"died", "sold", "given away", "to a pen", "culled", "lost", "miscounted"}

// handedOver are those by which somebody else gets them.
var handedOver = []string{"sold", "given away"}

// Says tells in a few words why young left: "sold to Wilma Aske for 12.50", "died: pasty vent".
func (g Group) Says(o Out) string {
	says := o.Why
	if o.Buyer != "" {
		says += " to " + o.Buyer
	}
	if o.Cause != "" {
		says += ": " + o.Cause
	}
	if o.Price != nil {
		says += fmt.Sprintf(" for %.2f", *o.Price)
	}
	return says
}

// Pulled is young of a batch that are brought into a brooder.
type Pulled struct {
	BatchID   int64
	BrooderID int64
	ByPen     map[int64]int
	On        time.Time // a date; zero: today
}

// BringIn makes a group of each pen's young.
func (b *Service) BringIn(ctx context.Context, req farm.Request, in Pulled) (farm.Done, error) {
	return b.Act(ctx, req, farm.Helping, func(tx *farm.Tx) (farm.Done, error) {
		s, err := read(ctx, tx)
		if err != nil {
			return farm.Done{}, err
		}
		to, ok := s.brooder(in.BrooderID)
		if !ok {
			return farm.Done{}, farm.Problemf("brooder", "Pick the brooder.")
		}
		batch, err := tx.Batch(ctx, in.BatchID)
		if err != nil {
			return farm.Done{}, err
		}
		if kind := s.w.Kinds[batch.Species]; kind != nil && kind.IsAltricial() {
			return farm.Done{}, farm.Problemf("brooder", "A chick brooder does not keep them. %s", brooding.NestlingsSay)
		}
		today := req.Date(tx.At)
		if in.On.IsZero() {
			in.On = today
		}
		if in.On.After(today) || in.On.Before(req.Date(batch.SetAt)) {
			return farm.Done{}, farm.Problemf("on", "%s is no day on which they can have come into the brooder.",
				in.On.Format("2 January 2006"))
		}
		hatchedOn, err := hatchedOn(ctx, tx, batch, in.On)
		if err != nil {
			return farm.Done{}, err
		}
		about := journal.On(journal.Batch, batch.ID)
		var ids []int64
		n := 0
		for _, u := range s.rows.Unhoused {
			heads := in.ByPen[u.PenID]
			if u.BatchID != batch.ID || heads == 0 {
				continue
			}
			if heads < 0 || heads > u.Young {
				return farm.Done{}, farm.Problemf("heads", "%d young, but of %s %d are out and in no brooder yet.",
					heads, s.w.PenByID[u.PenID].Name, u.Young)
			}
			id, err := broodrows.On(tx).AddBrood(ctx, broodrows.Brood{
				Species: batch.Species, BatchID: &batch.ID, PenID: &u.PenID, HatchedOn: hatchedOn, BeganOn: in.On, Heads: heads,
				BrooderID: &to.ID,
			})
			if err != nil {
				return farm.Done{}, err
			}
			ids, n, about = append(ids, id), n+heads, about.And(journal.Brood, id)
		}
		if n == 0 {
			return farm.Done{}, farm.Problemf("heads", "Say how many came in.")
		}
		return journal.Record(ctx, tx, about, journal.Undo{dropBroods.Of(ids)}, "%s: %d young into %s.",
			batch.Code, n, to.Name)
	})
}

// hatchedOn is the date on which most of a batch's young were seen out; no later than they were brought in.
func hatchedOn(ctx context.Context, tx *farm.Tx, batch store.Batch, by time.Time) (time.Time, error) {
	w, err := snapshot.Of(ctx, tx)
	if err != nil {
		return by, err
	}
	views, err := w.Views(ctx, tx, func() ([]store.Batch, error) { return []store.Batch{batch}, nil })
	if err != nil {
		return by, err
	}
	on := tx.Member.Date(views[0].Hatch().At)
	if first := views[0].FirstOut; first != nil {
		on = tx.Member.Date(first.Add(12 * time.Hour)) // most are out within a day of the first
	}
	return farm.Earliest(on, by), nil
}

// Bought is young that came from elsewhere.
type Bought struct {
	Species   string
	Heads     int
	AgeDays   int
	BrooderID int64
}

// Buy makes a group of young that came from elsewhere.
func (b *Service) Buy(ctx context.Context, req farm.Request, in Bought) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		s, err := read(ctx, tx)
		if err != nil {
			return farm.Done{}, err
		}
		var p farm.Problems
		kind := s.w.Kinds[in.Species]
		switch {
		case kind == nil || kind.IsReptile():
			p.Addf("species", "Pick the kind.")
		case kind.IsAltricial():
			p.Addf("species", "Pick a kind whose young feed themselves. %s", brooding.NestlingsSay)
		}
		to, ok := s.brooder(in.BrooderID)
		if !ok {
			p.Addf("brooder", "Pick the brooder.")
		}
		p.Count("heads", "The number of young", in.Heads, 1, farm.MaxEggs)
		p.Count("age", "Their age in days", in.AgeDays, 0, 200)
		if err := p.Err(); err != nil {
			return farm.Done{}, err
		}
		today := req.Date(tx.At)
		id, err := broodrows.On(tx).AddBrood(ctx, broodrows.Brood{
			Species: in.Species, HatchedOn: today.AddDate(0, 0, -in.AgeDays), BeganOn: today, Heads: in.Heads,
			BrooderID: &to.ID,
		})
		if err != nil {
			return farm.Done{}, err
		}
		return journal.Record(ctx, tx, journal.On(journal.Brood, id), journal.Undo{dropBroods.Of([]int64{id})},
			"%s, bought, into %s.", wording.Plural(in.Heads, kind.Young), to.Name)
	})
}

// Leaving is young that leave a group.
type Leaving struct {
	Heads int
	Why   string
	Cause string // of death, or what else is said of it
	Buyer string // who they were sold or given to
	Price *float64
	PenID int64
	At    time.Time // zero: now
}

// Leave records young that died, were sold, went to a pen.
func (b *Service) Leave(ctx context.Context, req farm.Request, id int64, l Leaving) (farm.Done, error) {
	return b.onBrood(ctx, req, id, func(tx *farm.Tx, s *scene, g Group) (farm.Done, error) {
		if l.At.IsZero() {
			l.At = tx.At
		}
		var p farm.Problems
		p.Count("heads", "The number of young", l.Heads, 1, g.Alive)
		if !slices.Contains(Whys, l.Why) {
			p.Addf("why", "Pick why they left.")
		}
		l.Cause = p.Name("cause", "What is said of it", l.Cause, 100, false)
		l.Buyer = p.Name("buyer", "Who they went to", l.Buyer, 100, false)
		if l.Buyer != "" && !slices.Contains(handedOver, l.Why) {
			p.Addf("buyer", "Somebody gets them only if they are sold or given away.")
		}
		if l.Price != nil {
			p.Measure("price", "The price", l.Price, 0, 100000, "")
		}
		row := Out{BroodID: id, At: l.At, Heads: l.Heads, Why: l.Why, Cause: l.Cause, Buyer: l.Buyer, Price: l.Price}
		if l.Why == "to a pen" {
			pen, ok := s.w.PenByID[l.PenID]
			if !ok || pen.Species != g.Species || pen.Supplier {
				p.Addf("pen", "Pick the pen of that kind.")
			}
			row.PenID = &l.PenID
		}
		if l.At.After(tx.At.Add(time.Minute)) || req.Date(l.At).Before(g.BeganOn) {
			p.Addf("when", "They came in on %s, and it is %s now.", g.BeganOn.Format("2 January"), req.Moment(tx.At))
		}
		if err := p.Err(); err != nil {
			return farm.Done{}, err
		}
		out, err := broodrows.On(tx).AddBroodOut(ctx, row, req.PersonID)
		if err != nil {
			return farm.Done{}, err
		}
		says := g.Says(row)
		if row.PenID != nil {
			says = "to " + s.w.PenByID[l.PenID].Name
		}
		return journal.Record(ctx, tx, journal.On(journal.Brood, id), journal.Undo{dropOut.Of(out)}, "%s: %d %s; %d left.",
			g.Name, l.Heads, says, g.Alive-l.Heads)
	})
}

// Move brings young of a group into another brooder, or to a place that is none: grow-out, outside.
func (b *Service) Move(
	ctx context.Context, req farm.Request, id int64, heads int, brooderID int64, place string,
) (farm.Done, error) {
	return b.onBrood(ctx, req, id, func(tx *farm.Tx, s *scene, g Group) (farm.Done, error) {
		var p farm.Problems
		p.Count("heads", "The number of young", heads, 1, g.Alive)
		after := broodrows.Brood{ID: id, Heads: g.Heads}
		where := ""
		if to, ok := s.brooder(brooderID); ok {
			after.BrooderID, where = &to.ID, to.Name
		} else {
			after.Place = p.Name("place", "Where they go", place, 60, true)
			where = after.Place
		}
		if err := p.Err(); err != nil {
			return farm.Done{}, err
		}
		if g.Where == where {
			return farm.Done{}, farm.Problemf("place", "They are in %s already.", where)
		}
		before := broodrows.Brood{ID: id, BrooderID: g.BrooderID, Place: g.Place, Heads: g.Heads}
		u, about := journal.Undo{putBack.Of(before)}, journal.On(journal.Brood, id)
		if heads == g.Alive {
			if err := broodrows.On(tx).PutBrood(ctx, after); err != nil {
				return farm.Done{}, err
			}
		} else {
			part := g.Brood
			part.Heads, part.BrooderID, part.Place, part.SplitFrom = heads, after.BrooderID, after.Place, &id
			partID, err := broodrows.On(tx).AddBrood(ctx, part)
			if err != nil {
				return farm.Done{}, err
			}
			rest := before
			rest.Heads -= heads
			if err := broodrows.On(tx).PutBrood(ctx, rest); err != nil {
				return farm.Done{}, err
			}
			u, about = append(u, dropBroods.Of([]int64{partID})), about.And(journal.Brood, partID)
		}
		return journal.Record(ctx, tx, about, u, "%s: %d to %s.", g.Name, heads, where)
	})
}

// Warm writes down how warm a brooder was made under its heat.
func (b *Service) Warm(
	ctx context.Context, req farm.Request, brooderID int64, tempC float64,
) (farm.Done, error) {
	return b.Act(ctx, req, farm.Helping, func(tx *farm.Tx) (farm.Done, error) {
		s, err := read(ctx, tx)
		if err != nil {
			return farm.Done{}, err
		}
		to, ok := s.brooder(brooderID)
		if !ok {
			return farm.Done{}, farm.ErrNone
		}
		var p farm.Problems
		p.Temp(req.Units(), "temp", "The warmth under the heat", &tempC, 10, 45)
		if err := p.Err(); err != nil {
			return farm.Done{}, err
		}
		id, err := broodrows.On(tx).AddHeat(ctx, Heat{BrooderID: to.ID, At: tx.At, TempC: tempC}, req.PersonID)
		if err != nil {
			return farm.Done{}, err
		}
		return journal.Record(ctx, tx, journal.On(journal.Brooder, to.ID), journal.Undo{dropHeat.Of(id)}, "%s at %s.",
			to.Name, req.Units().Temp(tempC))
	})
}

// onBrood runs an action on a group with young left.
func (b *Service) onBrood(
	ctx context.Context, req farm.Request, id int64,
	work func(tx *farm.Tx, s *scene, g Group) (farm.Done, error),
) (farm.Done, error) {
	return b.Act(ctx, req, farm.Helping, func(tx *farm.Tx) (farm.Done, error) {
		s, err := read(ctx, tx)
		if err != nil {
			return farm.Done{}, err
		}
		row, err := broodrows.On(tx).Brood(ctx, id)
		if err != nil {
			return farm.Done{}, err
		}
		if row.Alive == 0 {
			return farm.Done{}, farm.Problemf("heads", "None of these are left.")
		}
		return work(tx, s, s.group(row))
	})
}

// keeping of a kind, as it is known.
func keeping(p *species.Profile) brooding.Keeping { return brooding.Of(p) }

var (
	dropBroods = journal.NewKind("broods", func(ctx context.Context, tx *farm.Tx, ids []int64) error {
		for _, id := range ids {
			if err := broodrows.On(tx).DropBrood(ctx, id); err != nil {
				return err
			}
		}
		return nil
	})
	putBack = journal.NewKind("brood_back", func(ctx context.Context, tx *farm.Tx, before broodrows.Brood) error {
		return broodrows.On(tx).PutBrood(ctx, before)
	})
	dropOut = journal.NewKind("brood_out", func(ctx context.Context, tx *farm.Tx, id int64) error {
		return broodrows.On(tx).DropBroodOut(ctx, id)
	})
	dropHeat = journal.NewKind("brooder_heat", func(ctx context.Context, tx *farm.Tx, id int64) error {
		return broodrows.On(tx).DropHeat(ctx, id)
	})
)
