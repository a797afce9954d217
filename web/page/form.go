package page

import (
	"errors"
	"fmt"
	"io"
	"math"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"metrogon/core/calendar"
	"metrogon/core/method"
	"metrogon/core/species"
	"metrogon/core/tray"
	"metrogon/farm"
	"metrogon/farm/snapshot"
)

// ID reads the id of a path.
func ID(c *echo.Context) (int64, error) {
	id, err := strconv.ParseInt(c.Param("id"), 10, 64)
	if err != nil || id < 1 {
		return 0, farm.ErrNone
	}
	return id, nil
}

// Form reads typed values and gathers what is wrong with them.
type Form struct {
	url.Values
	Problems farm.Problems
	req      farm.Request
}

// What a form may be: a set of 10,000 eggs picked one by one is the largest.
const (
	MaxForm   = 1 << 20 // bytes
	maxValues = 25_000
)

// ReadForm reads the form of a request.
func ReadForm(c *echo.Context) (*Form, error) {
	v, err := c.FormValues()
	if coded := echo.HTTPStatusCoder(nil); errors.As(err, &coded) {
		return nil, err // too large, say
	}
	if err != nil {
		return nil, echo.NewHTTPError(http.StatusBadRequest, "This form cannot be read.")
	}
	n := 0
	for _, values := range v {
		n += len(values)
		for i, typed := range values {
			values[i] = readable(typed)
		}
	}
	if n > maxValues {
		return nil, echo.NewHTTPError(http.StatusRequestEntityTooLarge, "This form has too many fields.")
	}
	req := farm.Request{Key: v.Get("key"), Sure: v.Get(sureField) != "" || Later(c)}
	req.MadeAt, _ = time.Parse(time.RFC3339, c.Request().Header.Get("X-Later"))
	return &Form{Values: v, req: req.Asking(asked(c.Request().URL.Path, v))}, nil
}

// Request is what the form asks for, by a member.
func (f *Form) Request(m *farm.Member) farm.Request {
	f.req.Member = m
	return f.req
}

// readable is what was typed, with a mark for what is no text: no table keeps it.
func readable(typed string) string {
	return strings.ReplaceAll(strings.ToValidUTF8(typed, "\uFFFD"), "\x00", "\uFFFD")
}

// sureField says in a form that what was asked about is so.
const sureField = "sure-it-is-so"

// asked is what a form asks for: where it was sent and all that is in it, but for
// its key.
func asked(path string, v url.Values) string {
	rest := url.Values{}
	for name, values := range v {
		if name != "key" {
			rest[name] = values
		}
	}
	return path + "?" + rest.Encode()
}

// Posted reads the id of a path, 0 if it names none, and the form of a request.
func Posted(c *echo.Context) (id int64, f *Form, err error) {
	if c.Param("id") != "" {
		if id, err = ID(c); err != nil {
			return
		}
	}
	f, err = ReadForm(c)
	return
}

// Celsius reads a temperature typed in the person's unit.
func Celsius(m *farm.Member, typed float64) float64 { return m.Units().Celsius(typed) }

func (f *Form) bad(field, format string, args ...any) {
	f.Problems = append(f.Problems, farm.Problem{Field: field, Says: fmt.Sprintf(format, args...)})
}

// Short cuts what was typed to what a sentence can hold.
func Short(s string) string {
	s = strings.ToValidUTF8(s, "?")
	if len([]rune(s)) > 30 {
		return string([]rune(s)[:30]) + "…"
	}
	return s
}

// Short200 cuts a line to what anybody would type.
func Short200(s string) string {
	s = strings.ToValidUTF8(s, "?")
	return string([]rune(s)[:min(200, len([]rune(s)))])
}

// Int reads a whole number; empty is 0.
func (f *Form) Int(field, what string) int {
	s := strings.TrimSpace(f.Get(field))
	if s == "" {
		return 0
	}
	n, err := strconv.ParseInt(s, 10, 32)
	if err != nil {
		f.bad(field, "%s is %q; it may be a whole number.", what, Short(s))
	}
	return int(n)
}

// ID reads an id that a list offered; empty or strange is 0.
func (f *Form) ID(field string) int64 {
	n, _ := strconv.ParseInt(f.Get(field), 10, 64)
	return n
}

// Float reads a number with a point or a comma.
func (f *Form) Float(field, what string) float64 {
	s := strings.TrimSpace(f.Get(field))
	n, err := strconv.ParseFloat(strings.Replace(s, ",", ".", 1), 64)
	if err != nil || math.IsNaN(n) || math.IsInf(n, 0) {
		f.bad(field, "%s is %q; it may be a number.", what, Short(s))
		return 0
	}
	return n
}

// Date reads a calendar date.
func (f *Form) Date(field, what string) time.Time {
	t, err := time.Parse("2006-01-02", f.Get(field))
	if err != nil {
		f.bad(field, "%s is %q; it may be a date like 2026-04-14.", what, Short(f.Get(field)))
	}
	return t
}

// MaybeDate reads a date that may be left empty.
func (f *Form) MaybeDate(field, what string) *time.Time {
	if strings.TrimSpace(f.Get(field)) == "" {
		return nil
	}
	t := f.Date(field, what)
	return &t
}

// Moment reads a date and hour on the farm's clock.
func (f *Form) Moment(field, what string, place *time.Location) time.Time {
	t, err := time.Parse("2006-01-02T15:04", f.Get(field))
	if err != nil {
		f.bad(field, "%s is %q; it may be a date and hour like 2026-04-14T18:30.", what, Short(f.Get(field)))
		return t
	}
	noon := time.Date(t.Year(), t.Month(), t.Day(), 12, 0, 0, 0, place)
	return calendar.WallTime{Hour: t.Hour(), Minute: t.Minute()}.On(noon, 0, place)
}

// When reads when something was done; left empty it is now, the zero time.
func (f *Form) When(m *farm.Member) time.Time {
	if strings.TrimSpace(f.Get("when")) == "" {
		return time.Time{}
	}
	return f.Moment("when", "The moment", m.Place)
}

// MaybeMass reads a mass in the person's unit that may be left empty, in g.
func (f *Form) MaybeMass(field, what string, m *farm.Member) *float64 {
	typed := f.MaybeFloat(field, what)
	if typed == nil {
		return nil
	}
	grams := m.Units().Grams(*typed)
	return &grams
}

// MaybeFloat reads a number that may be left empty.
func (f *Form) MaybeFloat(field, what string) *float64 {
	if strings.TrimSpace(f.Get(field)) == "" {
		return nil
	}
	n := f.Float(field, what)
	return &n
}

// HatchingApart reads the room of a hatcher that is named with a machine.
func (f *Form) HatchingApart() (rooms []snapshot.Room) {
	for _, k := range species.All() {
		if n := f.Int("apart-"+k.ID, "The room for hatching "+k.Name); n != 0 {
			rooms = append(rooms, snapshot.Room{Species: k.ID, Hatching: n, PerPlace: tray.PerPlace(k)})
		}
	}
	return rooms
}

// Way reads how a batch or a kind is run; what is done to the shells is told elsewhere.
func (f *Form) Way() method.Method {
	return method.Method{
		School: method.School(f.Get("school")), HandTurns: f.Int("hand_turns", "The number of turns"),
		Mistings: f.Int("mistings", "The number of mistings"), CoolMin: f.Int("cool_min", "The minutes of cooling"),
		Late: method.Late(f.Get("late_mist")),
	}
}

// maxFile is the most that a file may hold, in bytes.
const maxFile = 4 << 20

// File is the file that came, or else the lines that were typed or sent again. One that is too large is one byte too
// long.
func File(c *echo.Context, f *Form) ([]byte, error) {
	file, err := c.FormFile("file")
	if err != nil || file.Size == 0 {
		return []byte(f.Get("text")), nil
	}
	in, err := file.Open()
	if err != nil {
		return nil, err
	}
	defer in.Close()
	text, err := io.ReadAll(io.LimitReader(in, maxFile+1))
	if err != nil {
		return nil, farm.Problemf("file", "The file did not arrive whole; send it again.")
	}
	return text, nil
}
