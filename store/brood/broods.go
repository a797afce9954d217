package brood

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"metrogon/store"
)

// Brood is young that are raised together.
type Brood struct {
	ID        int64
	Species   string
	BatchID   *int64 // of which they hatched; nil: bought
	PenID     *int64 // their parents'; nil: of several, or nobody knows
	HatchedOn time.Time
	BeganOn   time.Time // when they came into the brooder
	Heads     int       // that came
	Alive     int       // of them, that are there now
	BrooderID *int64
	Place     string // where, if in no brooder
	SplitFrom *int64
}

// BroodOut is young that left a group.
type BroodOut struct {
	ID, BroodID int64
	At          time.Time
	Heads       int
	Why         string
	Cause       string // of death, or what else is said of it
	Buyer       string // who they were sold or given to
	Price       *float64
	PenID       *int64
}

// Heat is how warm a brooder was made.
type Heat struct {
	BrooderID int64
	At        time.Time
	TempC     float64
}

// Unhoused is young of a batch that are out and in no group yet.
type Unhoused struct {
	BatchID, PenID int64
	Young          int
}

// Housed is how many young of an open batch were brought in.
type Housed struct {
	BatchID int64
	Heads   int
}

const broods = `
	select b.id, b.species, b.batch_id, b.pen_id, b.hatched_on, b.began_on, b.heads, b.brooder_id, b.place, b.split_from,
		b.heads - coalesce(
			(select sum(o.heads) from brood_outs o where o.farm_id = $1 and o.brood_id = b.id), 0
		)::int as alive
	from broods b
	where b.farm_id = $1`

// LivingBroods are those with young left.
const LivingBroods = `
	select *
	from (` + broods + `) b
	where b.alive > 0
	order by b.hatched_on, b.id`

// Heats selects the newest warmth of each brooder.
const Heats = `
	select distinct on (brooder_id) brooder_id, at, temp_c
	from brooder_heat
	where farm_id = $1
	order by brooder_id, at desc, id desc`

// AddBrood makes a group and returns its id.
func (tx Tx) AddBrood(ctx context.Context, b Brood) (int64, error) {
	return store.Value[int64](ctx, tx, `
		insert into broods (
			farm_id, species, batch_id, pen_id, hatched_on, began_on, heads, brooder_id, place, split_from
		)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10)
		returning id`,
		tx.FarmID, b.Species, b.BatchID, b.PenID, b.HatchedOn, b.BeganOn, b.Heads, b.BrooderID, b.Place, b.SplitFrom)
}

// DropBrood forgets a group.
func (tx Tx) DropBrood(ctx context.Context, id int64) error {
	_, err := tx.Exec(ctx, `delete from broods where farm_id = $1 and id = $2`, tx.FarmID, id)
	return err
}

// PutBrood says where a group is, and of how many it is.
func (tx Tx) PutBrood(ctx context.Context, b Brood) error {
	_, err := tx.Exec(ctx, `
		update broods
		set brooder_id = $3, place = $4, heads = $5
		where farm_id = $1 and id = $2`, tx.FarmID, b.ID, b.BrooderID, b.Place, b.Heads)
	return err
}

// AddBroodOut notes young that left and returns the id of that.
func (tx Tx) AddBroodOut(ctx context.Context, o BroodOut, personID int64) (int64, error) {
	return store.Value[int64](ctx, tx, `
		insert into brood_outs (farm_id, brood_id, at, heads, why, cause, buyer, price, pen_id, person_id)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, nullif($10::bigint, 0))
		returning id`, tx.FarmID, o.BroodID, o.At, o.Heads, o.Why, o.Cause, o.Buyer, o.Price, o.PenID, personID)
}

// DropBroodOut takes that back.
func (tx Tx) DropBroodOut(ctx context.Context, id int64) error {
	_, err := tx.Exec(ctx, `delete from brood_outs where farm_id = $1 and id = $2`, tx.FarmID, id)
	return err
}

// AddHeat notes how warm a brooder was made and returns its id.
func (tx Tx) AddHeat(ctx context.Context, h Heat, personID int64) (int64, error) {
	return store.Value[int64](ctx, tx, `
		insert into brooder_heat (farm_id, brooder_id, at, temp_c, person_id)
		values ($1, $2, $3, $4, nullif($5::bigint, 0))
		returning id`, tx.FarmID, h.BrooderID, h.At, h.TempC, personID)
}

// DropHeat takes that back.
func (tx Tx) DropHeat(ctx context.Context, id int64) error {
	_, err := tx.Exec(ctx, `delete from brooder_heat where farm_id = $1 and id = $2`, tx.FarmID, id)
	return err
}

// Raising is all young that are raised.
type Raising struct {
	Broods   []Brood    // with young left
	Outs     []BroodOut // of these, and the newest of all others; the newest first
	Heats    []Heat     // of each brooder the newest
	Unhoused []Unhoused // of the last weeks
	Before   []Brood    // of which none is left, the newest first
}

// Raising reads it in one round trip; young that hatched before a moment are not looked for.
func (tx Tx) Raising(ctx context.Context, since time.Time) (r Raising, err error) {
	q := &pgx.Batch{}
	store.Ask(q, &r.Broods, LivingBroods, tx.FarmID)
	store.Ask(q, &r.Heats, Heats, tx.FarmID)
	store.Ask(q, &r.Outs, `
		select id, brood_id, at, heads, why, cause, buyer, price, pen_id
		from brood_outs
		where farm_id = $1
		order by at desc, id desc
		limit 200`, tx.FarmID)
	store.Ask(q, &r.Before, `
		select *
		from (`+broods+`) b
		where b.alive = 0
		order by b.hatched_on desc, b.id desc
		limit 20`, tx.FarmID)
	store.Ask(q, &r.Unhoused, `
		with young_of as (
			select e.batch_id, e.pen_id, count(*) as n
			from eggs e
			join batches b on b.farm_id = $1 and b.id = e.batch_id and (b.closed_at is null or b.closed_at >= $2)
			where e.farm_id = $1 and e.fate = 'hatched'
			group by e.batch_id, e.pen_id
			union all
			select c.batch_id, c.pen_id, sum(c.young)
			from young_counts c
			join batches b on b.farm_id = $1 and b.id = c.batch_id and (b.closed_at is null or b.closed_at >= $2)
			where c.farm_id = $1 and not c.settled
			group by c.batch_id, c.pen_id
		), gone as ( -- died where they hatched, or are in a group
			select y.batch_id, y.pen_id, count(*) as n
			from young y
			where y.farm_id = $1 and y.died_at is not null
			group by y.batch_id, y.pen_id
			union all
			select b.batch_id, b.pen_id, sum(b.heads)
			from broods b
			where b.farm_id = $1 and b.batch_id is not null
			group by b.batch_id, b.pen_id
		), of_pen as (
			select batch_id, pen_id,
				sum(n) - coalesce((
					select sum(g.n) from gone g where g.batch_id = y.batch_id and g.pen_id = y.pen_id
				), 0) as n
			from young_of y
			group by batch_id, pen_id
		)
		select batch_id, pen_id, n::int as young
		from of_pen
		where n > 0
		order by batch_id, pen_id`, tx.FarmID, since)
	return r, tx.SendBatch(ctx, q).Close()
}

// Brood finds a group; ErrNone if there is none.
func (tx Tx) Brood(ctx context.Context, id int64) (Brood, error) {
	return store.One[Brood](ctx, tx, broods+` and b.id = $2`, tx.FarmID, id)
}
