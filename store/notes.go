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
	return value[int64](ctx, tx, `
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
	return list[Note](ctx, tx, `
		select `+noteColumns+`
		from notes
		where farm_id = $1 and machine_id = $2
		order by at desc, id desc
		limit $3`, tx.FarmID, machineID, most)
}

// batchNotes are a batch's, the newest first, with those of the machines from the time that it stood there.
const batchNotes = `
	select ` + noteColumns + `
	from notes
	where farm_id = $1 and (
		batch_id = $2
		or machine_id = $3 and at >= $5 and at < coalesce($6::timestamptz, $7::timestamptz, 'infinity')
		or machine_id = $4 and at >= $6 and at < coalesce($7::timestamptz, 'infinity')
	)
	order by at desc, id desc
	limit $8`

// BatchLog gives what was done to a batch and what was noted of it, the newest first, in one round trip.
func (tx *Tx) BatchLog(ctx context.Context, b Batch, lines, noted int) (all []Entry, notes []Note, err error) {
	q := &pgx.Batch{}
	ask(q, &all, batchJournal, tx.FarmID, b.ID, lines)
	ask(q, &notes, batchNotes, tx.FarmID, b.ID, b.SetterID, b.HatcherID, b.SetAt, b.LockedAt, b.ClosedAt, noted)
	return all, notes, tx.SendBatch(ctx, q).Close()
}
