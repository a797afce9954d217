package page

import (
	"encoding/gob"

	"github.com/labstack/echo/v5"
)

// Handed is a secret that was just made, a link or a key. It is shown once.
type Handed struct{ Says, Address string }

func init() { gob.Register(Handed{}) }

const handedKey = "handed"

// Hand keeps a link for the next page that shows such links; says tells what it is for.
func (s *Site) Hand(c *echo.Context, says, path string) {
	s.HandKey(c, says, s.Address(c, path))
}

// HandKey keeps a key for the next page that shows what was just made.
func (s *Site) HandKey(c *echo.Context, says, key string) {
	s.Sessions.Put(c.Request().Context(), handedKey, Handed{says, key})
}

// JustMade is the link that was just made; nil for none.
func (s *Site) JustMade(c *echo.Context) *Handed {
	if made, ok := s.Sessions.Pop(c.Request().Context(), handedKey).(Handed); ok {
		return &made
	}
	return nil
}
