package store

import (
	"sync"
	"time"
)

// months remembers which parts of the samples are there.
type months struct {
	mu    sync.Mutex
	there map[time.Time]bool
}
