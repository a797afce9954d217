// Package incubate shows the batches: picking eggs for a machine, the list, one batch with its ribbon and its eggs,
// the trays with every egg in its place, eggs taken over part-incubated, and the batch's card to be printed.
package incubate

import (
	"embed"

	"github.com/labstack/echo/v5"

	"metrogon/web/page"
)

//go:embed *.html
var files embed.FS

// Routes hangs the pages in.
func Routes(e *echo.Echo, s *page.Site) {
	batchRoutes(e, s)
	setRoutes(e, s)
	trayRoutes(e, s)
	nestRoutes(e, s)
	cardRoutes(e, s)
}
