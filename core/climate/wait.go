package climate

import (
	"math"
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

// Settled tells to what the humidity came after something was changed at a moment when it was fromPct: the middle of
// what was told in the last while before settled is over, and after how many minutes nine tenths of the way were gone.
func Settled(
	all []Told, at time.Time, fromPct float64, settled, last time.Duration,
) (toPct float64, minutes int, ok bool) {
	var late []float64
	for _, t := range all {
		if since := t.At.Sub(at); since > settled-last && since <= settled && !math.IsNaN(t.RHPct) {
			late = append(late, t.RHPct)
		}
	}
	if len(late) < 3 {
		return 0, 0, false
	}
	toPct = math.Round(middle(late))
	for _, t := range all {
		if since := t.At.Sub(at); since >= time.Minute && math.Abs(t.RHPct-fromPct) >= 0.9*math.Abs(toPct-fromPct) {
			return toPct, int(min(since, settled).Minutes()), true
		}
	}
	return toPct, int(settled.Minutes()), true
}
