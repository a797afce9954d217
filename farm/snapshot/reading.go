package snapshot

import (
	"context"

	"metrogon/farm"
)

// ReadOpen is Read on the farm as it stands, with the batches in its machines.
func ReadOpen(
	ctx context.Context, b *farm.Service, m *farm.Member, work func(tx *farm.Tx, w *Snapshot, open []BatchView) error,
) error {
	return b.Read(ctx, m, func(tx *farm.Tx) error {
		w, err := Of(ctx, tx)
		if err != nil {
			return err
		}
		open, err := w.OpenBatches(ctx, tx)
		if err != nil {
			return err
		}
		return work(tx, w, open)
	})
}

// Part is what a page shows of one room.
type Part func(ctx context.Context, tx *farm.Tx, w *Snapshot, open []BatchView) error

// ReadParts reads the parts of a page, which see the farm of one moment.
func ReadParts(ctx context.Context, b *farm.Service, m *farm.Member, parts ...Part) error {
	return ReadOpen(ctx, b, m, func(tx *farm.Tx, w *Snapshot, open []BatchView) error {
		for _, part := range parts {
			if err := part(ctx, tx, w, open); err != nil {
				return err
			}
		}
		return nil
	})
}

// OnMachine runs an action on a machine of the farm.
func OnMachine(
	ctx context.Context, b *farm.Service, req farm.Request, needs farm.Right, id int64,
	work func(tx *farm.Tx, x Machine) (farm.Done, error),
) (farm.Done, error) {
	return b.Act(ctx, req, needs, func(tx *farm.Tx) (farm.Done, error) {
		w, err := Of(ctx, tx)
		if err != nil {
			return farm.Done{}, err
		}
		x, ok := w.MachineByID[id]
		if !ok {
			return farm.Done{}, farm.ErrNone
		}
		return work(tx, x)
	})
}
