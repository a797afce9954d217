// Package today is the morning's page: what is due, what is in store, what hatches next; and the first steps of a
// new farm, each one short form that ticks itself off.
package today

import (
	"embed"

	"github.com/labstack/echo/v5"

	"metrogon/web/page"
)

//go:embed *.html
var files embed.FS

// Routes hangs the pages in.
func Routes(e *echo.Echo, s *page.Site) {
	todayRoutes(e, s)
	startRoutes(e, s)
}
