package stock

import (
	"context"
	"slices"
	"time"

	"metrogon/core/grading"
	"metrogon/core/storage"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	stockrows "metrogon/store/stock"
	"metrogon/store/upkeep"
)

// BasketView is what is left in store of one collection.
type BasketView struct {
	stockrows.Basket
	snapshot.Pen
	snapshot.Lot
	Hours int // of age, from the hour of gathering; from noon where it is not known
	Place string
}

// Baskets lists what is in store, collection by collection, of one pen or, with
// 0, of all.
func (b *Service) Baskets(
	ctx context.Context, m *farm.Member, penID int64,
) (all []BasketView, places []snapshot.PlaceView, rejected []RejectView, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return err
		}
		up, err := w.Upkeep(ctx, tx)
		if err != nil {
			return err
		}
		places = w.StorePlaces(up)
		baskets, err := stockrows.On(tx).Baskets(ctx, penID)
		if err != nil {
			return err
		}
		for _, x := range baskets {
			v, err := basket(w, x)
			if err != nil {
				return err
			}
			for _, p := range up.Places {
				if x.PlaceID != nil && *x.PlaceID == p.ID {
					v.Place = p.Name
				}
			}
			all = append(all, v)
		}
		rejected, err = rejects(ctx, tx, w)
		return err
	})
	return
}

// basket works one out.
func basket(w *snapshot.Snapshot, x stockrows.Basket) (v BasketView, err error) {
	kind, err := w.Kind(w.PenByID[x.PenID].Species)
	if err != nil {
		return v, err
	}
	resting := 0
	if x.ReadyAt != nil && x.ReadyAt.After(w.Now) {
		resting = x.Eggs
	}
	v = BasketView{
		Basket: x, Pen: w.PenByID[x.PenID],
		Lot: snapshot.LotOn(
			kind,
			stockrows.Stock{PenID: x.PenID, LaidOn: x.LaidOn, Eggs: x.Eggs, Resting: resting, ReadyAt: x.ReadyAt},
			w.Member.Date(w.Now),
		),
	}
	gathered := time.Date(x.LaidOn.Year(), x.LaidOn.Month(), x.LaidOn.Day(), 12, 0, 0, 0, w.Member.Place)
	if x.At != nil {
		gathered = *x.At
	}
	v.Hours = max(0, int(w.Now.Sub(gathered).Hours()))
	return v, nil
}

// RejectView is rejected eggs that still lie about and are young enough to be set on
// trial.
type RejectView struct {
	stockrows.Reject
	snapshot.Pen
	Name string // of the reason
	Age  int
}

func rejects(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot) (all []RejectView, err error) {
	today := w.Member.Date(w.Now)
	rows, err := stockrows.On(tx).Rejects(ctx, today.AddDate(0, 0, -14))
	if err != nil {
		return nil, err
	}
	for _, x := range rows {
		pen, kind := w.PenByID[x.PenID], w.Kinds[w.PenByID[x.PenID].Species]
		age := farm.AgeDays(x.LaidOn, today)
		if kind == nil || storage.KeepingAt(kind, age) == storage.Late {
			continue
		}
		name := "rejected"
		if reason, known := grading.Known(x.Reason); known {
			name = reason.Name
		}
		if x.Reason != grading.Broken {
			all = append(all, RejectView{x, pen, name, age})
		}
	}
	return all, nil
}

// MoveBaskets puts collections into a storage place; 0 is no place in particular.
func (b *Service) MoveBaskets(
	ctx context.Context, req farm.Request, ids []int64, placeID int64,
) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		if len(ids) == 0 {
			return farm.Done{}, farm.Problemf("basket", "Mark what is to be moved.")
		}
		slices.Sort(ids)
		ids = slices.Compact(ids)
		name, to := "no place in particular", (*int64)(nil)
		if placeID != 0 {
			up, err := upkeep.On(tx).Upkeep(ctx, b.Now(), b.Now())
			if err != nil {
				return farm.Done{}, err
			}
			i := slices.IndexFunc(up.Places, func(p stockrows.StoragePlace) bool { return p.ID == placeID })
			if i < 0 {
				return farm.Done{}, farm.ErrNone
			}
			name, to = up.Places[i].Name, &placeID
		}
		n, err := stockrows.On(tx).MoveBasket(ctx, ids, to)
		if err != nil {
			return farm.Done{}, err
		}
		if n != len(ids) {
			return farm.Done{}, farm.ErrNone
		}
		return journal.Record(ctx, tx, nil, nil, "%s moved to %s.", wording.Plural(len(ids), "gathering"), name)
	})
}
