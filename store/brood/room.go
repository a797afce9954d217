// Package brood keeps groups of young, their heat, and how they left.
package brood

import "metrogon/store"

// Tx is a farm's transaction with the statements of this room.
type Tx struct{ *store.Tx }

// On gives them on a farm's transaction.
func On(tx store.Bound) Tx { return Tx{tx.Bound()} }
