package machines

import (
	"fmt"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/watering"
	"metrogon/core/wording"
	"metrogon/farm/chores"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
	"metrogon/store/upkeep"
)

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
