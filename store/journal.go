package store

import (
	"context"
	"encoding/json"
	"time"
)

// Entry is one line of the journal.
type Entry struct {
	ID      int64
	At      time.Time
	Who     string
	BatchID *int64
	Said    string
	Undo    json.RawMessage // null: it cannot be taken back
	Undone  bool
}

// Write adds a line to the journal and returns its id. undoes names the line
// that this one takes back, 0 for none.
func (tx *Tx) Write(ctx context.Context, personID int64, batchID int64, at time.Time, said string, undo []byte, undoes int64) (int64, error) {
	return value[int64](ctx, tx, `insert into journal (farm_id, at, person_id, batch_id, said, undo, undoes)
		values ($1, $2, nullif($3::bigint, 0), nullif($4::bigint, 0), $5, $6, nullif($7::bigint, 0)) returning id`,
		tx.FarmID, at, personID, batchID, said, undo, undoes)
}

const entry = `select j.id, j.at, coalesce(p.name, 'the program') as who, j.batch_id, j.said, j.undo,
	exists (select from journal u where u.farm_id = $1 and u.undoes = j.id) as undone
	from journal j left join people p on p.id = j.person_id where j.farm_id = $1 and `

// Entry finds a line.
func (tx *Tx) Entry(ctx context.Context, id int64) (Entry, error) {
	return one[Entry](ctx, tx, entry+`j.id = $2`, tx.FarmID, id)
}

// BatchJournal lists a batch's lines, the newest first.
func (tx *Tx) BatchJournal(ctx context.Context, batchID int64, most int) ([]Entry, error) {
	return list[Entry](ctx, tx, entry+`j.batch_id = $2 order by j.id desc limit $3`, tx.FarmID, batchID, most)
}

// Standing tells whether nothing that can be taken back, and was not, came
// after this line on the same batch (or, off batches, in general).
func (tx *Tx) Standing(ctx context.Context, id int64) (bool, error) {
	return value[bool](ctx, tx, `select not exists (select from journal l join journal j on j.farm_id = $1 and j.id = $2 and l.batch_id = j.batch_id
		where l.farm_id = $1 and l.id > j.id and l.undo is not null and not exists (select from journal u where u.farm_id = $1 and u.undoes = l.id))`, tx.FarmID, id)
}

// Claim takes an idempotency key. done tells that it was taken before, and
// answer what was answered then.
func (tx *Tx) Claim(ctx context.Context, key string, at time.Time) (answer string, done bool, err error) {
	tag, err := tx.Exec(ctx, `insert into requests (farm_id, key, at) values ($1, $2, $3) on conflict do nothing`, tx.FarmID, key, at)
	if err != nil || tag.RowsAffected() == 1 {
		return "", false, err
	}
	answer, err = tx.Answered(ctx, key)
	return answer, true, err
}

// Answered gives what a request was answered.
func (tx *Tx) Answered(ctx context.Context, key string) (string, error) {
	return value[string](ctx, tx, `select answer from requests where farm_id = $1 and key = $2`, tx.FarmID, key)
}

// Answer keeps what a request was answered.
func (tx *Tx) Answer(ctx context.Context, key, answer string) error {
	_, err := tx.Exec(ctx, `update requests set answer = $3 where farm_id = $1 and key = $2`, tx.FarmID, key, answer)
	return err
}
