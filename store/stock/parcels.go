package stock

import (
	"context"
	"time"

	"metrogon/store"
)

// Parcel is eggs ordered from a supplier.
type Parcel struct {
	ID               int64
	PenID            int64 // the supplier's
	Ordered          int
	OrderedOn        time.Time
	Sent, Broken     *int
	Loose, Displaced *int // air cells
	ArrivedAt        *time.Time
	ReadyAt          *time.Time
	LaidOn           *time.Time
	Note             string
	CollectionID     *int64
	ExpectedOn       *time.Time
	SetterID         *int64 // that is to be warm for it
	Stored, Set      int    // of its eggs, in store and set so far
}

// Parcels lists the newest, those on their way first.
func (tx Tx) Parcels(ctx context.Context, most int) ([]Parcel, error) {
	return store.List[Parcel](
		ctx, tx, parcels+` where p.farm_id = $1 order by p.arrived_at is not null, p.id desc limit $2`, tx.FarmID, most,
	)
}

const parcels = `
	select p.id, p.pen_id, p.ordered, p.ordered_on, p.sent, p.broken, p.loose, p.displaced,
		p.arrived_at, c.ready_at, c.laid_on, p.note, p.collection_id, p.expected_on, p.setter_id,
		(
			select count(*)
			from eggs e
			where e.farm_id = $1 and e.collection_id = c.id and ` + InStore + `
		)::int as stored,
		(
			select count(*)
			from eggs e
			where e.farm_id = $1 and e.collection_id = c.id and e.batch_id is not null
		)::int as set
	from parcels p
	left join collections c on c.farm_id = $1 and c.id = p.collection_id`

// Parcel finds one.
func (tx Tx) Parcel(ctx context.Context, id int64) (Parcel, error) {
	return store.One[Parcel](ctx, tx, parcels+` where p.farm_id = $1 and p.id = $2`, tx.FarmID, id)
}

// AddParcel notes an order.
func (tx Tx) AddParcel(ctx context.Context, p Parcel) (int64, error) {
	return store.Value[int64](ctx, tx, `
		insert into parcels (farm_id, pen_id, ordered, ordered_on, note, expected_on, setter_id)
		values ($1, $2, $3, $4, $5, $6, $7)
		returning id`, tx.FarmID, p.PenID, p.Ordered, p.OrderedOn, p.Note, p.ExpectedOn, p.SetterID)
}

// DropParcel forgets an order.
func (tx Tx) DropParcel(ctx context.Context, id int64) error {
	_, err := tx.Exec(ctx, `delete from parcels where farm_id = $1 and id = $2`, tx.FarmID, id)
	return err
}

// SaveParcel keeps what came, or, with nothing in it, that it is on its way.
func (tx Tx) SaveParcel(ctx context.Context, p Parcel) error {
	_, err := tx.Exec(ctx, `
		update parcels
		set sent = $3, broken = $4, loose = $5, displaced = $6, arrived_at = $7, note = $8,
			collection_id = $9, expected_on = $10, setter_id = $11
		where farm_id = $1 and id = $2`,
		tx.FarmID, p.ID, p.Sent, p.Broken, p.Loose, p.Displaced, p.ArrivedAt, p.Note, p.CollectionID, p.ExpectedOn,
		p.SetterID)
	return err
}
