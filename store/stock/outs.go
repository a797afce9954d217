package stock

import (
	"context"
	"time"

	"metrogon/store"
)

// EggOut is eggs taken out of the store at one time.
type EggOut struct {
	ID    int64
	At    time.Time
	Why   string
	Who   string
	Price *float64 // of all together; nil: nobody said
	Eggs  int
}

// PickedEgg is an egg in store that was asked for.
type PickedEgg struct {
	ID, PenID int64
	Mark      *string
}

// PickStored finds eggs in store, sound ones before those that were kept for a trial: those with these pencil
// codes, or so many of a pen and lay day.
func (tx Tx) PickStored(
	ctx context.Context, marks []string, penID int64, laidOn time.Time, n int,
) (eggs []PickedEgg, err error) {
	if len(marks) > 0 {
		return store.List[PickedEgg](ctx, tx, `
			select e.id, e.mark, e.pen_id
			from eggs e
			where e.farm_id = $1 and e.mark = any ($2) and `+InStore+`
			order by e.id`, tx.FarmID, marks)
	}
	return store.List[PickedEgg](ctx, tx, `
		select e.id, e.mark, e.pen_id
		from eggs e
		where e.farm_id = $1 and e.pen_id = $2 and e.laid_on = $3 and `+InStore+`
		order by e.trial desc, e.id
		limit $4`, tx.FarmID, penID, laidOn, n)
}

// TakeOut takes eggs out of the store and returns the id of what is written down of it.
func (tx Tx) TakeOut(ctx context.Context, eggs []int64, out EggOut, personID int64) (int64, error) {
	return store.Value[int64](ctx, tx, `
		with o as (
			insert into egg_outs (farm_id, at, why, who, price, person_id)
			values ($1, $3, $4, $5, $6, nullif($7::bigint, 0))
			returning id
		), gone as (
			update eggs
			set fate = 'cast-out', fate_at = $3, stage = $4, out_id = o.id
			from o
			where farm_id = $1 and eggs.id = any ($2)
		)
		select id from o`, tx.FarmID, eggs, out.At, out.Why, out.Who, out.Price, personID)
}

// DropOut forgets that eggs were taken out, once they are back.
func (tx Tx) DropOut(ctx context.Context, id int64) error {
	_, err := tx.Exec(ctx, `delete from egg_outs where farm_id = $1 and id = $2`, tx.FarmID, id)
	return err
}

// Outs lists what was taken out of the store, the newest first.
func (tx Tx) Outs(ctx context.Context, most int) ([]EggOut, error) {
	return store.List[EggOut](ctx, tx, `
		select o.id, o.at, o.why, o.who, o.price, (
				select count(*)::int from eggs e where e.farm_id = $1 and e.out_id = o.id
			) as eggs
		from egg_outs o
		where o.farm_id = $1
		order by o.at desc, o.id desc
		limit $2`, tx.FarmID, most)
}

// LaidOn is how many eggs a pen laid on a day, sound or not.
type LaidOn struct {
	PenID  int64
	LaidOn time.Time
	Eggs   int
}

// LaidByDay lists what pens laid on the days from a date up to, and not including, another;
// what was taken over part-incubated was laid elsewhere and stands aside.
func (tx Tx) LaidByDay(ctx context.Context, from, to time.Time) ([]LaidOn, error) {
	return store.List[LaidOn](ctx, tx, `
		select c.pen_id, c.laid_on, count(e.id)::int as eggs
		from collections c
		join eggs e on e.farm_id = $1 and e.collection_id = c.id and e.reason is distinct from 'begun'
		join pens p on p.farm_id = $1 and p.id = c.pen_id and not p.supplier
		where c.farm_id = $1 and c.laid_on >= $2 and c.laid_on < $3
		group by c.pen_id, c.laid_on
		order by c.pen_id, c.laid_on`, tx.FarmID, from, to)
}
