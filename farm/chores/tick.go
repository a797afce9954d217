package chores

import (
	"context"

	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/store"
)

// undone takes back that a chore of a batch was ticked off.
var undone = journal.NewKind("chore", func(ctx context.Context, tx *farm.Tx, c store.ChoreDone) error {
	return tx.MarkUndone(ctx, c.BatchID, c.Kind, c.Day)
})

// Undone is the step of taking back that a chore was ticked off.
func Undone(c store.ChoreDone) journal.Step { return undone.Of(c) }

// Tick ticks a chore of a batch off, once, and writes down what was done.
func Tick(ctx context.Context, tx *farm.Tx, done store.ChoreDone, format string, args ...any) (farm.Done, error) {
	open, err := tx.MarkDone(ctx, done.BatchID, done.Kind, done.Day, tx.At)
	if err != nil {
		return farm.Done{}, err
	}
	if !open {
		return farm.Done{}, farm.Problemf("kind", "This was done already.")
	}
	return journal.Record(ctx, tx, journal.On(journal.Batch, done.BatchID), journal.Undo{Undone(done)}, format, args...)
}
