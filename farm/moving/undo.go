package moving

import (
	"context"
	"time"

	"metrogon/farm"
	"metrogon/farm/journal"
)

// handed is eggs that went from one batch of a setting to another.
type handed struct {
	To, From int64
	Eggs     []int64
	At       time.Time
}

// stands is in which machines a batch was set and was to hatch.
type stands struct{ Batch, Setter, Hatcher int64 }

var (
	dropPart = journal.NewKind("part", func(ctx context.Context, tx *farm.Tx, h handed) error {
		if err := tx.HandBack(ctx, h.Eggs, h.From, h.At); err != nil {
			return err
		}
		if err := tx.DropPart(ctx, h.To); err != nil {
			return err
		}
		return tx.Reckon(ctx, h.From)
	})
	joined = journal.NewKind("joined", func(ctx context.Context, tx *farm.Tx, h handed) error {
		if err := tx.HandBack(ctx, h.Eggs, h.From, h.At); err != nil {
			return err
		}
		if err := tx.Join(ctx, h.From, 0, h.At); err != nil {
			return err
		}
		return tx.Reckon(ctx, h.From, h.To)
	})
	dropMove = journal.NewKind("move", func(ctx context.Context, tx *farm.Tx, id int64) error {
		return tx.DropMove(ctx, id)
	})
	standsBefore = journal.NewKind("stands", func(ctx context.Context, tx *farm.Tx, s stands) error {
		return tx.StandIn(ctx, s.Batch, s.Setter, s.Hatcher)
	})
)
