// Package hatch keeps what was seen at the hatch: signs, baskets, young, break-outs, and what to do next time.
package hatch

import "metrogon/store"

// Tx is a farm's transaction with the statements of this room.
type Tx struct{ *store.Tx }

// On gives them on a farm's transaction.
func On(tx store.Bound) Tx { return Tx{tx.Bound()} }
