// Package page is what all pages share: the layout and its parts, who is
// signed in, forms that come back as they were typed, and how figures read in
// the units that a person picked.
package page

import (
	"context"
	"errors"
	"io/fs"
	"log/slog"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/alexedwards/scs/v2"
	"github.com/labstack/echo/v5"

	"metrogon/farm"
	"metrogon/farm/books"
	"metrogon/farm/people"
	"metrogon/farm/services"
	"metrogon/web/assets"
	"metrogon/web/say"
)

// Site is what every page has at hand.
type Site struct {
	*services.Services
	Sessions *scs.SessionManager
	Assets   *assets.Server
	Log      *slog.Logger
	Secure   bool            // cookies over HTTPS only
	Closing  <-chan struct{} // closed once the server stops; nil: never
	Source   fs.FS           // web's own folder, for whoever works on its pages; nil: what was built in

	Server

	rights *http.ServeMux // what pages and actions need
	lines  lines
	views  []Sample
}

// Server is what only the program that serves can do, since it takes the owner of the tables.
type Server struct {
	// LoadDemo makes a demo farm beside a person's own.
	LoadDemo func(ctx context.Context, personID int64) (farmID int64, err error)
	// Forget wipes a farm out with all its records.
	Forget func(ctx context.Context, farmID int64) error
	// Restore puts an archive into the member's farm, which has to be empty.
	Restore func(ctx context.Context, m *farm.Member, in books.Incoming) error
	// Mail tells that there is a mail server; PushKey is this server's for messages to browsers.
	Mail    bool
	PushKey string
	// LastBackup tells of the newest backup of the server; nil where others see to that.
	LastBackup func() Backup
	// LocalBrokers tells that farms may name brokers in this server’s own network.
	LocalBrokers bool
}

// Backup is the newest of a server.
type Backup struct {
	At     time.Time // zero: none yet
	Folder string
}

// Old tells that a backup should have been written since.
func (b Backup) Old(now time.Time) bool { return now.Sub(b.At) > 48*time.Hour }

// Session keys.
const (
	personKey = "person"
	farmKey   = "farm"
	signKey   = "signed-in"
	seenKey   = "seen"
	epochKey  = "epoch"
	flashKey  = "flash"
)

// Handler is a page or action of a signed-in member.
type Handler func(c *echo.Context, m *farm.Member) error

// Signed lets members pass and sends everybody else to the door.
func (s *Site) Signed(h Handler) echo.HandlerFunc {
	return func(c *echo.Context) error {
		ctx := c.Request().Context()
		m, err := s.Signer(ctx)
		if err != nil {
			return err
		}
		if m == nil {
			return toTheDoor(c)
		}
		TrackOf(ctx).of(m)
		if who := c.Request().Header.Get("X-Who"); who != "" && who != Who(m) {
			return echo.NewHTTPError(http.StatusForbidden, "Somebody else is signed in here now.")
		}
		return h(c, m)
	}
}

// OfBirds is Signed for a page that is about birds' eggs: a farm of reptiles alone is led to its own instead.
func (s *Site) OfBirds(h Handler, instead string) echo.HandlerFunc {
	return s.Signed(func(c *echo.Context, m *farm.Member) error {
		if m.ReptilesOnly() {
			return c.Redirect(http.StatusSeeOther, instead)
		}
		return h(c, m)
	})
}

// File is Signed for what gives a file.
func (s *Site) File(h Handler) echo.HandlerFunc {
	return s.Signed(func(c *echo.Context, m *farm.Member) error {
		c.SetRequest(c.Request().WithContext(farm.ForFile(c.Request().Context())))
		return h(c, m)
	})
}

// Signer tells who is signed in; nil for a stranger, and for somebody who is on no farm any more or
// was signed out from elsewhere.
func (s *Site) Signer(ctx context.Context) (*farm.Member, error) {
	in := people.SignedIn{
		PersonID: s.Sessions.GetInt64(ctx, personKey), FarmID: s.Sessions.GetInt64(ctx, farmKey),
		ID: s.Sessions.GetString(ctx, signKey),
	}
	if in.PersonID == 0 {
		return nil, nil
	}
	m, err := s.People.Signed(ctx, in)
	if err != nil && !errors.Is(err, farm.ErrNone) {
		return nil, err
	}
	if err != nil || m.Epoch != s.Sessions.GetInt(ctx, epochKey) {
		return nil, s.Sessions.Destroy(ctx)
	}
	if seen := time.Unix(s.Sessions.GetInt64(ctx, seenKey), 0); in.ID != "" && s.Now().Sub(seen) > time.Hour {
		if err := s.People.Seen(ctx, in.ID); err != nil {
			return nil, err
		}
		s.Sessions.Put(ctx, seenKey, s.Now().Unix())
	}
	return m, nil
}

// Later tells that a form was sent once there was a signal, some time after it was made: a script hears
// what became of it.
func Later(c *echo.Context) bool { return c.Request().Header.Get("X-Later") != "" }

// toTheDoor sends a stranger to sign in, and afterwards to the page that was asked for.
func toTheDoor(c *echo.Context) error {
	to, asked := "/sign-in", c.Request().URL
	if c.Request().Method == http.MethodGet && asked.Path != "/" && c.Request().Header.Get("HX-Request") == "" {
		to += "?next=" + url.QueryEscape(asked.RequestURI())
	}
	return c.Redirect(http.StatusSeeOther, to)
}

// SignIn makes this session a person's, under a new token. It holds as long as the
// person's epoch is the same.
func (s *Site) SignIn(c *echo.Context, personID int64, epoch int) error {
	ctx := c.Request().Context()
	if err := s.Sessions.RenewToken(ctx); err != nil {
		return err
	}
	id, err := s.People.NoteSignIn(ctx, personID, c.Request().UserAgent())
	if err != nil {
		return err
	}
	s.Sessions.Put(ctx, signKey, id)
	s.Sessions.Put(ctx, seenKey, s.Now().Unix())
	s.Sessions.Put(ctx, personKey, personID)
	s.Sessions.Put(ctx, epochKey, epoch)
	return nil
}

// Fresh is a page as it is opened, before anything was typed into its form.
func Fresh(show func(*echo.Context, *farm.Member, Meta) error) Handler {
	return func(c *echo.Context, m *farm.Member) error { return show(c, m, Meta{}) }
}

// Render renders a page. If a form came back with problems, they and what was
// typed are in meta.
func (t Template[T]) Render(c *echo.Context, meta Meta, m *farm.Member, data T) error {
	return t.render(c, meta, m, data)
}

func (v views) render(c *echo.Context, meta Meta, m *farm.Member, data any) error {
	s := v.site
	if Later(c) && len(meta.Problems) > 0 {
		return c.JSON(http.StatusOK, farm.OpDone{Says: meta.Problems.Error()})
	}
	meta.Reader = say.Reader{Member: m, Now: s.Now()}
	meta.Path = c.Request().URL.Path
	meta.Tour, _ = strconv.Atoi(c.QueryParam("tour"))
	if m != nil && !meta.Quiet && c.Request().Header.Get("Metrogon-Keep") == "" { // nor for a page that is kept
		if f, ok := s.Sessions.Pop(c.Request().Context(), flashKey).(Flash); ok {
			meta.Flash = &f
		}
	}
	whole, err := v.draw(meta, data)
	if err != nil && s.Source != nil {
		return c.String(http.StatusInternalServerError, err.Error()) // whoever works on it sees where
	}
	if err != nil {
		return err
	}
	status := http.StatusOK
	if len(meta.Problems) > 0 && c.Request().Method == http.MethodPost {
		status = http.StatusUnprocessableEntity
		c.Response().Header().Set("HX-Push-Url", "false")
	}
	return c.HTMLBlob(status, whole)
}

// RedirectWith keeps what an action did for the next page, and goes there.
func (s *Site) RedirectWith(c *echo.Context, done farm.Done, next string) error {
	if Later(c) {
		return c.JSON(http.StatusOK, farm.OpDone{Done: true, Says: done.Said})
	}
	s.Sessions.Put(c.Request().Context(), flashKey, Flash{Said: done.Said, Entry: done.Entry})
	return c.Redirect(http.StatusSeeOther, next)
}

// Finish ends a one-tap action: what it did, or why it could not be, is told on
// the page that the tap came from.
func (s *Site) Finish(c *echo.Context, done farm.Done, err error, next string) error {
	if p := ProblemsOf(err); p != nil {
		if Later(c) {
			return c.JSON(http.StatusOK, farm.OpDone{Says: p.Error()})
		}
		told := Flash{Said: p.Error(), Bad: true}
		if p.Doubtful() {
			typed, err := c.FormValues()
			if err != nil {
				return err
			}
			told.Again = &Question{c.Request().URL.Path, typed}
		}
		s.Sessions.Put(c.Request().Context(), flashKey, told)
		return c.Redirect(http.StatusSeeOther, next)
	}
	if err != nil {
		return err
	}
	return s.RedirectWith(c, done, next)
}

// AtWork makes a farm the one that this session is at work on.
func (s *Site) AtWork(c *echo.Context, farmID int64) {
	s.Sessions.Put(c.Request().Context(), farmKey, farmID)
}

// SignInID is the id of the sign-in of this session.
func (s *Site) SignInID(c *echo.Context) string {
	return s.Sessions.GetString(c.Request().Context(), signKey)
}

// Address is a page of this site as it is handed to others.
func (s *Site) Address(c *echo.Context, path string) string {
	scheme := "http://"
	if s.Secure {
		scheme = "https://"
	}
	return scheme + c.Request().Host + path
}

// Back gives the page of this site that a form names as its own, or other.
func Back(c *echo.Context, other string) string {
	return Inside(c.FormValue("back"), other)
}

// Inside gives back if it is a page of this site, or other.
func Inside(back, other string) string {
	if u, err := url.Parse(back); err == nil && strings.HasPrefix(back, "/") && !strings.HasPrefix(back, "//") &&
		!strings.Contains(back, `\`) && u.Host == "" {
		return back
	}
	return other
}

// Gone tells that there is no such thing on any farm, or not any more.
func Gone(err error) bool { return errors.Is(err, farm.ErrNone) }

// ProblemsOf finds what is wrong with what was typed; nil if that is not what
// went wrong.
func ProblemsOf(err error) farm.Problems {
	p, _ := farm.AsProblems(err)
	return p
}

// Save keeps what a form says and goes on to next; what is wrong comes back in
// the form, as it was typed.
func (s *Site) Save(
	c *echo.Context, f *Form, next string, save func() (farm.Done, error), again func(Meta) error,
) error {
	problems := f.Problems
	if problems == nil {
		done, err := save()
		if err == nil {
			return s.RedirectWith(c, done, next)
		}
		if problems = ProblemsOf(err); problems == nil {
			return err
		}
	}
	return again(Meta{Typed: f.Values, Problems: problems})
}
