// Package notes takes what was noticed of a machine or a batch; their own pages show it.
package notes

import (
	"fmt"
	"strings"

	"github.com/labstack/echo/v5"

	"metrogon/farm"
	"metrogon/farm/notes"
	"metrogon/web/page"
)

type handler struct{ *page.Site }

// Routes hangs the forms in.
func Routes(e *echo.Echo, s *page.Site) {
	h := handler{s}
	ofMachine := func(n *notes.Note, id int64) { n.MachineID = &id }
	ofBatch := func(n *notes.Note, id int64) { n.BatchID = &id }
	s.Post(e, "/machines/:id/note", farm.Helping, h.add("/machines/%d", ofMachine))
	s.Post(e, "/batches/:id/note", farm.Helping, h.add("/batches/%d", ofBatch))
}

func (h handler) add(back string, of func(*notes.Note, int64)) page.Handler {
	return func(c *echo.Context, m *farm.Member) error {
		id, f, err := page.Posted(c)
		if err != nil {
			return err
		}
		n := notes.Note{Kind: f.Get("kind"), Says: f.Get("says"), At: f.When(m)}
		of(&n, id)
		if strings.TrimSpace(f.Get("minutes")) != "" {
			minutes := f.Int("minutes", "The minutes")
			n.Minutes = &minutes
		}
		if warm := f.MaybeFloat("temp", "The temperature"); warm != nil {
			celsius := page.Celsius(m, *warm)
			n.TempC = &celsius
		}
		there := page.Back(c, fmt.Sprintf(back, id))
		if f.Problems != nil {
			return h.Finish(c, farm.Done{}, f.Problems, there)
		}
		done, err := h.Notes.Add(c.Request().Context(), m, f.Get("key"), n)
		return h.Finish(c, done, err, there)
	}
}
