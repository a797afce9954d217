package alarms

import (
	"context"
	"slices"

	"metrogon/core/climate"
	"metrogon/farm"
	"metrogon/farm/chores"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
)

// Chores are alarms that ring and nobody has seen, and what was found in the readings.
func Chores(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot) (all []chores.Chore, err error) {
	up, err := w.Upkeep(ctx, tx)
	if err != nil {
		return nil, err
	}
	byMachine := map[int64]int{}
	for _, r := range up.Rings {
		i := slices.IndexFunc(up.Alarms, func(a Alarm) bool { return a.ID == r.AlarmID })
		if r.SeenAt != nil || i < 0 {
			continue
		}
		ring := Ring{AlarmRing: r, Alarm: up.Alarms[i], Machine: w.MachineByID[r.MachineID].Name, By: "its probe"}
		if at, there := byMachine[r.MachineID]; there {
			all[at].Why += " Also " + ring.Tells(w.Member, w.Now) + "."
			continue
		}
		byMachine[r.MachineID] = len(all)
		all = append(all, chores.Chore{
			About: store.Subject{Kind: journal.Machine, ID: r.MachineID}, Kind: chores.Alarm, At: r.RangAt,
			Title: ring.Machine + " rings", Reason: ring.Tells(w.Member, w.Now), Day: int(r.ID), Of: ring.Machine,
			Why: "Go and look: is the lid shut, is there power, is there water?",
		})
	}
	for _, i := range up.Incidents {
		of := w.MachineByID[i.MachineID].Name
		c := chores.Chore{
			About: store.Subject{Kind: journal.Machine, ID: i.MachineID}, Kind: chores.FoundLid, Day: int(i.ID), Of: of,
			Title: "Was the lid of " + of + " ajar?", Reason: spanOf(i, w.Member),
			Why: "The room’s air came in, and it stayed cool: so the readings look. Say what it was; the report of a batch " +
				"counts it.",
		}
		if i.Kind == string(climate.PowerAway) {
			c.Kind, c.Title = chores.FoundPower, "Was the power of "+of+" away?"
			c.Why = "Nothing heated, and the air stayed in: so the readings look. Written down, dates and the look by " +
				"the lamp follow."
		}
		all = append(all, c)
	}
	return all, nil
}
