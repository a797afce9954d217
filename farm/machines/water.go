package machines

import (
	"context"
	"fmt"
	"math"
	"time"

	"metrogon/core/machine"
	"metrogon/core/watering"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store/upkeep"
	"metrogon/store/weigh"
)

// Water is what is known of a machine's water.
type Water struct {
	watering.Outlook
	Log []watering.Event // the oldest first
}

// waterOf reads a machine's log.
func waterOf(w *snapshot.Snapshot, up upkeep.Upkeep, x snapshot.Machine) (all Water) {
	for _, e := range up.Water {
		if e.MachineID == x.ID {
			all.Log = append(all.Log, watering.Event{At: e.At, Kind: watering.Kind(e.Kind), ML: e.ML})
		}
	}
	all.Outlook = watering.Forecast(float64(x.WaterML), all.Log, w.Now)
	return all
}

// Drinks tells whether a kind of machine has water of its own to be filled.
func Drinks(kind string) bool {
	return kind != string(machine.BroodyHen) && kind != string(machine.ReptileBox)
}

// Says tells what is known, in one sentence; more than the hour would be more than is known.
func (a Water) Says(moment func(time.Time) string) string {
	hour := func(t time.Time) string { return moment(t.Round(time.Hour)) }
	switch {
	case !a.Known && len(a.Log) == 0:
		return "Not known yet: note each filling; after two of them it is told when it runs dry."
	case !a.Known:
		return "Not known yet: after the next filling to the brim it is told when it runs dry."
	case a.Habit:
		return fmt.Sprintf("Filled about every %s so far, never seen dry: again by %s.", days(a.Lasts), hour(a.Dry))
	}
	says := fmt.Sprintf("Runs dry about %s", hour(a.Dry))
	if !a.From.Equal(a.To) {
		says += fmt.Sprintf(", perhaps from %s on", hour(a.From))
	}
	says += fmt.Sprintf(". A full one lasts %s", days(a.Lasts))
	if a.PerDay > 0 {
		says += fmt.Sprintf("; about %.0f ml a day", a.PerDay)
	}
	return says + "."
}

func days(n float64) string {
	if n < 1.5 {
		return wording.Plural(int(math.Round(24*n)), "hour")
	}
	return fmt.Sprintf("%.1f days", n)
}

// Watered notes that a machine was filled to the brim, topped up, or found dry; ml is what went in, 0 if
// nobody measured.
func (b *Service) Watered(
	ctx context.Context, req farm.Request, machineID int64, kind watering.Kind, ml float64,
) (farm.Done, error) {
	return snapshot.OnMachine(ctx, b.Service, req, farm.Helping, machineID,
		func(tx *farm.Tx, x snapshot.Machine) (farm.Done, error) {
			var p farm.Problems
			said, ok := map[watering.Kind]string{
				watering.Full: "filled to the brim", watering.Some: "topped up", watering.Dry: "found dry",
			}[kind]
			if !ok {
				p.Addf("water", "Say whether it was filled, topped up or found dry.")
			}
			if kind == watering.Dry {
				ml = 0
			}
			if ml != 0 {
				p.Measure("poured", "The water", &ml, 1, 50000, "ml")
				said += fmt.Sprintf(" with %.0f ml", ml)
			}
			if err := p.Err(); err != nil {
				return farm.Done{}, err
			}
			id, err := weigh.On(tx).AddWater(
				ctx, weigh.WaterEvent{MachineID: x.ID, At: tx.At, Kind: string(kind), ML: ml}, req.PersonID,
			)
			if err != nil {
				return farm.Done{}, err
			}
			return journal.Record(
				ctx, tx, journal.On(journal.Machine, x.ID), journal.Undo{dropWater.Of(id)}, "%s: %s.", x.Name, said,
			)
		})
}

var dropWater = journal.NewKind("water", func(ctx context.Context, tx *farm.Tx, id int64) error {
	return weigh.On(tx).DropWater(ctx, id)
})
