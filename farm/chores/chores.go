package chores

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"time"

	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
)

// Chore is one thing to do on the farm.
type Chore struct {
	About   store.Subject // a batch, place, parcel or machine
	Code    string        // of a batch
	Kind    string        // of what is to be done: candle, tilt, lockdown …
	Day     int           // of a milestone, in elapsed days
	At      time.Time     // when it is due; zero: some time today
	Times   int           // that daily work is due
	Done    int           // of these, today
	Late    int           // whole days, 0 if not
	Title   string
	Eggs    int    // how many it is done to
	Reason  string // one line: where they are, and what matters most
	Why     string // the rest
	Look    bool   // candle first, in the same opening
	Of      string // what the subject is called where several look alike; the machine to move to
	Species string // of the eggs, where they are to be set
	In      int64  // the machine in which the eggs stand
	Way     string // how it is done, where it is not as usual for such a chore
}

// Page is where what the chore is about is shown.
func (c Chore) Page() string {
	if c.About.Kind == journal.Box {
		return fmt.Sprintf("/boxes/%d", c.About.ID)
	}
	return fmt.Sprintf("/batches/%d", c.About.ID)
}

// Provider gives the chores that one room knows of, today's and those to come.
type Provider func(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot) ([]Chore, error)

// Due merges the chores of all rooms: those that are late or due today, by their
// time, those of no fixed time last; and those of the next days.
func Due(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot, rooms []Provider) (due, soon []Chore, err error) {
	today := tx.Member.Date(tx.At)
	lookAhead := farm.AgeDays(today, w.Soon())
	for _, provide := range rooms {
		all, err := provide(ctx, tx, w)
		if err != nil {
			return nil, nil, err
		}
		for _, c := range all {
			switch ahead := farm.AgeDays(today, tx.Member.Date(c.At)); {
			case c.At.IsZero():
				due = append(due, c)
			case ahead <= 0:
				c.Late = -ahead
				due = append(due, c)
			case ahead <= lookAhead:
				soon = append(soon, c)
			}
		}
	}
	slices.SortStableFunc(due, byTime)
	slices.SortStableFunc(soon, byTime)
	return due, soon, nil
}

func byTime(x, y Chore) int {
	if x.At.IsZero() || y.At.IsZero() {
		return farm.OneIf(x.At.IsZero()) - farm.OneIf(y.At.IsZero())
	}
	return cmp.Or(x.At.Compare(y.At), cmp.Compare(x.About.ID, y.About.ID))
}
