package page

import (
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"regexp"

	"github.com/labstack/echo/v5"

	"metrogon/farm"
)

// Post hangs in an action that needs a right.
func (s *Site) Post(e *echo.Echo, path string, needs farm.Right, h Handler) {
	s.needing(http.MethodPost, path, needs)
	e.POST(path, s.Signed(refusing(needs, h)))
}

// Get hangs in a page that is there for doing something.
func (s *Site) Get(e *echo.Echo, path string, needs farm.Right, h Handler) {
	s.needing(http.MethodGet, path, needs)
	e.GET(path, s.Signed(refusing(needs, h)))
}

func refusing(needs farm.Right, h Handler) Handler {
	return func(c *echo.Context, m *farm.Member) error {
		if p := ProblemsOf(m.Refuse(needs)); p != nil {
			return echo.NewHTTPError(http.StatusForbidden, p.Error())
		}
		return h(c, m)
	}
}

// right is what a route needs.
type right farm.Right

func (right) ServeHTTP(http.ResponseWriter, *http.Request) {}

var parameter = regexp.MustCompile(`:(\w+)`)

// Pattern writes a route as a mux of the standard library does.
func Pattern(route string) string { return parameter.ReplaceAllString(route, "{$1}") }

func (s *Site) needing(method, path string, needs farm.Right) {
	if s.rights == nil {
		s.rights = http.NewServeMux()
	}
	if path == "/" {
		path = "/{$}"
	}
	s.rights.Handle(method+" "+Pattern(path), right(needs))
}

// Needs tells which right a page or an action needs.
func (s *Site) Needs(method, address string) farm.Right {
	u, err := url.Parse(address)
	if err != nil || u.Host != "" {
		return farm.Reading
	}
	if method == http.MethodGet && u.Query().Has("do") { // a page opened to do something on it
		return farm.Helping
	}
	h, _ := s.rights.Handler(&http.Request{Method: method, URL: &url.URL{Path: u.Path}, Host: "farm"})
	if r, ok := h.(right); ok {
		return farm.Right(r)
	}
	return farm.Reading
}

var words = map[string]farm.Right{"help": farm.Helping, "keep": farm.Keeping, "own": farm.Owning}

// asks are the questions of a template about what somebody with a right may do: can "help" (or "keep", "own"); and of
// an address that the page was handed, opens and sends.
func (s *Site) asks(has farm.Right) template.FuncMap {
	return template.FuncMap{
		"can": func(word string) (bool, error) {
			needs, ok := words[word]
			if !ok {
				return false, fmt.Errorf("no right is called %q", word)
			}
			return has >= needs, nil
		},
		"opens": func(address string) bool { return has >= s.Needs(http.MethodGet, address) },
		"sends": func(address string) bool { return has >= s.Needs(http.MethodPost, address) },
	}
}
