package today

import (
	"fmt"
	"strings"

	"github.com/labstack/echo/v5"

	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/today"
	"metrogon/web/page"
)

// todayData is the morning, its chores by how urgent they are.
type todayData struct {
	today.Page
	Groups []group
}

// mostKept bounds how many pages of the shed a phone keeps for where there is no signal.
const mostKept = 40

// Shed lists the pages that are wanted where the machines stand: each machine in use, where its water, air and
// notes are, the move of each batch, and where the leftovers of one that hatches are opened.
func (d todayData) Shed() string {
	var paths []string
	for _, x := range d.Running {
		if len(x.Batches) > 0 {
			paths = append(paths, fmt.Sprintf("/machines/%d", x.ID))
		}
	}
	for _, v := range d.Open {
		if v.Alive > 0 {
			paths = append(paths, fmt.Sprintf("/batches/%d/move", v.ID), fmt.Sprintf("/batches/%d", v.ID))
		}
		if v.Hatching() && !v.Kind.IsReptile() {
			paths = append(paths, fmt.Sprintf("/batches/%d/opened", v.ID))
		}
	}
	return strings.Join(paths[:min(len(paths), mostKept)], " ")
}

// todayRoutes hangs the page in.
func todayRoutes(e *echo.Echo, s *page.Site) {
	t := page.Parse[todayData](s, files, "today.html")
	e.GET("/", s.Signed(func(c *echo.Context, m *farm.Member) error {
		morning, err := s.Today.Page(c.Request().Context(), m)
		if err != nil {
			return err
		}
		return t.Render(c, page.Meta{Nav: "/", Title: "Today"}, m, todayData{morning, groups(morning.Due, morning.Now)})
	}))
	s.Post(e, "/undo", farm.Helping, func(c *echo.Context, m *farm.Member) error {
		f, err := page.ReadForm(c)
		if err != nil {
			return err
		}
		done, err := s.Undo(c.Request().Context(), f.Request(m), f.ID("entry"))
		back := page.Back(c, "/")
		if err == nil && done.Of(journal.Batch) == 0 && len(back) > 9 && back[:9] == "/batches/" {
			back = "/batches" // the batch itself was taken back
		}
		return s.Finish(c, done, err, back)
	})
}
