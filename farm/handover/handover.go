// Package handover is the list for whoever looks after the farm for some days: what is due when, how it
// is done, where things stand, whom to call; by link, without an account.
package handover

import (
	"context"
	"fmt"
	"slices"
	"time"

	"metrogon/core/method"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/chores"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
	"metrogon/store/people"
	"metrogon/store/remind"
)

// Service holds the use cases.
type Service struct {
	*farm.Service
	Chores []chores.Provider // of the other rooms
	Daily  []chores.Daily
}

// Entry is an item of a list, with how it is done and whether it was ticked.
type Entry struct {
	chores.Item
	ItemKey string
	No, Of  int // of several times that day
	How     string
	Ticked  *time.Time
	Missed  bool // it is past, and nobody ticked it
}

// Day is one day of a list.
type Day struct {
	On      time.Time
	Entries []Entry
}

// List is a list as it stands.
type List struct {
	remind.Handover
	Farm string
	Days []Day
	Over bool // it ended, or was withdrawn
}

// Done counts what is ticked, and Missed what should have been.
func (l List) Done() (n int) { return l.count(func(e Entry) bool { return e.Ticked != nil }) }

// Missed counts what is past and was not ticked.
func (l List) Missed() int { return l.count(func(e Entry) bool { return e.Missed }) }

func (l List) count(is func(Entry) bool) (n int) {
	for _, d := range l.Days {
		for _, e := range d.Entries {
			n += farm.OneIf(is(e))
		}
	}
	return n
}

// MostDays is how many days a list may span.
const MostDays = 31

// Make makes a list, and gives the secret of its link: it is shown now and never again. Asked twice by one form it is
// made once, and the second answer has no secret.
func (b *Service) Make(
	ctx context.Context, req farm.Request, h remind.Handover,
) (link string, done farm.Done, err error) {
	made, digest := farm.NewLink()
	done, err = b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		var p farm.Problems
		h.Name = p.Name("name", "For whom it is", h.Name, 80, true)
		h.Call = p.Name("call", "Whom to call", h.Call, 200, false)
		h.Note = p.Name("note", "The note", h.Note, 1000, false)
		today := req.Date(tx.At)
		p.Date("from_on", "The first day", h.FromOn, today.AddDate(1, 0, 0))
		switch days := farm.AgeDays(h.FromOn, h.ToOn); {
		case days < 0:
			p.Addf("to_on", "The last day comes before the first.")
		case days > MostDays:
			p.Addf("to_on", "A list may span %d days.", MostDays)
		case h.ToOn.Before(today):
			p.Addf("to_on", "These days are over.")
		}
		if err := p.Err(); err != nil {
			return farm.Done{}, err
		}
		h.MadeBy, h.MadeAt = req.PersonID, tx.At
		id, err := remind.On(tx).AddHandover(ctx, h, digest)
		if err != nil {
			return farm.Done{}, err
		}
		link = made
		return journal.Record(ctx, tx, nil, journal.Undo{withdrawn.Of(id)}, "Made a list for %s, %s to %s.",
			h.Name, h.FromOn.Format("2 Jan"), h.ToOn.Format("2 Jan"))
	})
	return link, done, err
}

var withdrawn = journal.NewKind("withdraw_list", func(ctx context.Context, tx *farm.Tx, id int64) error {
	return remind.On(tx).WithdrawHandover(ctx, id, &tx.At)
})

var reopened = journal.NewKind("reopen_list", func(ctx context.Context, tx *farm.Tx, id int64) error {
	return remind.On(tx).WithdrawHandover(ctx, id, nil)
})

// Withdraw ends a list: its link shows nothing any more.
func (b *Service) Withdraw(ctx context.Context, req farm.Request, id int64) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		h, err := remind.On(tx).Handover(ctx, id)
		if err != nil {
			return farm.Done{}, err
		}
		if h.WithdrawnAt != nil {
			return farm.Done{}, farm.Problemf("list", "It was withdrawn already.")
		}
		if err := remind.On(tx).WithdrawHandover(ctx, id, &tx.At); err != nil {
			return farm.Done{}, err
		}
		return journal.Record(ctx, tx, nil, journal.Undo{reopened.Of(id)}, "Withdrew the list for %s.", h.Name)
	})
}

// Lists gives the lists of the last month and those to come.
func (b *Service) Lists(ctx context.Context, m *farm.Member) (all []List, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		rows, err := remind.On(tx).Handovers(ctx, m.Date(tx.At).AddDate(0, 0, -MostDays))
		if err != nil {
			return err
		}
		for _, h := range rows {
			l, err := b.list(ctx, tx, h)
			if err != nil {
				return err
			}
			all = append(all, l)
		}
		return nil
	})
	return all, err
}

// Linked finds the list of a link, with whoever made it; ErrNone if it was withdrawn or is long over.
func (b *Service) Linked(ctx context.Context, link string) (m *farm.Member, l List, err error) {
	to, err := remind.Of(b.DB).HandoverOf(ctx, farm.LinkDigest(link))
	if err != nil {
		return nil, l, err
	}
	by, err := people.Of(b.DB).MemberByPerson(ctx, to.MadeBy, to.FarmID, "")
	if err != nil {
		return nil, l, err
	}
	if m, err = farm.NewMember(by); err != nil {
		return nil, l, err
	}
	if m.FarmID != to.FarmID || !m.Keeper() { // whoever made it may not any more
		return nil, l, farm.ErrNone
	}
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		h, err := remind.On(tx).Handover(ctx, to.ID)
		if err != nil {
			return err
		}
		l, err = b.list(ctx, tx, h)
		return err
	})
	if err == nil && l.Over {
		err = farm.ErrNone
	}
	return m, l, err
}

// list works a list out as the farm stands: what was done meanwhile, by whomever, is gone from it, but
// for what was ticked on it.
func (b *Service) list(ctx context.Context, tx *farm.Tx, h remind.Handover) (l List, err error) {
	l = List{Handover: h, Farm: tx.Member.FarmName}
	today := tx.Member.Date(tx.At)
	l.Over = h.WithdrawnAt != nil || h.ToOn.AddDate(0, 0, 1).Before(today)
	if l.Over {
		return l, nil
	}
	w, err := snapshot.Of(ctx, tx)
	if err != nil {
		return l, err
	}
	items, err := chores.Ahead(ctx, tx, w, b.Chores, b.Daily, h.FromOn, h.ToOn)
	if err != nil {
		return l, err
	}
	ticks, err := remind.On(tx).Ticks(ctx, h.ID)
	if err != nil {
		return l, err
	}
	at := map[string]time.Time{}
	for _, t := range ticks {
		at[t.Item] = t.At
	}
	for _, i := range items {
		if i.Kind == chores.Replanned || i.Kind == chores.Unticked {
			continue
		}
		if n := len(l.Days); n == 0 || !l.Days[n-1].On.Equal(i.On) {
			l.Days = append(l.Days, Day{On: i.On})
		}
		day := &l.Days[len(l.Days)-1]
		for no := range max(1, i.Times) {
			e := Entry{Item: i, ItemKey: i.Key(), No: no + 1, Of: max(1, i.Times), How: i.How()}
			if e.Of > 1 {
				e.ItemKey += fmt.Sprintf("-%d", e.No)
			}
			if t, ok := at[e.ItemKey]; ok {
				e.Ticked = &t
			}
			e.Missed = e.Ticked == nil && (i.On.Before(today) || !i.At.IsZero() && i.At.Before(tx.At.Add(-graceful)))
			day.Entries = append(day.Entries, e)
		}
	}
	return l, nil
}

// Missed tells of lists on which something is past and was not ticked: to those who make lists.
func (b *Service) Missed(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot) (all []chores.Chore, err error) {
	if !tx.Member.Keeper() {
		return nil, nil
	}
	today := tx.Member.Date(tx.At)
	up, err := w.Upkeep(ctx, tx)
	if err != nil {
		return nil, err
	}
	for _, h := range up.Lists {
		l, err := b.list(ctx, tx, h)
		if err != nil {
			return nil, err
		}
		if n := l.Missed(); n > 0 {
			all = append(all, chores.Chore{
				Kind: chores.Unticked, About: store.Subject{Kind: journal.Season, ID: h.ID}, Day: farm.AgeDays(h.FromOn, today),
				At: w.DayBegan(), Of: h.Name, Title: fmt.Sprintf("Not ticked: %s", wording.Plural(n, "chore")),
				Reason: "on the list for " + h.Name,
			})
		}
	}
	return all, nil
}

// graceful is how long after its hour a chore counts as missed.
const graceful = 3 * time.Hour

// care is what a tick also writes down: it is the whole of the work.
var care = []string{method.Turn, method.Cool, method.Mist, snapshot.Tilt}

// Tick ticks an item of the list of a link, or opens it again. Turning, cooling, misting and tilting are
// written down on the farm with it; of other work the tick alone is kept, and whoever works on the farm
// writes down what came of it.
func (b *Service) Tick(ctx context.Context, link string, req farm.Request, item string, is bool) (farm.Done, error) {
	m, l, err := b.Linked(ctx, link)
	if err != nil {
		return farm.Done{}, err
	}
	e, ok := l.find(item)
	if !ok {
		return farm.Done{}, farm.Problemf("item", "This is not on the list any more.")
	}
	req.Member = m
	return b.Act(ctx, req, farm.Helping, func(tx *farm.Tx) (done farm.Done, err error) {
		if !is {
			return farm.Done{Said: "Open again."}, reopen(ctx, tx, l.ID, item)
		}
		done.Said = wording.Capital(e.Title) + ": done."
		t := remind.Tick{Item: item, At: tx.At}
		today := e.On.Equal(m.Date(tx.At))
		if e.Ticked == nil && today && slices.Contains(care, e.Kind) {
			c := store.Care{Kind: e.Kind}
			if e.About.Kind == journal.Place {
				c.PlaceID = &e.About.ID
			} else {
				c.BatchID = &e.About.ID
			}
			recorded, err := journal.RecordCare(ctx, tx, c, "%s %s: ticked on the list of %s.", e.Code, e.Title, l.Name)
			if err != nil {
				return done, err
			}
			t.EntryID = &recorded.Entry
		}
		return done, remind.On(tx).SetTick(ctx, l.ID, t)
	})
}

// reopen unticks an item, and takes back what was written down with it.
func reopen(ctx context.Context, tx *farm.Tx, listID int64, item string) error {
	ticks, err := remind.On(tx).Ticks(ctx, listID)
	if err != nil {
		return err
	}
	for _, t := range ticks {
		if t.Item == item && t.EntryID != nil {
			if err := journal.TakeBackIn(ctx, tx, *t.EntryID); err != nil {
				return err
			}
		}
	}
	return remind.On(tx).DropTick(ctx, listID, item)
}

func (l List) find(item string) (Entry, bool) {
	for _, d := range l.Days {
		for _, e := range d.Entries {
			if e.ItemKey == item {
				return e, true
			}
		}
	}
	return Entry{}, false
}
