// Package candle is what is seen against the light: calls in the list or egg by egg in
// the dark, what opened eggs showed, and how calls proved right.
package candle

import (
	"context"
	"time"

	"metrogon/farm"
)

// Service holds the use cases.
type Service struct {
	*farm.Service
	Cells CellKeeper
}

// CellKeeper keeps an air cell that was read at the lamp, as the loss in percent that
// the drawing like it stands for.
type CellKeeper interface {
	ReadCell(
		ctx context.Context, req farm.Request, batchID, eggID int64, lossPct float64, at time.Time,
	) (farm.Done, error)
}
