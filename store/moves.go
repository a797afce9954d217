package store

import (
	"context"
	"fmt"
	"time"
)

// Leg is a batch's stay in one machine, before its lockdown or after.
type Leg struct {
	MachineID int64
	Hatching  bool
	FromAt    time.Time
	ToAt      *time.Time // nil: it stands there
	Why       string     // it came there, where somebody said
}

// EggLeg is an egg's stay in one machine.
type EggLeg struct {
	EggID, BatchID, MachineID int64
	Hatching                  bool
	FromAt                    time.Time
	ToAt                      *time.Time // nil: it lies there
}

// EggLegs lists where eggs lay, each in order of time.
func (tx *Tx) EggLegs(ctx context.Context, eggs []int64) ([]EggLeg, error) {
	return List[EggLeg](ctx, tx, `
		select egg_id, batch_id, machine_id, hatching, from_at, to_at
		from egg_legs
		where farm_id = $1 and egg_id = any ($2)
		order by egg_id, from_at, hatching`, tx.FarmID, eggs)
}

// line lists with each batch of $2 those from which its eggs came, each with the moment at which they left it.
const LineSQL = `
	line as (
		select id as batch_id, id as of_id, 'infinity'::timestamptz as until_at
		from unnest($2::bigint[]) t (id)
		union all
		select l.batch_id, b.split_from, least(l.until_at, b.split_at)
		from line l
		join batches b on b.farm_id = $1 and b.id = l.of_id and b.split_from is not null
	)`

// Part is a batch of one setting, with what came of its eggs.
type Part struct {
	ID                             int64
	Code                           string
	MachineID                      int64 // where it stands, or stood last
	Closed                         bool
	JoinedID                       *int64
	Eggs, Examined, Fertile, Alive int
	Hatched                        int // those counted without their eggs among them
}

// LegsOf lists where a batch stood, in order of time.
const LegsOf = `
	select l.machine_id, l.hatching, l.from_at, l.to_at, l.why
	from batches b
	cross join lateral legs_of(b.farm_id, b.id) l
	where b.farm_id = $1 and b.id = $2
	order by l.from_at, l.hatching`

// partsOf lists all that came of a setting, by the batch that was set, which is among them; none where it was
// never divided.
const partsOf = `
	select b.id, b.code, case when b.locked_at is null then b.setter_id else b.hatcher_id end as machine_id,
		b.closed_at is not null as closed, b.joined_id, count(e.id)::int as eggs, count(e.fertile)::int as examined,
		(count(*) filter (where e.fertile))::int as fertile,
		(count(*) filter (where e.id is not null and e.fate is null))::int as alive,
		(count(*) filter (where e.fate = 'hatched'))::int + coalesce((
			select sum(young) from young_counts y
			where y.farm_id = $1 and y.batch_id = b.id and not settled
		), 0)::int as hatched
	from batches b
	left join eggs e on e.farm_id = $1 and e.batch_id = b.id and e.fate is distinct from 'broken'
	where b.farm_id = $1 and (b.id = $2 or b.part_of = $2)
		and exists (select from batches p where p.farm_id = $1 and p.part_of = $2)
	group by b.farm_id, b.id
	order by b.id`

// Root is the batch that was set, of which this is a part, or itself.
func (b Batch) Root() int64 {
	if b.PartOf != nil {
		return *b.PartOf
	}
	return b.ID
}

// AddPart makes a batch for eggs that leave another, with the next letter of its setting, and returns its id.
// It stands where the other does; ticks of chores are copied.
func (tx *Tx) AddPart(ctx context.Context, from Batch, at time.Time) (id int64, code string, err error) {
	root, err := tx.Batch(ctx, from.Root())
	if err != nil {
		return 0, "", err
	}
	n, err := Value[int](ctx, tx, `
		select count(*)::int from batches where farm_id = $1 and part_of = $2`, tx.FarmID, root.ID)
	if err != nil {
		return 0, "", err
	}
	for code = ""; code == ""; n++ {
		code = root.Code + letter(n+1)
		taken, err := Value[bool](ctx, tx, `
			select exists (select from batches where farm_id = $1 and code = $2)`, tx.FarmID, code)
		if err != nil {
			return 0, "", err
		}
		if taken {
			code = ""
		}
	}
	id, err = Value[int64](ctx, tx, `
		with part as (
			insert into batches (
				farm_id, code, species, bantam, setter_id, hatcher_id, set_at, storage_days, temp_c, locked_at,
				part_of, split_from, split_at, school, hand_turns, mistings, cool_min, late_mist, unsure_days, late_h,
				offset_c, offset_sure, offset_days, swing_c, lock_rh_pct
			)
			select farm_id, $3, species, bantam, setter_id, hatcher_id, set_at, storage_days, temp_c, locked_at, $4, id, $5,
				school, hand_turns, mistings, cool_min, late_mist, unsure_days, late_h,
				offset_c, offset_sure, offset_days, swing_c, lock_rh_pct
			from batches
			where farm_id = $1 and id = $2
			returning id
		), ticks as (
			insert into chores_done (farm_id, batch_id, kind, day, at)
			select farm_id, part.id, kind, day, at
			from chores_done, part
			where farm_id = $1 and batch_id = $2
		)
		select id from part`, tx.FarmID, from.ID, code, root.ID, at)
	return id, code, err
}

// letter of the n-th part: b for the first that leaves, since what stays is the a.
func letter(n int) string {
	if n < 26 {
		return string(rune('a' + n))
	}
	return fmt.Sprintf("z%d", n-24)
}

// Reckon works out anew what a batch is said to be after eggs came or went: how long they had waited, and
// whether all are of bantams. One without eggs stays as it is.
func (tx *Tx) Reckon(ctx context.Context, batchIDs ...int64) error {
	_, err := tx.Exec(ctx, `
		update batches b
		set storage_days = coalesce((`+MeanAge+`), storage_days), bantam = coalesce((
			select bool_and(p.bantam)
			from eggs e
			join pens p on p.farm_id = $1 and p.id = e.pen_id
			where e.farm_id = $1 and e.batch_id = b.id
		), bantam)
		where b.farm_id = $1 and b.id = any ($2)`, tx.FarmID, batchIDs)
	return err
}

// DropPart forgets a part that has no eggs any more, with the ticks that it took along.
func (tx *Tx) DropPart(ctx context.Context, id int64) error {
	if _, err := tx.Exec(ctx, `delete from chores_done where farm_id = $1 and batch_id = $2`, tx.FarmID, id); err != nil {
		return err
	}
	_, err := tx.Exec(ctx, `delete from batches where farm_id = $1 and id = $2`, tx.FarmID, id)
	return err
}

// HandEggs moves eggs from one batch of a setting to another.
func (tx *Tx) HandEggs(ctx context.Context, eggs []int64, from, to int64, at time.Time) error {
	_, err := tx.Exec(ctx, `
		with gone as (
			insert into egg_moves (farm_id, egg_id, batch_id, until_at)
			select $1, e, $3, $5
			from unnest($2::bigint[]) e
		)
		update eggs
		set batch_id = $4
		where farm_id = $1 and id = any ($2) and batch_id = $3`, tx.FarmID, eggs, from, to, at)
	return err
}

// HandBack undoes HandEggs: the eggs are in their batch again as if they had never left it.
func (tx *Tx) HandBack(ctx context.Context, eggs []int64, from int64, at time.Time) error {
	_, err := tx.Exec(ctx, `
		with back as (
			delete from egg_moves
			where farm_id = $1 and egg_id = any ($2) and batch_id = $3 and until_at = $4
		)
		update eggs
		set batch_id = $3
		where farm_id = $1 and id = any ($2)`, tx.FarmID, eggs, from, at)
	return err
}

// BatchMove is a batch's move from one machine to another.
type BatchMove struct {
	BatchID, FromID, ToID int64
	At                    time.Time
	Hatching              bool
	Why                   string
}

// AddMove keeps a move and returns its id; StandIn puts the batch there.
func (tx *Tx) AddMove(ctx context.Context, m BatchMove, personID int64) (int64, error) {
	return Value[int64](ctx, tx, `
		insert into moves (farm_id, batch_id, at, from_id, to_id, hatching, why, person_id)
		values ($1, $2, $3, $4, $5, $6, $7, nullif($8::bigint, 0))
		returning id`, tx.FarmID, m.BatchID, m.At, m.FromID, m.ToID, m.Hatching, m.Why, personID)
}

// DropMove takes one back.
func (tx *Tx) DropMove(ctx context.Context, id int64) error {
	_, err := tx.Exec(ctx, `delete from moves where farm_id = $1 and id = $2`, tx.FarmID, id)
	return err
}

// StandIn keeps in which machines a batch is set and hatches.
func (tx *Tx) StandIn(ctx context.Context, batchID, setterID, hatcherID int64) error {
	_, err := tx.Exec(ctx, `
		update batches
		set setter_id = $3, hatcher_id = $4
		where farm_id = $1 and id = $2`, tx.FarmID, batchID, setterID, hatcherID)
	return err
}

// Join keeps which batch a batch's eggs joined, and closes it; with 0 it opens it again.
func (tx *Tx) Join(ctx context.Context, batchID, into int64, at time.Time) error {
	_, err := tx.Exec(ctx, `
		update batches
		set joined_id = nullif($3::bigint, 0), closed_at = case when $3 = 0 then null else $4::timestamptz end
		where farm_id = $1 and id = $2`, tx.FarmID, batchID, into, at)
	return err
}

// MeanAge is how many days the eggs of batch b had waited on average when they were set.
const MeanAge = `
	select avg(greatest(0, (b.set_at at time zone f.zone)::date - e.laid_on))
	from eggs e
	join farms f on f.id = $1
	where e.farm_id = $1 and e.batch_id = b.id`
