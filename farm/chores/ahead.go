package chores

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"time"

	"metrogon/core/calendar"
	"metrogon/farm"
	"metrogon/farm/snapshot"
)

// Daily gives the work that comes again each day, as it is on a calendar date.
type Daily func(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot, on time.Time) ([]Chore, error)

// Item is a chore of a certain day.
type Item struct {
	Chore
	On time.Time // calendar date
}

// once are what is done once to a batch, whatever day it moves to.
var once = []string{calendar.Lockdown, calendar.Pull, calendar.ClearOut}

// Key names an item, the same each time it is worked out, also when it moves.
func (i Item) Key() string {
	key := fmt.Sprintf("%s-%s-%d", i.Kind, i.About.Kind, i.About.ID)
	if !slices.Contains(once, i.Kind) {
		key += fmt.Sprintf("-%d", i.Day)
	}
	if i.At.IsZero() {
		key += i.On.Format("-2006-01-02")
	}
	return key
}

// Ahead lists what is to be done from a calendar date to another: what is late then as well, on the
// first day; and work that comes again each day. An item with a time is due once.
func Ahead(
	ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot, rooms []Provider, again []Daily, from, to time.Time,
) (all []Item, err error) {
	w.LookAhead = max(0, farm.AgeDays(tx.Member.Date(w.Now), to))
	for _, provide := range rooms {
		due, err := provide(ctx, tx, w)
		if err != nil {
			return nil, err
		}
		for _, c := range due {
			on := tx.Member.Date(c.At)
			switch {
			case c.Times > 0: // daily work, that comes below
			case c.At.IsZero():
				all = append(all, Item{c, from})
			case on.Before(from):
				all = append(all, Item{c, from})
			case !on.After(to):
				all = append(all, Item{c, on})
			}
		}
	}
	for on := from; !on.After(to); on = on.AddDate(0, 0, 1) {
		for _, provide := range again {
			due, err := provide(ctx, tx, w, on)
			if err != nil {
				return nil, err
			}
			for _, c := range due {
				all = append(all, Item{c, on})
			}
		}
	}
	slices.SortStableFunc(all, func(x, y Item) int {
		return cmp.Or(x.On.Compare(y.On), byTime(x.Chore, y.Chore))
	})
	return all, nil
}
