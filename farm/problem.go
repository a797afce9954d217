package farm

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"github.com/jackc/pgx/v5/pgconn"

	"metrogon/core/units"
	"metrogon/store"
)

func (p *Problems) Zone(zone string) {
	if _, err := time.LoadLocation(zone); err != nil || zone == "" || zone == "Local" {
		p.Addf("zone", "%q is no time zone; it may look like Europe/Vienna.", zone)
	}
}

func (p *Problems) Role(role string) {
	if !slices.Contains(Roles, role) {
		p.Addf("role", "%q is no role; it may be %s.", role, strings.Join(Roles, ", "))
	}
}

func (p *Problems) Measure(field, what string, v *float64, least, most float64, unit string) {
	if outside(v, least, most) {
		p.Addf(field, "%s", units.Outside(what, *v, least, most, unit))
	}
}

// Temp and mass say what is wrong in the units in which it was typed.
func (p *Problems) Temp(r units.Reader, field, what string, c *float64, least, most float64) {
	if outside(c, least, most) {
		p.Addf(field, "%s", r.OutsideTemp(what, *c, least, most))
	}
}

func (p *Problems) Mass(r units.Reader, field, what string, g *float64, least, most float64) {
	if outside(g, least, most) {
		p.Addf(field, "%s", r.OutsideMass(what, *g, least, most))
	}
}

func outside(v *float64, least, most float64) bool { return v != nil && !(*v >= least && *v <= most) }

// ErrNone says that there is no such thing on this farm.
var ErrNone = store.ErrNone

// Problem is one thing wrong with what was typed: the field, and a sentence
// that says what it may be.
type Problem struct {
	Field, Says string
	Ask         bool // a doubt: once it is said that it is so, it is taken
}

// Doubtful tells problems that are doubts and nothing else.
func (p Problems) Doubtful() bool {
	return len(p) > 0 && !slices.ContainsFunc(p, func(one Problem) bool { return !one.Ask })
}

// Doubtf asks about what is hardly so, if there is somebody to ask who was not asked yet.
func (p *Problems) Doubtf(req Request, field, format string, args ...any) {
	if !req.Sure {
		*p = append(*p, Problem{field, fmt.Sprintf(format, args...), true})
	}
}

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

// Newer says that a newer program has changed the database; "" for any other error.
func Newer(err error) string {
	var newer store.NewerError
	if errors.As(err, &newer) {
		return newer.Error()
	}
	return ""
}

// Unavailable tells that the database is away, too busy or too slow just now.
func Unavailable(err error) bool { return store.Unavailable(err) }

func Problemf(field, format string, args ...any) error {
	return Problems{{Field: field, Says: fmt.Sprintf(format, args...)}}
}

func (p *Problems) Addf(field, format string, args ...any) {
	*p = append(*p, Problem{Field: field, Says: fmt.Sprintf(format, args...)})
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

// Taken turns a broken uniqueness into a sentence.
func Taken(err error, field, says string) error {
	var pg *pgconn.PgError
	if errors.As(err, &pg) && pg.Code == "23505" {
		return Problemf(field, "%s", says)
	}
	return err
}

// Leant turns a row that cannot go, since others name it, into a sentence.
func Leant(err error, field, says string) error {
	var pg *pgconn.PgError
	if errors.As(err, &pg) && pg.Code == "23503" {
		return Problemf(field, "%s", says)
	}
	return err
}

var (
	oldest = time.Date(1990, 1, 1, 0, 0, 0, 0, time.UTC)
	// MaxEggs is the most eggs that one entry may hold.
	MaxEggs = 2000
)

func (p *Problems) Date(field, what string, on, latest time.Time) {
	if on.Before(oldest) || on.After(latest) {
		p.Addf(
			field, "%s is %s; it may be from 1990 to %s.", what, on.Format("2 Jan 2006"), latest.Format("2 Jan 2006"),
		)
	}
}
