package hatch

import (
	"context"

	"metrogon/core/candling"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/store"
	rows "metrogon/store/hatch"
)

var (
	batchBefore = journal.NewKind("stand", func(ctx context.Context, tx *farm.Tx, before store.Batch) error {
		return tx.MoveBatch(ctx, before)
	})
	dropYoung = journal.NewKind("young", func(ctx context.Context, tx *farm.Tx, counts []int64) error {
		return tx.DropYoung(ctx, counts)
	})
	dropSigns    = dropping("hatch_signs")
	dropOnes     = dropping("young")
	dropOpenings = dropping("lid_openings")
	dropTaken    = dropping("pulls")
	unlearn      = journal.NewKind("unlearn", func(ctx context.Context, tx *farm.Tx, batchID int64) error {
		return rows.On(tx).DropLesson(ctx, batchID)
	})
	unsettle = journal.NewKind("unsettle", func(ctx context.Context, tx *farm.Tx, batchID int64) error {
		_, err := tx.SettleYoung(ctx, batchID, false)
		return err
	})
)

// dropping takes rows of a table of the hatch back. The names of the kinds stand in the journal.
func dropping(table string) journal.Kind[[]int64] {
	return journal.NewKind("drop "+table, func(ctx context.Context, tx *farm.Tx, ids []int64) error {
		return rows.On(tx).DropHatch(ctx, table, ids)
	})
}

// What opened eggs showed is taken back.
var (
	dropBreakOut = journal.NewKind("break_out", func(ctx context.Context, tx *farm.Tx, eggID int64) error {
		return rows.On(tx).DropBreakOut(ctx, eggID)
	})
	stageBack = journal.NewKind("stage", func(ctx context.Context, tx *farm.Tx, was stagedEgg) error {
		_, err := rows.On(tx).SetStage(ctx, was.Egg, was.Stage, string(candling.NotOpened))
		return err
	})
	shutAgain = journal.NewKind("shut_again", func(ctx context.Context, tx *farm.Tx, eggs []int64) error {
		_, err := tx.SetOpened(ctx, eggs, "")
		return err
	})
)
