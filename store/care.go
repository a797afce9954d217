package store

import (
	"context"
	"time"
)

// Care is something done again and again to one batch, machine or storage place.
type Care struct {
	Kind                        string
	BatchID, MachineID, PlaceID *int64
	At                          time.Time
}

// AddCare notes it and returns its id.
func (tx *Tx) AddCare(ctx context.Context, c Care, personID int64) (int64, error) {
	return Value[int64](ctx, tx, `
		insert into care (farm_id, at, person_id, kind, batch_id, machine_id, place_id)
		values ($1, $2, nullif($3::bigint, 0), $4, $5, $6, $7)
		returning id`,
		tx.FarmID, c.At, personID, c.Kind, c.BatchID, c.MachineID, c.PlaceID)
}

// DropCare takes notes back.
func (tx *Tx) DropCare(ctx context.Context, ids []int64) error {
	_, err := tx.Exec(ctx, `delete from care where farm_id = $1 and id = any ($2)`, tx.FarmID, ids)
	return err
}

// LogEntry is a line of a log.
type LogEntry struct {
	At   time.Time
	Kind string
	Who  string
}

// CareLog lists the newest that was done to a batch or storage place; the other is 0.
func (tx *Tx) CareLog(ctx context.Context, batchID, placeID int64, most int) ([]LogEntry, error) {
	return List[LogEntry](ctx, tx, careLog, tx.FarmID, batchID, placeID, most)
}

const careLog = `
	select c.at, c.kind, coalesce(p.name, 'the program') as who
	from care c
	left join people p on p.id = c.person_id
	where c.farm_id = $1 and (c.batch_id = $2 or c.place_id = $3)
	order by c.at desc, c.id desc
	limit $4`

// LidOpening is a lid that was opened in lockdown.
type LidOpening struct {
	ID, MachineID int64
	At            time.Time
	Minutes       int
	Why           string
	PersonName    string
}
