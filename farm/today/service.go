// Package today is what a morning needs: the chores of all rooms, what is in store and
// in the machines, what hatches next.
package today

import (
	"metrogon/farm"
	"metrogon/farm/chores"
)

// Service holds the use case.
type Service struct {
	*farm.Service
	Chores []chores.Provider // of the other rooms
}
