package farm

import "context"

// ReadOpen is Read on the farm as it stands, with the batches in its machines.
func ReadOpen(
	ctx context.Context, b *Service, m *Member, work func(tx *Tx, w *Snapshot, open []BatchView) error,
) error {
	return b.Read(ctx, m, func(tx *Tx) error {
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
type Part func(ctx context.Context, tx *Tx, w *Snapshot, open []BatchView) error

// ReadParts reads the parts of a page, which see the farm of one moment.
func ReadParts(ctx context.Context, b *Service, m *Member, parts ...Part) error {
	return ReadOpen(ctx, b, m, func(tx *Tx, w *Snapshot, open []BatchView) error {
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
	ctx context.Context, b *Service, req Request, needs Right, id int64,
	work func(tx *Tx, x Machine) (Done, error),
) (Done, error) {
	return b.Act(ctx, req, needs, func(tx *Tx) (Done, error) {
		w, err := Of(ctx, tx)
		if err != nil {
			return Done{}, err
		}
		x, ok := w.MachineByID[id]
		if !ok {
			return Done{}, ErrNone
		}
		return work(tx, x)
	})
}
