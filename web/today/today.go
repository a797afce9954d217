// Package today is the morning's page: what is due, what is in store, what
// hatches next.
package today

import (
	"embed"

	"github.com/labstack/echo/v5"

	"metrogon/farm"
	"metrogon/farm/today"
	"metrogon/web/page"
)

//go:embed *.html
var files embed.FS

// data is the morning, its chores by how urgent they are.
type data struct {
	today.Page
	Groups []group
}

// Routes hangs the page in.
func Routes(e *echo.Echo, s *page.Site) {
	t := page.Parse(s, files, "today.html")
	e.GET("/", s.Signed(func(c *echo.Context, m *farm.Member) error {
		morning, err := s.Today.Page(c.Request().Context(), m)
		if err != nil {
			return err
		}
		return s.Render(c, t, page.Meta{Nav: "/", Title: "Today"}, m, data{morning, groups(morning.Due, morning.Now)})
	}))
	s.Post(e, "/undo", farm.Helping, func(c *echo.Context, m *farm.Member) error {
		f, err := page.ReadForm(c)
		if err != nil {
			return err
		}
		done, err := s.Undo(c.Request().Context(), m, f.Get("key"), f.ID("entry"))
		back := page.Back(c, "/")
		if err == nil && done.BatchID == 0 && len(back) > 9 && back[:9] == "/batches/" {
			back = "/batches" // the batch itself was taken back
		}
		return s.Finish(c, done, err, back)
	})
}
