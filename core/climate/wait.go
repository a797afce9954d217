package climate

import (
	"slices"
	"time"
)

// How long a machine's humidity takes to settle after its water's surface, sponges or vents were changed: half
// an hour or somewhat more is usual, and who changes more before it settled overshoots [common practice].
const (
	usualWait    = 40 * time.Minute
	shortestWait = 20 * time.Minute
	longestWait  = 90 * time.Minute
)

// Wait is how long to wait before the humidity is looked at after a change: the middle of how long it took in
// this machine, where that was seen three times or more, between 20 and 90 minutes; else 40 minutes.
func Wait(took []time.Duration) time.Duration {
	if len(took) < 3 {
		return usualWait
	}
	took = slices.Sorted(slices.Values(took))
	return min(max(took[len(took)/2], shortestWait), longestWait)
}
