// Package breeders keeps birds and who stayed where, and reads what eggs did by parent, pen, day and candler.
package breeders

import "metrogon/store"

// Tx is a farm's transaction with the statements of this room.
type Tx struct{ *store.Tx }

// On gives them on a farm's transaction.
func On(tx store.Bound) Tx { return Tx{tx.Bound()} }

// DB is the database of all farms with the statements of this room.
type DB struct{ *store.DB }

// Of gives them of a database.
func Of(db *store.DB) DB { return DB{db} }
