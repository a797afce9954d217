package hatch

import (
	"context"
	"time"

	"metrogon/store"
)

// BreakOut is what an egg showed on opening, beside its stage.
type BreakOut struct {
	EggID    int64
	At       time.Time
	Findings []string
	PersonID int64
}

// AddBreakOut keeps what an egg showed; where it was opened before, the later look counts.
func (tx Tx) AddBreakOut(ctx context.Context, b BreakOut) error {
	_, err := tx.Exec(ctx, `
		insert into break_outs (farm_id, egg_id, at, findings, person_id)
		values ($1, $2, $3, $4, nullif($5::bigint, 0))
		on conflict (farm_id, egg_id) do update
		set at = excluded.at, findings = excluded.findings, person_id = excluded.person_id`,
		tx.FarmID, b.EggID, b.At, b.Findings, b.PersonID)
	return err
}

// DropBreakOut forgets it.
func (tx Tx) DropBreakOut(ctx context.Context, eggID int64) error {
	_, err := tx.Exec(ctx, `delete from break_outs where farm_id = $1 and egg_id = $2`, tx.FarmID, eggID)
	return err
}

// breakOuts are those of a batch.
const breakOuts = `
	select o.egg_id, o.at, o.findings, coalesce(o.person_id, 0) as person_id
	from break_outs o
	join eggs e on e.farm_id = $1 and e.id = o.egg_id
	where o.farm_id = $1 and e.batch_id = $2
	order by o.at, o.egg_id`

// BreakOuts lists those of a batch.
func (tx Tx) BreakOuts(ctx context.Context, batchID int64) ([]BreakOut, error) {
	return store.List[BreakOut](ctx, tx, breakOuts, tx.FarmID, batchID)
}

// SetStage changes what an egg that did not hatch showed on opening, where it was this before; it
// tells whether it was.
func (tx Tx) SetStage(ctx context.Context, eggID int64, before, stage string) (bool, error) {
	done, err := tx.Exec(ctx, `
		update eggs
		set stage = $4
		where farm_id = $1 and id = $2 and fate = 'unhatched' and stage = $3`, tx.FarmID, eggID, before, stage)
	return done.RowsAffected() == 1, err
}
