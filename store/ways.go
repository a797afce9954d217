package store

import (
	"context"
	"time"
)

// Way is how a batch is run; without a school nobody chose one, and its kind's holds.
type Way struct {
	School                       string
	HandTurns, Mistings, CoolMin int
	LateMist                     string
}

// WaySince is a way from a moment on.
type WaySince struct {
	At time.Time
	Way
}

// waysOf lists by which ways a batch was run, in order of time.
const waysOf = `
	select at, school, hand_turns, mistings, cool_min, late_mist
	from batch_ways
	where farm_id = $1 and batch_id = $2
	order by at, id`

// SetWay keeps by which way a batch is run from a moment on, and returns the id of the line.
func (tx *Tx) SetWay(ctx context.Context, batchID int64, way Way, at time.Time, personID int64) (int64, error) {
	if err := tx.PutWay(ctx, batchID, way); err != nil {
		return 0, err
	}
	return Value[int64](ctx, tx, `
		insert into batch_ways (farm_id, batch_id, at, school, hand_turns, mistings, cool_min, late_mist, person_id)
		values ($1, $2, $3, $4, $5, $6, $7, $8, nullif($9::bigint, 0))
		returning id`,
		tx.FarmID, batchID, at, way.School, way.HandTurns, way.Mistings, way.CoolMin, way.LateMist, personID)
}

// PutWay keeps by which way a batch is run, without a line of it; that of its kind where it has no school.
func (tx *Tx) PutWay(ctx context.Context, batchID int64, way Way) error {
	_, err := tx.Exec(ctx, `
		update batches
		set school = nullif($3, ''), hand_turns = case when $3 <> '' then $4::int end,
			mistings = case when $3 <> '' then $5::int end, cool_min = case when $3 <> '' then $6::int end,
			late_mist = case when $3 <> '' then $7::text end
		where farm_id = $1 and id = $2`,
		tx.FarmID, batchID, way.School, way.HandTurns, way.Mistings, way.CoolMin, way.LateMist)
	return err
}

// DropWay takes a line back.
func (tx *Tx) DropWay(ctx context.Context, id int64) error {
	_, err := tx.Exec(ctx, `delete from batch_ways where farm_id = $1 and id = $2`, tx.FarmID, id)
	return err
}
