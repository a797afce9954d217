package store

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"
)

// Note is what was noticed of a machine or a batch, or happened to it.
type Note struct {
	ID                 int64
	MachineID, BatchID *int64 // one of the two
	At                 time.Time
	Kind               string
	Minutes            *int     // that it lasted
	TempC              *float64 // the worst that was read
	Says               string
	PersonID           *int64
}

const noteColumns = `id, machine_id, batch_id, at, kind, minutes, temp_c, says, person_id`

// AddNote keeps one and returns its id.
func (tx *Tx) AddNote(ctx context.Context, n Note) (int64, error) {
	return Value[int64](ctx, tx, `
		insert into notes (farm_id, machine_id, batch_id, at, kind, minutes, temp_c, says, person_id)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9)
		returning id`, tx.FarmID, n.MachineID, n.BatchID, n.At, n.Kind, n.Minutes, n.TempC, n.Says, n.PersonID)
}

// DropNote takes one back.
func (tx *Tx) DropNote(ctx context.Context, id int64) error {
	_, err := tx.Exec(ctx, `delete from notes where farm_id = $1 and id = $2`, tx.FarmID, id)
	return err
}

// MachineNotes lists a machine's, the newest first.
func (tx *Tx) MachineNotes(ctx context.Context, machineID int64, most int) ([]Note, error) {
	return List[Note](ctx, tx, `
		select `+noteColumns+`
		from notes
		where farm_id = $1 and machine_id = $2
		order by at desc, id desc
		limit $3`, tx.FarmID, machineID, most)
}

// batchNotes are a batch's, the newest first, with those of the machines from the time that it stood there.
const batchNotes = `
	with recursive ` + LineSQL + `, stood as materialized (
		select s.machine_id, s.from_at, least(s.to_at, l.until_at) as to_at
		from line l
		cross join lateral legs_of($1, l.of_id) s
	)
	select ` + noteColumns + `
	from notes
	where farm_id = $1 and (
		exists (select from line l where notes.batch_id = l.of_id and notes.at < l.until_at)
		or exists (
			select
			from stood s
			where notes.machine_id = s.machine_id and notes.at >= s.from_at and (s.to_at is null or notes.at < s.to_at)
		)
	)
	order by at desc, id desc
	limit $3`

// BatchLog is what was done to a batch and noted of it, the newest first, where it stood, and the parts of its
// setting.
type BatchLog struct {
	Lines []Entry
	Notes []Note
	Legs  []Leg
	Parts []Part
	Ways  []WaySince
	Looks []Look
	Care  []LogEntry
}

// BatchLog reads so many lines, of care too, and notes of it, in one round trip.
func (tx *Tx) BatchLog(ctx context.Context, b Batch, lines, noted int) (log BatchLog, err error) {
	q := &pgx.Batch{}
	log.Ask(q, tx.FarmID, b, lines, noted)
	return log, tx.SendBatch(ctx, q).Close()
}

// Ask queues what was done to a batch and noted of it, so many lines of each.
func (log *BatchLog) Ask(q *pgx.Batch, farmID int64, b Batch, lines, noted int) {
	Ask(q, &log.Lines, batchJournal, farmID, b.ID, lines)
	Ask(q, &log.Notes, batchNotes, farmID, []int64{b.ID}, noted)
	Ask(q, &log.Legs, LegsOf, farmID, b.ID)
	Ask(q, &log.Looks, looks, farmID, []int64{b.ID})
	Ask(q, &log.Care, careLog, farmID, b.ID, 0, lines)
	Ask(q, &log.Ways, waysOf, farmID, b.ID)
	Ask(q, &log.Parts, partsOf, farmID, b.Root())
}
