// Package outage keeps power cuts, and how cold eggs got in them.
package outage

import "metrogon/store"

// Tx is a farm's transaction with the statements of this room.
type Tx struct{ *store.Tx }

// On gives them on a farm's transaction.
func On(tx store.Bound) Tx { return Tx{tx.Bound()} }
