package people

import (
	"errors"
	"net/http"

	"github.com/labstack/echo/v5"

	"metrogon/farm"
	"metrogon/farm/people"
	"metrogon/web/page"
)

// invitation is what a link asks to. Signed is who is signed in on this device already.
type invitation struct {
	people.Invitation
	Link   string
	May    string // what the role may do
	Signed *farm.Member
}

func (d accountHandler) invited(c *echo.Context) error { return d.showInvitation(c, page.Meta{}) }

func (d accountHandler) showInvitation(c *echo.Context, meta page.Meta) error {
	ctx := c.Request().Context()
	in, err := d.People.Invited(ctx, c.Param("link"))
	if errors.Is(err, farm.ErrNone) {
		return d.spent(c, "This invitation was taken, withdrawn, or is too old. Ask for a new one.")
	}
	if err != nil {
		return err
	}
	signed, err := d.Signer(ctx)
	if err != nil {
		return err
	}
	meta.Title = "Come onto " + in.FarmName
	return d.join.Render(c, meta, nil, invitation{in, c.Param("link"), farm.RoleSays(in.Role), signed})
}

// spent tells that a link does not hold any more.
func (d accountHandler) spent(c *echo.Context, says string) error {
	return echo.NewHTTPError(http.StatusGone, says)
}

func (d accountHandler) accept(c *echo.Context) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	ctx, link := c.Request().Context(), c.Param("link")
	var farmID int64
	if f.Get("as") == "signed" {
		m, err := d.Signer(ctx)
		if err != nil {
			return err
		}
		if m == nil {
			return d.showInvitation(c, page.Meta{})
		}
		if farmID, err = d.People.JoinSigned(ctx, m, link); err != nil && !errors.Is(err, farm.ErrNone) {
			return err
		}
	} else {
		var personID int64
		personID, farmID, err = d.People.Join(ctx, link, f.Get("name"), f.Get("email"), f.Get("password"))
		if p := page.ProblemsOf(err); p != nil {
			f.Del("password")
			return d.showInvitation(c, page.Meta{Typed: f.Values, Problems: p})
		}
		if err != nil && !errors.Is(err, farm.ErrNone) {
			return err
		}
		if err == nil {
			if err := d.SignIn(c, personID, 0); err != nil {
				return err
			}
		}
	}
	if farmID == 0 {
		return d.showInvitation(c, page.Meta{}) // says why
	}
	d.AtWork(c, farmID)
	return c.Redirect(http.StatusSeeOther, "/")
}

// forgotten is whose password a link changes.
type forgotten struct{ Name, Link string }

func (d accountHandler) forgot(c *echo.Context) error { return d.showForgotten(c, page.Meta{}) }

func (d accountHandler) showForgotten(c *echo.Context, meta page.Meta) error {
	name, err := d.People.OfLink(c.Request().Context(), c.Param("link"))
	if errors.Is(err, farm.ErrNone) {
		return d.spent(c, "This link was used, or is too old. Ask for a new one.")
	}
	if err != nil {
		return err
	}
	meta.Title = "New password"
	return d.password.Render(c, meta, nil, forgotten{name, c.Param("link")})
}

func (d accountHandler) remember(c *echo.Context) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	id, epoch, err := d.People.NewPassword(c.Request().Context(), c.Param("link"), f.Get("password"))
	f.Del("password")
	if p := page.ProblemsOf(err); p != nil {
		return d.showForgotten(c, page.Meta{Typed: f.Values, Problems: p})
	}
	if errors.Is(err, farm.ErrNone) {
		return d.showForgotten(c, page.Meta{})
	}
	if err != nil {
		return err
	}
	if err := d.SignIn(c, id, epoch); err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/")
}
