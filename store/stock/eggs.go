package stock

import (
	"context"
	"maps"
	"slices"
	"time"

	"github.com/jackc/pgx/v5"

	"metrogon/store"
)

// Collection is one gathering of eggs from one pen or hen; a parcel is one too.
type Collection struct {
	PenID     int64
	LaidOn    time.Time
	At        *time.Time // when gathered; nil: not known beyond the day
	Hen       string
	Eggs      int            // sound ones
	Rejected  int            // beside them, without a reason
	Reasons   map[string]int // and with one
	Washing   string
	WashWith  string
	PlaceID   *int64
	ReadyAt   *time.Time // shipped eggs rest until then
	Note      string
	ImportKey *string

	MassG, LengthMM, BreadthMM *float64 // of each egg; of a single one as a rule
}

// Stock is how many eggs of a pen and a lay day are in store; those on trial
// stand apart.
type Stock struct {
	PenID   int64
	LaidOn  time.Time
	Trial   bool
	Eggs    int
	Resting int // of them, not to be set yet
	ReadyAt *time.Time
}

// Gathering is a collection as it is listed.
type Gathering struct {
	ID             int64
	PenID          int64
	PenName        string
	Species        string
	Hen            string
	LaidOn         time.Time
	Eggs, Rejected int
	Note           string
}

// Collect records collections and their eggs, and returns the ids of the
// collections; one whose import key is there already is passed over.
func (tx Tx) Collect(ctx context.Context, all []Collection) ([]int64, error) {
	type line struct {
		pens, places                     []*int64
		days                             []time.Time
		at, ready                        []*time.Time
		hens, washing, with, notes, keys []*string
		eggs, rejected                   []int
		mass, length, breadth            []*float64
		reasonOf                         []int
		reasons                          []string
	}
	var l line
	for i, c := range all {
		l.pens, l.places = append(l.pens, &c.PenID), append(l.places, c.PlaceID)
		l.days, l.at, l.ready = append(l.days, c.LaidOn), append(l.at, c.At), append(l.ready, c.ReadyAt)
		l.hens, l.washing, l.with = append(l.hens, &c.Hen), append(l.washing, &c.Washing), append(l.with, &c.WashWith)
		l.notes, l.keys = append(l.notes, &c.Note), append(l.keys, c.ImportKey)
		l.eggs, l.rejected = append(l.eggs, c.Eggs), append(l.rejected, c.Rejected)
		l.mass, l.length = append(l.mass, c.MassG), append(l.length, c.LengthMM)
		l.breadth = append(l.breadth, c.BreadthMM)
		for _, reason := range slices.Sorted(maps.Keys(c.Reasons)) {
			for range c.Reasons[reason] {
				l.reasonOf, l.reasons = append(l.reasonOf, i+1), append(l.reasons, reason)
			}
		}
	}
	return tx.IDs(ctx, `
		with line as (
			select *
			from unnest(
				$2::bigint[], $3::date[], $4::text[], $5::text[], $6::int[], $7::int[],
				$8::timestamptz[], $9::timestamptz[], $10::text[], $11::text[], $12::text[],
				$13::bigint[], $14::float8[], $15::float8[], $16::float8[]
			) with ordinality as l (
				pen_id, laid_on, note, import_key, eggs, rejected, at, ready_at, hen, washing,
				wash_with, place_id, mass_g, length_mm, breadth_mm, n
			)
			where not exists (
				select
				from collections c
				where c.farm_id = $1 and c.import_key = l.import_key
			)
		), numbered as (
			select *, nextval(pg_get_serial_sequence('collections', 'id')) as id
			from line
		), made as (
			insert into collections (
				farm_id, id, pen_id, laid_on, note, import_key, at, ready_at, hen, washing,
				wash_with, place_id
			)
			overriding system value
			select $1, id, pen_id, laid_on, note, import_key, at, ready_at, hen, washing,
				wash_with, place_id
			from numbered
			order by n
		), laid as (
			insert into eggs (
				farm_id, collection_id, pen_id, laid_on, rejected, reason, mass_g, length_mm, breadth_mm
			)
			select $1, id, pen_id, laid_on, k > eggs, null,
				case when k <= eggs then mass_g end,
				case when k <= eggs then length_mm end,
				case when k <= eggs then breadth_mm end
			from numbered, generate_series(1, eggs + rejected) k
			union all
			select $1, id, pen_id, laid_on, true, r.reason, null, null, null
			from unnest($17::int[], $18::text[]) r (n, reason)
			join numbered using (n)
		)
		select id
		from numbered
		order by n`,
		tx.FarmID, l.pens, l.days, l.notes, l.keys, l.eggs, l.rejected, l.at, l.ready, l.hens, l.washing, l.with,
		l.places, l.mass, l.length, l.breadth, l.reasonOf, l.reasons)
}

// DropCollections takes collections back with their eggs, unless one of these
// was set or taken meanwhile; it returns how many were dropped.
func (tx Tx) DropCollections(ctx context.Context, ids []int64) (int, error) {
	if _, err := tx.Exec(ctx, `
		delete from eggs
		where farm_id = $1 and collection_id = any ($2) and not exists (
			select
			from eggs e
			where e.farm_id = $1 and e.collection_id = eggs.collection_id
				and (e.batch_id is not null or e.fate is not null)
		)`, tx.FarmID, ids); err != nil {
		return 0, err
	}
	tag, err := tx.Exec(ctx, `
		delete from collections c
		where farm_id = $1 and id = any ($2)
			and not exists (select from eggs e where e.farm_id = $1 and e.collection_id = c.id)`, tx.FarmID, ids)
	return int(tag.RowsAffected()), err
}

// InStore are sound eggs, and rejected ones that are to be set on trial.
const InStore = `e.batch_id is null and e.fate is null and (e.trial or not e.rejected)`

// Stock counts the eggs in store by pen and lay day, oldest first, and how many
// of them still rest at a moment.
func (tx Tx) Stock(ctx context.Context, at time.Time) ([]Stock, error) {
	return store.List[Stock](ctx, tx, StockSQL, tx.FarmID, at)
}

// StockSQL selects what is in store, by pen, lay day and whether it is on trial.
const StockSQL = `
	select e.pen_id, e.laid_on, e.trial, count(*) as eggs,
		count(*) filter (where c.ready_at > $2) as resting,
		max(c.ready_at) as ready_at
	from eggs e
	join collections c on c.farm_id = $1 and c.id = e.collection_id
	where e.farm_id = $1 and ` + InStore + `
	group by e.pen_id, e.laid_on, e.trial
	order by e.pen_id, e.laid_on, e.trial`

// Basket is what is left in store of one collection.
type Basket struct {
	ID        int64
	PenID     int64
	LaidOn    time.Time
	At        *time.Time
	Hen       string
	Washing   string
	WashWith  string
	PlaceID   *int64
	ReadyAt   *time.Time
	Eggs      int
	Trial     int      // of them, on trial
	MassG     *float64 // mean of those weighed
	FirstMark *string
	LastMark  *string
}

// Baskets lists what is in store by collection, oldest first; of one pen, or of
// all with 0.
func (tx Tx) Baskets(ctx context.Context, penID int64) ([]Basket, error) {
	return store.List[Basket](ctx, tx, `
		select c.id, c.pen_id, c.laid_on, c.at, c.hen, c.washing, c.wash_with, c.place_id, c.ready_at,
			count(*) as eggs,
			count(*) filter (where e.trial) as trial,
			avg(e.mass_g) as mass_g,
			(array_agg(e.mark order by e.id))[1] as first_mark,
			(array_agg(e.mark order by e.id desc))[1] as last_mark
		from eggs e
		join collections c on c.farm_id = $1 and c.id = e.collection_id
		where e.farm_id = $1 and `+InStore+` and ($2 = 0 or e.pen_id = $2)
		group by c.farm_id, c.id
		order by c.laid_on, c.id`, tx.FarmID, penID)
}

// Reject is eggs of one collection that were not fit to set, for one reason.
type Reject struct {
	CollectionID int64
	PenID        int64
	LaidOn       time.Time
	Reason       string
	Eggs         int
}

// Rejects lists what was rejected and still lies about, laid on a date or later.
func (tx Tx) Rejects(ctx context.Context, since time.Time) ([]Reject, error) {
	return store.List[Reject](ctx, tx, `
		select collection_id, pen_id, laid_on, coalesce(reason, '') as reason, count(*) as eggs
		from eggs
		where farm_id = $1 and rejected and not trial and fate is null and batch_id is null and laid_on >= $2
		group by collection_id, pen_id, laid_on, reason
		order by laid_on desc, collection_id, reason`, tx.FarmID, since)
}

// OnTrial puts up to n rejected eggs of a collection and reason into store, to be
// set on trial, and returns their ids.
func (tx Tx) OnTrial(ctx context.Context, collectionID int64, reason string, n int) ([]int64, error) {
	return tx.IDs(ctx, `
		update eggs set trial = true
		where farm_id = $1 and id in (
			select id from eggs
			where farm_id = $1 and collection_id = $2 and coalesce(reason, '') = $3
				and rejected and not trial and fate is null and batch_id is null
			order by id
			limit $4
		)
		returning id`, tx.FarmID, collectionID, reason, n)
}

// OffTrial takes OnTrial back, of eggs that are still in store.
func (tx Tx) OffTrial(ctx context.Context, ids []int64) (int, error) {
	tag, err := tx.Exec(ctx, `
		update eggs set trial = false, mark = null
		where farm_id = $1 and id = any ($2) and batch_id is null and fate is null`, tx.FarmID, ids)
	return int(tag.RowsAffected()), err
}

// StoredEgg is a single egg in store.
type StoredEgg struct {
	ID      int64
	Mark    *string
	Hen     string
	MassG   *float64
	Resting bool
}

// StoredEggs lists the eggs in store of a pen and lay day, in the order in which
// they are taken.
func (tx Tx) StoredEggs(
	ctx context.Context, penID int64, laidOn time.Time, trial bool, at time.Time,
) ([]StoredEgg, error) {
	return store.List[StoredEgg](ctx, tx, `
		select e.id, e.mark, c.hen, e.mass_g, coalesce(c.ready_at > $5, false) as resting
		from eggs e
		join collections c on c.farm_id = $1 and c.id = e.collection_id
		where e.farm_id = $1 and e.pen_id = $2 and e.laid_on = $3 and e.trial = $4 and `+InStore+`
		order by e.id`, tx.FarmID, penID, laidOn, trial, at)
}

// noClutch leaves out what was gathered of collections c as a clutch, which has a page of its own.
const noClutch = `not exists (
	select
	from eggs k
	join clutch_eggs l on l.farm_id = $1 and l.egg_id = k.id
	where k.farm_id = $1 and k.collection_id = c.id
)`

// Gatherings lists the newest collections.
func (tx Tx) Gatherings(ctx context.Context, most int) ([]Gathering, error) {
	return store.List[Gathering](ctx, tx, `
		with last as (
			select * from collections c where farm_id = $1 and `+noClutch+` order by id desc limit $2
		)
		select c.id, c.pen_id, p.name as pen_name, p.species, c.hen, c.laid_on, c.note,
			count(e.id) filter (where not e.rejected) as eggs,
			count(e.id) filter (where e.rejected) as rejected
		from last c
		join pens p on p.farm_id = $1 and p.id = c.pen_id
		left join eggs e on e.farm_id = $1 and e.collection_id = c.id
		group by c.id, c.pen_id, p.name, p.species, c.hen, c.laid_on, c.note
		order by c.id desc`, tx.FarmID, most)
}

// MoveBasket puts collections into another storage place and tells how many.
func (tx Tx) MoveBasket(ctx context.Context, ids []int64, placeID *int64) (int, error) {
	tag, err := tx.Exec(ctx, `
		update collections set place_id = $3
		where farm_id = $1 and id = any ($2)`, tx.FarmID, ids, placeID)
	return int(tag.RowsAffected()), err
}

// Unmarked lists living eggs laid on a date or later that have no pencil code yet, in
// order.
func (tx Tx) Unmarked(ctx context.Context, since time.Time) ([]int64, error) {
	return tx.IDs(ctx, `
		select id from eggs
		where farm_id = $1 and mark is null and fate is null and (trial or not rejected) and laid_on >= $2
		order by id`, tx.FarmID, since)
}

// Marks tells the code that was given last, and lists those in use.
func (tx Tx) Marks(ctx context.Context) (last string, inUse []string, err error) {
	if last, err = store.Value[string](ctx, tx, `select last_mark from farms where id = $1`, tx.FarmID); err != nil {
		return
	}
	rows, err := tx.Query(
		ctx, `select mark from eggs where farm_id = $1 and mark is not null and fate is null`, tx.FarmID,
	)
	if err != nil {
		return
	}
	inUse, err = pgx.CollectRows(rows, pgx.RowTo[string])
	return
}

// SetMarks gives eggs their codes; the last one is kept as such.
func (tx Tx) SetMarks(ctx context.Context, eggs []int64, codes []string) error {
	if _, err := tx.Exec(ctx, `
		update eggs
		set mark = m.mark
		from unnest($2::bigint[], $3::text[]) m (id, mark)
		where eggs.farm_id = $1 and eggs.id = m.id`, tx.FarmID, eggs, codes); err != nil {
		return err
	}
	_, err := tx.Exec(ctx, `update farms set last_mark = $2 where id = $1`, tx.FarmID, codes[len(codes)-1])
	return err
}

// Weighed is what a pen's eggs weigh, from those of them that were weighed.
type Weighed struct {
	PenID    int64
	N        int
	Mean, SD float64
}

// Weighed tells it of every pen that has any.
func (tx Tx) Weighed(ctx context.Context) ([]Weighed, error) {
	return store.List[Weighed](ctx, tx, `
		select pen_id, count(*) as n, avg(mass_g) as mean, coalesce(stddev_samp(mass_g), 0) as sd
		from eggs
		where farm_id = $1 and mass_g is not null group by pen_id`, tx.FarmID)
}

// Laying tells how many sound eggs each pen gave on the days from a date up to,
// and not including, another.
func (tx Tx) Laying(ctx context.Context, from, to time.Time) ([]Stock, error) {
	return store.List[Stock](ctx, tx, `
		select c.pen_id, $2::date as laid_on, false as trial,
			count(e.id) filter (where not e.rejected) as eggs, 0 as resting, null::timestamptz as ready_at
		from collections c
		join eggs e on e.farm_id = $1 and e.collection_id = c.id
		where c.farm_id = $1 and c.laid_on >= $2 and c.laid_on < $3
		group by c.pen_id`, tx.FarmID, from, to)
}

// HandOut takes sound eggs of a pen and lay day, that do not rest, out of the store;
// none that are kept for a trial.
func (tx Tx) HandOut(ctx context.Context, penID int64, laidOn time.Time, n int, at time.Time) ([]int64, error) {
	return tx.IDs(ctx, `
		update eggs set fate = 'cast-out', fate_at = $4
		where farm_id = $5 and id in (
			select e.id
			from eggs e
			join collections c on c.farm_id = $5 and c.id = e.collection_id
			where e.farm_id = $5 and e.pen_id = $1 and e.laid_on = $2 and `+InStore+` and not e.trial
				and (c.ready_at is null or c.ready_at <= $4)
			order by e.id
			limit $3
		)
		returning id`, penID, laidOn, n, at, tx.FarmID)
}

// PutBack undoes TakeOut and HandOut.
func (tx Tx) PutBack(ctx context.Context, ids []int64) error {
	_, err := tx.Exec(
		ctx,
		`update eggs set fate = null, fate_at = null, stage = null, out_id = null, `+store.FreeMark+`
		where farm_id = $1 and id = any ($2)`,
		tx.FarmID, ids,
	)
	return err
}

// Put takes up to n eggs of a pen and lay day from the store into a batch,
// those of only, if any are named, numbering on from what the batch has. Eggs
// that still rest at a moment stay. It returns how many there were.
func (tx Tx) Put(
	ctx context.Context, batchID int64, lot Stock, n int, only []int64, restedAt time.Time,
) (int, error) {
	if only == nil {
		only = []int64{}
	}
	last, err := store.Value[int](ctx, tx,
		`select coalesce(max(no), 0) from eggs where farm_id = $1 and batch_id = $2`, tx.FarmID, batchID)
	if err != nil {
		return 0, err
	}
	picked, err := tx.IDs(ctx, `
		select e.id
		from eggs e
		join collections c on c.farm_id = $1 and c.id = e.collection_id
		where e.farm_id = $1 and e.pen_id = $2 and e.laid_on = $3 and e.trial = $4 and `+InStore+`
			and (c.ready_at is null or c.ready_at <= $7)
			and (cardinality($6::bigint[]) = 0 or e.id = any ($6))
		order by e.id
		limit $5`, tx.FarmID, lot.PenID, lot.LaidOn, lot.Trial, n, only, restedAt)
	if err != nil {
		return 0, err
	}
	// Named one by one the eggs are found by their key, whatever the statistics of a
	// table say that grew under the plan.
	tag, err := tx.Exec(ctx, `
		update eggs set batch_id = $2, no = $3 + p.k
		from unnest($4::bigint[]) with ordinality p (id, k)
		where eggs.farm_id = $1 and eggs.id = p.id and eggs.id = any ($4)`, tx.FarmID, batchID, last, picked)
	return int(tag.RowsAffected()), err
}

// GoneMarks lists the codes of those eggs that are not in store any more.
func (tx Tx) GoneMarks(ctx context.Context, ids []int64) ([]string, error) {
	rows, err := tx.Query(ctx, `
		select coalesce(e.mark, '#' || e.id)
		from eggs e
		where e.farm_id = $1 and e.id = any ($2) and not (`+InStore+`) order by e.id`, tx.FarmID, ids)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

// CountCollected counts the eggs of these collections.
func (tx Tx) CountCollected(ctx context.Context, ids []int64) (eggs, rejected int, err error) {
	err = tx.QueryRow(ctx, `
		select count(*) filter (where not rejected), count(*) filter (where rejected)
		from eggs
		where farm_id = $1 and collection_id = any ($2)`, tx.FarmID, ids).Scan(&eggs, &rejected)
	return
}
