// Package people is the door (signing in and out, the first-run set-up, links) and the settings: units, hours, zone,
// and who belongs to the farm.
package people

import (
	"embed"

	"github.com/labstack/echo/v5"

	"metrogon/web/page"
)

//go:embed *.html
var files embed.FS

// Routes hangs the pages in.
func Routes(e *echo.Echo, s *page.Site) {
	accountRoutes(e, s)
	settingRoutes(e, s)
}
