// Package season draws the machines over the days with what stands in them and what is planned, lists what is promised
// to whom and how well it is covered, and shows the season plan while it is made.
package season

import (
	"embed"

	"github.com/labstack/echo/v5"

	"metrogon/web/page"
)

//go:embed *.html
var files embed.FS

// Routes hangs the pages in.
func Routes(e *echo.Echo, s *page.Site) {
	boardRoutes(e, s)
	promiseRoutes(e, s)
	planRoutes(e, s)
}
