package books

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"metrogon/store"
)

// Past is what happened to many batches, to be written down at once: for farms that
// are made up, or taken over with their records.
type Past struct {
	Batches   []store.Batch // as they stand, by id
	Eggs      []PastEgg
	Candlings []PastCandling
	Lines     []store.Line // of batches; they cannot be taken back
}

// PastEgg is an egg that was set, with all that is known of it.
type PastEgg struct {
	ID, BatchID int64
	No          int
	Fate, Stage string // "": none
	FateAt      time.Time
	Fertile     *bool
}

// PastCandling is what was called at one time; a batch has one at a moment.
type PastCandling struct {
	BatchID int64
	At      time.Time
	Calls   map[int64]string // by egg
}

// CollectedEggs lists the sound eggs of collections, by collection.
func (tx Tx) CollectedEggs(ctx context.Context, collections []int64) (map[int64][]store.Egg, error) {
	type row struct {
		CollectionID int64
		ID           int64
		PenID        int64
		LaidOn       time.Time
	}
	rows, err := store.List[row](ctx, tx, `
		select collection_id, id, pen_id, laid_on
		from eggs
		where farm_id = $1 and collection_id = any ($2) and not rejected
		order by id`, tx.FarmID, collections)
	by := map[int64][]store.Egg{}
	for _, r := range rows {
		by[r.CollectionID] = append(by[r.CollectionID], store.Egg{ID: r.ID, PenID: r.PenID, LaidOn: r.LaidOn})
	}
	return by, err
}

// AddPast writes it down, in a few statements whatever its size.
func (tx Tx) AddPast(ctx context.Context, p Past, personID int64) error {
	q := &pgx.Batch{}
	p.queueEggs(q, tx.FarmID)
	p.queueBatches(q, tx.FarmID)
	p.queueCalls(q, tx.FarmID, personID)
	p.queueLines(q, tx.FarmID)
	return tx.SendBatch(ctx, q).Close()
}

func (p Past) queueEggs(q *pgx.Batch, farmID int64) {
	var ids, batches []int64
	var nos []int
	var fates, stages []string
	var at []time.Time
	var fertile []*bool
	for _, e := range p.Eggs {
		ids, batches, nos = append(ids, e.ID), append(batches, e.BatchID), append(nos, e.No)
		fates, stages = append(fates, e.Fate), append(stages, e.Stage)
		at, fertile = append(at, e.FateAt), append(fertile, e.Fertile)
	}
	q.Queue(`
		update eggs
		set batch_id = p.batch_id, no = p.no, fate = nullif(p.fate, ''), stage = nullif(p.stage, ''),
			fate_at = case when p.fate <> '' then p.at end, fertile = p.fertile
		from unnest(
			$2::bigint[], $3::bigint[], $4::int[], $5::text[], $6::text[], $7::timestamptz[], $8::boolean[]
		) p (id, batch_id, no, fate, stage, at, fertile)
		where eggs.farm_id = $1 and eggs.id = p.id`, farmID, ids, batches, nos, fates, stages, at, fertile)
}

func (p Past) queueBatches(q *pgx.Batch, farmID int64) {
	var ids []int64
	var locked, closed []*time.Time
	for _, b := range p.Batches {
		ids, locked, closed = append(ids, b.ID), append(locked, b.LockedAt), append(closed, b.ClosedAt)
	}
	q.Queue(`
		update batches
		set locked_at = p.locked_at, closed_at = p.closed_at
		from unnest($2::bigint[], $3::timestamptz[], $4::timestamptz[]) p (id, locked_at, closed_at)
		where batches.farm_id = $1 and batches.id = p.id`, farmID, ids, locked, closed)
}

func (p Past) queueCalls(q *pgx.Batch, farmID, personID int64) {
	var batches []int64
	var at []time.Time
	var which []int // candling of each call, from 1
	var eggs []int64
	var calls []string
	for i, c := range p.Candlings {
		batches, at = append(batches, c.BatchID), append(at, c.At)
		for egg, call := range c.Calls {
			which, eggs, calls = append(which, i+1), append(eggs, egg), append(calls, call)
		}
	}
	q.Queue(`
		with session as (
			select n, batch_id, at
			from unnest($2::bigint[], $3::timestamptz[]) with ordinality s (batch_id, at, n)
		), made as (
			insert into candlings (farm_id, batch_id, at)
			select $1, batch_id, at
			from session
			order by n
			returning id, batch_id, at
		)
		insert into calls (farm_id, candling_id, egg_id, call, person_id)
		select $1, made.id, c.egg_id, c.call, $7
		from unnest($4::int[], $5::bigint[], $6::text[]) c (n, egg_id, call)
		join session using (n)
		join made using (batch_id, at)
		order by session.n, c.egg_id`, farmID, batches, at, which, eggs, calls, personID)
}

func (p Past) queueLines(q *pgx.Batch, farmID int64) {
	var at []time.Time
	var people, batches []int64
	var said []string
	for _, l := range p.Lines {
		at, said = append(at, l.At), append(said, l.Said)
		people, batches = append(people, l.PersonID), append(batches, l.BatchID)
	}
	q.Queue(`
		with line as (
			insert into journal (farm_id, at, person_id, batch_id, said)
			select $1, at, person_id, batch_id, said
			from unnest($2::timestamptz[], $3::bigint[], $4::bigint[], $5::text[])
				with ordinality l (at, person_id, batch_id, said, n)
			order by n
			returning id, batch_id
		)
		insert into journal_subjects (farm_id, entry_id, kind, subject_id)
		select $1, id, 'batch', batch_id
		from line`, farmID, at, people, batches, said)
}
