package probes

import (
	"errors"
	"net/http"

	"github.com/labstack/echo/v5"

	"metrogon/farm"
	"metrogon/farm/probes"
	"metrogon/formats/senml"
	"metrogon/web/page"
)

// sent takes what a probe sends: a SenML pack in JSON or CBOR, under the probe’s key. It answers once it is kept.
func (x readingHandler) sent(c *echo.Context) error {
	pack, ok, err := page.ReadPack(c, "probe")
	if !ok {
		return err
	}
	measured, err := senml.Measure(pack.Records, x.Now())
	if err != nil {
		return c.String(http.StatusBadRequest, err.Error()+"\n")
	}
	err = x.Probes.Take(c.Request().Context(), pack.Key, told(measured))
	switch p := page.ProblemsOf(err); {
	case err == nil:
		return c.NoContent(http.StatusNoContent)
	case errors.Is(err, farm.ErrNone):
		return c.String(http.StatusUnauthorized, "No probe has this key.\n")
	case p != nil:
		return c.String(http.StatusUnprocessableEntity, p.Error()+"\n")
	}
	// A probe reads no pages: it is told in a line, and sends again.
	x.Log.ErrorContext(c.Request().Context(), "probe", "err", err)
	c.Response().Header().Set("Retry-After", "5")
	return c.String(http.StatusServiceUnavailable, "It could not be kept just now; send it again.\n")
}

func told(all []senml.Measured) []probes.Told {
	told := make([]probes.Told, len(all))
	for i, m := range all {
		told[i] = probes.Told(m)
	}
	return told
}
