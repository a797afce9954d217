package store

import (
	"context"
	"time"
)

// Pen is a source of eggs: a male with his females, or a pair; or a supplier,
// whose birds are not on the farm.
type Pen struct {
	ID             int64
	Name           string
	Species, Breed string
	Bantam         bool
	Females, Males int
	FromOn         time.Time
	UntilOn        *time.Time
	Supplier       bool
	HensHatchedOn  *time.Time // its females, where they are of one age
}

const penColumns = `id, name, species, breed, bantam, females, males, from_on, until_on, supplier, hens_hatched_on`

const pens = `select ` + penColumns + ` from pens where farm_id = $1 order by until_on is not null, name`

// Pens lists a farm's pens by name.
func (tx *Tx) Pens(ctx context.Context) ([]Pen, error) { return List[Pen](ctx, tx, pens, tx.FarmID) }

// SavePen makes a pen (ID 0) or changes one, and returns its id.
func (tx *Tx) SavePen(ctx context.Context, p Pen) (int64, error) {
	if p.ID == 0 {
		return Value[int64](ctx, tx, `
			insert into pens (
				farm_id, name, species, breed, bantam, females, males, from_on, until_on, supplier,
				hens_hatched_on
			)
			values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11)
			returning id`,
			tx.FarmID, p.Name, p.Species, p.Breed, p.Bantam, p.Females, p.Males, p.FromOn, p.UntilOn, p.Supplier,
			p.HensHatchedOn)
	}
	return Value[int64](ctx, tx, `
		update pens
		set name = $2, species = $3, breed = $4, bantam = $5, females = $6, males = $7, from_on = $8,
			until_on = $9, hens_hatched_on = $11
		where farm_id = $10 and id = $1
		returning id`, p.ID, p.Name, p.Species, p.Breed, p.Bantam, p.Females, p.Males, p.FromOn, p.UntilOn, tx.FarmID,
		p.HensHatchedOn)
}

// DropPen forgets a pen that nothing names.
func (tx *Tx) DropPen(ctx context.Context, id int64) error {
	_, err := tx.Exec(ctx, `delete from pens where farm_id = $1 and id = $2`, tx.FarmID, id)
	return err
}

// PenHasEggs tells whether any egg came from a pen.
func (tx *Tx) PenHasEggs(ctx context.Context, id int64) (bool, error) {
	return Value[bool](ctx, tx, `select exists (select from eggs where farm_id = $1 and pen_id = $2)`, tx.FarmID, id)
}
