package stock

import (
	"context"
	"fmt"
	"strings"
	"time"

	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/chores"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
)

// Chores are tilting, and what parcels ask for.
func Chores(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot) (all []chores.Chore, err error) {
	up, err := w.Upkeep(ctx, tx)
	if err != nil {
		return nil, err
	}
	for _, p := range w.StorePlaces(up) {
		if p.TiltDue {
			c := tilt(w, p)
			if w.Member.Tilts > 1 {
				c.Times, c.Done = w.Member.Tilts, p.Tilts
			}
			all = append(all, c)
		}
	}
	parcels, err := w.Parcels(ctx, tx, 20)
	if err != nil {
		return nil, err
	}
	for _, p := range parcels {
		switch {
		case p.OnTheWay() && p.ExpectedOn != nil:
			all = append(all, expect(w, p))
		case !p.OnTheWay() && p.Stored > 0:
			all = append(all, rest(w, p))
		}
	}
	return all, nil
}

// Daily is the work that comes again each day: gathering eggs, and tilting those in store.
func Daily(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot, _ time.Time) (all []chores.Chore, err error) {
	var pens []string
	for _, p := range w.Pens {
		if !p.Supplier && p.UntilOn == nil && p.Females > 0 && !w.IsReptiles(p) {
			pens = append(pens, p.Name)
		}
	}
	if len(pens) > 0 {
		all = append(all, chores.Chore{
			About: store.Subject{Kind: journal.Pen}, Kind: chores.Collect, Title: "Collect eggs", Times: 1,
			Reason: strings.Join(pens, ", "), Why: "Write down pen, day and how many; clean, sound ones into store.",
		})
	}
	up, err := w.Upkeep(ctx, tx)
	if err != nil {
		return nil, err
	}
	for _, p := range w.StorePlaces(up) {
		if p.ID != 0 && p.Eggs > p.Resting && w.Member.Tilts > 0 {
			c := tilt(w, p)
			c.Times, c.Reason = w.Member.Tilts, ""
			all = append(all, c)
		}
	}
	return all, nil
}

func tilt(w *snapshot.Snapshot, p snapshot.PlaceView) chores.Chore {
	c := chores.Chore{About: store.Subject{Kind: journal.Place, ID: p.ID}, Kind: snapshot.Tilt, Of: p.Name}
	c.Title = fmt.Sprintf("Tilt %s in %s", wording.Plural(p.Eggs, "egg"), p.Name)
	c.Reason, c.Why = "not tilted yet", "To the other side, through about 90°."
	if p.TiltedAt != nil {
		c.Reason = "last " + w.Member.Moment(*p.TiltedAt)
	}
	return c
}

// expect is a parcel on the day on which it should come, with what whoever opens it has to do.
func expect(w *snapshot.Snapshot, p snapshot.ParcelView) chores.Chore {
	at := w.Member.Hour.On(time.Date(
		p.ExpectedOn.Year(), p.ExpectedOn.Month(), p.ExpectedOn.Day(), 12, 0, 0, 0, w.Member.Place), 0, w.Member.Place)
	until := at.Add(time.Duration(w.Member.RestHours) * time.Hour)
	c := chores.Chore{
		About: store.Subject{Kind: journal.Parcel, ID: p.ID}, Kind: chores.Parcel, Of: p.From.Name, At: at,
		Species: p.From.Species, Title: fmt.Sprintf("A parcel of %s from %s", wording.Plural(p.Ordered, "egg"), p.From.Name),
		Reason: "expected today",
		Why: fmt.Sprintf("Unpack at once, blunt end up in a tray, at room temperature; neither turned nor tilted, not in "+
			"the cold. If it comes in the morning they rest until about %s. Count broken ones and write down the hour.",
			w.Member.Moment(until)),
	}
	if p.SetterID != nil {
		c.Reason += " · for " + w.MachineByID[*p.SetterID].Name
	}
	return c
}

func rest(w *snapshot.Snapshot, p snapshot.ParcelView) chores.Chore {
	c := chores.Chore{
		About: store.Subject{Kind: journal.Parcel, ID: p.ID}, Kind: chores.Rested, Of: p.From.Name, Species: p.From.Species,
	}
	c.Title = fmt.Sprintf("%s from %s", wording.Plural(p.Stored, "egg"), p.From.Name)
	c.Reason = "Rested, ready to set"
	if p.Resting {
		c.Kind = chores.Rest
		c.Reason = "Rest until " + w.Member.Moment(*p.ReadyAt)
		c.Why = "Pointed end down, at room temperature, neither turned nor tilted."
	}
	return c
}
