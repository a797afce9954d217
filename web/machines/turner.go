package machines

import (
	"fmt"

	"github.com/labstack/echo/v5"

	"metrogon/core/method"
	"metrogon/farm"
	"metrogon/farm/machines"
	"metrogon/farm/snapshot"
	"metrogon/farm/weigh"
	"metrogon/web/page"
)

// HasTurner tells whether the machine turns eggs by itself.
func (d data) HasTurner() bool { return d.One.ID != 0 && machines.HasTurner(d.One.Machine) }

// TurnerSays tells how it turns.
func (d data) TurnerSays() string { return machines.TurnerSays(d.One.Machine) }

// Schools of humidity.
func (data) Schools() []method.School { return method.Schools }

// Levers are what may be changed to bring the humidity elsewhere.
func (data) Levers() []string { return weigh.Levers }

// Did tells what a change did.
func (air) Did(r snapshot.Response) string { return weigh.Did(r) }

// back is the page of a machine.
func back(id int64) string { return fmt.Sprintf("/machines/%d", id) }

func (x handler) turns(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	done, err := x.Machines.Turns(c.Request().Context(), f.Request(m), id)
	return x.Finish(c, done, err, page.Back(c, back(id)))
}

func (x handler) changed(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	now := f.Float("now", "The humidity before")
	return x.Save(c, f, back(id), func() (farm.Done, error) {
		return x.Weigh.Change(c.Request().Context(), f.Request(m), id, f.Get("what"), now)
	}, func(meta page.Meta) error { return x.form(c, m, meta) })
}

func (x handler) looked(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	shows := f.Float("shows", "The humidity")
	return x.Save(c, f, back(id), func() (farm.Done, error) {
		return x.Weigh.LookedAgain(c.Request().Context(), f.Request(m), id, shows)
	}, func(meta page.Meta) error { return x.form(c, m, meta) })
}
