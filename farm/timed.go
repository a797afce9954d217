package farm

import (
	"context"

	"metrogon/store"
)

// Spent is the time that the database took for one request.
type Spent = store.Spent

// Timed keeps in a context what the database takes for the work done in it.
func Timed(ctx context.Context) (context.Context, *Spent) { return store.Timed(ctx) }
