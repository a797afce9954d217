package hatch

import (
	"fmt"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"metrogon/farm"
	"metrogon/farm/hatch"
	"metrogon/web/page"
)

// lockRoutes hang the page of a lockdown in.
func (x watchHandler) lockRoutes(e *echo.Echo) {
	x.Get(e, "/batches/:id/lockdown", farm.Helping, page.Fresh(x.lock))
	x.Post(e, "/batches/:id/shut", farm.Helping, x.shut)
	x.Post(e, "/batches/:id/lockdown/:step", farm.Helping, x.tick)
}

type lockData struct {
	hatch.LockPage
	Key string
}

// Percent is how full the machine would be.
func (d lockData) Percent() int { return int(100*d.Full + .5) }

func (x watchHandler) lock(c *echo.Context, m *farm.Member, meta page.Meta) error {
	id, err := page.ID(c)
	if err != nil {
		return err
	}
	into, _ := strconv.ParseInt(c.QueryParam("hatcher"), 10, 64)
	p, err := x.Hatch.Lock(c.Request().Context(), m, id, into)
	if err != nil {
		return err
	}
	meta.Nav, meta.Title = "/batches", "Lockdown of "+p.Code
	return x.locking.Render(c, meta, m, lockData{LockPage: p})
}

// shut locks down and goes on to the watch.
func (x watchHandler) shut(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	s := hatch.Shutting{HatcherID: f.ID("hatcher"), At: f.When(m)}
	for field, values := range f.Values {
		what, of, ok := strings.Cut(field, "-")
		name, trial := strings.CutSuffix(of, "-trial")
		pen, err := strconv.ParseInt(name, 10, 64)
		if !ok || err != nil || len(values) == 0 || values[0] == "" {
			continue
		}
		switch what {
		case "basket":
			s.Baskets = append(s.Baskets, hatch.BasketName{PenID: pen, Trial: trial, Name: values[0]})
		case "pipped":
			if n := f.Int(field, "The number that have pipped"); n > 0 {
				s.Pipped = append(s.Pipped, hatch.Sign{PenID: &pen, Trial: trial, N: n})
			}
		}
	}
	return x.Save(c, f, fmt.Sprintf("/watch/%d", s.HatcherID), func() (farm.Done, error) {
		return x.Hatch.Shut(c.Request().Context(), f.Request(m), id, s)
	}, func(meta page.Meta) error { return x.lock(c, m, meta) })
}

func (x watchHandler) tick(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	done, err := x.Hatch.Tick(
		c.Request().Context(), f.Request(m), id, c.Param("step"), f.Get("is") == "yes",
	)
	return x.Finish(c, farm.Done{Said: done.Said}, err, fmt.Sprintf("/batches/%d/lockdown", id))
}
