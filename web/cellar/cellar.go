// Package cellar is the candling bench for a dark cellar: egg after egg, one tap
// a call, and whatever was called without a signal is sent later.
package cellar

import (
	"embed"
	"encoding/json"
	"fmt"
	"net/http"

	"github.com/labstack/echo/v5"

	"metrogon/core/candling"
	"metrogon/farm"
	"metrogon/web/page"
)

//go:embed *.html
var files embed.FS

type bench struct {
	*page.Site
	page page.Template
}

// Routes hangs the page and its actions in.
func Routes(e *echo.Echo, s *page.Site) {
	b := bench{s, page.Parse(s, files)}
	e.GET("/batches/:id/candle", s.Signed(b.show))
	e.POST("/batches/:id/calls", s.Signed(b.take))
}

type data struct {
	farm.Cellar
	Looks []Look
	Keys  []Key
}

// Look is what an egg of today may show.
type Look struct {
	Name string
	page.Candled
}

// Key is a call with the key that makes it.
type Key struct {
	Call      candling.Call
	Name, Key string
	Out       bool
}

var keys = []Key{{candling.Live, "Live", "L", false}, {candling.Clear, "Clear", "C", true}, {candling.Ring, "Ring", "R", true}, {candling.Quit, "Quit", "Q", true}, {candling.Unsure, "Unsure", "U", false},
	{candling.Unseen, "Can’t see", "S", false}, {candling.Cracked, "Cracked", "K", false}, {candling.Bad, "Bad", "B", true}, {candling.Displaced, "Cell displaced", "D", false}}

func (b bench) show(c *echo.Context, m *farm.Member) error {
	id, err := page.ID(c)
	if err != nil {
		return err
	}
	cellar, err := b.Books.Cellar(c.Request().Context(), m, id)
	if err != nil {
		return err
	}
	d := data{Cellar: cellar, Keys: keys}
	for _, call := range []candling.Call{candling.Live, candling.Clear, candling.Ring, candling.Quit} {
		if cellar.Kind.IsReptile() && call == candling.Ring {
			continue
		}
		d.Looks = append(d.Looks, Look{string(call), page.DrawCandled(cellar.Kind, call, cellar.Day, cellar.HatchDay, uint64(id))})
	}
	return b.Show(c, b.page, page.Shell{Nav: "/batches", Title: "Candle " + cellar.Code, Cellar: true}, m, d)
}

// most ops that are taken at once.
const most = 500

// take does what the bench sends and answers op by op.
func (b bench) take(c *echo.Context, m *farm.Member) error {
	id, err := page.ID(c)
	if err != nil {
		return err
	}
	var ops []farm.Op
	if err := json.NewDecoder(c.Request().Body).Decode(&ops); err != nil || len(ops) > most {
		return echo.NewHTTPError(http.StatusBadRequest, fmt.Sprintf("A list of up to %d calls is expected.", most))
	}
	done, err := b.Books.Bench(c.Request().Context(), m, id, ops)
	if err != nil && len(done) == 0 {
		return err
	}
	return c.JSON(http.StatusOK, done)
}
