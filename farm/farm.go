// Package farm is what a farm can do. This is the ground floor: who is at work
// (Member), what they ask for (Request), what may be wrong with what was typed
// (Problems), and how a use case runs (Service.Read and Service.Act: one
// transaction each). On it stand snapshot, the farm as it is in one transaction;
// lineage, whose eggs they are; journal, what was done and how it is taken back;
// and chores. Over these are the rooms with the use cases, one method each, a stage
// of the work a room: stock, incubate, candle, weigh, hatch and so on. A use case
// checks who may, asks core what holds, and writes the journal. Rooms never import
// one another; services puts them together.
package farm

import (
	"time"

	"metrogon/store"
)

// Clock tells the time; tests and the demo hand in a frozen one.
type Clock func() time.Time

// Service is what all rooms stand on: the records of all farms, and the time.
type Service struct {
	DB     *store.DB
	Live   *Live
	clock  Clock
	memory *memory
}

// New gives the service on a database.
func New(db *store.DB, clock Clock) *Service { return &Service{db, &Live{}, clock, newMemory()} }

// Now is the present, to the second.
func (b *Service) Now() time.Time { return b.clock().Truncate(time.Second) }
