// Package farm is what a farm can do: one method a use case, one transaction
// each. A use case checks who may, asks core what holds, and writes the
// journal. Whatever changes something takes an idempotency key, so that a form
// sent twice does its work once.
package farm

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"metrogon/core/calendar"
	"metrogon/core/candling"
	"metrogon/core/units"
	"metrogon/store"
)

// Clock tells the time; tests and the demo hand in a frozen one.
type Clock func() time.Time

// Service are the farms' books.
// cells keeps air cells that were read at the lamp.
type cells interface {
	ReadCell(ctx context.Context, m *Member, key string, batchID, eggID int64, lossPct float64, at time.Time) (Done, error)
}

type Service struct {
	DB      *store.DB
	clock   Clock
	hashing hashing
	chores  []Provider
	cells   cells
}

// New gives the books kept in a database.
func New(db *store.DB, clock Clock) *Service {
	s := &Service{DB: db, clock: clock, hashing: newHashing(), chores: []Provider{Chores, StockChores}}
	s.cells = s
	return s
}

// Now is the books' own time, to the second.
func (b *Service) Now() time.Time { return b.clock().Truncate(time.Second) }

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

// AsProblems tells what was typed wrong from everything else that can go wrong: an
// error is told as the user's mistake only if it is nothing but that.
func AsProblems(err error) (Problems, bool) {
	p, ok := err.(Problems)
	return p, ok
}

// Unavailable tells that the database is away, too busy or too slow just now.
func Unavailable(err error) bool { return store.Unavailable(err) }

func Problemf(field, format string, args ...any) error {
	return Problems{{field, fmt.Sprintf(format, args...)}}
}

func (p *Problems) Addf(field, format string, args ...any) {
	*p = append(*p, Problem{field, fmt.Sprintf(format, args...)})
}

func (p Problems) Err() error {
	if len(p) == 0 {
		return nil
	}
	return p
}

// Name checks a short text: valid UTF-8, printable, up to so many characters.
func (p *Problems) Name(field, what, s string, most int, needed bool) string {
	s = strings.TrimSpace(s)
	switch {
	case needed && s == "":
		p.Addf(field, "%s is missing.", what)
	case !utf8.ValidString(s) || strings.ContainsFunc(s, unicode.IsControl):
		p.Addf(field, "%s has characters that cannot be written; use plain text.", what)
		return ""
	case utf8.RuneCountInString(s) > most:
		p.Addf(field, "%s has %d characters; it may have %d.", what, utf8.RuneCountInString(s), most)
	}
	return s
}

func (p *Problems) Count(field, what string, n, least, most int) {
	if n < least || n > most {
		p.Addf(field, "%s is %d; it may be %d to %d.", what, n, least, most)
	}
}

// Member is a person at work on a farm.
type Member struct {
	store.Member
	Place *time.Location
	Hour  calendar.WallTime // of chores
}

func NewMember(m store.Member) (*Member, error) {
	place, err := time.LoadLocation(m.Zone)
	if err != nil {
		return nil, err
	}
	hour, err := calendar.ParseWallTime(m.ChoreAt)
	return &Member{m, place, hour}, err
}

// Units are how the member reads figures.
func (m *Member) Units() units.Reader {
	return units.Reader{Fahrenheit: m.Temperature == "F", Ounces: m.Mass == "oz"}
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

// AgeDays counts the nights between a lay date and a date.
func AgeDays(laidOn, on time.Time) int { return int(on.Sub(laidOn).Hours() / 24) }

// Undo takes an action back by its line in the journal.
func (b *Service) Undo(ctx context.Context, m *Member, key string, entryID int64) (Done, error) {
	return TakeBack(ctx, b, m, key, entryID)
}
