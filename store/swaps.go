package store

import "context"

// Swap is eggs of a batch that are to go under a broody hen once they were looked at.
type Swap struct {
	ID, HenID, BatchID int64
	Eggs               int
}

// Swaps lists those of open batches.
const Swaps = `
	select s.id, s.hen_id, s.batch_id, s.eggs
	from swaps s
	join batches b on b.farm_id = $1 and b.id = s.batch_id and b.closed_at is null
	where s.farm_id = $1
	order by s.id`

// AddSwap keeps one and returns its id.
func (tx *Tx) AddSwap(ctx context.Context, s Swap) (int64, error) {
	return Value[int64](ctx, tx, `
		insert into swaps (farm_id, hen_id, batch_id, eggs)
		values ($1, $2, $3, $4)
		returning id`, tx.FarmID, s.HenID, s.BatchID, s.Eggs)
}

// DropSwap takes one back.
func (tx *Tx) DropSwap(ctx context.Context, id int64) error {
	_, err := tx.Exec(ctx, `delete from swaps where farm_id = $1 and id = $2`, tx.FarmID, id)
	return err
}
