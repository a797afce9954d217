package remind

import (
	"context"
	"time"

	"metrogon/store"
)

// Handover is a list of what is due on certain days, for whoever looks after the farm meanwhile.
type Handover struct {
	ID           int64
	Name         string // of whom it is for
	Call         string // whom to call, and how
	Note         string
	FromOn, ToOn time.Time
	MadeBy       int64
	By           string
	MadeAt       time.Time
	WithdrawnAt  *time.Time
}

// Tick is an item of a list that was ticked.
type Tick struct {
	Item    string
	At      time.Time
	EntryID *int64
}

// HandoverSQL selects hand-over lists, up to the condition.
const HandoverSQL = `
	select h.id, h.name, h.call, h.note, h.from_on, h.to_on, h.made_by, p.name as by, h.made_at, h.withdrawn_at
	from handovers h
	join people p on p.id = h.made_by
	where h.farm_id = $1 and `

// AddHandover keeps a list under the digest of its link.
func (tx Tx) AddHandover(ctx context.Context, h Handover, digest []byte) (int64, error) {
	return store.Value[int64](ctx, tx, `
		insert into handovers (farm_id, digest, name, call, note, from_on, to_on, made_by, made_at)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9) returning id`,
		tx.FarmID, digest, h.Name, h.Call, h.Note, h.FromOn, h.ToOn, h.MadeBy, h.MadeAt)
}

// Handovers lists the lists of a farm that end on a day or later, the newest first.
func (tx Tx) Handovers(ctx context.Context, since time.Time) ([]Handover, error) {
	return store.List[Handover](ctx, tx, HandoverSQL+`h.to_on >= $2 order by h.id desc limit 50`, tx.FarmID, since)
}

// Handover finds a list.
func (tx Tx) Handover(ctx context.Context, id int64) (Handover, error) {
	return store.One[Handover](ctx, tx, HandoverSQL+`h.id = $2`, tx.FarmID, id)
}

// WithdrawHandover ends a list.
func (tx Tx) WithdrawHandover(ctx context.Context, id int64, at *time.Time) error {
	return store.Hit(
		tx.Exec(ctx, `update handovers set withdrawn_at = $3 where farm_id = $1 and id = $2`, tx.FarmID, id, at),
	)
}

// Ticks lists what was ticked on a list.
func (tx Tx) Ticks(ctx context.Context, handoverID int64) ([]Tick, error) {
	return store.List[Tick](ctx, tx, `
		select item, at, entry_id from handover_ticks where farm_id = $1 and handover_id = $2`, tx.FarmID, handoverID)
}

// SetTick ticks an item, once.
func (tx Tx) SetTick(ctx context.Context, handoverID int64, t Tick) error {
	_, err := tx.Exec(ctx, `
		insert into handover_ticks (farm_id, handover_id, item, at, entry_id) values ($1, $2, $3, $4, $5)
		on conflict do nothing`, tx.FarmID, handoverID, t.Item, t.At, t.EntryID)
	return err
}

// DropTick unticks an item.
func (tx Tx) DropTick(ctx context.Context, handoverID int64, item string) error {
	_, err := tx.Exec(ctx, `
		delete from handover_ticks where farm_id = $1 and handover_id = $2 and item = $3`, tx.FarmID, handoverID, item)
	return err
}

// Linked is where the link of a list leads.
type Linked struct{ FarmID, ID, MadeBy int64 }

// HandoverOf finds the list of a link, whichever farm it is of.
func (db DB) HandoverOf(ctx context.Context, digest []byte) (Linked, error) {
	return store.One[Linked](ctx, db.Door, `select farm_id, id, made_by from handovers where digest = $1`, digest)
}
