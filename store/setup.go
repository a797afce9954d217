package store

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"
)

// Setup is what nearly every page begins with.
type Setup struct {
	Pens     []Pen     // by name
	Machines []Machine // by name
	Rooms    []Room
	Figures  []Figure
	Methods  []Method
	Closures []Closure // of machines, that are not over

	EggsVersion int64 // as Tx.EggsVersion gives it
}

// Setup reads it as it is on a date, in one round trip.
func (tx *Tx) Setup(ctx context.Context, on time.Time) (b Setup, err error) {
	q := &pgx.Batch{}
	Ask(q, &b.Pens, pens, tx.FarmID)
	Ask(q, &b.Machines, machines, tx.FarmID)
	Ask(q, &b.Rooms, rooms, tx.FarmID)
	Ask(q, &b.Figures, figures, tx.FarmID)
	Ask(q, &b.Methods, methods, tx.FarmID)
	Ask(q, &b.Closures, Closures, tx.FarmID, on)
	q.Queue(EggsVersion, tx.FarmID).QueryRow(func(r pgx.Row) error { return r.Scan(&b.EggsVersion) })
	return b, tx.SendBatch(ctx, q).Close()
}

// EggsVersion selects a number that changes with whatever is changed of a farm’s eggs.
const EggsVersion = `select eggs_version from farms where id = $1`
