// Package farm is what a farm can do: one method a use case, one transaction
// each. A use case checks who may, asks core what holds, and writes the
// journal. Whatever changes something takes an idempotency key, so that a form
// sent twice does its work once.
package farm

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"github.com/google/uuid"

	"metrogon/core/calendar"
	"metrogon/core/candling"
	"metrogon/store"
)

// Clock tells the time; tests and the demo hand in a frozen one.
type Clock func() time.Time

// Books are the farms' books.
type Books struct {
	db    *store.DB
	clock Clock
}

// Open gives the books kept in a database.
func Open(db *store.DB, clock Clock) *Books { return &Books{db, clock} }

// Now is the books' own time, to the second.
func (b *Books) Now() time.Time { return b.clock().Truncate(time.Second) }

// ErrNone says that there is no such thing on this farm.
var ErrNone = store.ErrNone

// Problem is one thing wrong with what was typed: the field, and a sentence
// that says what it may be.
type Problem struct{ Field, Says string }

// Problems are all things wrong with one form.
type Problems []Problem

func (p Problems) Error() string {
	says := make([]string, len(p))
	for i, one := range p {
		says[i] = one.Says
	}
	return strings.Join(says, " ")
}

func problem(field, format string, args ...any) error {
	return Problems{{field, fmt.Sprintf(format, args...)}}
}

func (p *Problems) add(field, format string, args ...any) {
	*p = append(*p, Problem{field, fmt.Sprintf(format, args...)})
}

func (p Problems) err() error {
	if len(p) == 0 {
		return nil
	}
	return p
}

// name checks a short text: valid UTF-8, printable, up to so many characters.
func (p *Problems) name(field, what, s string, most int, needed bool) string {
	s = strings.TrimSpace(s)
	switch {
	case needed && s == "":
		p.add(field, "%s is missing.", what)
	case !utf8.ValidString(s) || strings.ContainsFunc(s, unicode.IsControl):
		p.add(field, "%s has characters that cannot be written; use plain text.", what)
		return ""
	case utf8.RuneCountInString(s) > most:
		p.add(field, "%s has %d characters; it may have %d.", what, utf8.RuneCountInString(s), most)
	}
	return s
}

func (p *Problems) count(field, what string, n, least, most int) {
	if n < least || n > most {
		p.add(field, "%s is %d; it may be %d to %d.", what, n, least, most)
	}
}

// Member is a person at work on a farm.
type Member struct {
	store.Member
	Place *time.Location
	Hour  calendar.WallTime // of chores
}

func member(m store.Member) (*Member, error) {
	place, err := time.LoadLocation(m.Zone)
	if err != nil {
		return nil, err
	}
	hour, err := calendar.ParseWallTime(m.ChoreAt)
	return &Member{m, place, hour}, err
}

// Owner tells whether the member may change pens, machines, people and settings.
func (m *Member) Owner() bool { return m.Role == "owner" }

// TakesOut tells whether an egg called so is taken out of the machine here.
func (m *Member) TakesOut(c candling.Call) bool { return slices.Contains(m.OutCalls, string(c)) }

// Counting is how the member numbers days.
func (m *Member) Counting() calendar.Counting { return calendar.Counting(m.CountFrom) }

// Date is the calendar date that the farm's clock shows at a moment, as
// midnight UTC, the way dates are kept.
func (m *Member) Date(at time.Time) time.Time {
	y, mo, d := at.In(m.Place).Date()
	return time.Date(y, mo, d, 0, 0, 0, 0, time.UTC)
}

// ageDays counts the nights between a lay date and a date.
func ageDays(laidOn, on time.Time) int { return int(on.Sub(laidOn).Hours() / 24) }

// read runs a use case that changes nothing.
func (b *Books) read(ctx context.Context, m *Member, work func(*store.Tx) error) error {
	return b.db.Farm(ctx, m.FarmID, work)
}

// Done says what an action did. Entry is its line in the journal if it can be
// taken back.
type Done struct {
	Said    string
	Entry   int64
	BatchID int64
}

// act runs a use case that changes something: farm by farm one after the
// other, and once for each key.
func (b *Books) act(ctx context.Context, m *Member, key string, work func(*store.Tx) (Done, error)) (done Done, err error) {
	if uuid.Validate(key) != nil {
		return done, problem("key", "This form is broken; open the page again.")
	}
	err = b.db.Farm(ctx, m.FarmID, func(tx *store.Tx) error {
		if err := tx.Queue(ctx); err != nil {
			return err
		}
		before, again, err := tx.Claim(ctx, key, b.Now())
		if err != nil {
			return err
		}
		if again {
			return json.Unmarshal([]byte(before), &done)
		}
		if done, err = work(tx); err != nil {
			return err
		}
		answer, err := json.Marshal(done)
		if err != nil {
			return err
		}
		return tx.Answer(ctx, key, string(answer))
	})
	return done, err
}

// undo is what taking an action back has to do.
type undo struct {
	Collections []int64          `json:"collections,omitempty"` // drop
	PutBack     []int64          `json:"put_back,omitempty"`    // eggs, into the store
	DropBatch   int64            `json:"drop_batch,omitempty"`
	Calls       []int64          `json:"calls,omitempty"`  // drop
	Revive      []int64          `json:"revive,omitempty"` // eggs of a batch
	Stand       *store.Batch     `json:"stand,omitempty"`  // as the batch stood
	Chore       *store.ChoreDone `json:"chore,omitempty"`
	Counter     *counterBefore   `json:"counter,omitempty"`
	Care        []int64          `json:"care,omitempty"`   // drop
	Lies        []store.Lie      `json:"lies,omitempty"`   // as eggs lay
	Parcel      *store.Parcel    `json:"parcel,omitempty"` // as it stood
	DropParcel  int64            `json:"drop_parcel,omitempty"`
	Weighing    int64            `json:"weighing,omitempty"` // drop
	Response    int64            `json:"response,omitempty"` // drop
	Opened      []int64          `json:"opened,omitempty"`   // shut again
}

type counterBefore struct {
	Machine int64
	Started *time.Time
}

// wrote puts a line into the journal and returns what was done.
func (b *Books) wrote(ctx context.Context, tx *store.Tx, m *Member, batchID int64, u *undo, format string, args ...any) (Done, error) {
	done := Done{Said: fmt.Sprintf(format, args...), BatchID: batchID}
	var back []byte
	if u != nil {
		var err error
		if back, err = json.Marshal(u); err != nil {
			return done, err
		}
	}
	id, err := tx.Write(ctx, m.PersonID, batchID, b.Now(), done.Said, back, 0)
	if u != nil {
		done.Entry = id
	}
	return done, err
}

// Undo takes the action of a journal line back, if nothing that came after it
// on the same batch still stands.
func (b *Books) Undo(ctx context.Context, m *Member, key string, entryID int64) (Done, error) {
	return b.act(ctx, m, key, func(tx *store.Tx) (Done, error) {
		e, err := tx.Entry(ctx, entryID)
		if err != nil {
			return Done{}, err
		}
		if e.Undone || e.Undo == nil {
			return Done{}, problem("entry", "This was taken back already.")
		}
		if standing, err := tx.Standing(ctx, entryID); err != nil || !standing {
			return Done{}, errors.Join(err, problem("entry", "Take back first what was done after it."))
		}
		var u undo
		if err := json.Unmarshal(e.Undo, &u); err != nil {
			return Done{}, err
		}
		done := Done{Said: "Taken back: " + e.Said}
		if e.BatchID != nil && u.DropBatch == 0 {
			done.BatchID = *e.BatchID
		}
		if err := u.apply(ctx, tx); err != nil {
			return Done{}, err
		}
		if done.BatchID != 0 {
			if err := KnowFertile(ctx, tx, done.BatchID); err != nil {
				return Done{}, err
			}
		}
		_, err = tx.Write(ctx, m.PersonID, done.BatchID, b.Now(), done.Said, nil, entryID)
		return done, err
	})
}

func (u undo) apply(ctx context.Context, tx *store.Tx) error {
	if u.Parcel != nil { // lets go of its collection, which is dropped below
		if err := tx.SaveParcel(ctx, *u.Parcel); err != nil {
			return err
		}
	}
	if len(u.Care) > 0 {
		if err := tx.DropCare(ctx, u.Care); err != nil {
			return err
		}
	}
	if len(u.Lies) > 0 {
		if err := tx.Lay(ctx, u.Lies); err != nil {
			return err
		}
	}
	if len(u.Opened) > 0 {
		if _, err := tx.Open(ctx, u.Opened, ""); err != nil {
			return err
		}
	}
	if u.Weighing != 0 {
		if err := tx.DropWeighing(ctx, u.Weighing); err != nil {
			return err
		}
	}
	if u.Response != 0 {
		if err := tx.DropResponse(ctx, u.Response); err != nil {
			return err
		}
	}
	if u.DropParcel != 0 {
		if err := tx.DropParcel(ctx, u.DropParcel); err != nil {
			return err
		}
	}
	if len(u.Collections) > 0 {
		n, err := tx.DropCollections(ctx, u.Collections)
		if err != nil {
			return err
		}
		if n < len(u.Collections) {
			return problem("entry", "Some of these eggs were set or taken out meanwhile.")
		}
	}
	if len(u.Calls) > 0 {
		if err := tx.DropCalls(ctx, u.Calls); err != nil {
			return err
		}
	}
	if len(u.PutBack) > 0 {
		if err := tx.PutBack(ctx, u.PutBack); err != nil {
			return err
		}
	}
	if len(u.Revive) > 0 {
		if _, err := tx.End(ctx, u.Revive, "", "", time.Time{}); err != nil {
			return err
		}
	}
	if u.Stand != nil {
		if err := tx.MoveBatch(ctx, *u.Stand); err != nil {
			return err
		}
	}
	if u.Chore != nil {
		if err := tx.MarkUndone(ctx, u.Chore.BatchID, u.Chore.Kind, u.Chore.Day); err != nil {
			return err
		}
	}
	if u.Counter != nil {
		if err := tx.StartCounter(ctx, u.Counter.Machine, u.Counter.Started); err != nil {
			return err
		}
	}
	if u.DropBatch != 0 {
		return tx.DropBatch(ctx, u.DropBatch)
	}
	return nil
}

// NewKey makes an idempotency key for a form.
func NewKey() string { return uuid.NewString() }
