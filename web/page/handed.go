package page

import (
	"encoding/gob"

	"github.com/labstack/echo/v5"
)

// Handed is a secret link that was just made. It is shown once.
type Handed struct{ Says, Address string }

func init() { gob.Register(Handed{}) }

const handedKey = "handed"

// Hand keeps a link for the next page that shows such links; says tells what it is for.
func (s *Site) Hand(c *echo.Context, says, path string) {
	s.Sessions.Put(c.Request().Context(), handedKey, Handed{says, s.Address(c, path)})
}

// JustMade is the link that was just made; nil for none.
func (s *Site) JustMade(c *echo.Context) *Handed {
	if made, ok := s.Sessions.Pop(c.Request().Context(), handedKey).(Handed); ok {
		return &made
	}
	return nil
}
