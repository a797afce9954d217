// Package page is what all pages share: the layout and its parts, who is
// signed in, forms that come back as they were typed, and how figures read in
// the units that a person picked.
package page

import (
	"bytes"
	"errors"
	"log/slog"
	"net/http"
	"net/url"
	"strings"

	"github.com/alexedwards/scs/v2"
	"github.com/labstack/echo/v5"

	"metrogon/farm"
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
	Secure   bool // cookies over HTTPS only
}

// Session keys.
const (
	personKey = "person"
	epochKey  = "epoch"
	flashKey  = "flash"
)

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

// Render renders a page. If a form came back with problems, they and what was
// typed are in meta.
func (s *Site) Render(c *echo.Context, t Template, meta Meta, m *farm.Member, data any) error {
	meta.Reader, meta.Now = say.Reader{Member: m}, s.Now()
	if m != nil && !meta.Quiet {
		if f, ok := s.Sessions.Pop(c.Request().Context(), flashKey).(Flash); ok {
			meta.Flash = &f
		}
	}
	var b bytes.Buffer
	if err := t.ExecuteTemplate(&b, "layout", View{meta, data}); err != nil {
		return err
	}
	status := http.StatusOK
	if len(meta.Problems) > 0 && c.Request().Method == http.MethodPost {
		status = http.StatusUnprocessableEntity
		c.Response().Header().Set("HX-Push-Url", "false")
	}
	return c.HTMLBlob(status, b.Bytes())
}

// RedirectWith keeps what an action did for the next page, and goes there.
func (s *Site) RedirectWith(c *echo.Context, done farm.Done, next string) error {
	s.Sessions.Put(c.Request().Context(), flashKey, Flash{Said: done.Said, Entry: done.Entry})
	return c.Redirect(http.StatusSeeOther, next)
}

// Finish ends a one-tap action: what it did, or why it could not be, is told on
// the page that the tap came from.
func (s *Site) Finish(c *echo.Context, done farm.Done, err error, next string) error {
	if p := ProblemsOf(err); p != nil {
		s.Sessions.Put(c.Request().Context(), flashKey, Flash{Said: p.Error(), Bad: true})
		return c.Redirect(http.StatusSeeOther, next)
	}
	if err != nil {
		return err
	}
	return s.RedirectWith(c, done, next)
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
