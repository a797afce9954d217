// Package readiness tells whether a machine may take eggs: what has to be done
// before, by kind of machine, and how long it has to run warm. Source of the
// steps: common practice.
package readiness

import (
	"fmt"
	"slices"
	"time"
)

// Step is one thing to do before eggs go in.
type Step struct{ ID, Title, Why string }

// WarmUp is the step whose ticking starts the clock.
const WarmUp = "warm"

var steps = []struct {
	Step
	kinds string // of machine; a listed letter takes the step
}{
	{Step{"clean", "Cleaned and sanitized", "After every hatch and before every set. As the label says; never mix cleaners."}, "fschar"},
	{Step{"place", "Out of draughts and sun", "At a steady room temperature."}, "fscha"},
	{Step{"outlet", "Protected outlet, drip loop", "A residual-current outlet and surge strip; the cable hangs lower than the plug; no extension chains."}, "fscha"},
	{Step{"water", "Water channels filled", "Room-warm water; surface, not depth, makes humidity."}, "fscha"},
	{Step{"floor", "Floor fitted", "So that no corner lifts."}, "fscha"},
	{Step{"turner", "Turner fitted and running", "Watch it turn once each way."}, "fsca"},
	{Step{"substrate", "Substrate mixed and weighed", "Coarse vermiculite or perlite with 0.8 to 1 part of water by weight; note what the box weighs."}, "r"},
	{Step{"nest", "Nest clean, hen sitting tight", "On dummy eggs for two days; dusted against mites as the label says."}, "b"},
	{Step{WarmUp, "Running empty at temperature", "Until the reading is steady."}, "fschar"},
	{Step{"thermometers", "Thermometers compared", "Two or three at egg height, in several places; the corrected reading counts, not the display. Within ±0.5 °C."}, "fschar"},
}

var letters = map[string]string{"forced-air": "f", "still-air": "s", "cabinet": "c", "hatcher": "h", "all-in-one": "a", "broody-hen": "b", "reptile-box": "r"}

// Steps lists what has to be done on a kind of machine; a machine without a
// turner needs none fitted.
func Steps(kind string, byHand bool) (all []Step) {
	letter := letters[kind]
	for _, s := range steps {
		if letter == "" || !contains(s.kinds, letter) || (s.ID == "turner" && byHand) {
			continue
		}
		all = append(all, s.Step)
	}
	return
}

func contains(kinds, letter string) bool {
	return slices.Contains([]byte(kinds), letter[0])
}

// State is how far a machine is.
type State struct {
	Steps  []Done
	Ready  bool
	Warm   time.Duration // that it has run so far
	Needed time.Duration
}

// Done is a step with the moment at which it was done, zero if it was not.
type Done struct {
	Step
	At time.Time
}

// Judge tells how far a machine is from what was ticked since it was last
// emptied. A machine in which eggs stand is running, and so ready.
func Judge(kind string, byHand bool, ticked map[string]time.Time, emptied time.Time, running bool, needed time.Duration, now time.Time) State {
	s := State{Needed: needed, Ready: true}
	for _, step := range Steps(kind, byHand) {
		d := Done{Step: step}
		if at := ticked[step.ID]; at.After(emptied) && !at.After(now) {
			d.At = at
		}
		if step.ID == WarmUp && !d.At.IsZero() {
			s.Warm = now.Sub(d.At)
		}
		s.Ready = s.Ready && !d.At.IsZero() && (step.ID != WarmUp || s.Warm >= needed)
		s.Steps = append(s.Steps, d)
	}
	s.Ready = s.Ready || running
	return s
}

// Why says in one sentence what is missing; nothing if the machine is ready.
func (s State) Why() string {
	if s.Ready {
		return ""
	}
	var missing []string
	for _, d := range s.Steps {
		switch {
		case d.At.IsZero() && d.ID == WarmUp:
			missing = append(missing, "not running warm yet")
		case d.At.IsZero():
			missing = append(missing, "not ticked: "+lower(d.Title))
		case d.ID == WarmUp && s.Warm < s.Needed:
			missing = append(missing, fmt.Sprintf("warm for %.0f of %.0f hours", s.Warm.Hours(), s.Needed.Hours()))
		}
	}
	if len(missing) > 2 {
		return fmt.Sprintf("%s and %d more steps", missing[0], len(missing)-1)
	}
	out := missing[0]
	for _, m := range missing[1:] {
		out += "; " + m
	}
	return out
}

func lower(s string) string { return string(s[0]|0x20) + s[1:] }
