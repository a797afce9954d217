package machines

import (
	"context"
	"fmt"
	"time"

	"metrogon/core/machine"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
	"metrogon/store/upkeep"
)

// Turner is what is known of the turner of a machine.
type Turner struct {
	Asked time.Time // it was opened then, and nobody said since that it turns again; zero: nothing to ask
	Seen  time.Time // somebody saw it turn
}

// turns marks among the care of a machine that its turner was seen to turn.
const turns = "turner"

// HasTurner tells whether a machine turns the eggs itself.
func HasTurner(x snapshot.Machine) bool {
	kind, err := machine.Find(x.Kind)
	if err != nil || x.ByHand {
		return false
	}
	for _, s := range kind.Ready(false) {
		if s.ID == machine.Turner {
			return true
		}
	}
	return false
}

// turnerOf tells of the turner of a machine in which eggs turn. One that stops whenever it is opened is asked
// after: an hour without turning harms nobody, a night does.
func turnerOf(up upkeep.Upkeep, x snapshot.Machine, turning bool) (t Turner) {
	for _, c := range up.Last {
		if c.Kind == turns && c.MachineID != nil && *c.MachineID == x.ID {
			t.Seen = c.At
		}
	}
	if !turning || !x.TurnStops || !HasTurner(x) {
		return t
	}
	for _, o := range up.Opened {
		if o.MachineID == x.ID && o.At.After(t.Seen) {
			t.Asked = o.At
		}
	}
	return t
}

// turning tells in which machines eggs turn.
func turning(open []snapshot.BatchView) map[int64]bool {
	all := map[int64]bool{}
	for _, v := range open {
		if v.LockedAt == nil && v.Alive > 0 && !v.Kind.IsReptile() {
			all[v.SetterID] = true
		}
	}
	return all
}

// Turns notes that the turner of a machine was seen to turn.
func (b *Service) Turns(ctx context.Context, req farm.Request, machineID int64) (farm.Done, error) {
	return snapshot.OnMachine(ctx, b.Service, req, farm.Helping, machineID,
		func(tx *farm.Tx, x snapshot.Machine) (farm.Done, error) {
			if !HasTurner(x) {
				return farm.Done{}, farm.Problemf("turner", "%s has no turner; it is turned by hand.", x.Name)
			}
			id, err := tx.AddCare(ctx, store.Care{Kind: turns, MachineID: &x.ID, At: tx.At}, req.PersonID)
			if err != nil {
				return farm.Done{}, err
			}
			return journal.Record(ctx, tx, journal.On(journal.Machine, x.ID), journal.Undo{journal.DropCare.Of([]int64{id})},
				"%s: the turner turns.", x.Name)
		})
}

// TurnerSays tells how a turner turns; "" where nobody said.
func TurnerSays(x snapshot.Machine) string {
	says := ""
	if x.TurnMinutes > 0 {
		says = fmt.Sprintf("every %d min", x.TurnMinutes)
		if x.TurnMinutes%60 == 0 {
			says = fmt.Sprintf("every %d h", x.TurnMinutes/60)
		}
	}
	if x.TurnAngle > 0 {
		if says != "" {
			says += ", "
		}
		says += fmt.Sprintf("through %d°", x.TurnAngle)
	}
	return says
}
