package settings

import (
	"encoding/gob"
	"fmt"

	"github.com/labstack/echo/v5"

	"metrogon/farm"
	"metrogon/web/page"
)

// handed is a link that was just made. It is shown once.
type handed struct{ For, Address string }

func init() { gob.Register(handed{}) }

// handedKey keeps it in the session until the next page.
const handedKey = "handed"

func (o handler) hand(c *echo.Context, what, path string) {
	o.Sessions.Put(c.Request().Context(), handedKey, handed{what, o.Address(c, path)})
}

func (o handler) justMade(c *echo.Context) *handed {
	if made, ok := o.Sessions.Pop(c.Request().Context(), handedKey).(handed); ok {
		return &made
	}
	return nil
}

func (o handler) invite(c *echo.Context, m *farm.Member, f *page.Form) (farm.Done, error) {
	link, err := o.People.Invite(c.Request().Context(), m, f.Get("name"), f.Get("role"))
	if err != nil {
		return farm.Done{}, err
	}
	o.hand(c, fmt.Sprintf("The invitation of %s.", f.Get("name")), "/join/"+link)
	return farm.Done{Said: "The link is made."}, nil
}

func (o handler) withdraw(c *echo.Context, m *farm.Member, _ *page.Form) (farm.Done, error) {
	id, err := page.ID(c)
	if err != nil {
		return farm.Done{}, err
	}
	return farm.Done{Said: "Withdrawn: the link does not hold any more."}, o.People.Withdraw(c.Request().Context(), m, id)
}

func (o handler) role(c *echo.Context, m *farm.Member, f *page.Form) (farm.Done, error) {
	id, err := page.ID(c)
	if err != nil {
		return farm.Done{}, err
	}
	return o.People.ChangeRole(c.Request().Context(), m, id, f.Get("role"))
}

func (o handler) passwordLink(c *echo.Context, m *farm.Member, _ *page.Form) (farm.Done, error) {
	id, err := page.ID(c)
	if err != nil {
		return farm.Done{}, err
	}
	link, name, err := o.People.PasswordLink(c.Request().Context(), m, id)
	if err != nil {
		return farm.Done{}, err
	}
	o.hand(c, fmt.Sprintf("For %s to type a new password, within a day.", name), "/password/"+link)
	return farm.Done{Said: "The link is made."}, nil
}

func (o handler) signOut(c *echo.Context, m *farm.Member, f *page.Form) (farm.Done, error) {
	return farm.Done{Said: "Signed out there."}, o.People.EndSignIn(c.Request().Context(), m, f.Get("device"))
}
