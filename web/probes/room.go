// Package probes is how it went in a machine, hour by hour: the page with its chart, the figures behind it, where
// probes send what they measure, and what a farm wants to be woken for.
package probes

import (
	"embed"

	"github.com/labstack/echo/v5"

	"metrogon/web/page"
)

//go:embed *.html
var files embed.FS

// Routes hangs the pages in.
func Routes(e *echo.Echo, s *page.Site) {
	readingRoutes(e, s)
	alarmRoutes(e, s)
}
