// Package upkeep reads what was cared for, and where eggs wait: the ground of a day’s chores, in one round trip.
package upkeep

import "metrogon/store"

// Tx is a farm's transaction with the statements of this room.
type Tx struct{ *store.Tx }

// On gives them on a farm's transaction.
func On(tx store.Bound) Tx { return Tx{tx.Bound()} }
