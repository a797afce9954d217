package store

import (
	"sync"
	"time"
)

// months remembers which parts of the samples are there.
type months struct {
	Mu    sync.Mutex
	There map[time.Time]bool
}
