package breeders

import (
	"context"
	"time"

	"metrogon/store"
	"metrogon/store/stock"
)

// FertilityTest is a few eggs of a pen set to see whether it is fertile.
type FertilityTest struct {
	ID, PenID int64
	AskedOn   time.Time
	Eggs      int // planned
	BatchID   *int64
	RetestOf  *int64
	Why       string
	EndedOn   *time.Time
	Decision  string
}

const testColumns = `id, pen_id, asked_on, eggs, batch_id, retest_of, why, ended_on, decision`

// FertilityTests lists all, the newest first.
func (tx Tx) FertilityTests(ctx context.Context) ([]FertilityTest, error) {
	return store.List[FertilityTest](ctx, tx, `
		select `+testColumns+`
		from fertility_tests
		where farm_id = $1
		order by asked_on desc, id desc`, tx.FarmID)
}

// TestDue is a test that is not ended, as far as it can be acted upon.
type TestDue struct {
	ID, PenID int64
	Eggs      int // planned
	BatchID   *int64
	Stored    int // eggs of its pen in store, while it has no batch
	Looked    int // eggs of it of which it is known whether they are fertile
	Fertile   int
}

// TestsDue selects the fertility tests that are not ended.
const TestsDue = `
	select t.id, t.pen_id, t.eggs, t.batch_id,
		case when t.batch_id is null then (
			select count(*)::int
			from eggs e
			where e.farm_id = $1 and e.pen_id = t.pen_id and not e.trial and ` + stock.InStore + `
		) else 0 end as stored,
		coalesce(s.looked, 0) as looked, coalesce(s.fertile, 0) as fertile
	from fertility_tests t
	left join lateral (
		select sum(examined)::int as looked, sum(fertile)::int as fertile
		from egg_sums
		where farm_id = $1 and pen_id = t.pen_id and not trial and (
			batch_id = t.batch_id
			or batch_id in (select id from batches p where p.farm_id = $1 and p.part_of = t.batch_id)
		)
	) s on true
	where t.farm_id = $1 and t.ended_on is null
	order by t.asked_on, t.id`

// FertilityTest finds one.
func (tx Tx) FertilityTest(ctx context.Context, id int64) (FertilityTest, error) {
	return store.One[FertilityTest](ctx, tx, `
		select `+testColumns+` from fertility_tests where farm_id = $1 and id = $2`, tx.FarmID, id)
}

// SaveTest makes a test (ID 0) or changes one, and returns its id.
func (tx Tx) SaveTest(ctx context.Context, t FertilityTest) (int64, error) {
	if t.ID == 0 {
		return store.Value[int64](ctx, tx, `
			insert into fertility_tests (
				farm_id, pen_id, asked_on, eggs, batch_id, retest_of, why, ended_on, decision
			)
			values ($1, $2, $3, $4, $5, $6, $7, $8, $9)
			returning id`,
			tx.FarmID, t.PenID, t.AskedOn, t.Eggs, t.BatchID, t.RetestOf, t.Why, t.EndedOn, t.Decision)
	}
	return store.Value[int64](ctx, tx, `
		update fertility_tests
		set eggs = $3, batch_id = $4, why = $5, ended_on = $6, decision = $7
		where farm_id = $1 and id = $2
		returning id`, tx.FarmID, t.ID, t.Eggs, t.BatchID, t.Why, t.EndedOn, t.Decision)
}

// DropTest forgets one.
func (tx Tx) DropTest(ctx context.Context, id int64) error {
	_, err := tx.Exec(ctx, `delete from fertility_tests where farm_id = $1 and id = $2`, tx.FarmID, id)
	return err
}

// Thresholds are from which share of fertile eggs on the farm sells hatching eggs, and below which a
// male goes, in percent.
type Thresholds struct{ SellPct, SwapPct int }

// Thresholds reads them.
func (tx Tx) Thresholds(ctx context.Context) (Thresholds, error) {
	return store.One[Thresholds](ctx, tx, `select sell_pct, swap_pct from farms where id = $1`, tx.FarmID)
}

// SetThresholds changes them.
func (tx Tx) SetThresholds(ctx context.Context, t Thresholds) error {
	_, err := tx.Exec(ctx, `update farms set sell_pct = $2, swap_pct = $3 where id = $1`,
		tx.FarmID, t.SellPct, t.SwapPct)
	return err
}
