// Package books keeps what lists and notebooks brought in, finds anything by its code, and reads whole sheets.
package books

import "metrogon/store"

// Tx is a farm's transaction with the statements of this room.
type Tx struct{ *store.Tx }

// On gives them on a farm's transaction.
func On(tx store.Bound) Tx { return Tx{tx.Bound()} }
