package store

import (
	"context"
	"encoding/json"
	"errors"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
)

// Subject is what a line of the journal is about. Undo goes in reverse order for
// each subject.
type Subject struct {
	Kind string // batch, pen, parcel, machine, place or person
	ID   int64
}

// Entry is one line of the journal.
type Entry struct {
	ID  int64
	At  time.Time
	Who string
	// PersonID is who did it; 0: the program.
	PersonID int64
	BatchID  *int64
	Said     string
	Undo     json.RawMessage // null: it cannot be taken back
	Undone   bool
}

// CodedEntry is a line with the code of the batch in whose list it stands; "" for none.
type CodedEntry struct {
	Entry
	Code string
}

// Line is an entry that is to be written.
type Line struct {
	PersonID int64
	BatchID  int64 // in whose list it stands; 0: none
	About    []Subject
	At       time.Time
	Said     string
	Undo     []byte
	Undoes   int64 // the line that this one takes back; 0: none
}

// AddEntry adds a line to the journal and returns its id.
func (tx *Tx) AddEntry(ctx context.Context, l Line) (int64, error) {
	kinds, ids := []string{}, []int64{}
	about := l.About
	if l.BatchID != 0 {
		about = append(about, Subject{"batch", l.BatchID})
	}
	for _, s := range about {
		kinds, ids = append(kinds, s.Kind), append(ids, s.ID)
	}
	return Value[int64](ctx, tx, `
		with line as (
			insert into journal (farm_id, at, person_id, batch_id, said, undo, undoes)
			values ($1, $2, nullif($3::bigint, 0), nullif($4::bigint, 0), $5, $6, nullif($7::bigint, 0))
			returning id
		), about as (
			insert into journal_subjects (farm_id, entry_id, kind, subject_id)
			select distinct $1::bigint, line.id, s.kind, s.id
			from line, unnest($8::text[], $9::bigint[]) s (kind, id)
		)
		select id from line`,
		tx.FarmID, l.At, l.PersonID, l.BatchID, l.Said, l.Undo, l.Undoes, kinds, ids)
}

const entry = `
	select j.id, j.at, coalesce(p.name, 'the program') as who, coalesce(j.person_id, 0) as person_id,
		j.batch_id, j.said, j.undo,
		exists (select from journal u where u.farm_id = $1 and u.undoes = j.id) as undone
	from journal j
	left join people p on p.id = j.person_id
	where j.farm_id = $1 and `

// Entry finds a line.
func (tx *Tx) Entry(ctx context.Context, id int64) (Entry, error) {
	return One[Entry](ctx, tx, entry+`j.id = $2`, tx.FarmID, id)
}

// Subjects lists what a line is about.
func (tx *Tx) Subjects(ctx context.Context, entryID int64) ([]Subject, error) {
	return List[Subject](ctx, tx, `
		select kind, subject_id as id from journal_subjects
		where farm_id = $1 and entry_id = $2 order by kind, subject_id`, tx.FarmID, entryID)
}

// batchJournal lists the newest lines that a batch has a part in.
const batchJournal = entry + `j.id in (
		select entry_id from journal_subjects s where s.farm_id = $1 and s.kind = 'batch' and s.subject_id = $2
	)
	order by j.id desc
	limit $3`

// LastLine finds the newest line that a batch has a part in.
func (tx *Tx) LastLine(ctx context.Context, batchID int64) (Entry, error) {
	return One[Entry](ctx, tx, batchJournal, tx.FarmID, batchID, 1)
}

// JournalQuery picks lines of the journal; what is zero does not matter.
type JournalQuery struct {
	PersonID int64 // -1: the program
	About    string
	Words    string
	From, To time.Time // a span of moments
	Before   int64     // lines older than this one
	Standing bool      // only those that can be taken back and were not
}

// Journal lists lines, the newest first.
func (tx *Tx) Journal(ctx context.Context, q JournalQuery, most int) ([]CodedEntry, error) {
	return List[CodedEntry](ctx, tx, `
		select e.*, coalesce(b.code, '') as code
		from (`+entry+`true
		and ($2 = 0 or j.person_id = $2 or $2 = -1 and j.person_id is null)
		and ($3 = '' or exists (
			select from journal_subjects s where s.farm_id = $1 and s.entry_id = j.id and s.kind = $3
		))
		and ($4 = '' or strpos(lower(j.said), lower($4)) > 0)
		and ($5::timestamptz is null or j.at >= $5)
		and ($6::timestamptz is null or j.at < $6)
		and ($7 = 0 or (j.at, j.id) < (select at, id from journal where farm_id = $1 and id = $7))
		and (not $8 or j.undo is not null
			and not exists (select from journal u where u.farm_id = $1 and u.undoes = j.id))
		order by j.at desc, j.id desc
		limit $9) e
		left join batches b on b.farm_id = $1 and b.id = e.batch_id
		order by e.at desc, e.id desc`,
		tx.FarmID, q.PersonID, q.About, q.Words, moment(q.From), moment(q.To), q.Before, q.Standing, most)
}

// moment is null for none.
func moment(at time.Time) *time.Time {
	if at.IsZero() {
		return nil
	}
	return &at
}

// Leaning lists the lines that have to be taken back before one can be, and itself, the newest
// first: those that still stand, came later, and are about one of the same things as it or as
// one of these. Gatherings of one pen do not lean on one another.
func (tx *Tx) Leaning(ctx context.Context, id int64) ([]Entry, error) {
	return List[Entry](ctx, tx, `
		with recursive leaning as (
			select $2::bigint as id
			union
			select s.entry_id
			from leaning n
			join journal_subjects mine on mine.farm_id = $1 and mine.entry_id = n.id and mine.kind <> 'pen'
			join journal_subjects s on s.farm_id = $1 and s.kind = mine.kind and s.subject_id = mine.subject_id
				and s.entry_id > n.id
			join journal l on l.farm_id = $1 and l.id = s.entry_id and l.undo is not null
			where not exists (select from journal u where u.farm_id = $1 and u.undoes = l.id)
		)`+entry+`j.id in (select id from leaning) order by j.id desc`, tx.FarmID, id)
}

// InTheWay gives what the newest line says that can be taken back, was not, and
// came after this line on one of its subjects; "" if there is none. Gatherings of one
// pen do not lean on one another: whether their eggs are still there is seen when
// they are taken back.
func (tx *Tx) InTheWay(ctx context.Context, id int64) (string, error) {
	return Value[string](ctx, tx, `
		select coalesce((
			select l.said
			from journal_subjects mine
			join journal_subjects s on s.farm_id = $1 and s.kind = mine.kind
				and s.subject_id = mine.subject_id and s.entry_id > $2
			join journal l on l.farm_id = $1 and l.id = s.entry_id and l.undo is not null
			where mine.farm_id = $1 and mine.entry_id = $2 and mine.kind <> 'pen'
				and not exists (select from journal u where u.farm_id = $1 and u.undoes = l.id)
			order by l.id desc
			limit 1
		), '')`, tx.FarmID, id)
}

// Claimed is a request that was taken before.
type Claimed struct {
	Answer string // what was answered then
	Digest string // of what was asked
}

// Claim takes an idempotency key for a request; nil is the first time. ErrNone: the farm was forgotten.
func (tx *Tx) Claim(ctx context.Context, key, digest string, at time.Time) (*Claimed, error) {
	tag, err := tx.Exec(ctx, `
		insert into requests (farm_id, key, at, digest) values ($1, $2, $3, $4)
		on conflict do nothing`, tx.FarmID, key, at, digest)
	var pg *pgconn.PgError
	if errors.As(err, &pg) && pg.Code == "23503" {
		return nil, ErrNone
	}
	if err != nil || tag.RowsAffected() == 1 {
		return nil, err
	}
	before, err := One[Claimed](ctx, tx,
		`select answer, digest from requests where farm_id = $1 and key = $2`, tx.FarmID, key)
	return &before, err
}

// Answered gives what a request was answered.
func (tx *Tx) Answered(ctx context.Context, key string) (string, error) {
	return Value[string](ctx, tx, `select answer from requests where farm_id = $1 and key = $2`, tx.FarmID, key)
}

// Answer keeps what a request was answered.
func (tx *Tx) Answer(ctx context.Context, key, answer string) error {
	_, err := tx.Exec(ctx, `update requests set answer = $3 where farm_id = $1 and key = $2`, tx.FarmID, key, answer)
	return err
}
