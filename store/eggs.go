package store

import (
	"context"
	"time"
)

// Collection is one gathering of eggs from one pen.
type Collection struct {
	PenID          int64
	LaidOn         time.Time
	Eggs, Rejected int // sound ones, and rejects beside them
	Note           string
	ImportKey      *string
}

// Stock is how many eggs of a pen and a lay day are in store.
type Stock struct {
	PenID  int64
	LaidOn time.Time
	Eggs   int
}

// Gathering is a collection as it is listed.
type Gathering struct {
	ID             int64
	PenName        string
	Species        string
	LaidOn         time.Time
	Eggs, Rejected int
	Note           string
}

// Collect records collections and their eggs, and returns the ids of the
// collections; one whose import key is there already is passed over.
func (tx *Tx) Collect(ctx context.Context, all []Collection) ([]int64, error) {
	n := len(all)
	pens, days, notes, keys := make([]int64, n), make([]time.Time, n), make([]string, n), make([]*string, n)
	eggs, rejected := make([]int, n), make([]int, n)
	for i, c := range all {
		pens[i], days[i], notes[i], keys[i], eggs[i], rejected[i] = c.PenID, c.LaidOn, c.Note, c.ImportKey, c.Eggs, c.Rejected
	}
	return tx.ids(ctx, `
		with line as (
			select * from unnest($2::bigint[], $3::date[], $4::text[], $5::text[], $6::int[], $7::int[]) with ordinality
				as l (pen_id, laid_on, note, import_key, eggs, rejected, n)
			where not exists (select from collections c where c.farm_id = $1 and c.import_key = l.import_key)
		), numbered as (
			select *, nextval(pg_get_serial_sequence('collections', 'id')) as id from line
		), made as (
			insert into collections (farm_id, id, pen_id, laid_on, note, import_key)
			overriding system value select $1, id, pen_id, laid_on, note, import_key from numbered order by n
		), laid as (
			insert into eggs (farm_id, collection_id, pen_id, laid_on, rejected)
			select $1, id, pen_id, laid_on, k > eggs from numbered, generate_series(1, eggs + rejected) k
		)
		select id from numbered order by n`, tx.FarmID, pens, days, notes, keys, eggs, rejected)
}

// DropCollections takes collections back with their eggs, unless one of these
// was set or taken meanwhile; it returns how many were dropped.
func (tx *Tx) DropCollections(ctx context.Context, ids []int64) (int, error) {
	if _, err := tx.Exec(ctx, `delete from eggs where farm_id = $1 and collection_id = any ($2) and not exists
		(select from eggs e where e.farm_id = $1 and e.collection_id = eggs.collection_id and (e.batch_id is not null or e.fate is not null))`, tx.FarmID, ids); err != nil {
		return 0, err
	}
	tag, err := tx.Exec(ctx, `delete from collections c where farm_id = $1 and id = any ($2) and not exists (select from eggs e where e.farm_id = $1 and e.collection_id = c.id)`, tx.FarmID, ids)
	return int(tag.RowsAffected()), err
}

// Stock counts the eggs in store by pen and lay day, oldest first.
func (tx *Tx) Stock(ctx context.Context) ([]Stock, error) {
	return list[Stock](ctx, tx, `select pen_id, laid_on, count(*) as eggs from eggs
		where farm_id = $1 and batch_id is null and fate is null and not rejected group by pen_id, laid_on order by pen_id, laid_on`, tx.FarmID)
}

// Gatherings lists the newest collections.
func (tx *Tx) Gatherings(ctx context.Context, most int) ([]Gathering, error) {
	return list[Gathering](ctx, tx, `
		with last as (select * from collections where farm_id = $1 order by id desc limit $2)
		select c.id, p.name as pen_name, p.species, c.laid_on, c.note,
			count(e.id) filter (where not e.rejected) as eggs, count(e.id) filter (where e.rejected) as rejected
		from last c join pens p on p.farm_id = $1 and p.id = c.pen_id left join eggs e on e.farm_id = $1 and e.collection_id = c.id
		group by c.id, p.name, p.species, c.laid_on, c.note order by c.id desc`, tx.FarmID, most)
}

// CastOut takes eggs of a pen and lay day out of the store (eaten, sold, thrown
// away) and returns their ids, fewer than asked if there are fewer.
func (tx *Tx) CastOut(ctx context.Context, penID int64, laidOn time.Time, n int, at time.Time) ([]int64, error) {
	return tx.ids(ctx, `update eggs set fate = 'cast-out', fate_at = $4 where farm_id = $5 and id in (
		select id from eggs where farm_id = $5 and pen_id = $1 and laid_on = $2 and batch_id is null and fate is null and not rejected order by id limit $3)
		returning id`, penID, laidOn, n, at, tx.FarmID)
}

// PutBack undoes CastOut.
func (tx *Tx) PutBack(ctx context.Context, ids []int64) error {
	_, err := tx.Exec(ctx, `update eggs set fate = null, fate_at = null, stage = null where farm_id = $1 and id = any ($2)`, tx.FarmID, ids)
	return err
}

// Put takes up to n eggs of a pen and lay day from the store into a batch,
// numbering on from what the batch has, and returns how many there were.
func (tx *Tx) Put(ctx context.Context, batchID, penID int64, laidOn time.Time, n int) (int, error) {
	tag, err := tx.Exec(ctx, `
		with picked as (select id, row_number() over (order by id) as k from eggs
			where farm_id = $5 and pen_id = $2 and laid_on = $3 and batch_id is null and fate is null and not rejected order by id limit $4)
		update eggs set batch_id = $1, no = k + (select coalesce(max(no), 0) from eggs where farm_id = $5 and batch_id = $1)
		from picked where eggs.farm_id = $5 and eggs.id = picked.id`, batchID, penID, laidOn, n, tx.FarmID)
	return int(tag.RowsAffected()), err
}

func (tx *Tx) ids(ctx context.Context, sql string, args ...any) ([]int64, error) {
	rows, err := tx.Query(ctx, sql, args...)
	if err != nil {
		return nil, err
	}
	ids := []int64{}
	for rows.Next() {
		var id int64
		if err := rows.Scan(&id); err != nil {
			return nil, err
		}
		ids = append(ids, id)
	}
	return ids, rows.Err()
}

// CountCollected counts the eggs of these collections.
func (tx *Tx) CountCollected(ctx context.Context, ids []int64) (eggs, rejected int, err error) {
	err = tx.QueryRow(ctx, `select count(*) filter (where not rejected), count(*) filter (where rejected) from eggs where farm_id = $1 and collection_id = any ($2)`, tx.FarmID, ids).Scan(&eggs, &rejected)
	return
}
