package page

import (
	"bytes"
	"net/http"
	"net/url"
	"regexp"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"
	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"

	"metrogon/farm"
)

// Post hangs in an action that needs a right. Forms that would send it are shown only to those
// who have it.
func (s *Site) Post(e *echo.Echo, path string, needs farm.Right, h Handler) {
	s.needing(http.MethodPost, path, needs)
	e.POST(path, s.Signed(refusing(needs, h)))
}

// Get hangs in a page that is there for doing something. Links to it are shown only to those who
// may.
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

// needs tells which right a page or an action needs.
func (s *Site) needs(method, address string) farm.Right {
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

// trim takes out of a page what its reader may not do: forms, buttons, and links to pages that
// are there for doing something. What then says nothing any more goes with it. A form marked as
// telling something stays to be read.
func (s *Site) trim(whole []byte, m *farm.Member) ([]byte, error) {
	doc, err := html.Parse(bytes.NewReader(whole))
	if err != nil {
		return nil, err
	}
	var drop, unlink, tells []*html.Node
	gone := map[string]bool{} // forms, by id
	for n := range doc.Descendants() {
		switch may := func(method, address string) bool { return m.May(s.needs(method, address)) }; n.DataAtom {
		case atom.Form:
			if attr(n, "method") == "post" && !may(http.MethodPost, attr(n, "action")) {
				gone[attr(n, "id")] = true
				if hasAttr(n, "data-tells") {
					tells = append(tells, n)
				} else {
					drop = append(drop, n)
				}
			}
		case atom.Button:
			if to := attr(n, "formaction"); to != "" && !may(http.MethodPost, to) {
				drop = append(drop, n)
			}
		case atom.A:
			if may(http.MethodGet, attr(n, "href")) {
				continue
			}
			if strings.Contains(attr(n, "class"), "button") {
				drop = append(drop, n)
			} else {
				unlink = append(unlink, n)
			}
		}
	}
	for n := range doc.Descendants() {
		if form := attr(n, "form"); form != "" && gone[form] && n.DataAtom != atom.Form {
			drop = append(drop, n)
		}
	}
	for _, n := range unlink {
		n.Data, n.DataAtom, n.Attr = "span", atom.Span, nil
	}
	for _, n := range tells {
		drop = append(drop, still(n)...)
	}
	for _, n := range drop {
		remove(n)
	}
	var b bytes.Buffer
	err = html.Render(&b, doc)
	return b.Bytes(), err
}

// still makes a form one that is only read, and gives the buttons that are to go.
func still(form *html.Node) (buttons []*html.Node) {
	form.Data, form.DataAtom, form.Attr = "div", atom.Div, nil
	for n := range form.Descendants() {
		switch n.DataAtom {
		case atom.Button:
			buttons = append(buttons, n)
		case atom.Input, atom.Select, atom.Textarea:
			n.Attr = append(n.Attr, html.Attribute{Key: "disabled"})
		}
	}
	return buttons
}

// remove takes a node out, and what held nothing else: a fold without content, and whatever is
// marked as being there for an action.
func remove(n *html.Node) {
	up := n.Parent
	if up == nil {
		return
	}
	up.RemoveChild(n)
	for ; up != nil; up = up.Parent {
		fold := up.DataAtom == atom.Details && !holds(up, atom.Form, atom.Table, atom.Ul, atom.Svg)
		if fold || hasAttr(up, "data-acts") && !holds(up, atom.Form) {
			remove(up)
			return
		}
	}
}

func holds(n *html.Node, kinds ...atom.Atom) bool {
	for d := range n.Descendants() {
		if slices.Contains(kinds, d.DataAtom) {
			return true
		}
	}
	return false
}

func hasAttr(n *html.Node, name string) bool {
	return slices.ContainsFunc(n.Attr, func(a html.Attribute) bool { return a.Key == name })
}

func attr(n *html.Node, name string) string {
	for _, a := range n.Attr {
		if a.Key == name {
			return a.Val
		}
	}
	return ""
}
