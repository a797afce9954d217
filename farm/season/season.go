// Package season plans ahead: what is promised, which days and machines are out, which
// batches are to be set, and the plan that makes one of the other. The problem and its
// search are core/season's; here it is made from the farm, and told in its words.
package season

import (
	"context"
	"sync"

	"metrogon/farm"
	"metrogon/farm/ahead"
	"metrogon/farm/journal"
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

// Steps that are taken back.
var (
	orderBefore = journal.NewKind("order", func(ctx context.Context, tx *farm.Tx, o ahead.Kept[rows.Order]) error {
		if o.Before == nil {
			return rows.On(tx).DropOrder(ctx, o.ID)
		}
		_, err := rows.On(tx).SaveOrder(ctx, *o.Before)
		return err
	})
	eggsBack = journal.NewKind("order_eggs", func(ctx context.Context, tx *farm.Tx, eggs []int64) error {
		return stock.On(tx).PutBack(ctx, eggs)
	})
	planBefore = journal.NewKind("plan", func(ctx context.Context, tx *farm.Tx, p rows.PlanState) error {
		return rows.On(tx).SetPlanState(ctx, p)
	})
)

// outlook is the farm as planning sees it, with what this room makes of that.
type outlook struct{ *ahead.Outlook }

// see reads it.
func see(ctx context.Context, tx *farm.Tx) (*outlook, error) {
	s, err := ahead.Of(ctx, tx)
	return &outlook{s}, err
}
