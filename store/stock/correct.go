package stock

import (
	"context"
	"encoding/json"
	"time"

	"metrogon/store"
)

// Gathered is a collection as it can be put right: what of it is still in store, and what is not.
type Gathered struct {
	Gathering
	Stored int // sound ones, in store
	Away   int // sound ones that were set, or left the store
}

// Gathered finds a collection.
func (tx Tx) Gathered(ctx context.Context, id int64) (Gathered, error) {
	return store.One[Gathered](ctx, tx, `
		select c.id, c.pen_id, p.name as pen_name, p.species, c.hen, c.laid_on, c.note,
			count(e.id) filter (where not e.rejected) as eggs,
			count(e.id) filter (where e.rejected) as rejected,
			count(e.id) filter (where not e.rejected and e.batch_id is null and e.fate is null) as stored,
			count(e.id) filter (where not e.rejected and (e.batch_id is not null or e.fate is not null)) as away
		from collections c
		join pens p on p.farm_id = $1 and p.id = c.pen_id
		left join eggs e on e.farm_id = $1 and e.collection_id = c.id
		where c.farm_id = $1 and c.id = $2 and `+noClutch+`
		group by c.id, c.pen_id, p.name, p.species, c.hen, c.laid_on, c.note`, tx.FarmID, id)
}

// SetFrom is how many eggs of a collection were set in a batch.
type SetFrom struct {
	BatchID int64
	Code    string
	SetAt   time.Time
	Eggs    int
}

// SetFrom lists the batches in which eggs of a collection were set.
func (tx Tx) SetFrom(ctx context.Context, id int64) ([]SetFrom, error) {
	return store.List[SetFrom](ctx, tx, `
		select b.id as batch_id, b.code, b.set_at, count(*)::int as eggs
		from eggs e
		join batches b on b.farm_id = $1 and b.id = e.batch_id
		where e.farm_id = $1 and e.collection_id = $2
		group by b.id, b.code, b.set_at
		order by b.set_at`, tx.FarmID, id)
}

// PutRight changes pen, day, hen and note of a collection and of all its eggs, and so how long the
// eggs of its batches waited.
func (tx Tx) PutRight(ctx context.Context, g Gathering) error {
	if _, err := tx.Exec(ctx, `
		update collections
		set pen_id = $3, laid_on = $4, hen = $5, note = $6
		where farm_id = $1 and id = $2`, tx.FarmID, g.ID, g.PenID, g.LaidOn, g.Hen, g.Note); err != nil {
		return err
	}
	if _, err := tx.Exec(ctx, `
		update eggs
		set pen_id = $3, laid_on = $4
		where farm_id = $1 and collection_id = $2`, tx.FarmID, g.ID, g.PenID, g.LaidOn); err != nil {
		return err
	}
	_, err := tx.Exec(ctx, `
		update batches b
		set storage_days = (`+store.MeanAge+`)
		where b.farm_id = $1 and b.species = (select species from pens where farm_id = $1 and id = $3)
			and b.id in (select batch_id from eggs where farm_id = $1 and collection_id = $2)`, tx.FarmID, g.ID, g.PenID)
	return err
}

// AddEggs adds sound eggs to a collection, and returns their ids.
func (tx Tx) AddEggs(ctx context.Context, collection int64, n int) ([]int64, error) {
	return tx.IDs(ctx, `
		insert into eggs (farm_id, collection_id, pen_id, laid_on)
		select $1, id, pen_id, laid_on from collections, generate_series(1, $3)
		where farm_id = $1 and id = $2
		returning id`, tx.FarmID, collection, n)
}

// StrikeEggs forgets the last sound eggs of a collection that are in store, and gives their rows.
func (tx Tx) StrikeEggs(ctx context.Context, collection int64, n int) (json.RawMessage, error) {
	return store.Value[json.RawMessage](ctx, tx, `
		with struck as (
			delete from eggs
			where farm_id = $1 and id in (
				select id from eggs
				where farm_id = $1 and collection_id = $2 and batch_id is null and fate is null and not rejected
				order by id desc
				limit $3
			)
			returning *
		)
		select coalesce(jsonb_agg(to_jsonb(struck)), '[]') from struck`, tx.FarmID, collection, n)
}

// ForgetEggs forgets eggs that are in store, and tells how many there were.
func (tx Tx) ForgetEggs(ctx context.Context, ids []int64) (int, error) {
	tag, err := tx.Exec(ctx, `
		delete from eggs where farm_id = $1 and id = any ($2) and batch_id is null and fate is null`, tx.FarmID, ids)
	return int(tag.RowsAffected()), err
}

// RestoreEggs puts rows of eggs back that were struck.
func (tx Tx) RestoreEggs(ctx context.Context, rows json.RawMessage) error {
	_, err := tx.Exec(ctx, `
		insert into eggs overriding system value
		select * from jsonb_populate_recordset(null::eggs, $2::jsonb) where farm_id = $1`, tx.FarmID, string(rows))
	return err
}

// SaidSince tells whether a person did something that begins with these words since a moment, and it
// stands.
func (tx Tx) SaidSince(ctx context.Context, personID int64, since time.Time, words string) (bool, error) {
	return store.Value[bool](ctx, tx, `
		select exists (
			select from journal j
			where j.farm_id = $1 and j.person_id = $2 and j.at >= $3 and strpos(j.said, $4) = 1
				and not exists (select from journal u where u.farm_id = $1 and u.undoes = j.id)
		)`, tx.FarmID, personID, since, words)
}
