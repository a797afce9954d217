package page

import (
	"net/http"
	"time"

	"github.com/labstack/echo/v5"
)

// streamWithin is how long a part of a stream may take to get out.
const streamWithin = time.Minute

// Stream opens an answer of server-sent events and returns what sends a part of it at once. An error says that nobody
// is there any more.
func Stream(c *echo.Context) (send func(text string) error, err error) {
	w := c.Response()
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(http.StatusOK)
	send = func(text string) error {
		line := http.NewResponseController(w)
		if err := line.SetWriteDeadline(time.Now().Add(streamWithin)); err != nil {
			return err
		}
		if _, err := w.Write([]byte(text)); err != nil {
			return err
		}
		return line.Flush()
	}
	return send, send("retry: 1000\nevent: here\ndata: \n\n")
}
