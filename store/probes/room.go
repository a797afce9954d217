// Package probes keeps instruments, their checks and readings, and the alarms that these ring.
package probes

import "metrogon/store"

// Tx is a farm's transaction with the statements of this room.
type Tx struct{ *store.Tx }

// On gives them on a farm's transaction.
func On(tx store.Bound) Tx { return Tx{tx.Bound()} }

// DB is the database of all farms with the statements of this room.
type DB struct{ *store.DB }

// Of gives them of a database.
func Of(db *store.DB) DB { return DB{db} }
