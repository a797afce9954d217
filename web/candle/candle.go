package candle

import (
	"encoding/json"
	"fmt"
	"net/http"
	"slices"

	"github.com/labstack/echo/v5"

	"metrogon/core/candling"
	"metrogon/core/moisture"
	"metrogon/farm"
	"metrogon/farm/candle"
	"metrogon/farm/weigh"
	"metrogon/web/page"
)

type handler struct {
	*page.Site
	page page.Template[candleData]
}

// candleRoutes hangs the page and its actions in.
func candleRoutes(e *echo.Echo, s *page.Site) {
	b := handler{s, page.Parse[candleData](s, files, "candle.html")}
	s.Get(e, "/batches/:id/candle", farm.Helping, b.show)
	s.Get(e, "/batches/:id/candle/doubtful", farm.Helping, b.doubtful)
	s.Get(e, "/machines/:id/candle", farm.Helping, b.machine)
	s.Post(e, "/batches/:id/calls", farm.Helping, b.take)
}

// candleData is a sitting, with how each of its batches looks today.
type candleData struct {
	candle.Sitting
	Batches []batch
	Signs   []candling.Sign
	Calls   string // the same, for the script
}

// batch is one of the batches that are candled; by its number its eggs are told apart.
type batch struct {
	candle.Session
	N     int
	Eggs  int
	Looks []Look
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

// Of is the batch of an egg.
func (d candleData) Of(e candle.SessionEgg) batch {
	i := slices.IndexFunc(d.Batches, func(b batch) bool { return b.ID == e.BatchID })
	return d.Batches[i]
}

// Title is what is candled.
func (d candleData) Title() string {
	if d.Whole || len(d.Batches) == 0 {
		return d.Machine.Name
	}
	return d.Batches[0].Code
}

func (b handler) show(c *echo.Context, m *farm.Member) error {
	id, err := page.ID(c)
	if err != nil {
		return err
	}
	sitting, err := b.Candle.Session(c.Request().Context(), m, id)
	if err != nil {
		return err
	}
	if len(sitting.Sessions) > 0 && sitting.Sessions[0].Kind.IsReptile() {
		return page.ToClutch(c, id)
	}
	return b.sit(c, m, sitting)
}

// doubtful shows the eggs of a batch that are to be looked at again.
func (b handler) doubtful(c *echo.Context, m *farm.Member) error {
	id, err := page.ID(c)
	if err != nil {
		return err
	}
	sitting, err := b.Candle.Doubtful(c.Request().Context(), m, id)
	if err != nil {
		return err
	}
	return b.sit(c, m, sitting)
}

// machine shows all that turns in a machine, in one sitting.
func (b handler) machine(c *echo.Context, m *farm.Member) error {
	id, err := page.ID(c)
	if err != nil {
		return err
	}
	sitting, err := b.Candle.Machine(c.Request().Context(), m, id)
	if err != nil {
		return err
	}
	return b.sit(c, m, sitting)
}

func (b handler) sit(c *echo.Context, m *farm.Member, s candle.Sitting) error {
	calls, err := json.Marshal(candling.Signs)
	if err != nil {
		return err
	}
	d := candleData{Sitting: s, Signs: candling.Signs, Calls: string(calls)}
	for n, session := range s.Sessions {
		one := batch{Session: session, N: n}
		for _, e := range s.Eggs {
			one.Eggs += farm.OneIf(e.BatchID == session.ID)
		}
		one.draw()
		d.Batches = append(d.Batches, one)
	}
	return b.page.Render(c, page.Meta{Nav: "/batches", Title: "Candle " + d.Title(), Dark: true}, m, d)
}

// draw draws what an egg of the batch may show today.
func (b *batch) draw() {
	seed := uint64(b.ID)
	look := func(name string, call candling.Call, day float64) {
		b.Looks = append(b.Looks, Look{name, page.DrawCandled(b.Kind, call, day, b.HatchDay, seed)})
	}
	slow, fast := candling.Ends(b.Day, b.HatchDay)
	look("a live one today", candling.Live, b.Day)
	look("live, as slow as they come", candling.Live, slow)
	look("live, as fast", candling.Live, fast)
	look("clear", candling.Clear, b.Day)
	look("ring", candling.Ring, b.Day)
	look("quit", candling.Quit, b.Day)
	for _, loss := range weigh.Drawings {
		b.Cells = append(b.Cells, Cell{
			loss, page.DrawCandledCell(b.Kind, candling.Unseen, b.Day, b.HatchDay, seed, moisture.CellAfter(loss)),
		})
	}
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
	done, err := b.Candle.Apply(c.Request().Context(), farm.NewRequest(m), id, ops)
	if err != nil && len(done) == 0 {
		return err
	}
	return c.JSON(http.StatusOK, done)
}
