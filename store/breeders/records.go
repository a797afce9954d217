package breeders

import (
	"context"

	"github.com/jackc/pgx/v5"

	"metrogon/store"
)

// Record is what a pen's eggs did, in all batches or in one. Closed figures
// count eggs of batches that are done.
type Record struct {
	PenID, BatchID                int64
	Set, Examined, Fertile        int
	HatchedUnseen                 int // nothing was known of their fertility before
	SetClosed, HatchedClosed      int
	FertileClosed, HatchedFertile int
}

// Sum is what a pen's eggs did in one batch, those on trial apart; eggs broken by hand
// count against nobody and are left out.
type Sum struct {
	PenID, BatchID                                int64
	Species                                       string
	Trial, Closed                                 bool
	Eggs, Examined, Fertile                       int
	Hatched, HatchedFertile, HatchedUnseen        int
	Counted, CountedFertile, CountedUnseen, Young int
	ByCount                                       bool // the batch is not known egg by egg
}

// Group is the eggs of one pen in one batch that is done, of which young were
// counted by pen and not by egg.
type Group struct {
	PenID, BatchID   int64
	Trial            bool
	Eggs             int // all that were set
	Counted          int // of Eggs, whose own end nobody saw
	Young            int // that were counted of these
	Fertile, Unknown int // of Counted: known to be fertile, and not known
}

// Group tells whether the young of these eggs are known by their count alone: in a batch
// that is not known egg by egg every pen is a group, of which no egg was seen to hatch by
// itself.
func (s Sum) Group() (g Group, ok bool) {
	if !s.Closed || !s.ByCount || s.Hatched > 0 && s.Counted == 0 {
		return g, false
	}
	return Group{
		s.PenID, s.BatchID, s.Trial, s.Eggs, s.Counted, s.Young, s.CountedFertile, s.CountedUnseen,
	}, true
}

// sums are those of the oldest batches first.
const sums = `
		with young as (
			select pen_id, batch_id, trial, sum(young)::int as young
			from young_counts
			where farm_id = $1 and not settled
			group by pen_id, batch_id, trial
		), lot as (
			select pen_id, batch_id, trial, sum(eggs)::int as eggs,
				sum(examined)::int as examined, sum(fertile)::int as fertile,
				sum(hatched)::int as hatched, sum(hatched_fertile)::int as hatched_fertile,
				sum(hatched_unseen)::int as hatched_unseen,
				sum(counted)::int as counted, sum(counted_fertile)::int as counted_fertile,
				sum(counted_unseen)::int as counted_unseen
			from egg_sums
			where farm_id = $1
			group by pen_id, batch_id, trial
		)
		select l.*, b.species, b.closed_at is not null as closed, coalesce(y.young, 0) as young,
			l.batch_id in (select batch_id from young) as by_count
		from lot l
		join batches b on b.farm_id = $1 and b.id = l.batch_id
		left join young y on y.pen_id = l.pen_id and y.batch_id = l.batch_id and y.trial = l.trial
		order by b.set_at, l.batch_id, l.pen_id, l.trial`

// Sums tells what the eggs of every pen did, batch by batch.
func (tx Tx) Sums(ctx context.Context) ([]Sum, error) {
	return store.List[Sum](ctx, tx, sums, tx.FarmID)
}

// EggsVersion says in which state the farm's eggs are: while it stays, what was read of all
// of them holds. It is never used twice, also where a transaction is given up.
func (tx Tx) EggsVersion(ctx context.Context) (int64, error) {
	return store.Value[int64](ctx, tx, store.EggsVersion, tx.FarmID)
}

// RecordsByAge tells what the eggs of every pen of a species did, by the days
// that they had waited when they were set; those of a batch that is not known egg
// by egg apart, batch by batch. And it tells of eggs that were called live before so many
// days and after them, the last time in each half, how many hatched: of batches that are
// done and known egg by egg.
func (tx Tx) RecordsByAge(
	ctx context.Context, species string, half float64,
) (all []AgeRecord, live []LiveRecord, err error) {
	q := &pgx.Batch{}
	tx.askAges(q, species, half, &all, &live)
	return all, live, tx.SendBatch(ctx, q).Close()
}

// Ages is what RecordsByAge tells of one species, of which it is asked with Half.
type Ages struct {
	Species string
	Half    float64
	Rows    []AgeRecord
	Live    []LiveRecord
}

// RecordsByAges fills in what is known of several species, in one round trip.
func (tx Tx) RecordsByAges(ctx context.Context, of []Ages) error {
	q := &pgx.Batch{}
	for i := range of {
		tx.askAges(q, of[i].Species, of[i].Half, &of[i].Rows, &of[i].Live)
	}
	return tx.SendBatch(ctx, q).Close()
}

func (tx Tx) askAges(q *pgx.Batch, species string, half float64, all *[]AgeRecord, live *[]LiveRecord) {
	store.Ask(q, live, `
		with called as (
			select distinct on (c.egg_id, late) c.egg_id, c.call,
				s.at > b.set_at + $3::float8 * interval '1 day' as late
			from batches b
			join candlings s on s.farm_id = $1 and s.batch_id = b.id
			join calls c on c.farm_id = $1 and c.candling_id = s.id
			where b.farm_id = $1 and b.species = $2 and b.closed_at is not null
			order by c.egg_id, late, c.id desc
		)
		select late, count(*)::int as live, (count(*) filter (where e.fate = 'hatched'))::int as hatched
		from called l
		join eggs e on e.farm_id = $1 and e.id = l.egg_id
		where l.call = 'live' and e.fate in ('hatched', 'unhatched', 'removed') and not e.trial
		group by late`, tx.FarmID, species, half)
	store.Ask(q, all, `
		with by_count as (
			select y.batch_id
			from young_counts y
			join batches b on b.farm_id = $1 and b.id = y.batch_id and b.closed_at is not null
			where y.farm_id = $1 and not y.settled
			group by y.batch_id
		)
		select s.pen_id, coalesce(n.batch_id, 0) as batch_id,
			greatest(0, (b.set_at at time zone f.zone)::date - s.laid_on) as age,
			sum(s.eggs)::int as set,
			sum(s.hatched)::int as hatched,
			sum(s.counted)::int as counted
		from egg_sums s
		join batches b on b.farm_id = $1 and b.id = s.batch_id and b.closed_at is not null
		join farms f on f.id = $1
		left join by_count n on n.batch_id = s.batch_id
		where s.farm_id = $1 and not s.trial
			and s.pen_id in (select id from pens where farm_id = $1 and species = $2)
		group by 1, 2, 3
		order by 1, 3, 2`, tx.FarmID, species)
}

// LiveRecord is what became of eggs that were called live in one half of incubation.
type LiveRecord struct {
	Late          bool
	Live, Hatched int
}

// Miscounted counts sums that are not what the farms' eggs say; for the owner of the tables.
func (db DB) Miscounted(ctx context.Context) (n int, err error) {
	err = db.Pool.QueryRow(ctx, `
		select count(*) from (
			(select * from egg_sums except all select * from egg_sums_anew)
			union all
			(select * from egg_sums_anew except all select * from egg_sums)
		) d`).Scan(&n)
	return n, err
}

// AgeRecord is what a pen's eggs of one age did, in batches that are done; in one
// batch where that is not known egg by egg.
type AgeRecord struct {
	PenID, BatchID int64
	Age            int
	Set            int
	Hatched        int // seen by itself
	Counted        int // of Set, whose own end nobody saw
}

// PenLot is some eggs of one pen: of one batch (0: none), one hen, shells treated
// one way, and, of rejects, one reason. Its record counts those that were set;
// Counted of them are of the batch's group and have no fate of their own.
type PenLot struct {
	Hen, Washing    string
	Rejected, Trial bool
	Reason          string
	Eggs            int
	Stored, CastOut int
	Counted         int
	Record
}

// PenLots tells all that is known of a pen's eggs, those of the newest batches
// first, in one pass over them.
func (tx Tx) PenLots(ctx context.Context, penID int64) ([]PenLot, error) {
	return store.List[PenLot](ctx, tx, `
		with c as materialized (
			select id, hen, washing
			from collections
			where farm_id = $1 and pen_id = $2
		), lot as (
			select batch_id, hen, washing, rejected, trial, coalesce(reason, '') as reason,
				count(*) as eggs, count(*) filter (where fate is distinct from 'broken') as told,
				count(fertile) filter (where fate is distinct from 'broken') as examined,
				count(*) filter (where fertile and fate is distinct from 'broken') as fertile,
				count(*) filter (where fate = 'hatched') as hatched,
				count(*) filter (where fertile and fate = 'hatched') as hatched_fertile,
				count(*) filter (where fertile is null and fate = 'hatched') as hatched_unseen,
				count(*) filter (where fertile and fate not in ('broken', 'counted')) as seen_fertile,
				count(*) filter (where fate = 'counted') as counted,
				count(*) filter (
					where (trial or not rejected) and batch_id is null and fate is null
				) as stored,
				count(*) filter (where fate = 'cast-out') as cast_out
			from eggs e
			join c on c.id = e.collection_id
			where e.farm_id = $1 and e.pen_id = $2
			group by batch_id, hen, washing, rejected, trial, reason
		)
		select $2::bigint as pen_id, coalesce(l.batch_id, 0) as batch_id, hen, washing, rejected,
			trial, reason, eggs, stored, cast_out, counted, examined, fertile, hatched_unseen,
			case when b.id is null then 0 else told end as set,
			case when b.closed_at is null then 0 else told end as set_closed,
			case when b.closed_at is null then 0 else hatched end as hatched_closed,
			case when b.closed_at is null then 0 else seen_fertile end as fertile_closed,
			case when b.closed_at is null then 0 else hatched_fertile end as hatched_fertile
		from lot l
		left join batches b on b.farm_id = $1 and b.id = l.batch_id
		order by b.set_at desc nulls last, b.id, hen, washing`, tx.FarmID, penID)
}
