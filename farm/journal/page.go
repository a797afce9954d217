package journal

import (
	"context"
	"time"

	"metrogon/farm"
	"metrogon/store"
	"metrogon/store/archive"
)

// Entry is one line of the journal.
type Entry = store.Entry

// Query picks lines of the journal; what is zero does not matter.
type Query struct {
	PersonID int64     // who did it; -1: the program
	About    string    // a batch, pen, parcel, machine …
	Words    string    // that the line says
	On, To   time.Time // calendar dates, both included
	Before   int64     // lines older than this one
	Standing bool      // only those that can be taken back still
}

// Page is a piece of the journal, the newest line first.
type Page struct {
	Query
	Lines  []store.CodedEntry
	Older  int64           // lines older than this one follow; 0: none
	People []archive.Named // who did something, or may have
}

const pageLines = 100

// Read reads the journal.
func Read(ctx context.Context, b *farm.Service, m *farm.Member, q Query) (page Page, err error) {
	page.Query = q
	var p farm.Problems
	q.Words = p.Name("words", "What the line says", q.Words, 100, false)
	if p != nil {
		return page, p
	}
	ask := store.JournalQuery{
		PersonID: q.PersonID, About: q.About, Words: q.Words, Before: q.Before, Standing: q.Standing,
		From: startOf(m, q.On), To: startOf(m, q.To),
	}
	if !q.To.IsZero() {
		ask.To = startOf(m, q.To.AddDate(0, 0, 1))
	}
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		page.Lines, err = tx.Journal(ctx, ask, pageLines+1)
		return err
	})
	if err != nil {
		return page, err
	}
	if len(page.Lines) > pageLines {
		page.Lines = page.Lines[:pageLines]
		page.Older = page.Lines[pageLines-1].ID
	}
	page.People, err = archive.Of(b.DB).EverOn(ctx, m.FarmID)
	return page, err
}

// startOf is the moment at which a date begins on the farm; zero for none.
func startOf(m *farm.Member, on time.Time) time.Time {
	if on.IsZero() {
		return on
	}
	return time.Date(on.Year(), on.Month(), on.Day(), 0, 0, 0, 0, m.Place)
}

// One is a line with what leans on it: what has to be taken back before it can be, the newest first.
type One struct {
	Entry
	After []Entry
}

// Find gives a line of the journal.
func Find(ctx context.Context, b *farm.Service, m *farm.Member, id int64) (one One, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		if one.Entry, err = tx.Entry(ctx, id); err != nil {
			return err
		}
		all, err := tx.Leaning(ctx, id)
		for _, e := range all {
			if e.ID != id {
				one.After = append(one.After, e)
			}
		}
		return err
	})
	return one, err
}
