package store

import (
	"context"
	"time"
)

// Weighing is eggs of a batch on the scale together.
type Weighing struct {
	ID      int64
	BatchID int64
	TrayID  *int64 // nil: the whole batch
	At      time.Time
	Eggs    int
	MassG   float64 // of all
	RHPct   float64 // held since the weighing before
	TempC   float64
}

// Weighings lists a batch's, in order of time.
func (tx *Tx) Weighings(ctx context.Context, batchID int64) ([]Weighing, error) {
	return list[Weighing](ctx, tx, `select id, batch_id, tray_id, at, eggs, mass_g, rh_pct, temp_c from weighings where farm_id = $1 and batch_id = $2 order by at, id`, tx.FarmID, batchID)
}

// AddWeighing keeps one and returns its id.
func (tx *Tx) AddWeighing(ctx context.Context, w Weighing) (int64, error) {
	return value[int64](ctx, tx, `insert into weighings (farm_id, batch_id, tray_id, at, eggs, mass_g, rh_pct, temp_c) values ($1, $2, $3, $4, $5, $6, $7, $8) returning id`,
		tx.FarmID, w.BatchID, w.TrayID, w.At, w.Eggs, w.MassG, w.RHPct, w.TempC)
}

// DropWeighing takes one back.
func (tx *Tx) DropWeighing(ctx context.Context, id int64) error {
	_, err := tx.Exec(ctx, `delete from weighings where farm_id = $1 and id = $2`, tx.FarmID, id)
	return err
}
