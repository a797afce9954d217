// Package hatching watches a hatch: when the eggs of one load pip and hatch, as it is usual for
// their kind and as far as this load has shown it, which of them are late, and what to do about
// it, above all what not to do yet. Times are moments; durations hours unless named otherwise.
package hatching

import (
	"fmt"
	"math"
	"slices"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/species"
)

// What is seen of an egg: the pip, the first star in the shell; the zip, the cut round it; the young out.
const (
	Pip = "pip"
	Zip = "zip"
	Out = "out"
)

// Load is the eggs of one kind, set together, that were alive when they went into lockdown.
type Load struct {
	Species *species.Profile
	// The expected moments and usual spans, from calendar.Schedule: of the first pip, of the
	// hatch, of the pull and of clearing out.
	ExternalPip, Hatch, Pull, ClearOut calendar.Milestone
	SetAt                              time.Time
	Eggs                               int     // alive in lockdown, without those taken out since
	Rate                               float64 // share of them that is expected to hatch, above 0 to 1
	// Shifts are by how many hours the farm's own past loads of this kind in this machine pipped
	// later than expected (below 0: sooner); they take over with weight.
	Shifts []float64
	Events []Event
	Now    time.Time
	// Looked is when somebody looked last, and saw what Events tell: what happened since, nobody
	// knows. Zero: now.
	Looked time.Time
}

// Event is what was seen at a moment: of one egg, or of N whose number nobody knows.
type Event struct {
	Egg  int64 // 0: not known
	Kind string
	At   time.Time
	N    int // where the egg is not known; 0 is 1
}

// Scatter of the external pip, as a share of the days that a kind takes: between the eggs of a
// load, and of a load as a whole [common practice; about 11 and 8 h in hens' eggs].
const (
	eggSD  = 0.022
	loadSD = 0.016
	// ownLoads is how many of a farm's own loads weigh as much as common practice.
	ownLoads = 5
)

// looked is when somebody looked last.
func (l *Load) looked() time.Time {
	if l.Looked.IsZero() {
		return l.Now
	}
	return l.Looked
}

// seen is the eggs of a load by what is known of them.
type seen struct {
	pips     []time.Time // pips that were seen, of eggs out by now too
	free     []time.Time // outs of eggs whose pip nobody saw
	zipped   []time.Time // zips of eggs not out yet whose pip nobody saw
	wait     []waiting   // pipped or zipped, and not out
	outs     []time.Time // in order of time
	silent   int
	eggs     []egg // those whose number is known
	pipsTold bool  // pips are written down: of most that are out it was seen
}

// waiting is an egg that has pipped and is not out: since when, of the pip or the zip.
type waiting struct {
	at     time.Time
	zipped bool
}

// egg is one whose number is known.
type egg struct {
	id            int64
	pip, zip, out time.Time
}

// Check tells which field is at fault, or nil.
func (l *Load) Check() error {
	switch {
	case l.Eggs < 1 || l.Eggs > 10000:
		return fmt.Errorf("eggs: %d is not possible; it may be 1 to 10000", l.Eggs)
	case !(l.Rate > 0 && l.Rate <= 1):
		return fmt.Errorf("hatch_rate_pct: %g is not possible; it may be above 0 to 100", 100*l.Rate)
	case l.Looked.After(l.Now):
		return fmt.Errorf("looked: %s lies after now", l.Looked.Format(time.RFC3339))
	case l.Now.Before(l.SetAt):
		return fmt.Errorf("now: %s lies before the eggs were set", l.Now.Format(time.RFC3339))
	}
	for i, e := range l.Events {
		switch {
		case !slices.Contains([]string{Pip, Zip, Out}, e.Kind):
			return fmt.Errorf("events[%d].kind: %q is not known; it may be pip, zip or out", i, e.Kind)
		case e.At.Before(l.SetAt) || e.At.After(l.Now):
			return fmt.Errorf(
				"events[%d].at: %s is not possible; it may lie between the setting and now", i, e.At.Format(time.RFC3339),
			)
		case e.N < 0 || e.N > l.Eggs || e.Egg != 0 && e.N > 1:
			return fmt.Errorf("events[%d].n: %d is not possible; it may be 1 to %d, and 1 with an egg", i, e.N, l.Eggs)
		}
	}
	if s := l.see(); s.silent < 0 {
		return fmt.Errorf("events: %d eggs pipped or out, of %d", len(s.outs)+len(s.wait), l.Eggs)
	}
	return nil
}

// see sorts the events. A count of young without numbers is taken of those that were counted as
// pipped first, then of eggs that nobody saw pip, as far as there are any; only then may it be of
// those whose numbers are known to have pipped, the longest first.
func (l *Load) see() (s seen) {
	events := slices.Clone(l.Events)
	slices.SortStableFunc(events, func(a, b Event) int { return a.At.Compare(b.At) })
	known := map[int64]int{}
	counts := map[string][]time.Time{}
	for _, e := range events {
		if e.Egg == 0 {
			counts[e.Kind] = append(counts[e.Kind], slices.Repeat([]time.Time{e.At}, max(1, e.N))...)
			continue
		}
		i, ok := known[e.Egg]
		if !ok {
			i = len(s.eggs)
			known[e.Egg] = i
			s.eggs = append(s.eggs, egg{id: e.Egg})
		}
		x := &s.eggs[i]
		switch { // the first of a kind counts
		case e.Kind == Pip && x.pip.IsZero():
			x.pip = e.At
		case e.Kind == Zip && x.zip.IsZero():
			x.zip = e.At
		case e.Kind == Out && x.out.IsZero():
			x.out = e.At
		}
	}
	for _, x := range s.eggs {
		s.add(x.pip, x.zip, x.out)
	}
	// Of those counted: the first to pip are the first to zip, and to come out.
	pips, zips, outs := counts[Pip], counts[Zip], counts[Out]
	for i := range max(len(pips), len(zips), len(outs)) {
		at := func(all []time.Time) (t time.Time) {
			if i < len(all) {
				t = all[i]
			}
			return t
		}
		s.add(at(pips), at(zips), at(outs))
	}
	s.silent = l.Eggs - len(s.outs) - len(s.wait)
	slices.SortFunc(s.wait, func(a, b waiting) int { return a.at.Compare(b.at) })
	for s.silent < 0 && len(s.free) > 0 && len(s.wait) > 0 { // some of those counted were these
		s.wait, s.free, s.silent = s.wait[1:], s.free[1:], s.silent+1
	}
	slices.SortFunc(s.outs, time.Time.Compare)
	s.pipsTold = 2*len(s.free) < len(s.outs) || len(s.outs) == 0
	return s
}

// add takes up one egg.
func (s *seen) add(pip, zip, out time.Time) {
	if !pip.IsZero() {
		s.pips = append(s.pips, pip)
	}
	switch {
	case !out.IsZero():
		s.outs = append(s.outs, out)
		if pip.IsZero() {
			s.free = append(s.free, out)
		}
	case !zip.IsZero():
		s.wait = append(s.wait, waiting{zip, true})
		if pip.IsZero() {
			s.zipped = append(s.zipped, zip)
		}
	default:
		s.wait = append(s.wait, waiting{pip, false})
	}
}

// spread of a duration that is log-normal: the logarithm's mean and standard deviation.
type spread struct{ mu, sd float64 }

// z95 is the normal's 95 % point.
const z95 = 1.6448536269514722

// between has its 5 and 95 % points there.
func between(low, high float64) spread {
	return spread{(math.Log(low) + math.Log(high)) / 2, (math.Log(high) - math.Log(low)) / (2 * z95)}
}

// PipToOut is the usual span from the first pip until a young is out, hours.
func PipToOut(p *species.Profile) (low, high float64) { return p.PipToOutH.From, p.PipToOutH.To }

// ZipToOut is the usual span from the beginning of the zip until a young is out, hours: the last
// part of the way takes a twenty-fourth to an eighth of the whole [common practice: in hens' eggs
// half an hour to three].
func ZipToOut(p *species.Profile) (low, high float64) {
	low, high = PipToOut(p)
	return low / 24, high / 8
}

// hours from a to b.
func hours(a, b time.Time) float64 { return b.Sub(a).Hours() }

func after(at time.Time, h float64) time.Time { return at.Add(time.Duration(h * float64(time.Hour))) }

// Take takes the moments from a schedule.
func (l *Load) Take(schedule []calendar.Milestone) {
	for _, m := range schedule {
		switch m.Kind {
		case calendar.ExternalPip:
			l.ExternalPip = m
		case calendar.Hatch:
			l.Hatch = m
		case calendar.Pull:
			l.Pull = m
		case calendar.ClearOut:
			l.ClearOut = m
		}
	}
}
