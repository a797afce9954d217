// Package season plans ahead: what is promised, which days and machines are out, which
// batches are to be set, and the plan that makes one of the other. The problem and its
// search are core/season's; here it is made from the farm, and told in its words.
package season

import (
	"context"
	"sync"

	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
	rows "metrogon/store/season"
	"metrogon/store/stock"
)

// Service holds the use cases.
type Service struct {
	*farm.Service
	working sync.Map // plan id → context.CancelFunc, of those worked on here
	turns   turns
	held    held
}

// New opens the room.
func New(on *farm.Service) *Service { return &Service{Service: on} }

// kept is a row of one of the lists of planning as it was before; nil: it was not there.
type kept[T any] struct {
	ID     int64
	Before *T
}

// Steps that are taken back.
var (
	orderBefore = journal.NewKind("order", func(ctx context.Context, tx *farm.Tx, o kept[rows.Order]) error {
		if o.Before == nil {
			return rows.On(tx).DropOrder(ctx, o.ID)
		}
		_, err := rows.On(tx).SaveOrder(ctx, *o.Before)
		return err
	})
	eggsBack = journal.NewKind("order_eggs", func(ctx context.Context, tx *farm.Tx, eggs []int64) error {
		return stock.On(tx).PutBack(ctx, eggs)
	})
	plannedBefore = journal.NewKind("planned", func(ctx context.Context, tx *farm.Tx, p kept[plannedRows]) error {
		if p.Before == nil {
			return rows.On(tx).DropPlanned(ctx, []int64{p.ID})
		}
		return p.Before.save(ctx, tx)
	})
	planBefore = journal.NewKind("plan", func(ctx context.Context, tx *farm.Tx, p rows.PlanState) error {
		return rows.On(tx).SetPlanState(ctx, p)
	})
	awayBack = journal.NewKind("away", func(ctx context.Context, tx *farm.Tx, r kept[rows.Away]) error {
		if r.Before == nil {
			return rows.On(tx).DropOf(ctx, "away", r.ID)
		}
		_, err := rows.On(tx).SaveAway(ctx, *r.Before)
		return err
	})
	closureBack = journal.NewKind("closure", func(ctx context.Context, tx *farm.Tx, r kept[store.Closure]) error {
		if r.Before == nil {
			return rows.On(tx).DropOf(ctx, "closures", r.ID)
		}
		_, err := rows.On(tx).SaveClosure(ctx, *r.Before)
		return err
	})
	brooderBack = journal.NewKind("brooder", func(ctx context.Context, tx *farm.Tx, r kept[rows.Brooder]) error {
		if r.Before == nil {
			return rows.On(tx).DropOf(ctx, "brooders", r.ID)
		}
		_, err := rows.On(tx).SaveBrooder(ctx, *r.Before)
		return err
	})
	banBack = journal.NewKind("ban", func(ctx context.Context, tx *farm.Tx, r kept[rows.Ban]) error {
		if r.Before == nil {
			return rows.On(tx).DropOf(ctx, "bans", r.ID)
		}
		_, err := rows.On(tx).SaveBan(ctx, *r.Before)
		return err
	})
)

// plannedRows is a planned batch with its eggs and whom it is for, as it is kept.
type plannedRows struct {
	rows.Planned
	Eggs []rows.PlannedEggs
	For  []rows.PlannedFor
}

func rowsOf(p snapshot.Planned) plannedRows { return plannedRows{p.Planned, p.Eggs, p.For} }

func (r plannedRows) save(ctx context.Context, tx *farm.Tx) error {
	id, err := rows.On(tx).SavePlanned(ctx, r.Planned)
	if err != nil {
		return err
	}
	if err := rows.On(tx).SetPlannedEggs(ctx, id, r.Eggs); err != nil {
		return err
	}
	return rows.On(tx).SetPlannedFor(ctx, id, r.For)
}
