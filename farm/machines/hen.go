package machines

import (
	"context"
	"slices"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/machine"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
	"metrogon/store/upkeep"
)

// Hen is the card of a broody hen.
type Hen struct {
	Since  time.Time // dummy eggs lie under her since then; zero: none
	Tired  time.Time // by when she should have hatched what she sits on
	Covers int       // eggs that lie under her
	Room   int       // hens' eggs that she is said to cover
	Swaps  []Swap
	Offers []Offer
}

// Swap is eggs that are to go under her.
type Swap struct {
	store.Swap
	Batch snapshot.BatchView
	On    time.Time // the evening
}

// Offer is a batch of which eggs could go under her: it was set lately and is not looked at yet.
type Offer struct {
	snapshot.BatchView
	On   time.Time
	Best int // half of its eggs, as far as she covers them
}

// dummies marks among the care of a hen that dummy eggs were put under her.
const dummies = "dummies"

// swapHour is when eggs are brought under a hen: it is dark, and she sits.
var swapHour = calendar.WallTime{Hour: 21}

// swapOn is the evening on which eggs of a batch go under a hen: that of the first look. From lockdown on they stay
// where they are.
func swapOn(w *snapshot.Snapshot, v snapshot.BatchView) (time.Time, bool) {
	look, ok := v.Milestone(calendar.Candle)
	shut, locks := v.Milestone(calendar.Lockdown)
	turns := v.LockedAt == nil && locks && w.Now.Before(shut.At)
	return swapHour.On(look.At, 0, w.Member.Place), ok && turns && !v.Kind.IsReptile()
}

func henOf(w *snapshot.Snapshot, up upkeep.Upkeep, open []snapshot.BatchView, x snapshot.Machine) *Hen {
	if !machine.Broody(x.Kind) {
		return nil
	}
	h := &Hen{Room: w.Rooms[x.ID]["chicken"].Setting}
	for _, v := range open {
		if v.Stands().ID == x.ID {
			h.Covers += v.Alive
		}
	}
	for _, c := range up.Last {
		if c.Kind == dummies && c.MachineID != nil && *c.MachineID == x.ID && h.Covers == 0 {
			h.Since, h.Tired = c.At, c.At.AddDate(0, 0, machine.LongestSit)
		}
	}
	for _, s := range pending(w, up, open) {
		if s.HenID == x.ID {
			h.Swaps = append(h.Swaps, s)
		}
	}
	for _, v := range open {
		room := w.Rooms[x.ID][v.Species].Setting
		on, ok := swapOn(w, v)
		planned := slices.ContainsFunc(h.Swaps, func(s Swap) bool { return s.BatchID == v.ID })
		if ok && room > 0 && v.SetterID != x.ID && !planned && on.After(w.Now) && v.Alive > 1 {
			h.Offers = append(h.Offers, Offer{v, on, min(room, v.Alive/2)})
		}
	}
	return h
}

// pending are the swaps of open batches of which nothing has gone under the hen yet.
func pending(w *snapshot.Snapshot, up upkeep.Upkeep, open []snapshot.BatchView) (all []Swap) {
	for _, s := range up.Swaps {
		i := slices.IndexFunc(open, func(v snapshot.BatchView) bool { return v.ID == s.BatchID })
		if i < 0 {
			continue
		}
		gone := slices.ContainsFunc(open, func(v snapshot.BatchView) bool {
			return v.Root() == open[i].Root() && v.Stands().ID == s.HenID
		})
		if on, ok := swapOn(w, open[i]); ok && !gone {
			all = append(all, Swap{s, open[i], on})
		}
	}
	return all
}

// GiveDummies notes that dummy eggs were put under a hen.
func (b *Service) GiveDummies(ctx context.Context, req farm.Request, henID int64) (farm.Done, error) {
	return b.onHen(ctx, req, farm.Helping, henID, func(tx *farm.Tx, x snapshot.Machine) (farm.Done, error) {
		id, err := tx.AddCare(ctx, store.Care{Kind: dummies, MachineID: &x.ID, At: tx.At}, req.PersonID)
		if err != nil {
			return farm.Done{}, err
		}
		return journal.Record(ctx, tx, journal.On(journal.Machine, x.ID), journal.Undo{journal.DropCare.Of([]int64{id})},
			"%s sits on dummy eggs.", x.Name)
	})
}

// PlanSwap keeps that so many eggs of a batch are to go under a hen at their first look.
func (b *Service) PlanSwap(
	ctx context.Context, req farm.Request, henID, batchID int64, eggs int,
) (farm.Done, error) {
	return b.onHen(ctx, req, farm.Keeping, henID, func(tx *farm.Tx, x snapshot.Machine) (farm.Done, error) {
		batch, err := tx.Batch(ctx, batchID)
		if err != nil {
			return farm.Done{}, err
		}
		w, v, err := snapshot.Viewed(ctx, tx, batch)
		if err != nil {
			return farm.Done{}, err
		}
		on, ok := swapOn(w, v)
		var p farm.Problems
		if room := w.Rooms[x.ID][batch.Species].Setting; eggs < 1 || eggs > room {
			p.Addf("n", "%s covers 1 to %d of these eggs.", x.Name, room)
		}
		if !ok || batch.ClosedAt != nil || batch.SetterID == x.ID {
			p.Addf("batch", "Pick eggs that turn in a machine.")
		}
		if err := p.Err(); err != nil {
			return farm.Done{}, err
		}
		id, err := tx.AddSwap(ctx, store.Swap{HenID: x.ID, BatchID: batchID, Eggs: eggs})
		if err != nil {
			return farm.Done{}, err
		}
		return journal.Record(ctx, tx, journal.On(journal.Batch, batchID).And(journal.Machine, x.ID),
			journal.Undo{dropSwap.Of(id)}, "The best %s of %s go under %s on the evening of %s.",
			wording.Plural(eggs, "egg"), batch.Code, x.Name, req.ShortDay(on))
	})
}

// onHen is OnMachine for a broody hen.
func (b *Service) onHen(
	ctx context.Context, req farm.Request, needs farm.Right, id int64,
	work func(tx *farm.Tx, x snapshot.Machine) (farm.Done, error),
) (farm.Done, error) {
	return snapshot.OnMachine(ctx, b.Service, req, needs, id, func(tx *farm.Tx, x snapshot.Machine) (farm.Done, error) {
		if !machine.Broody(x.Kind) {
			return farm.Done{}, farm.Problemf("hen", "%s is no hen.", x.Name)
		}
		return work(tx, x)
	})
}

var dropSwap = journal.NewKind("swap", func(ctx context.Context, tx *farm.Tx, id int64) error {
	return tx.DropSwap(ctx, id)
})
