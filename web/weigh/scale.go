package weigh

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"metrogon/farm"
	"metrogon/farm/weigh"
	"metrogon/formats/senml"
	"metrogon/web/page"
)

// sent takes what a farm's scale sends: a SenML pack with one mass, under the
// scale's key.
func (x handler) sent(c *echo.Context) error {
	pack, ok, err := page.ReadPack(c, "scale")
	if !ok {
		return err
	}
	grams, err := pack.Records[len(pack.Records)-1].Grams()
	if err != nil {
		return c.String(http.StatusBadRequest, err.Error()+"\n")
	}
	err = x.Weigh.RecordReading(c.Request().Context(), pack.Key, grams, digest(pack.Records, pack.Body))
	switch p := page.ProblemsOf(err); {
	case errors.Is(err, farm.ErrNone):
		return c.String(http.StatusUnauthorized, "No farm has a scale with this key.\n")
	case p != nil:
		return c.String(http.StatusUnprocessableEntity, p.Error()+"\n")
	case err != nil: // a scale reads no pages: it is told in a line, and may send again
		x.Log.ErrorContext(c.Request().Context(), "scale", "err", err)
		return c.String(http.StatusServiceUnavailable, "The database does not answer just now; send it again.\n")
	}
	return c.NoContent(http.StatusNoContent)
}

// digest tells a pack that is sent again: one that says when it was measured. Two
// eggs of one weight are two packs, if the scale has no clock.
func digest(pack []senml.Record, body []byte) string {
	if !pack[len(pack)-1].Timed() {
		return ""
	}
	sum := sha256.Sum256(body)
	return hex.EncodeToString(sum[:])
}

// hands begins hands-free weighing.
func (x handler) hands(c *echo.Context, m *farm.Member) error { return x.onScale(c, m, false) }

// hear looks whether the scale has sent something.
func (x handler) hear(c *echo.Context, m *farm.Member) error { return x.onScale(c, m, true) }

func (x handler) onScale(c *echo.Context, m *farm.Member, take bool) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	h := weigh.Run{OneByOne: f.Get("by") == "egg", Seen: f.ID("seen"), Next: f.Int("next", "The next one")}
	water, err := x.Weigh.Water(c.Request().Context(), m, id)
	if err != nil {
		return err
	}
	if water.Kind.IsReptile() || !water.Open() {
		return farm.ErrNone
	}
	h.RHPct, h.TempC = water.HeldPct(), water.Air().TempC
	if f.Get("rh") != "" {
		h.RHPct = f.Float("rh", "The humidity")
	}
	if f.Get("temp") != "" {
		h.TempC = page.Celsius(m, f.Float("temp", "The temperature"))
	}
	if f.Get("tare") != "" {
		h.TareG = m.Units().Grams(f.Float("tare", "The empty tray"))
	}
	h.OddG, _ = strconv.ParseFloat(f.Get("odd"), 64)
	if f.Problems != nil {
		take = false
	}
	p, err := x.Weigh.HandsFree(c.Request().Context(), m, id, h, take)
	if err != nil {
		return err
	}
	if take && !p.Heard && c.Request().Header.Get("HX-Request") != "" {
		return c.NoContent(http.StatusNoContent) // nothing new: the page stays as it is
	}
	return x.scale.Render(
		c,
		page.Meta{Nav: "/batches", Title: fmt.Sprintf("Weigh %s", p.Code), Typed: f.Values, Problems: f.Problems}, m,
		p,
	)
}

func (x handler) byWeight(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	done, err := x.Incubate.ByWeight(c.Request().Context(), f.Request(m), id)
	return x.Finish(c, done, err, fmt.Sprintf("/batches/%d/water", id))
}
