package snapshot

import (
	"context"
	"slices"
	"strings"
	"time"

	"metrogon/core/machine"
	"metrogon/core/readiness"
	"metrogon/core/season"
	"metrogon/farm"
	"metrogon/store/upkeep"
)

// StepPrefix marks the care of a machine as a step of making it ready.
const StepPrefix = "ready:"

// Ready tells how far a machine is from taking eggs. A kind that is not known
// is an error.
func (w *Snapshot) Ready(x Machine, up upkeep.Upkeep, running bool) (readiness.State, error) {
	kind, err := machine.Find(x.Kind)
	if err != nil {
		return readiness.State{}, err
	}
	ticked := map[string]time.Time{}
	var emptied time.Time
	for _, c := range up.Last {
		if step, ok := strings.CutPrefix(c.Kind, StepPrefix); ok && c.MachineID != nil && *c.MachineID == x.ID {
			ticked[step] = c.At
		}
	}
	for _, e := range up.Emptied {
		if e.MachineID == x.ID {
			emptied = e.At
		}
	}
	needed := time.Duration(w.Member.WarmHours) * time.Hour
	return readiness.Of(kind, x.ByHand, ticked, emptied, running, needed, w.Now), nil
}

// NotReady tells why a machine should not take eggs yet; "" where it may.
func (w *Snapshot) NotReady(ctx context.Context, tx *farm.Tx, x Machine) (string, error) {
	if c, is := w.ClosedTo(season.Stay{MachineID: x.ID, From: w.Now, To: w.Now}); is {
		return "it is closed " + farm.Span(c.FromOn, c.ToOn), nil
	}
	up, err := w.Upkeep(ctx, tx)
	if err != nil {
		return "", err
	}
	open, err := w.OpenBatches(ctx, tx)
	if err != nil {
		return "", err
	}
	ready, err := w.Ready(x, up, HasEggs(open, x.ID))
	return ready.Why(), err
}

// HasEggs tells whether eggs of an open batch stand in a machine.
func HasEggs(open []BatchView, machineID int64) bool {
	return slices.ContainsFunc(open, func(v BatchView) bool { return v.Stands().ID == machineID && v.Alive > 0 })
}
