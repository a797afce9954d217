package people

import (
	"net/http"
	"slices"

	"github.com/labstack/echo/v5"

	"metrogon/farm"
	"metrogon/farm/snapshot"
	"metrogon/web/page"
)

func (d accountHandler) showFarms(c *echo.Context, m *farm.Member) error {
	all, err := d.People.Farms(c.Request().Context(), m)
	if err != nil {
		return err
	}
	return d.farms.Render(c, page.Meta{Nav: "/settings", Title: "Your farms"}, m, all)
}

// goTo goes to work on another of the person's farms.
func (d accountHandler) goTo(c *echo.Context, m *farm.Member) error {
	id, _, err := page.Posted(c)
	if err != nil {
		return err
	}
	if _, err := d.onFarm(c, m, id); err != nil {
		return err
	}
	d.AtWork(c, id)
	return c.Redirect(http.StatusSeeOther, "/")
}

// onFarm is the member on another of their farms; ErrNone if they are not on it.
func (d accountHandler) onFarm(c *echo.Context, m *farm.Member, id int64) (snapshot.Person, error) {
	all, err := d.People.Farms(c.Request().Context(), m)
	if err != nil {
		return snapshot.Person{}, err
	}
	i := slices.IndexFunc(all, func(p snapshot.Person) bool { return p.FarmID == id })
	if i < 0 {
		return snapshot.Person{}, farm.ErrNone
	}
	return all[i], nil
}

// lookAround loads a demo farm beside the member's own, and goes there; the one that is there already,
// if there is one.
func (d accountHandler) lookAround(c *echo.Context, m *farm.Member) error {
	ctx := c.Request().Context()
	all, err := d.People.Farms(ctx, m)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(all, func(p snapshot.Person) bool { return p.Demo })
	if i >= 0 {
		d.AtWork(c, all[i].FarmID)
		return c.Redirect(http.StatusSeeOther, "/?tour=1")
	}
	id, err := d.LoadDemo(ctx, m.PersonID)
	if err != nil {
		return err
	}
	d.AtWork(c, id)
	return c.Redirect(http.StatusSeeOther, "/?tour=1")
}

// forget wipes a farm out: a demo farm by one tap, another once its name was typed.
func (d accountHandler) forget(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	at, err := d.onFarm(c, m, id)
	if err != nil {
		return err
	}
	if at.Role != farm.OwnerRole {
		return farm.ErrNone
	}
	if !at.Demo && f.Get("farm") != at.FarmName {
		return d.Finish(c, farm.Done{}, farm.Problemf(
			"farm", "To delete the farm for good, type its name: %s.", at.FarmName), "/settings#forget")
	}
	if err := d.Forget(c.Request().Context(), id); err != nil {
		return err
	}
	d.AtWork(c, 0)
	return c.Redirect(http.StatusSeeOther, "/")
}

// forgetMe takes a person off every farm, and wipes name, address and password out.
func (d accountHandler) forgetMe(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	if err := d.People.Forget(ctx, m, f.Get("email")); err != nil {
		return d.Finish(c, farm.Done{}, err, "/settings#forget")
	}
	if err := d.Sessions.Destroy(ctx); err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/sign-in")
}
