package stock

import (
	"context"
	"slices"

	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
	rows "metrogon/store/stock"
	"metrogon/store/upkeep"
)

// SaveStoragePlace makes a place (ID 0) or changes it, with what its thermometer
// and hygrometer read.
func (b *Service) SaveStoragePlace(
	ctx context.Context, req farm.Request, place rows.StoragePlace,
) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		var p farm.Problems
		place.Name = p.Name("name", "The name of the place", place.Name, 60, true)
		p.Temp(req.Units(), "temp", "The temperature", place.TempC, -10, 45)
		p.Measure("rh", "The humidity", place.RHPct, 0, 100, "%")
		if err := p.Err(); err != nil {
			return farm.Done{}, err
		}
		var err error
		if place.ID, err = rows.On(tx).SaveStoragePlace(ctx, place); err != nil {
			return farm.Done{}, farm.Taken(err, "name", "There is a place of that name already.")
		}
		return journal.Record(ctx, tx, journal.On(journal.Place, place.ID), nil, "Saved the place %s.", place.Name)
	})
}

// StoragePlace is one, by its id.
func (b *Service) StoragePlace(
	ctx context.Context, m *farm.Member, id int64,
) (v snapshot.PlaceView, log []store.LogEntry, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return err
		}
		up, err := w.Upkeep(ctx, tx)
		if err != nil {
			return err
		}
		all := w.StorePlaces(up)
		i := slices.IndexFunc(all, func(p snapshot.PlaceView) bool { return p.ID == id && id != 0 })
		if i < 0 {
			return farm.ErrNone
		}
		v = all[i]
		log, err = tx.CareLog(ctx, 0, id, 60)
		return err
	})
	return
}

// Tilted notes that the eggs of a place were tilted to the other side.
func (b *Service) Tilted(ctx context.Context, req farm.Request, placeID int64) (farm.Done, error) {
	return b.Act(ctx, req, farm.Helping, func(tx *farm.Tx) (farm.Done, error) {
		up, err := upkeep.On(tx).Upkeep(ctx, b.Now(), b.Now())
		if err != nil {
			return farm.Done{}, err
		}
		i := slices.IndexFunc(up.Places, func(p rows.StoragePlace) bool { return p.ID == placeID })
		if i < 0 {
			return farm.Done{}, farm.ErrNone
		}
		return journal.RecordCare(
			ctx, tx, store.Care{Kind: snapshot.Tilt, PlaceID: &placeID}, "Eggs in %s tilted to the other side.",
			up.Places[i].Name,
		)
	})
}
