package store

// Bound is a farm's transaction, as it is or in whatever holds one: the rooms' statements stand on it.
type Bound interface{ Bound() *Tx }

// Bound is the transaction itself.
func (tx *Tx) Bound() *Tx { return tx }
