package machines

import (
	"context"
	"fmt"
	"math"
	"slices"
	"time"

	"metrogon/core/machine"
	"metrogon/core/watering"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/chores"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
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

// Chores are what machines need: water before it runs dry and before the lid is shut for three days, a turner
// that is on again, and to be ready in time.
func Chores(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot) (all []chores.Chore, err error) {
	up, err := w.Upkeep(ctx, tx)
	if err != nil {
		return nil, err
	}
	open, err := w.OpenBatches(ctx, tx)
	if err != nil {
		return nil, err
	}
	stands := map[int64]bool{}
	for _, v := range open {
		stands[v.Stands().ID] = stands[v.Stands().ID] || v.Alive > 0
	}
	for _, x := range w.Machines {
		if !stands[x.ID] || !Drinks(x.Kind) {
			continue
		}
		water := waterOf(w, up, x)
		if !water.Known {
			continue
		}
		at := w.Member.Hour.On(water.From, 0, w.Member.Place)
		if at.After(water.From) { // the hour of chores before it
			at = w.Member.Hour.On(water.From, -1, w.Member.Place)
		}
		all = append(all, chores.Chore{
			About: store.Subject{Kind: journal.Machine, ID: x.ID}, Kind: chores.Water, At: at, Of: x.Name,
			Title: "Fill the water of " + x.Name, Reason: "may be dry from " + w.Member.Moment(water.From.Round(time.Hour)),
			Why: water.Says(w.Member.Moment) + " Dry channels cost ten points of humidity and more within hours.",
		})
	}
	all = append(all, turnerChores(w, up, open)...)
	all = append(all, swapChores(w, up, open)...)
	parcels, err := w.Parcels(ctx, tx, 20)
	if err != nil {
		return nil, err
	}
	warm, err := warmChores(w, up, open, parcels)
	all = append(all, warm...)
	for _, c := range fillChores(w, up, open) {
		i := slices.IndexFunc(all, func(o chores.Chore) bool { return o.About.ID == c.About.ID && o.Kind != chores.Turner })
		switch {
		case i < 0:
			all = append(all, c)
		case all[i].Kind == chores.Water && all[i].At.After(c.At):
			all[i] = c
		} // else it is filled before, or while it is made ready
	}
	return all, err
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
