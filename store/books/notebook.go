package books

import (
	"context"
	"encoding/json"
	"time"

	"github.com/jackc/pgx/v5"

	"metrogon/store"
)

// KnownLines gives those of the keys under which lines of a file came in before.
func (tx Tx) KnownLines(ctx context.Context, keys []string) ([]string, error) {
	rows, err := tx.Query(ctx, `
		select import_key from collections where farm_id = $1 and import_key = any ($2)`, tx.FarmID, keys)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

// ForgetPast forgets batches of a notebook, with their eggs and all that was written of them.
func (tx Tx) ForgetPast(ctx context.Context, batches []int64) error {
	for _, sql := range []string{
		`delete from calls where farm_id = $1
			and candling_id in (select id from candlings where farm_id = $1 and batch_id = any ($2))`,
		`delete from candlings where farm_id = $1 and batch_id = any ($2)`,
		`with gone as (
			delete from eggs where farm_id = $1 and batch_id = any ($2) returning collection_id
		)
		select from gone`,
		`delete from collections c where c.farm_id = $1 and c.import_key is not null and $2::bigint[] is not null
			and not exists (select from eggs e where e.farm_id = $1 and e.collection_id = c.id)`,
		`delete from batches where farm_id = $1 and id = any ($2)`,
	} {
		if _, err := tx.Exec(ctx, sql, tx.FarmID, batches); err != nil {
			return err
		}
	}
	return nil
}

// BatchLooked notes a candling of a batch at a moment, and gives its id.
func (tx Tx) BatchLooked(ctx context.Context, batchID int64, at time.Time) (int64, error) {
	return store.Value[int64](ctx, tx, `
		insert into candlings (farm_id, batch_id, at) values ($1, $2, $3) returning id`, tx.FarmID, batchID, at)
}

// ColumnsOf gives which column of a file with this head held what, the last time; ErrNone: none came yet.
func (tx Tx) ColumnsOf(ctx context.Context, what, head string) (json.RawMessage, error) {
	return store.Value[json.RawMessage](ctx, tx, `
		select columns from import_columns where farm_id = $1 and what = $2 and head = $3`, tx.FarmID, what, head)
}

// KeepColumns remembers it.
func (tx Tx) KeepColumns(ctx context.Context, what, head string, columns json.RawMessage) error {
	_, err := tx.Exec(ctx, `
		insert into import_columns (farm_id, what, head, columns) values ($1, $2, $3, $4)
		on conflict (farm_id, what, head) do update set columns = excluded.columns`, tx.FarmID, what, head, string(columns))
	return err
}

// EggsOfImport puts the eggs of a line of a file into a batch, and gives them in their order.
func (tx Tx) EggsOfImport(ctx context.Context, key string, batchID int64) ([]int64, error) {
	return tx.IDs(ctx, `
		with those as (
			select e.id, row_number() over (order by e.id) as no
			from eggs e
			join collections c on c.farm_id = $1 and c.id = e.collection_id
			where e.farm_id = $1 and c.import_key = $2
		), moved as (
			update eggs set batch_id = $3, no = t.no
			from those t
			where eggs.farm_id = $1 and eggs.id = t.id
		)
		select id from those order by no`, tx.FarmID, key, batchID)
}
