package incubate

import (
	"context"
	"fmt"
	"time"

	"metrogon/core/method"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
)

// Way is how a batch was run from a moment on.
type Way struct {
	At time.Time
	method.Method
}

// SetWay changes by which way a batch is run from now on; no other batch changes, and what it was run by
// before stays in its record.
func (b *Service) SetWay(
	ctx context.Context, req farm.Request, batchID int64, way method.Method,
) (farm.Done, error) {
	return b.changeWay(ctx, req, batchID, func(v snapshot.BatchView) method.Method {
		way.Washing = v.Method.Washing
		return way
	})
}

// ByWeight runs a batch by weight from now on.
func (b *Service) ByWeight(ctx context.Context, req farm.Request, batchID int64) (farm.Done, error) {
	return b.changeWay(ctx, req, batchID, func(v snapshot.BatchView) method.Method {
		way := v.Method
		way.School = method.ByWeight
		return way
	})
}

func (b *Service) changeWay(
	ctx context.Context, req farm.Request, batchID int64, to func(v snapshot.BatchView) method.Method,
) (farm.Done, error) {
	if err := req.Refuse(farm.Keeping); err != nil {
		return farm.Done{}, err
	}
	return snapshot.OnBatch(ctx, b.Service, req, batchID,
		func(tx *farm.Tx, batch store.Batch, _ snapshot.Eggs) (farm.Done, error) {
			w, v, err := snapshot.Viewed(ctx, tx, batch)
			if err != nil {
				return farm.Done{}, err
			}
			way := to(v)
			if v.Kind.IsReptile() {
				return farm.Done{}, farm.Problemf("school", "A clutch lies in its box as it is; it has no school.")
			}
			if field, says := way.Check(v.Kind); field != "" {
				return farm.Done{}, farm.Problemf(field, "%s", says)
			}
			if way == v.Method {
				return farm.Done{}, farm.Problemf("school", "%s is run so already.", batch.Code)
			}
			return setWay(ctx, tx, w, batch, way)
		})
}

func setWay(
	ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot, batch store.Batch, way method.Method,
) (farm.Done, error) {
	if batch.Way == (store.Way{}) { // nobody chose one before: what its kind's was stays in its record
		if _, err := tx.SetWay(ctx, batch.ID, snapshot.WayRow(w.WayOf(batch)), batch.SetAt, 0); err != nil {
			return farm.Done{}, err
		}
	}
	id, err := tx.SetWay(ctx, batch.ID, snapshot.WayRow(way), tx.At, tx.Member.PersonID)
	if err != nil {
		return farm.Done{}, err
	}
	return journal.Record(ctx, tx, journal.On(journal.Batch, batch.ID),
		journal.Undo{wayBefore.Of(ways{batch.ID, id, batch.Way})}, "%s from now on: %s.", batch.Code, WaySays(way))
}

// WaySays tells a way in words.
func WaySays(way method.Method) string {
	says := string(way.School)
	if way.Mistings > 0 {
		says += fmt.Sprintf(", misted %s", times(way.Mistings))
	}
	if way.CoolMin > 0 {
		says += fmt.Sprintf(", cooled %d min a day", way.CoolMin)
	}
	if way.Late != method.NotLate {
		says += ", in lockdown misted " + way.Late.Says()
	}
	return says
}

func times(n int) string {
	if n == 1 {
		return "once a day"
	}
	return fmt.Sprintf("%d times a day", n)
}

// ways is by which way a batch was run, and the line that says otherwise.
type ways struct {
	Batch, Line int64
	Was         store.Way
}

var wayBefore = journal.NewKind("way", func(ctx context.Context, tx *farm.Tx, w ways) error {
	if err := tx.DropWay(ctx, w.Line); err != nil {
		return err
	}
	return tx.PutWay(ctx, w.Batch, w.Was)
})
