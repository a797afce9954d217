package machines

import (
	"github.com/labstack/echo/v5"

	"metrogon/core/machine"
	"metrogon/farm"
	"metrogon/web/page"
)

// HenCare are the rules of a hen's card.
func (data) HenCare() []string { return machine.HenCare }

// UnderHer is how many hens' eggs a hen covers.
func (data) UnderHer() [2]int { return [2]int{machine.LeastUnderHer, machine.MostUnderHer} }

func (x handler) dummies(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	done, err := x.Machines.GiveDummies(c.Request().Context(), f.Request(m), id)
	return x.Finish(c, done, err, page.Back(c, back(id)))
}

func (x handler) swap(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	n := f.Int("n", "The number of eggs")
	return x.Save(c, f, back(id), func() (farm.Done, error) {
		return x.Machines.PlanSwap(c.Request().Context(), f.Request(m), id, f.ID("batch"), n)
	}, func(meta page.Meta) error { return x.form(c, m, meta) })
}
