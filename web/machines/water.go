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
	poured := f.MaybeFloat("poured", "The water")
	if poured == nil {
		poured = new(float64) // not measured
	}
	return x.Save(c, f, page.Back(c, fmt.Sprintf("/machines/%d", id)), func() (farm.Done, error) {
		kind := watering.Kind(f.Get("water"))
		return x.Machines.Watered(c.Request().Context(), f.Request(m), id, kind, *poured)
	}, func(meta page.Meta) error { return x.form(c, m, meta) })
}

func (x handler) note(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	n := f.ReadNote(m)
	n.MachineID = &id
	return x.Save(c, f, fmt.Sprintf("/machines/%d", id), func() (farm.Done, error) {
		return x.Notes.Add(c.Request().Context(), f.Request(m), n)
	}, func(meta page.Meta) error { return x.form(c, m, meta) })
}
