// Package hatch is the hatch watch, a live page for a machine in lockdown, made for a phone at night: whoever looks
// at it sees what the others tap, and what was tapped without a signal is sent later. And the page on which eggs that
// did not hatch are opened, one by one, beside drawings of what they may show.
package hatch

import (
	"embed"

	"github.com/labstack/echo/v5"

	"metrogon/web/page"
)

//go:embed *.html
var files embed.FS

// Routes hangs the pages in.
func Routes(e *echo.Echo, s *page.Site) {
	watchRoutes(e, s)
	breakoutRoutes(e, s)
}
