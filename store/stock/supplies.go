package stock

import (
	"context"

	"metrogon/store"
)

// Supply is something to have at hand before lockdown or a hatch.
type Supply struct {
	ID      int64
	Says    string
	Before  string // lockdown or hatch
	Species string // "": of any kind
}

// Supplies selects what is to be at hand.
const Supplies = `
	select id, says, before, species
	from supplies
	where farm_id = $1
	order by before desc, species, id`

// AddSupplies keeps some, but for those that are on the list, and returns the ids of the new ones.
func (tx Tx) AddSupplies(ctx context.Context, all []Supply) ([]int64, error) {
	says, before, species := make([]string, len(all)), make([]string, len(all)), make([]string, len(all))
	for i, s := range all {
		says[i], before[i], species[i] = s.Says, s.Before, s.Species
	}
	return tx.IDs(ctx, `
		insert into supplies (farm_id, says, before, species)
		select $1, says, before, species
		from unnest($2::text[], $3::text[], $4::text[]) s (says, before, species)
		on conflict do nothing
		returning id`, tx.FarmID, says, before, species)
}

// DropSupplies takes some off the list and returns what they were.
func (tx Tx) DropSupplies(ctx context.Context, ids []int64) ([]Supply, error) {
	return store.List[Supply](ctx, tx, `
		delete from supplies
		where farm_id = $1 and id = any ($2)
		returning id, says, before, species`, tx.FarmID, ids)
}

// Supplies lists them.
func (tx Tx) Supplies(ctx context.Context) ([]Supply, error) {
	return store.List[Supply](ctx, tx, Supplies, tx.FarmID)
}
