// Package readiness tells whether a machine may take eggs: which steps of making it
// ready were done since it was last emptied, and whether it has run warm for long
// enough.
package readiness

import (
	"fmt"
	"time"

	"metrogon/core/machine"
)

// State is how far a machine is.
type State struct {
	Steps  []Done
	Ready  bool
	Warm   time.Duration // that it has run so far
	Needed time.Duration
}

// Done is a step with the moment at which it was done, zero if it was not.
type Done struct {
	machine.Step
	At time.Time
}

// Of tells how far a machine is from what was ticked since it was last
// emptied. A machine in which eggs stand is running, and so ready. A kind of which
// no step is known is never ready.
func Of(
	kind machine.Kind, byHand bool, ticked map[string]time.Time, emptied time.Time,
	running bool, needed time.Duration, now time.Time,
) State {
	steps := kind.Ready(byHand)
	s := State{Needed: needed, Ready: len(steps) > 0}
	for _, step := range steps {
		d := Done{Step: step}
		if at := ticked[step.ID]; at.After(emptied) && !at.After(now) {
			d.At = at
		}
		if step.ID == machine.WarmUp && !d.At.IsZero() {
			s.Warm = now.Sub(d.At)
		}
		s.Ready = s.Ready && !d.At.IsZero() && (step.ID != machine.WarmUp || s.Warm >= needed)
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
		case d.At.IsZero() && d.ID == machine.WarmUp:
			missing = append(missing, "not running warm yet")
		case d.At.IsZero():
			missing = append(missing, "not ticked: "+lower(d.Title))
		case d.ID == machine.WarmUp && s.Warm < s.Needed:
			missing = append(missing, fmt.Sprintf("warm for %.0f of %.0f hours", s.Warm.Hours(), s.Needed.Hours()))
		}
	}
	switch n := len(missing); {
	case n == 0:
		return "it is not known how this kind of machine is made ready"
	case n > 2:
		return fmt.Sprintf("%s and %d more steps", missing[0], n-1)
	case n == 2:
		return missing[0] + "; " + missing[1]
	}
	return missing[0]
}

func lower(s string) string { return string(s[0]|0x20) + s[1:] }
