package page

import (
	"net/http"
	"sync"
	"time"

	"github.com/labstack/echo/v5"

	"metrogon/farm"
)

const (
	// beat is how often an idle line shows that it stands.
	beat = 25 * time.Second
	// stands is how long a line is kept, so that who was signed out is heard of no more.
	stands = 10 * time.Minute
)

// mostLines is how many lines one person has at most, over all devices.
const mostLines = 20

// lines counts those that stand, by person.
type lines struct {
	mu sync.Mutex
	by map[int64]int
}

func (l *lines) begin(personID int64) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.by == nil {
		l.by = map[int64]int{}
	}
	if l.by[personID] >= mostLines {
		return false
	}
	l.by[personID]++
	return true
}

func (l *lines) end(personID int64) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.by[personID]--; l.by[personID] == 0 {
		delete(l.by, personID)
	}
}

// Follow answers with server-sent events: "here" once the line stands, then the event whenever something was told, with
// a pause in between. It returns once nobody is there any more, the server stops, or after ten minutes.
func (s *Site) Follow(c *echo.Context, m *farm.Member, told <-chan struct{}, event string, pause time.Duration) error {
	if !s.lines.begin(m.PersonID) {
		return c.NoContent(http.StatusNoContent) // which a browser does not ask for again
	}
	defer s.lines.end(m.PersonID)
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
		case <-s.Closing:
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
		case <-s.Closing:
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
