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
	"metrogon/core/moisture"
	"metrogon/farm"
	"metrogon/farm/candle"
	"metrogon/farm/weigh"
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
	candle.Session
	Looks []Look
	Keys  []Key
	Cells []Cell
}

// Cell is a drawn air cell to compare with.
type Cell struct {
	LossPct float64
	page.Candled
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
}

var keys = []Key{{candling.Live, "Live", "L"}, {candling.Clear, "Clear", "C"}, {candling.Ring, "Ring", "R"},
	{candling.Quit, "Quit", "Q"}, {candling.Unsure, "Unsure", "U"},
	{candling.Unseen, "Can’t see", "S"}, {candling.Cracked, "Cracked", "K"}, {candling.Bad, "Bad", "B"}, {
		candling.Displaced, "Cell displaced", "D",
	}}

func (b bench) show(c *echo.Context, m *farm.Member) error {
	id, err := page.ID(c)
	if err != nil {
		return err
	}
	cellar, err := b.Candle.Session(c.Request().Context(), m, id)
	if err != nil {
		return err
	}
	d := data{Session: cellar, Keys: keys}
	draw := func(name string, call candling.Call, day float64) {
		d.Looks = append(d.Looks, Look{name, page.DrawCandled(cellar.Kind, call, day, cellar.HatchDay, uint64(id))})
	}
	slow, fast := candling.Ends(cellar.Day, cellar.HatchDay)
	draw("a live one today", candling.Live, cellar.Day)
	draw("live, as slow as they come", candling.Live, slow)
	draw("live, as fast", candling.Live, fast)
	draw("clear", candling.Clear, cellar.Day)
	if !cellar.Kind.IsReptile() {
		draw("ring", candling.Ring, cellar.Day)
	}
	draw("quit", candling.Quit, cellar.Day)
	if !cellar.Kind.IsReptile() {
		for _, loss := range weigh.Drawings {
			d.Cells = append(d.Cells, Cell{
				loss,
				page.DrawCandledCell(
					cellar.Kind, candling.Unseen, cellar.Day, cellar.HatchDay, uint64(id), moisture.CellAfter(loss),
				),
			})
		}
	}
	return b.Show(c, b.page, page.Shell{Nav: "/batches", Title: "Candle " + cellar.Code, Cellar: true}, m, d)
}

// What is taken at once: so many ops, of which each has about 250 bytes.
const (
	most      = 500
	mostBytes = 1 << 18
)

// take does what the bench sends and answers op by op.
func (b bench) take(c *echo.Context, m *farm.Member) error {
	id, err := page.ID(c)
	if err != nil {
		return err
	}
	// What waits on a shared phone is its own person's.
	if who := c.Request().Header.Get("X-Who"); who != "" && who != page.Who(m) {
		return c.String(http.StatusForbidden, "These calls are somebody else's.\n")
	}
	var ops []candle.Op
	body := http.MaxBytesReader(c.Response(), c.Request().Body, mostBytes)
	if err := json.NewDecoder(body).Decode(&ops); err != nil || len(ops) > most {
		return echo.NewHTTPError(http.StatusBadRequest, fmt.Sprintf("A list of up to %d calls is expected.", most))
	}
	done, err := b.Candle.Apply(c.Request().Context(), m, id, ops)
	if err != nil && len(done) == 0 {
		return err
	}
	return c.JSON(http.StatusOK, done)
}
