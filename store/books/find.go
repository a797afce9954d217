package books

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"metrogon/store"
)

// FoundEgg is an egg by its pencil code.
type FoundEgg struct {
	ID      int64
	Mark    string
	Pen     string
	PenID   int64
	LaidOn  time.Time
	BatchID *int64
	Code    *string // of its batch
	No      *int    // in it
	Fate    *string
}

// FoundName is something that has a name.
type FoundName struct {
	ID   int64
	Name string
	Says string
}

// Found is what goes by some words.
type Found struct {
	Eggs                           []FoundEgg // those that live first
	Batches, Pens, Birds, Machines []FoundName
	Promises                       []FoundName
}

// mostFound is how many of each are given.
const mostFound = 8

// Find looks for what has words in its name, and for living eggs whose pencil code begins with code, with
// those of open batches that had just this one; an empty code finds no egg. It is one round trip.
func (tx Tx) Find(ctx context.Context, words, code string) (f Found, err error) {
	q := &pgx.Batch{}
	store.Ask(q, &f.Eggs, `
		select e.id, e.mark, p.name as pen, e.pen_id, e.laid_on, e.batch_id, b.code, e.no, e.fate
		from eggs e
		join pens p on p.farm_id = $1 and p.id = e.pen_id
		left join batches b on b.farm_id = $1 and b.id = e.batch_id
		where e.farm_id = $1 and $2::text <> '' and (
			e.fate is null and e.mark is not null and starts_with(e.mark, $2)
			or e.mark = $2 and e.batch_id in (select id from batches where farm_id = $1 and closed_at is null)
		)
		order by e.mark <> $2, e.fate is not null, length(e.mark), e.mark, e.id desc
		limit $3`, tx.FarmID, code, mostFound)
	named := func(dst *[]FoundName, sql string) {
		store.Ask(q, dst, `select id, name, says from (`+sql+`) x
			where position(lower($2) in lower(name)) > 0 or position(lower($2) in lower(says)) > 0
			order by lower(name) <> lower($2), position(lower($2) in lower(name)) <> 1, ended, id desc
			limit $3`, tx.FarmID, words, mostFound)
	}
	named(&f.Batches, `
		select id, code as name, '' as says, closed_at is not null as ended from batches where farm_id = $1`)
	named(&f.Pens, `
		select id, name, breed as says, until_on is not null as ended from pens where farm_id = $1`)
	named(&f.Birds, `
		select id, name, mark as says, gone_on is not null as ended from birds where farm_id = $1`)
	named(&f.Machines, `
		select id, name, '' as says, until_on is not null as ended from machines where farm_id = $1`)
	named(&f.Promises, `
		select id, who as name, species as says, ended_on is not null as ended from orders where farm_id = $1`)
	return f, tx.SendBatch(ctx, q).Close()
}
