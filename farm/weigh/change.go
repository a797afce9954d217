package weigh

import (
	"context"
	"fmt"
	"slices"
	"time"

	"metrogon/core/climate"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	rows "metrogon/store/weigh"
)

// Levers are what may be changed, in the words of the trade.
var Levers = []string{
	"a sponge", "a second sponge", "a second dish", "lukewarm water", "a sponge out", "a dish out",
	"covering half the water", "opening the vents", "closing the vents",
}

// Changes are what was changed in a machine to bring its humidity elsewhere.
type Changes struct {
	Past []rows.Response // whose effect is known, the newest first
	Open *rows.Response  // that was not looked at since
	Look time.Time       // when to look, with an open one
}

// forgotten is after how long nobody looks any more at what a change did.
const forgotten = 12 * time.Hour

func changesOf(all []rows.Response, now time.Time) (c Changes) {
	var took []time.Duration
	for i, r := range all {
		if r.ToPct != nil {
			c.Past, took = append(c.Past, r), append(took, time.Duration(*r.Minutes)*time.Minute)
		} else if c.Open == nil && i == 0 && now.Sub(r.At) < forgotten {
			c.Open = &all[i]
		}
	}
	if c.Open != nil {
		c.Look = c.Open.At.Add(climate.Wait(took))
	}
	return c
}

// Did tells what a change did.
func Did(r rows.Response) string {
	return fmt.Sprintf("%s gave %+.0f points in %d min", r.What, *r.ToPct-r.FromPct, *r.Minutes)
}

// Change notes that something was changed in a machine while its humidity was fromPct. Who changes again
// before the last change has settled is asked once: it overshoots.
func (b *Service) Change(
	ctx context.Context, req farm.Request, machineID int64, what string, fromPct float64,
) (farm.Done, error) {
	return snapshot.OnMachine(ctx, b.Service, req, farm.Helping, machineID,
		func(tx *farm.Tx, x snapshot.Machine) (farm.Done, error) {
			all, err := rows.On(tx).Responses(ctx, x.ID)
			if err != nil {
				return farm.Done{}, err
			}
			var p farm.Problems
			if !slices.Contains(Levers, what) {
				p.Addf("what", "Pick what you changed.")
			}
			p.Measure("now", "The humidity before", &fromPct, 1, 100, "%")
			if c := changesOf(all, tx.At); p == nil && c.Open != nil && tx.At.Before(c.Look) {
				p.Doubtf(tx.Request, "what", "%s was %s ago, and nobody looked since: wait until %s, it overshoots. Change it now "+
					"all the same?", wording.Capital(c.Open.What), wording.Plural(int(tx.At.Sub(c.Open.At).Minutes()), "minute"),
					req.Hours(c.Look))
			}
			if err := p.Err(); err != nil {
				return farm.Done{}, err
			}
			id, err := rows.On(tx).AddResponse(ctx, rows.Response{MachineID: x.ID, At: tx.At, What: what, FromPct: fromPct})
			if err != nil {
				return farm.Done{}, err
			}
			return journal.Record(ctx, tx, journal.On(journal.Machine, x.ID), journal.Undo{dropResponse.Of(id)},
				"%s: %s, at %.0f %%.", x.Name, what, fromPct)
		})
}

// LookedAgain notes what the humidity came to after the last change.
func (b *Service) LookedAgain(
	ctx context.Context, req farm.Request, machineID int64, toPct float64,
) (farm.Done, error) {
	return snapshot.OnMachine(ctx, b.Service, req, farm.Helping, machineID,
		func(tx *farm.Tx, x snapshot.Machine) (farm.Done, error) {
			all, err := rows.On(tx).Responses(ctx, x.ID)
			if err != nil {
				return farm.Done{}, err
			}
			c := changesOf(all, tx.At)
			var p farm.Problems
			if c.Open == nil {
				p.Addf("shows", "Nothing was changed in %s lately that nobody has looked at since.", x.Name)
			}
			p.Measure("shows", "The humidity", &toPct, 1, 100, "%")
			if err := p.Err(); err != nil {
				return farm.Done{}, err
			}
			minutes := max(1, int(tx.At.Sub(c.Open.At).Minutes()))
			c.Open.ToPct, c.Open.Minutes = &toPct, &minutes
			if err := rows.On(tx).ReadResponse(ctx, c.Open.ID, &toPct, &minutes); err != nil {
				return farm.Done{}, err
			}
			return journal.Record(ctx, tx, journal.On(journal.Machine, x.ID), journal.Undo{unread.Of(c.Open.ID)},
				"%s: %s.", x.Name, Did(*c.Open))
		})
}
