package store

import (
	"context"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"
)

// Batch is eggs of one species, set in one machine at one moment; of a reptile
// it is a clutch.
type Batch struct {
	ID          int64
	Code        string
	Species     string
	Bantam      bool
	SetterID    int64
	HatcherID   int64
	SetAt       time.Time
	StorageDays float64
	TempC       *float64
	LockedAt    *time.Time
	ClosedAt    *time.Time
	PartOf      *int64     // the batch that was set, of which this is a part
	SplitFrom   *int64     // the batch from which its eggs came
	SplitAt     *time.Time // when they left it
	JoinedID    *int64     // the batch that its eggs joined
	CameAt      time.Time  // to where it stands, lockdown aside
	UnsureDays  float64    // that SetAt may lie off either way
	LateH       float64    // by how many hours cold spells set it back
	// By how much its setter was too warm, or below 0 too cool, by the instruments in it, within what that is known, and
	// over how many days; nil: nobody knows.
	OffsetC, OffsetSure, OffsetDays *float64
	SwingC                          *float64 // by which its temperature went up and down in nine hours of ten
	LockRHPct                       *float64 // the humidity in lockdown
	// What the temperatures of a clutch make of its days: the share that had developed at a moment, 0 to 1, and when it
	// hatches; nil: of birds, or not worked out yet.
	Grown                          *float64
	GrownAt, DueAt, DueFrom, DueTo *time.Time
	Way
}

// Tally counts a batch's eggs: every one set is alive, out, broken by hand,
// hatched or unhatched.
type Tally struct {
	BatchID                                          int64
	Eggs, Alive, Removed, Broken, Hatched, Unhatched int
	Examined, Fertile                                int
	CandledAt                                        *time.Time // the last time
	FirstOut                                         *time.Time // when the first young was out
	PippedAt                                         *time.Time // the last pip or zip of an egg that is not out
}

// Egg is one egg of a batch.
type Egg struct {
	ID      int64
	No      int
	PenID   int64
	LaidOn  time.Time
	Fate    *string
	Stage   *string
	Fertile *bool
	Calls   []string // every call, oldest first
	Mark    *string  // its pencil code
	TrayID  *int64
	Place   *int
	MassG   *float64
	Opened  *string // what a removed one showed on opening
	FateAt  *time.Time
	Trial   bool
	Reason  *string // why it is on trial
	Loose   float64 // share of eggs with a loose or displaced air cell in the parcel that it came in
}

// Young is how many young of a pen were counted in a batch, whose eggs nobody saw;
// those of eggs on trial apart.
type Young struct {
	BatchID, PenID int64
	Trial          bool
	Young          int
}

// BatchColumns are those of a Batch, of the table batches by its own name.
const BatchColumns = `
	id, code, species, bantam, setter_id, hatcher_id, set_at, storage_days, temp_c, locked_at, closed_at,
	unsure_days, late_h, offset_c, offset_sure, offset_days, swing_c,
	lock_rh_pct, grown, grown_at, due_at, due_from, due_to, part_of, split_from, split_at, joined_id, coalesce(
		(
			select max(at)
			from moves m
			where m.farm_id = batches.farm_id and m.batch_id = batches.id and m.hatching = (batches.locked_at is not null)
		), split_at, set_at
	) as came_at, coalesce(school, '') as school, coalesce(hand_turns, 0) as hand_turns,
	coalesce(mistings, 0) as mistings, coalesce(cool_min, 0) as cool_min, coalesce(late_mist, '') as late_mist`

// OpenBatches lists what is in the machines, in order of setting.
func (tx *Tx) OpenBatches(ctx context.Context) ([]Batch, error) {
	return List[Batch](ctx, tx, `select `+BatchColumns+`
		from batches
		where farm_id = $1 and closed_at is null
		order by set_at, id`, tx.FarmID)
}

// ClosedBatches lists batches that are done, the newest first.
func (tx *Tx) ClosedBatches(ctx context.Context, most, skip int) ([]Batch, error) {
	return List[Batch](ctx, tx, `select `+BatchColumns+`
		from batches
		where farm_id = $1 and closed_at is not null and (joined_id is null or exists (
			select from eggs e where e.farm_id = $1 and e.batch_id = batches.id
		))
		order by set_at desc, id desc
		limit $2 offset $3`, tx.FarmID, most, skip)
}

// YearsSet are the years in which batches were set that are closed, the newest first; zone is the farm's.
func (tx *Tx) YearsSet(ctx context.Context, zone string) ([]int, error) {
	rows, err := tx.Query(ctx, `
		select distinct extract(year from set_at at time zone $2)::int as year
		from batches
		where farm_id = $1 and closed_at is not null
		order by year desc`, tx.FarmID, zone)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[int])
}

// BatchesSince lists batches that are open or closed after a moment.
func (tx *Tx) BatchesSince(ctx context.Context, at time.Time) ([]Batch, error) {
	return List[Batch](ctx, tx, `select `+BatchColumns+`
		from batches
		where farm_id = $1 and set_at > $2::timestamptz - interval '400 days'
			and (closed_at is null or closed_at > $2)
		order by set_at, id`, tx.FarmID, at)
}

// Batch finds one.
func (tx *Tx) Batch(ctx context.Context, id int64) (Batch, error) {
	return One[Batch](ctx, tx, `select `+BatchColumns+` from batches where farm_id = $1 and id = $2`, tx.FarmID, id)
}

// AddBatch makes a batch with a code of its own, the next of its species in
// that year of the farm's calendar, and returns its id.
func (tx *Tx) AddBatch(ctx context.Context, b Batch, name string, year int) (id int64, code string, err error) {
	prefix := fmt.Sprintf("%s %02d-", name, year%100)
	last, err := Value[int](ctx, tx, `
		select coalesce(max(substr(code, $3)::int), 0)
		from batches
		where farm_id = $1 and starts_with(code, $2) and part_of is null`, tx.FarmID, prefix, len([]rune(prefix))+1)
	if err != nil {
		return 0, "", err
	}
	code = fmt.Sprintf("%s%02d", prefix, last+1)
	id, err = Value[int64](ctx, tx, `
		insert into batches (
			farm_id, code, species, bantam, setter_id, hatcher_id, set_at, storage_days, temp_c, unsure_days
		)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10)
		returning id`,
		tx.FarmID, code, b.Species, b.Bantam, b.SetterID, b.HatcherID, b.SetAt, b.StorageDays, b.TempC, b.UnsureDays)
	if err != nil || b.Way == (Way{}) {
		return id, code, err
	}
	_, err = tx.SetWay(ctx, id, b.Way, b.SetAt, 0)
	return id, code, err
}

// SetClock keeps when a batch began to incubate, and how unsure that is.
func (tx *Tx) SetClock(ctx context.Context, batchID int64, setAt time.Time, unsureDays float64) error {
	_, err := tx.Exec(ctx, `
		update batches
		set set_at = $3, unsure_days = $4
		where farm_id = $1 and id = $2`, tx.FarmID, batchID, setAt, unsureDays)
	return err
}

// DropBatch puts a batch's eggs back in store and forgets it.
func (tx *Tx) DropBatch(ctx context.Context, id int64) error {
	_, err := tx.Exec(ctx, `
		with back as (
			update eggs set batch_id = null, no = null, fertile = null, tray_id = null, place = null
			where farm_id = $1 and batch_id = $2
		)
		delete from batches where farm_id = $1 and id = $2`, tx.FarmID, id)
	return err
}

// MoveBatch keeps where a batch hatches and when it was locked down and closed.
func (tx *Tx) MoveBatch(ctx context.Context, b Batch) error {
	_, err := tx.Exec(ctx, `
		update batches
		set hatcher_id = $3, locked_at = $4, closed_at = $5
		where farm_id = $1 and id = $2`, tx.FarmID, b.ID, b.HatcherID, b.LockedAt, b.ClosedAt)
	return err
}

// Tallies counts the eggs of these batches. Young that were counted by pen are
// among the hatched, and while the batch is open not among the living.
func (tx *Tx) Tallies(ctx context.Context, ids []int64) (map[int64]Tally, error) {
	all, err := List[Tally](ctx, tx, `
		with recursive `+LineSQL+`, counted as (
			select batch_id, sum(young) filter (where not settled) as young, min(at) as first_out
			from young_counts
			where farm_id = $1 and batch_id = any ($2)
			group by batch_id
		), egg as (
			select batch_id, count(*) as eggs,
				count(*) filter (where fate is null) as living,
				count(*) filter (where fate = 'removed') as removed,
				count(*) filter (where fate = 'broken') as broken,
				count(*) filter (where fate = 'hatched') as hatched,
				count(*) filter (where fate = 'unhatched') as unhatched,
				count(*) filter (where fate = 'counted') as counted,
				count(fertile) as examined,
				count(*) filter (where fertile) as fertile,
				min(fate_at) filter (where fate = 'hatched') as first_out
			from eggs
			where farm_id = $1 and batch_id = any ($2)
			group by batch_id
		)
		select e.batch_id, eggs, removed, broken, examined, fertile,
			hatched + coalesce(young, 0)::int as hatched,
			case when counted > 0 then 0 else living - coalesce(young, 0)::int end as alive,
			case when counted > 0 then unhatched + counted - coalesce(young, 0)::int
				else unhatched end as unhatched,
			(
				select max(n.at)
				from line l
				join candlings n on n.farm_id = $1 and n.batch_id = l.of_id and n.at < l.until_at
				where l.batch_id = e.batch_id
			) as candled_at,
			least(e.first_out, c.first_out) as first_out,
			(
				select max(s.at)
				from hatch_signs s
				left join eggs g on g.farm_id = $1 and g.id = s.egg_id
				where s.farm_id = $1 and s.batch_id = e.batch_id and s.kind in ('pip', 'zip') and g.fate is null
			) as pipped_at
		from egg e
		left join counted c on c.batch_id = e.batch_id`, tx.FarmID, ids)
	by := map[int64]Tally{}
	for _, t := range all {
		by[t.BatchID] = t
	}
	return by, err
}

// BatchEggs lists a batch's eggs by number, each with its calls.
func (tx *Tx) BatchEggs(ctx context.Context, batchID int64) ([]Egg, error) {
	return List[Egg](ctx, tx, batchEggs, tx.FarmID, batchID)
}

// EggsAndYoung is BatchEggs with the young that were counted, in one round trip.
func (tx *Tx) EggsAndYoung(ctx context.Context, batchID int64) (eggs []Egg, young []Young, err error) {
	q := &pgx.Batch{}
	Ask(q, &eggs, batchEggs, tx.FarmID, batchID)
	Ask(q, &young, countedYoung, tx.FarmID, batchID)
	return eggs, young, tx.SendBatch(ctx, q).Close()
}

// EggColumns are those of an Egg: of eggs e, with its calls c of candlings s.
const EggColumns = `
			e.id, e.no, e.pen_id, e.laid_on, e.fate, e.stage, e.fertile, e.mark, e.tray_id, e.place,
			e.mass_g, e.opened, e.fate_at, e.trial, e.reason,
			coalesce((
				select least(1, (p.loose + p.displaced)::float8 / nullif(p.sent - p.broken, 0))
				from parcels p
				where p.farm_id = e.farm_id and p.collection_id = e.collection_id
			), 0) as loose,
			coalesce(array_agg(c.call order by s.at, c.id) filter (where c.id is not null), '{}') as calls`

const batchEggs = `
		select` + EggColumns + `
		from eggs e
		left join calls c on c.farm_id = $1 and c.egg_id = e.id
		left join candlings s on s.farm_id = $1 and s.id = c.candling_id
		where e.farm_id = $1 and e.batch_id = $2
		group by e.farm_id, e.id
		order by e.no`

// CountYoung notes how many young of each pen were counted, and returns the ids of
// the notes. A number below zero says that so many were found out egg by egg.
func (tx *Tx) CountYoung(
	ctx context.Context, batchID int64, all []Young, at time.Time, personID int64,
) ([]int64, error) {
	pens, young, trial := make([]int64, len(all)), make([]int, len(all)), make([]bool, len(all))
	for i, y := range all {
		pens[i], young[i], trial[i] = y.PenID, y.Young, y.Trial
	}
	return tx.IDs(ctx, `
		insert into young_counts (farm_id, batch_id, pen_id, young, trial, at, person_id)
		select $1, $2, pen, young, trial, $6, nullif($7::bigint, 0)
		from unnest($3::bigint[], $4::int[], $5::bool[]) c (pen, young, trial)
		returning id`, tx.FarmID, batchID, pens, young, trial, at, personID)
}

// DropYoung takes counts back.
func (tx *Tx) DropYoung(ctx context.Context, ids []int64) error {
	_, err := tx.Exec(ctx, `delete from young_counts where farm_id = $1 and id = any ($2)`, tx.FarmID, ids)
	return err
}

// countedYoung tells how many young were counted in a batch, pen by pen; what is
// settled is known egg by egg and not among them.
const countedYoung = `
	select batch_id, pen_id, trial, sum(young)::int as young from young_counts
	where farm_id = $1 and batch_id = $2 and not settled
	group by batch_id, pen_id, trial
	order by batch_id, pen_id, trial`

// SettleYoung marks a batch's counts as known egg by egg, or, with false, as not,
// and returns the ids of those that were changed.
func (tx *Tx) SettleYoung(ctx context.Context, batchID int64, settled bool) ([]int64, error) {
	return tx.IDs(ctx, `
		update young_counts set settled = $3
		where farm_id = $1 and batch_id = $2 and settled <> $3
		returning id`, tx.FarmID, batchID, settled)
}

// Candling finds the batch's candling that began after a moment, or makes one.
func (tx *Tx) Candling(ctx context.Context, batchID int64, after, at time.Time) (id int64, err error) {
	id, err = Value[int64](ctx, tx, `
		select id
		from candlings
		where farm_id = $1 and batch_id = $2 and at > $3 and at <= $4
		order by at desc
		limit 1`, tx.FarmID, batchID, after, at)
	if err == ErrNone {
		id, err = Value[int64](
			ctx, tx, `insert into candlings (farm_id, batch_id, at) values ($1, $2, $3) returning id`, tx.FarmID,
			batchID, at,
		)
	}
	return id, err
}

// CalledIn lists the eggs that a candling has called.
func (tx *Tx) CalledIn(ctx context.Context, candlingID int64) ([]int64, error) {
	return tx.IDs(
		ctx, `select distinct egg_id from calls where farm_id = $1 and candling_id = $2`, tx.FarmID, candlingID,
	)
}

// Call records one person's call for these eggs and returns the ids of the calls.
func (tx *Tx) Call(ctx context.Context, candlingID int64, call string, eggs []int64, personID int64) ([]int64, error) {
	return tx.IDs(ctx, `
		insert into calls (farm_id, candling_id, egg_id, call, person_id)
		select $1, $2, e, $3, nullif($5::bigint, 0)
		from unnest($4::bigint[]) e
		returning id`, tx.FarmID, candlingID, call, eggs, personID)
}

// SetOpened keeps what removed eggs showed on opening, "" takes it back, and returns
// the ids of those that were changed.
func (tx *Tx) SetOpened(ctx context.Context, eggs []int64, stage string) ([]int64, error) {
	return tx.IDs(ctx, `
		update eggs
		set opened = nullif($3, '')
		where farm_id = $1 and id = any ($2) and fate = 'removed'
			and (opened is null) = ($3 <> '')
		returning id`, tx.FarmID, eggs, stage)
}

// Said is one call with what became of its egg.
type Said struct {
	Who    string
	Call   string
	At     time.Time
	Fate   *string
	Stage  *string
	Opened *string
}

// Said lists the calls on a batch's eggs.
func (tx *Tx) Said(ctx context.Context, batchID int64) ([]Said, error) {
	return List[Said](ctx, tx, `
		select coalesce(p.name, 'not noted') as who, c.call, s.at, e.fate, e.stage, e.opened
		from calls c
		join candlings s on s.farm_id = $1 and s.id = c.candling_id
		join eggs e on e.farm_id = $1 and e.id = c.egg_id
		left join people p on p.id = c.person_id
		where c.farm_id = $1 and e.batch_id = $2
		order by c.id`, tx.FarmID, batchID)
}

// DropCalls takes calls back, and candlings that are left with none.
func (tx *Tx) DropCalls(ctx context.Context, ids []int64) error {
	_, err := tx.Exec(ctx, `
		with gone as (
			delete from calls where farm_id = $1 and id = any ($2) returning candling_id
		)
		delete from candlings n
		where farm_id = $1 and id in (select candling_id from gone)
			and not exists (
				select from calls c
				where c.farm_id = $1 and c.candling_id = n.id and not c.id = any ($2)
			)`, tx.FarmID, ids)
	return err
}

// FreeMark drops the code of an egg that comes back to life, if another living
// egg has it by now.
const FreeMark = `mark = case when exists (
	select
	from eggs o
	where o.farm_id = eggs.farm_id and o.mark = eggs.mark and o.fate is null and o.id <> eggs.id
) then null else mark end`

// End gives eggs their fate ("" takes it back) with the stage, and returns the
// ids of those that were still without one (or, taking back, had one).
func (tx *Tx) End(ctx context.Context, eggs []int64, fate, stage string, at time.Time) ([]int64, error) {
	if fate == "" {
		return tx.IDs(
			ctx,
			`update eggs set fate = null, stage = null, fate_at = null, `+FreeMark+
				` where farm_id = $1 and id = any ($2) and fate is not null returning id`,
			tx.FarmID, eggs,
		)
	}
	return tx.IDs(ctx, `
		update eggs
		set fate = $3, stage = nullif($4, ''), fate_at = $5
		where farm_id = $1 and id = any ($2) and fate is null
		returning id`, tx.FarmID, eggs, fate, stage, at)
}

// SetFertile keeps what is known of these eggs; null is not known.
func (tx *Tx) SetFertile(ctx context.Context, eggs []int64, fertile []*bool) error {
	_, err := tx.Exec(ctx, `
		update eggs
		set fertile = f.fertile
		from unnest($2::bigint[], $3::boolean[]) f (id, fertile)
		where farm_id = $1 and eggs.id = f.id and eggs.fertile is distinct from f.fertile`, tx.FarmID, eggs, fertile)
	return err
}

// MarkDone ticks a chore off; it tells whether it was open.
func (tx *Tx) MarkDone(ctx context.Context, batchID int64, kind string, day int, at time.Time) (bool, error) {
	tag, err := tx.Exec(ctx, `
		insert into chores_done (farm_id, batch_id, kind, day, at)
		values ($1, $2, $3, $4, $5)
		on conflict do nothing`, tx.FarmID, batchID, kind, day, at)
	return tag.RowsAffected() == 1, err
}

// MarkUndone opens a chore again.
func (tx *Tx) MarkUndone(ctx context.Context, batchID int64, kind string, day int) error {
	_, err := tx.Exec(
		ctx, `delete from chores_done where farm_id = $1 and batch_id = $2 and kind = $3 and day = $4`, tx.FarmID,
		batchID, kind, day,
	)
	return err
}

// ChoreDone is one ticked chore.
type ChoreDone struct {
	BatchID int64
	Kind    string
	Day     int
}

// BatchesByID finds batches.
func (tx *Tx) BatchesByID(ctx context.Context, ids []int64) ([]Batch, error) {
	return List[Batch](
		ctx, tx, `select `+BatchColumns+` from batches where farm_id = $1 and id = any ($2)`, tx.FarmID, ids,
	)
}

// Look is a living egg of an open batch with its last call; "" with none.
type Look struct {
	BatchID, EggID int64
	Call           string
	At             *time.Time
}

const looks = looked + lastLook

const looked = `
	select distinct on (e.id) e.batch_id, e.id as egg_id, coalesce(c.call, '') as call, s.at
	from batches b
	join eggs e on e.farm_id = $1 and e.batch_id = b.id and e.fate is null
	left join calls c on c.farm_id = $1 and c.egg_id = e.id
	left join candlings s on s.farm_id = $1 and s.id = c.candling_id
	where b.farm_id = $1 and b.closed_at is null and ($2::bigint[] is null or b.id = any ($2))`

const lastLook = `
	order by e.id, c.id desc`

// Looks lists the living eggs of batches that are open, or, with none named, of all.
func (tx *Tx) Looks(ctx context.Context, batchIDs ...int64) ([]Look, error) {
	return List[Look](ctx, tx, looks, tx.FarmID, batchIDs)
}

// LooksBefore lists the living eggs of open batches that were called before a moment, as they were called last then.
func (tx *Tx) LooksBefore(ctx context.Context, at time.Time, batchIDs ...int64) ([]Look, error) {
	return List[Look](ctx, tx, looked+` and s.at < $3`+lastLook, tx.FarmID, batchIDs, at)
}

// EggsOf lists the living eggs of batches by number, with their calls.
func (tx *Tx) EggsOf(ctx context.Context, batchIDs []int64) (map[int64][]Egg, error) {
	type row struct {
		Egg
		BatchID int64
	}
	rows, err := List[row](ctx, tx, `
		select e.batch_id,`+EggColumns+`
		from eggs e
		left join calls c on c.farm_id = $1 and c.egg_id = e.id
		left join candlings s on s.farm_id = $1 and s.id = c.candling_id
		where e.farm_id = $1 and e.batch_id = any ($2) and e.fate is null
		group by e.farm_id, e.id
		order by e.batch_id, e.no`, tx.FarmID, batchIDs)
	all := map[int64][]Egg{}
	for _, r := range rows {
		all[r.BatchID] = append(all[r.BatchID], r.Egg)
	}
	return all, err
}

// HasBatches tells whether anything was ever set on the farm.
func (tx *Tx) HasBatches(ctx context.Context) (bool, error) {
	return Value[bool](ctx, tx, `select exists (select from batches where farm_id = $1)`, tx.FarmID)
}
