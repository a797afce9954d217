// Package remind brings chores to where people are: their calendar, their mail, their phone.
package remind

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/chores"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store/people"
	rows "metrogon/store/remind"
)

// Service holds the use cases.
type Service struct {
	*farm.Service
	Chores []chores.Provider // of the other rooms
}

// Feed is a person's own calendar of a farm.
type Feed = rows.Feed

// What a calendar holds.
const (
	All     = "all"
	Mine    = "mine" // batches that the person set
	Machine = "machine"
)

// MakeFeed gives the member a calendar of the farm under a new secret address, or changes what the one
// that is there holds: then link is "".
func (b *Service) MakeFeed(
	ctx context.Context, req farm.Request, f Feed, fresh bool,
) (link string, done farm.Done, err error) {
	made, sum := "", []byte(nil)
	if fresh {
		made, sum = farm.NewLink()
	}
	done, err = b.Act(ctx, req, farm.Reading, func(tx *farm.Tx) (farm.Done, error) {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return farm.Done{}, err
		}
		var p farm.Problems
		if !slices.Contains([]string{All, Mine, Machine}, f.Scope) {
			p.Addf("scope", "Pick what the calendar holds.")
		}
		if f.Scope != Machine {
			f.MachineID = nil
		} else if f.MachineID == nil || w.MachineByID[*f.MachineID].ID == 0 {
			p.Addf("machine", "Pick the machine.")
		}
		p.Count("alarm", "The alarm in minutes before", f.AlarmMin, -1, 7*24*60)
		if _, err := rows.On(tx).Feed(ctx, req.PersonID); errors.Is(err, farm.ErrNone) && !fresh {
			p.Addf("scope", "There is no calendar yet.")
		} else if err != nil && !errors.Is(err, farm.ErrNone) {
			return farm.Done{}, err
		}
		if err := p.Err(); err != nil {
			return farm.Done{}, err
		}
		f.PersonID, f.MadeAt = req.PersonID, tx.At
		link = made
		return farm.Done{Said: "Your calendar is kept."}, rows.On(tx).SaveFeed(ctx, f, sum)
	})
	return link, done, err
}

// DropFeed ends the member's calendar: its address shows nothing any more.
func (b *Service) DropFeed(ctx context.Context, req farm.Request) (farm.Done, error) {
	return b.Act(ctx, req, farm.Reading, func(tx *farm.Tx) (farm.Done, error) {
		return farm.Done{Said: "The calendar’s address holds no more."}, rows.On(tx).DropFeed(ctx, req.PersonID)
	})
}

// FeedOf gives the member's calendar, nil if there is none.
func (b *Service) FeedOf(ctx context.Context, m *farm.Member) (feed *Feed, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		f, err := rows.On(tx).Feed(ctx, m.PersonID)
		if errors.Is(err, farm.ErrNone) {
			return nil
		}
		feed = &f
		return err
	})
	return feed, err
}

// Linked finds whose calendar an address is.
func (b *Service) Linked(ctx context.Context, link string) (*farm.Member, error) {
	of, err := rows.Of(b.DB).FeedOf(ctx, farm.LinkDigest(link))
	if err != nil {
		return nil, err
	}
	by, err := people.Of(b.DB).MemberByPerson(ctx, of.PersonID, of.FarmID, "")
	if err != nil {
		return nil, err
	}
	if by.FarmID != of.FarmID { // not on the farm any more
		return nil, farm.ErrNone
	}
	return farm.NewMember(by)
}

// Event is a chore in a calendar.
type Event struct {
	UID           string
	Summary, Says string
	Where         string
	Path          string    // of the page
	At            time.Time // zero: some time on that date
	On            time.Time
}

// Calendar is what a person's calendar holds.
type Calendar struct {
	Feed
	Farm    string
	Events  []Event
	Version int // grows with each change of the farm
	Changed time.Time
}

// calendarDays is how far ahead a calendar goes.
const calendarDays = 60

// Calendar lists the chores of the next weeks for a calendar. Work that comes again each day is not in
// it. feed is nil for the member's own, else what a file shall hold.
func (b *Service) Calendar(ctx context.Context, m *farm.Member, feed *Feed) (c Calendar, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		if feed != nil {
			c.Feed = *feed
		} else if c.Feed, err = rows.On(tx).Feed(ctx, m.PersonID); err != nil {
			return err
		}
		last, err := rows.On(tx).LastChange(ctx)
		if err != nil && !errors.Is(err, farm.ErrNone) {
			return err
		}
		c.Farm, c.Version, c.Changed = m.FarmName, int(last.ID), last.At
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return err
		}
		today := m.Date(tx.At)
		items, err := chores.Ahead(ctx, tx, w, b.Chores, nil, today, today.AddDate(0, 0, calendarDays))
		if err != nil {
			return err
		}
		holds, err := filter(ctx, tx, w, c.Feed)
		if err != nil {
			return err
		}
		for _, i := range items {
			if i.Kind != snapshot.Tilt && holds(i) {
				c.Events = append(c.Events, event(m, i))
			}
		}
		return nil
	})
	return c, err
}

func event(m *farm.Member, i chores.Item) Event {
	e := Event{
		UID: fmt.Sprintf("%s.%d@metrogon", i.Key(), m.FarmID), Summary: i.Title, Where: i.Reason, At: i.At, On: i.On,
	}
	if i.Code != "" {
		e.Summary = i.Code + ": " + i.Title
	}
	e.Says = wording.Marked(i.Why, func(what string) string { return what })
	switch i.About.Kind {
	case journal.Batch:
		e.Path = fmt.Sprintf("/batches/%d", i.About.ID)
	default:
		e.Path = "/"
	}
	return e
}

// filter tells which chores a calendar holds.
func filter(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot, f Feed) (func(chores.Item) bool, error) {
	switch f.Scope {
	case Mine:
		own, err := rows.On(tx).SetBy(ctx, tx.Member.PersonID)
		return func(i chores.Item) bool {
			return i.About.Kind == journal.Batch && slices.Contains(own, i.About.ID)
		}, err
	case Machine:
		return func(i chores.Item) bool {
			switch i.About.Kind {
			case journal.Machine:
				return i.About.ID == *f.MachineID
			case journal.Batch:
				return slices.ContainsFunc(w.OpenRead(), func(v snapshot.BatchView) bool {
					return v.ID == i.About.ID && (v.SetterID == *f.MachineID || v.HatcherID == *f.MachineID)
				})
			}
			return false
		}, nil
	}
	return func(chores.Item) bool { return true }, nil
}
