package ahead

import (
	"context"

	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
	rows "metrogon/store/season"
)

// Add keeps new planned batches and gives the steps that take them back.
func Add(ctx context.Context, tx *farm.Tx, all []PlannedRows) (u journal.Undo, about journal.Subjects, err error) {
	for _, r := range all {
		r.ID = 0
		id, err := rows.On(tx).SavePlanned(ctx, r.Planned)
		if err != nil {
			return nil, nil, err
		}
		if err := rows.On(tx).SetPlannedEggs(ctx, id, r.Eggs); err != nil {
			return nil, nil, err
		}
		if err := rows.On(tx).SetPlannedFor(ctx, id, r.For); err != nil {
			return nil, nil, err
		}
		u = append(u, PlannedBefore.Of(Kept[PlannedRows]{ID: id}))
		about = about.And(journal.Planned, id)
	}
	return u, about, nil
}

// Kept is a row of one of the lists of planning as it was before; nil: it was not there.
type Kept[T any] struct {
	ID     int64
	Before *T
}

// PlannedRows is a planned batch with its eggs and whom it is for, as it is kept.
type PlannedRows struct {
	rows.Planned
	Eggs []rows.PlannedEggs
	For  []rows.PlannedFor
}

func RowsOf(p snapshot.Planned) PlannedRows { return PlannedRows{p.Planned, p.Eggs, p.For} }

func (r PlannedRows) Save(ctx context.Context, tx *farm.Tx) error {
	id, err := rows.On(tx).SavePlanned(ctx, r.Planned)
	if err != nil {
		return err
	}
	if err := rows.On(tx).SetPlannedEggs(ctx, id, r.Eggs); err != nil {
		return err
	}
	return rows.On(tx).SetPlannedFor(ctx, id, r.For)
}

var PlannedBefore = journal.NewKind("planned", func(ctx context.Context, tx *farm.Tx, p Kept[PlannedRows]) error {
	if p.Before == nil {
		return rows.On(tx).DropPlanned(ctx, []int64{p.ID})
	}
	return p.Before.Save(ctx, tx)
})

// Steps that are taken back.
var (
	AwayBack = journal.NewKind("away", func(ctx context.Context, tx *farm.Tx, r Kept[rows.Away]) error {
		if r.Before == nil {
			return rows.On(tx).DropOf(ctx, "away", r.ID)
		}
		_, err := rows.On(tx).SaveAway(ctx, *r.Before)
		return err
	})
	ClosureBack = journal.NewKind("closure", func(ctx context.Context, tx *farm.Tx, r Kept[store.Closure]) error {
		if r.Before == nil {
			return rows.On(tx).DropOf(ctx, "closures", r.ID)
		}
		_, err := rows.On(tx).SaveClosure(ctx, *r.Before)
		return err
	})
	BrooderBack = journal.NewKind("brooder", func(ctx context.Context, tx *farm.Tx, r Kept[rows.Brooder]) error {
		if r.Before == nil {
			return rows.On(tx).DropOf(ctx, "brooders", r.ID)
		}
		_, err := rows.On(tx).SaveBrooder(ctx, *r.Before)
		return err
	})
	BanBack = journal.NewKind("ban", func(ctx context.Context, tx *farm.Tx, r Kept[rows.Ban]) error {
		if r.Before == nil {
			return rows.On(tx).DropOf(ctx, "bans", r.ID)
		}
		_, err := rows.On(tx).SaveBan(ctx, *r.Before)
		return err
	})
)
