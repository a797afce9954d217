// Package candle is the candling bench for a dark cellar: egg after egg, one tap
// a call, and whatever was called without a signal is sent later.
package candle

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

type handler struct {
	*page.Site
	page page.Template
}

// Routes hangs the page and its actions in.
func Routes(e *echo.Echo, s *page.Site) {
	b := handler{s, page.Parse(s, files, "candle.html")}
	s.Get(e, "/batches/:id/candle", farm.Helping, b.show)
	s.Post(e, "/batches/:id/calls", farm.Helping, b.take)
}

type data struct {
	candle.Session
	Looks []Look
	Signs []candling.Sign
	Calls string // the same, for the script
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

func (b handler) show(c *echo.Context, m *farm.Member) error {
	id, err := page.ID(c)
	if err != nil {
		return err
	}
	session, err := b.Candle.Session(c.Request().Context(), m, id)
	if err != nil {
		return err
	}
	calls, err := json.Marshal(candling.Signs)
	if err != nil {
		return err
	}
	d := data{Session: session, Signs: candling.Signs, Calls: string(calls)}
	draw := func(name string, call candling.Call, day float64) {
		d.Looks = append(d.Looks, Look{name, page.DrawCandled(session.Kind, call, day, session.HatchDay, uint64(id))})
	}
	slow, fast := candling.Ends(session.Day, session.HatchDay)
	draw("a live one today", candling.Live, session.Day)
	draw("live, as slow as they come", candling.Live, slow)
	draw("live, as fast", candling.Live, fast)
	draw("clear", candling.Clear, session.Day)
	if !session.Kind.IsReptile() {
		draw("ring", candling.Ring, session.Day)
	}
	draw("quit", candling.Quit, session.Day)
	if !session.Kind.IsReptile() {
		for _, loss := range weigh.Drawings {
			d.Cells = append(d.Cells, Cell{
				loss,
				page.DrawCandledCell(
					session.Kind, candling.Unseen, session.Day, session.HatchDay, uint64(id), moisture.CellAfter(loss),
				),
			})
		}
	}
	return b.Render(c, b.page, page.Meta{Nav: "/batches", Title: "Candle " + session.Code, Dark: true}, m, d)
}

// What is taken at once: so many ops, of which each has about 250 bytes.
const (
	most      = 500
	mostBytes = 1 << 18
)

// take does what the bench sends and answers op by op.
func (b handler) take(c *echo.Context, m *farm.Member) error {
	id, err := page.ID(c)
	if err != nil {
		return err
	}
	// What waits on a shared phone is its own person's.
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
