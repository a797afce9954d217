package weigh

import (
	"context"
	"time"

	"metrogon/store"
)

// Air is what a machine was set to, in °C and % relative humidity; nil is left as it was.
type Air struct {
	MachineID int64
	At        time.Time
	TempC     *float64
	RHPct     *float64
	PersonID  *int64
}

// AddAir keeps one and returns its id.
func (tx Tx) AddAir(ctx context.Context, a Air) (int64, error) {
	return store.Value[int64](ctx, tx, `
		insert into machine_air (farm_id, machine_id, at, temp_c, rh_pct, person_id)
		values ($1, $2, $3, $4, $5, $6)
		returning id`, tx.FarmID, a.MachineID, a.At, a.TempC, a.RHPct, a.PersonID)
}

// DropAir takes one back.
func (tx Tx) DropAir(ctx context.Context, id int64) error {
	_, err := tx.Exec(ctx, `delete from machine_air where farm_id = $1 and id = $2`, tx.FarmID, id)
	return err
}
