// Package stock is the egg room: collecting, the stock by pen and age, what waiting costs, the places where eggs
// wait, eggs from suppliers, and files of collections.
package stock

import (
	"embed"

	"github.com/labstack/echo/v5"

	"metrogon/web/page"
)

//go:embed *.html
var files embed.FS

// Routes hangs the pages in.
func Routes(e *echo.Echo, s *page.Site) {
	eggRoutes(e, s)
	parcelRoutes(e, s)
	placeRoutes(e, s)
}
