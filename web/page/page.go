// Package page is what all pages share: the layout and its parts, who is
// signed in, forms that come back as they were typed, and how figures read in
// the units that a person picked.
package page

import (
	"bytes"
	"embed"
	"encoding/gob"
	"errors"
	"fmt"
	"html/template"
	"io/fs"
	"log/slog"
	"maps"
	"math"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/alexedwards/scs/v2"
	"github.com/labstack/echo/v5"

	"metrogon/core/calendar"
	"metrogon/core/species"
	"metrogon/core/units"
	"metrogon/farm"
	"metrogon/farm/services"
	"metrogon/web/assets"
)

//go:embed *.html
var shared embed.FS

// Site is what every page has at hand.
type Site struct {
	*services.Services
	Sessions *scs.SessionManager
	Assets   *assets.Shelf
	Log      *slog.Logger
	Secure   bool // cookies over HTTPS only
}

// Session keys.
const (
	personKey = "person"
	epochKey  = "epoch"
	flashKey  = "flash"
)

// Flash is what the last action said; Entry is its line in the journal if it
// can be taken back.
type Flash struct {
	Said  string
	Entry int64
	Bad   bool
}

func init() { gob.Register(Flash{}) }

// Template is one page's templates over the shared layout.
type Template struct{ *template.Template }

// Parse reads a page's templates; they see the shared layout and parts, and functions
// of the page's own.
func Parse(site *Site, files fs.FS, own ...template.FuncMap) Template {
	funcs := template.FuncMap{
		"asset": site.Assets.URL, "icon": site.Assets.Icon, "kinds": species.All, "dict": dict, "list": func(v ...any) []any { return v },
		"pct": func(f float64) string {
			return strconv.Itoa(int(math.Round(100 * f)))
		}, "key": farm.NewKey, "lower": strings.ToLower, "capital": func(s any) string {
			t := fmt.Sprint(s)
			return strings.ToUpper(t[:1]) + t[1:]
		},
		"plural": func(n int, one string) string {
			if n == 1 {
				return "1 " + one
			}
			return fmt.Sprintf("%d %ss", n, one)
		},
		"blank": func(n int) string { // none is left empty, to be typed into
			if n == 0 {
				return ""
			}
			return strconv.Itoa(n)
		},
		"plot": plot, "ribbon": Draw, "stock": DrawStock, "inc": func(n int) int { return n + 1 }, "num": Number, "f1": func(f float64) string { return strconv.FormatFloat(f, 'f', 1, 64) },
		"kind": func(id string) *species.Profile { k, _ := species.Find(id); return k },
	}
	for _, more := range own {
		maps.Copy(funcs, more)
	}
	return Template{
		template.Must(template.Must(template.New("").Funcs(funcs).ParseFS(shared, "*.html")).ParseFS(files, "*.html")),
	}
}

// Number writes a figure with at most one decimal.
func Number(f float64) string { return units.Number(f) }

func dict(pairs ...any) map[string]any {
	m := map[string]any{}
	for i := 0; i+1 < len(pairs); i += 2 {
		m[pairs[i].(string)] = pairs[i+1]
	}
	return m
}

// View is what a template gets: the shell, and the page's own data.
type View struct {
	Shell
	Data any
}

// Shell is what the layout and the parts need. Member is nil on the pages
// before the door.
type Shell struct {
	Member   *farm.Member
	Nav      string // the entry that is current
	Title    string
	Flash    *Flash
	Typed    url.Values // what was typed, when a form comes back
	Problems farm.Problems
	Now      time.Time
	Cellar   bool // dressed for the dark, without the side of pages
}

// Entry is a line of the navigation.
type Entry struct{ Path, Name, Key, Icon string }

// Entries lists the pages; each has its number as a shortcut.
func (Shell) Entries() []Entry {
	return []Entry{
		{"/", "Today", "1", "today"}, {"/eggs", "Eggs", "2", "eggs"}, {"/set", "Set", "3", "set"}, {
			"/batches", "Batches", "4", "batches",
		},
		{"/board", "Board", "5", ""}, {"/pens", "Pens", "6", ""}, {"/machines", "Machines", "7", ""}, {
			"/settings", "Settings", "8", "",
		},
	}
}

// Val gives what was typed into a field, or its usual value.
func (s Shell) Val(name string, usual any) string {
	if s.Typed != nil {
		if v, ok := s.Typed[name]; ok {
			return v[0]
		}
		return ""
	}
	return fmt.Sprint(usual)
}

// On tells whether a box was ticked, or is usually.
func (s Shell) On(name string, usual bool) bool {
	if s.Typed != nil {
		return s.Typed.Get(name) != ""
	}
	return usual
}

// Problem gives what is wrong with a field.
func (s Shell) Problem(field string) string {
	for _, p := range s.Problems {
		if p.Field == field {
			return p.Says
		}
	}
	return ""
}

// Who is the person on this farm, for what a device keeps for them alone.
func (s Shell) Who() string { return Who(s.Member) }

// Who names a person on a farm.
func Who(m *farm.Member) string { return fmt.Sprintf("%d-%d", m.FarmID, m.PersonID) }

// Clock writes the hour as the person reads it.
func (s Shell) Clock(t time.Time) string {
	if s.Member.Clock == 12 {
		return t.In(s.Member.Place).Format("3:04 pm")
	}
	return t.In(s.Member.Place).Format("15:04")
}

// Day writes the date of a moment on the farm.
func (s Shell) Day(t time.Time) string { return s.Member.ShortDay(t) }

// Moment writes day and hour.
func (s Shell) Moment(t time.Time) string { return s.Day(t) + ", " + s.Clock(t) }

// Span writes when a milestone falls: a chore to the minute, the usual span of
// an event by its days.
func (s Shell) Span(m calendar.Milestone) string {
	switch {
	case m.From.Equal(m.To):
		return s.Moment(m.At)
	case s.Day(m.From) == s.Day(m.To):
		return s.Day(m.From)
	}
	return s.Day(m.From) + " – " + s.Day(m.To)
}

// Date writes a calendar date.
func (Shell) Date(t time.Time) string { return t.Format("Mon 2 Jan") }

// ISO writes a calendar date for a form.
func (Shell) ISO(t time.Time) string { return t.Format("2006-01-02") }

// LocalISO writes a moment for a form, on the farm's clock.
func (s Shell) LocalISO(t time.Time) string { return t.In(s.Member.Place).Format("2006-01-02T15:04") }

// Temp writes a temperature in the person's unit.
func (s Shell) Temp(c float64) string { return s.Member.Units().Temp(c) }

// Degrees gives a temperature as a bare number in the person's unit.
func (s Shell) Degrees(c float64) string { return s.Member.Units().Degrees(c) }

// Mass writes a mass in the person's unit.
func (s Shell) Mass(g float64) string { return s.Member.Units().Mass(g) }

// Weight gives a mass as a bare number in the person's unit.
func (s Shell) Weight(g float64) string { return s.Member.Units().Weight(g) }

// MassUnit is g or oz.
func (s Shell) MassUnit() string { return s.Member.Units().MassUnit() }

// Position says on which day of how many eggs stand, counted the person's way.
func (s Shell) Position(days, hatchDay float64) string {
	return s.Member.Counting().Position(days, hatchDay)
}

// Count numbers elapsed days the person's way.
func (s Shell) Count(days float64) int { return s.Member.Counting().Count(days) }

// Celsius reads a temperature typed in the person's unit.
func Celsius(m *farm.Member, typed float64) float64 { return m.Units().Celsius(typed) }

// Handler is a page or action of a signed-in member.
type Handler func(c *echo.Context, m *farm.Member) error

// Signed lets members pass and sends everybody else to the door.
func (s *Site) Signed(h Handler) echo.HandlerFunc {
	return func(c *echo.Context) error {
		ctx := c.Request().Context()
		id := s.Sessions.GetInt64(ctx, personKey)
		if id == 0 {
			return c.Redirect(http.StatusSeeOther, "/sign-in")
		}
		m, err := s.People.Member(ctx, id)
		if err != nil && !errors.Is(err, farm.ErrNone) {
			return err
		}
		// no longer on the farm, or signed out everywhere
		if err != nil || m.Epoch != s.Sessions.GetInt(ctx, epochKey) {
			if err := s.Sessions.Destroy(ctx); err != nil {
				return err
			}
			return c.Redirect(http.StatusSeeOther, "/sign-in")
		}
		return h(c, m)
	}
}

// SignIn makes this session a person's, under a new token. It holds as long as the
// person's epoch is the same.
func (s *Site) SignIn(c *echo.Context, personID int64, epoch int) error {
	ctx := c.Request().Context()
	if err := s.Sessions.RenewToken(ctx); err != nil {
		return err
	}
	s.Sessions.Put(ctx, personKey, personID)
	s.Sessions.Put(ctx, epochKey, epoch)
	return nil
}

// Show renders a page. If a form came back with problems, they and what was
// typed are in shell.
func (s *Site) Show(c *echo.Context, t Template, shell Shell, m *farm.Member, data any) error {
	shell.Member, shell.Now = m, s.Now()
	if m != nil {
		if f, ok := s.Sessions.Pop(c.Request().Context(), flashKey).(Flash); ok {
			shell.Flash = &f
		}
	}
	var b bytes.Buffer
	if err := t.ExecuteTemplate(&b, "layout", View{shell, data}); err != nil {
		return err
	}
	status := http.StatusOK
	if len(shell.Problems) > 0 && c.Request().Method == http.MethodPost {
		status = http.StatusUnprocessableEntity
		c.Response().Header().Set("HX-Push-Url", "false")
	}
	return c.HTMLBlob(status, b.Bytes())
}

// Say keeps what an action did for the next page, and goes there.
func (s *Site) Say(c *echo.Context, done farm.Done, next string) error {
	s.Sessions.Put(c.Request().Context(), flashKey, Flash{Said: done.Said, Entry: done.Entry})
	return c.Redirect(http.StatusSeeOther, next)
}

// Tell ends a one-tap action: what it did, or why it could not be, is told on
// the page that the tap came from.
func (s *Site) Tell(c *echo.Context, done farm.Done, err error, next string) error {
	if p := ProblemsOf(err); p != nil {
		s.Sessions.Put(c.Request().Context(), flashKey, Flash{Said: p.Error(), Bad: true})
		return c.Redirect(http.StatusSeeOther, next)
	}
	if err != nil {
		return err
	}
	return s.Say(c, done, next)
}

// Back gives the page of this site that a form names as its own, or other.
func Back(c *echo.Context, other string) string {
	back := c.FormValue("back")
	if u, err := url.Parse(back); err == nil && strings.HasPrefix(back, "/") && !strings.HasPrefix(back, "//") &&
		!strings.Contains(back, `\`) && u.Host == "" {
		return back
	}
	return other
}

// ProblemsOf finds what is wrong with what was typed; nil if that is not what
// went wrong.
func ProblemsOf(err error) farm.Problems {
	p, _ := farm.AsProblems(err)
	return p
}

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
	}
	if n > maxValues {
		return nil, echo.NewHTTPError(http.StatusRequestEntityTooLarge, "This form has too many fields.")
	}
	c.SetRequest(c.Request().WithContext(farm.Asked(c.Request().Context(), asked(c.Request().URL.Path, v))))
	return &Form{Values: v}, nil
}

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

// Keep saves what a form says and goes on to next; what is wrong comes back in
// the form, as it was typed.
func (s *Site) Keep(
	c *echo.Context, f *Form, next string, save func() (farm.Done, error), again func(Shell) error,
) error {
	problems := f.Problems
	if problems == nil {
		done, err := save()
		if err == nil {
			return s.Say(c, done, next)
		}
		if problems = ProblemsOf(err); problems == nil {
			return err
		}
	}
	return again(Shell{Typed: f.Values, Problems: problems})
}

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
