package stock

import (
	"context"
	"time"

	"metrogon/store"
)

// StoragePlace is where eggs wait.
type StoragePlace struct {
	ID      int64
	Name    string
	TempC   *float64 // read last
	RHPct   *float64
	UntilOn *time.Time
	WarmH   *float64 // of the last 48 hours it was so warm that germs begin to grow, by its probe
}

// TellPlace keeps what the probe of a place told: its mean of the last day in °C and %, and for how many of the last
// 48 hours it was too warm. What it did not tell, or is not sure of, is nil and stays as it was.
func (tx Tx) TellPlace(ctx context.Context, id int64, tempC, rhPct *float64, warmH float64) error {
	_, err := tx.Exec(ctx, `
		update places set temp_c = coalesce($3, temp_c), rh_pct = coalesce($4, rh_pct), warm_h = $5
		where farm_id = $1 and id = $2`, tx.FarmID, id, tempC, rhPct, warmH)
	return err
}

// SaveStoragePlace makes one (ID 0) or changes it, and returns its id.
func (tx Tx) SaveStoragePlace(ctx context.Context, p StoragePlace) (int64, error) {
	if p.ID == 0 {
		return store.Value[int64](ctx, tx, `
			insert into places (farm_id, name, temp_c, rh_pct, until_on)
			values ($1, $2, $3, $4, $5)
			returning id`, tx.FarmID, p.Name, p.TempC, p.RHPct, p.UntilOn)
	}
	return store.Value[int64](ctx, tx, `
		update places
		set name = $3, temp_c = $4, rh_pct = $5, until_on = $6
		where farm_id = $1 and id = $2
		returning id`, tx.FarmID, p.ID, p.Name, p.TempC, p.RHPct, p.UntilOn)
}
