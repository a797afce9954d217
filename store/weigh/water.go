package weigh

import (
	"context"
	"time"

	"metrogon/store"
)

// WaterEvent is water poured into a machine, or that it was found dry.
type WaterEvent struct {
	ID        int64
	MachineID int64
	At        time.Time
	Kind      string // full, some or dry
	ML        float64
}

// WaterLog is how many of each machine's newest lines are read.
const WaterLog = `
	select id, machine_id, at, kind, coalesce(ml, 0) as ml
	from (
		select *, row_number() over (partition by machine_id order by at desc, id desc) as nth
		from machine_water
		where farm_id = $1
	) w
	where nth <= 40
	order by machine_id, at, id`

// AddWater keeps a line of it and returns its id.
func (tx Tx) AddWater(ctx context.Context, e WaterEvent, personID int64) (int64, error) {
	return store.Value[int64](ctx, tx, `
		insert into machine_water (farm_id, machine_id, at, kind, ml, person_id)
		values ($1, $2, $3, $4, nullif($5::float8, 0), $6)
		returning id`, tx.FarmID, e.MachineID, e.At, e.Kind, e.ML, personID)
}

// DropWater takes one back.
func (tx Tx) DropWater(ctx context.Context, id int64) error {
	_, err := tx.Exec(ctx, `delete from machine_water where farm_id = $1 and id = $2`, tx.FarmID, id)
	return err
}
