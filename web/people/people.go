package people

import (
	"fmt"

	"github.com/labstack/echo/v5"

	"metrogon/farm"
	"metrogon/web/page"
)

func (o settingHandler) invite(c *echo.Context, m *farm.Member, f *page.Form) (farm.Done, error) {
	link, err := o.People.Invite(c.Request().Context(), m, f.Get("name"), f.Get("role"))
	if err != nil {
		return farm.Done{}, err
	}
	o.Hand(c, fmt.Sprintf("The invitation of %s: hand it over now.", f.Get("name")), "/join/"+link)
	return farm.Done{Said: "The link is made."}, nil
}

func (o settingHandler) withdraw(c *echo.Context, m *farm.Member, _ *page.Form) (farm.Done, error) {
	id, err := page.ID(c)
	if err != nil {
		return farm.Done{}, err
	}
	return farm.Done{Said: "Withdrawn: the link does not hold any more."}, o.People.Withdraw(c.Request().Context(), m, id)
}

func (o settingHandler) role(c *echo.Context, m *farm.Member, f *page.Form) (farm.Done, error) {
	id, err := page.ID(c)
	if err != nil {
		return farm.Done{}, err
	}
	return o.People.ChangeRole(c.Request().Context(), m, id, f.Get("role"))
}

func (o settingHandler) passwordLink(c *echo.Context, m *farm.Member, _ *page.Form) (farm.Done, error) {
	id, err := page.ID(c)
	if err != nil {
		return farm.Done{}, err
	}
	link, name, err := o.People.PasswordLink(c.Request().Context(), m, id)
	if err != nil {
		return farm.Done{}, err
	}
	o.Hand(c, fmt.Sprintf("For %s to type a new password, within a day: hand it over now.", name), "/password/"+link)
	return farm.Done{Said: "The link is made."}, nil
}

func (o settingHandler) signOut(c *echo.Context, m *farm.Member, f *page.Form) (farm.Done, error) {
	return farm.Done{Said: "Signed out there."}, o.People.EndSignIn(c.Request().Context(), m, f.Get("device"))
}
