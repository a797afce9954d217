package machines

import (
	"context"
	"fmt"
	"slices"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/watering"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/chores"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
	"metrogon/store/upkeep"
)

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

// swapChores are eggs that go under a hen tonight, or soon.
func swapChores(w *snapshot.Snapshot, up upkeep.Upkeep, open []snapshot.BatchView) (all []chores.Chore) {
	for _, s := range pending(w, up, open) {
		v, hen := s.Batch, w.MachineByID[s.HenID]
		n := min(s.Eggs, v.Alive)
		all = append(all, chores.Chore{
			About: store.Subject{Kind: journal.Batch, ID: v.ID}, Code: v.Code, Kind: chores.Swap, At: s.On, Of: hen.Name,
			In: hen.ID, Eggs: n, Title: fmt.Sprintf("The best %d under %s", n, hen.Name),
			Reason: "by night, once they were looked at",
			Why:    "Dummies out, live eggs under her, one by one in the dark; the rest carries on in " + v.Stands().Name + ".",
		})
	}
	return all
}

// warmChores ask for machines to be made ready in time: hatchers that eggs go into at their lockdown, and
// setters for parcels that are expected, or rest.
func warmChores(
	w *snapshot.Snapshot, up upkeep.Upkeep, open []snapshot.BatchView, parcels []snapshot.ParcelView,
) (all []chores.Chore, err error) {
	add := func(x snapshot.Machine, by time.Time, what string) error {
		ready, err := w.Ready(x, up, snapshot.HasEggs(open, x.ID))
		if err != nil || ready.Ready || !by.After(w.Now.AddDate(0, 0, -7)) {
			return err
		}
		days := max(1, (w.Member.WarmHours+23)/24)
		at := w.Member.Hour.On(by, -days, w.Member.Place)
		for i, c := range all {
			if c.About.ID == x.ID {
				if at.Before(c.At) {
					all[i].At = at
				}
				return nil
			}
		}
		all = append(all, chores.Chore{
			About: store.Subject{Kind: journal.Machine, ID: x.ID}, Kind: chores.WarmUp, At: at, Of: x.Name,
			Title: "Make " + x.Name + " ready", Reason: what,
			Why: wording.Capital(ready.Why()) + ". Clean, filled and warm until the reading is steady: eggs never go " +
				"into a machine that is still settling.",
		})
		return nil
	}
	for _, v := range open {
		shut, locks := v.Milestone(calendar.Lockdown)
		if !locks || v.LockedAt != nil || v.Alive == 0 || v.HatcherID == v.SetterID || v.LongPast() {
			continue
		}
		if err := add(v.Hatcher, shut.At, fmt.Sprintf("for %s, %s", v.Code, w.Member.ShortDay(shut.At))); err != nil {
			return nil, err
		}
	}
	for _, p := range parcels {
		var rested time.Time
		switch {
		case p.SetterID == nil:
			continue
		case p.OnTheWay() && p.ExpectedOn != nil:
			rested = w.SetMoment(*p.ExpectedOn).Add(time.Duration(w.Member.RestHours) * time.Hour)
		case p.Stored > 0 && p.ReadyAt != nil: // it has come, and waits for the machine
			rested = *p.ReadyAt
		default:
			continue
		}
		what := fmt.Sprintf("for the parcel from %s, %s", p.From.Name, w.Member.ShortDay(rested))
		if err := add(w.MachineByID[*p.SetterID], rested, what); err != nil {
			return nil, err
		}
	}
	return all, nil
}

// fillChores ask for water for three days where eggs go into lockdown: the lid stays shut so long.
func fillChores(w *snapshot.Snapshot, up upkeep.Upkeep, open []snapshot.BatchView) (all []chores.Chore) {
	for _, v := range open {
		shut, locks := v.Milestone(calendar.Lockdown)
		x := v.Hatcher
		if !locks || v.LockedAt != nil || v.Alive == 0 || v.LongPast() || !Drinks(x.Kind) {
			continue
		}
		filled := false
		for _, e := range up.Water {
			filled = filled || e.MachineID == x.ID && e.Kind == string(watering.Full) && e.At.After(shut.At.Add(-12*time.Hour))
		}
		soon := w.Member.Date(shut.At).Sub(w.Member.Date(w.Now)) <= 24*time.Hour
		for _, c := range all {
			filled = filled || c.About.ID == x.ID
		}
		if filled || !soon {
			continue
		}
		all = append(all, chores.Chore{
			About: store.Subject{Kind: journal.Machine, ID: x.ID}, Kind: chores.Water, At: shut.At, Of: x.Name,
			Title:  "Fill " + x.Name + " for three days",
			Reason: fmt.Sprintf("before the lid is shut over %s", v.Code),
			Why:    "In lockdown nobody opens it: lukewarm water to the brim in every channel that is used.",
		})
	}
	return all
}

// turnerChores ask whether turners are on again after their machines were opened.
func turnerChores(w *snapshot.Snapshot, up upkeep.Upkeep, open []snapshot.BatchView) (all []chores.Chore) {
	turn := turning(open)
	for _, x := range w.Machines {
		t := turnerOf(up, x, turn[x.ID])
		if t.Asked.IsZero() {
			continue
		}
		all = append(all, chores.Chore{
			About: store.Subject{Kind: journal.Machine, ID: x.ID}, Kind: chores.Turner, At: t.Asked, Of: x.Name,
			Title:  fmt.Sprintf("Is the turner of %s on again?", x.Name),
			Reason: "opened " + w.Member.Moment(t.Asked), Why: "Its turner stops when it is opened. Watch it move once.",
		})
	}
	return all
}
