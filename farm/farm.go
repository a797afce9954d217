// Package farm is what a farm can do. This is the ground floor: who is at work
// (Member), what may be wrong with what was typed (Problems), the farm as it stands
// (Snapshot), and how a use case runs (Service.Read and Service.Act: one transaction
// each). The rooms below it hold the use cases, one method each, a stage of the work a
// room: stock, incubate, candle, weigh, hatch, flock, kinds, machines, people, today.
// A use case checks who may, asks core what holds, and writes the journal. Whatever
// changes something takes an idempotency key, so that a form sent twice does its work
// once. Rooms import the ground floor, journal and chores, never one another; services
// puts them together.
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
