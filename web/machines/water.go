package machines

import (
	"fmt"

	"github.com/labstack/echo/v5"

	"metrogon/core/watering"
	"metrogon/farm"
	"metrogon/farm/machines"
	"metrogon/web/page"
	"metrogon/web/say"
)

// Drinks tells whether the machine has water of its own.
func (d data) Drinks() bool { return d.One.ID != 0 && machines.Drinks(d.One.Kind) }

// WaterSays tells what is known of the water.
func (d data) WaterSays(r say.Reader) string { return d.One.Water.Says(r.Moment) }

// Lately is the newest of its water log, the newest first.
func (d data) Lately() (all []watering.Event) {
	log := d.One.Water.Log
	for i := len(log) - 1; i >= 0 && len(all) < 6; i-- {
		all = append(all, log[i])
	}
	return all
}

var watered = map[watering.Kind]string{
	watering.Full: "filled to the brim", watering.Some: "topped up", watering.Dry: "found dry",
}

// Watered tells in words what was done.
func (data) Watered(k watering.Kind) string { return watered[k] }

func (x handler) water(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	ml := f.Float("ml", "The water")
	if f.Get("ml") == "" {
		ml, f.Problems = 0, nil
	}
	if f.Problems != nil {
		return x.Finish(c, farm.Done{}, f.Problems, page.Back(c, fmt.Sprintf("/machines/%d", id)))
	}
	done, err := x.Machines.Watered(c.Request().Context(), m, f.Get("key"), id, watering.Kind(f.Get("kind")), ml)
	return x.Finish(c, done, err, page.Back(c, fmt.Sprintf("/machines/%d", id)))
}
