package page

import (
	"net/http"
	"time"

	"github.com/labstack/echo/v5"
)

const (
	// beat is how often an idle line shows that it stands.
	beat = 25 * time.Second
	// stands is how long a line is kept, so that who was signed out is heard of no more.
	stands = 10 * time.Minute
)

// Follow answers with server-sent events: "here" once the line stands, then the event whenever something was told, with
// a pause in between. It returns once nobody is there any more, or after ten minutes.
func Follow(c *echo.Context, told <-chan struct{}, event string, pause time.Duration) error {
	w := c.Response()
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(http.StatusOK)
	if tell(w, "retry: 1000\nevent: here\ndata: \n\n") != nil {
		return nil // nobody is there any more
	}
	gone := c.Request().Context().Done()
	tick := time.NewTicker(beat)
	defer tick.Stop()
	for began := time.Now(); time.Since(began) < stands; {
		text := ": still here\n\n"
		select {
		case <-gone:
			return nil
		case <-told:
			text = "event: " + event + "\ndata: \n\n"
		case <-tick.C:
		}
		if tell(w, text) != nil {
			return nil
		}
		select {
		case <-gone:
			return nil
		case <-time.After(pause):
		}
	}
	return nil
}

// tell sends a part of an answer at once.
func tell(w http.ResponseWriter, text string) error {
	line := http.NewResponseController(w)
	if err := line.SetWriteDeadline(time.Now().Add(2 * beat)); err != nil {
		return err
	}
	if _, err := w.Write([]byte(text)); err != nil {
		return err
	}
	return line.Flush()
}
