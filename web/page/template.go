package page

import (
	"bytes"
	"embed"
	"fmt"
	"html/template"
	"io/fs"
	"maps"
	"math"
	"path"
	"reflect"
	"runtime"
	"strconv"
	"strings"

	"metrogon/core/method"
	"metrogon/core/species"
	"metrogon/core/units"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/incubate"
	"metrogon/farm/notes"
	"metrogon/web/say"
)

//go:embed *.html
var shared embed.FS

// Template is one page's templates over the shared layout, and what they show: a T.
type Template[T any] struct {
	*template.Template
	site  *Site
	again func() (*template.Template, error) // reads it anew from disk; nil but where somebody works on it
}

// Parse reads the files of one view of a page; they see the shared layout and parts.
func Parse[T any](site *Site, files fs.FS, views ...string) Template[T] {
	return parsed[T](site, nil, files, views)
}

// ParseWith does so with functions of the page's own.
func ParseWith[T any](site *Site, own template.FuncMap, files fs.FS, views ...string) Template[T] {
	return parsed[T](site, own, files, views)
}

func parsed[T any](site *Site, own template.FuncMap, files fs.FS, views []string) Template[T] {
	t := Template[T]{template.Must(parse(site, own, shared, files, views)), site, nil}
	if site.Source != nil {
		t.again = fromDisk(site, own, views)
	}
	site.views = append(site.views, Sample{
		views[0], t.Template, reflect.TypeFor[T](),
		func(m Meta, data reflect.Value) any { return View[T]{m, data.Interface().(T)} },
	})
	return t
}

// Sample is a view with what it shows, for tests.
type Sample struct {
	Name     string
	Template *template.Template
	Shows    reflect.Type
	View     func(Meta, reflect.Value) any
}

// Samples are the views of all pages.
func (s *Site) Samples() []Sample { return s.views }

// fromDisk reads the views of whoever called Parse anew, from the folder of that room.
func fromDisk(site *Site, own template.FuncMap, views []string) func() (*template.Template, error) {
	_, caller, _, _ := runtime.Caller(3)
	room := path.Base(path.Dir(caller))
	return func() (*template.Template, error) {
		common, err := fs.Sub(site.Source, "page")
		if err != nil {
			return nil, err
		}
		files, err := fs.Sub(site.Source, room)
		if err != nil {
			return nil, err
		}
		return parse(site, own, common, files, views)
	}
}

// draw puts a view into its layout.
func (t Template[T]) draw(v View[T]) ([]byte, error) {
	now := t.Template
	if t.again != nil {
		var err error
		if now, err = t.again(); err != nil {
			return nil, err
		}
	}
	var b bytes.Buffer
	err := now.ExecuteTemplate(&b, "layout", v)
	return b.Bytes(), err
}

func parse(site *Site, own template.FuncMap, common, files fs.FS, views []string) (*template.Template, error) {
	funcs := template.FuncMap{
		"asset": site.Assets.URL,
		"icon":  site.Assets.Icon,
		"key":   farm.NewKey,
		"kinds": species.All,
		"kind":  kind,

		"plural":   wording.Plural,
		"capital":  func(s any) string { return wording.Capital(fmt.Sprint(s)) },
		"lower":    strings.ToLower,
		"contains": strings.Contains,
		"num":      Number,
		"f1":       func(f float64) string { return strconv.FormatFloat(f, 'f', 1, 64) },
		"pct":      func(share float64) string { return strconv.Itoa(int(math.Round(100 * share))) },
		"chance":   chance,
		"blank":    blank,
		"percent":  Percent,

		"breederPages": breederPages,
		"noteKinds":    func() []notes.Kind { return notes.Kinds },
		"noteSays":     notes.Says,

		"plot":   plot,
		"ribbon": Draw,
		"stock":  DrawStock,

		"reads": func(m *farm.Member) say.Reader { return say.Reader{Member: m} },

		"schools": func() []method.School { return method.Schools },
		"lates":   func() []method.Late { return method.Lates },
		"waySays": incubate.WaySays,

		"dict": dict,
		"list": func(v ...any) []any { return v },
		"inc":  func(n int) int { return n + 1 },
	}
	maps.Copy(funcs, own)
	t, err := template.New("").Funcs(funcs).ParseFS(common, "*.html")
	if err != nil {
		return nil, err
	}
	return t.ParseFS(files, views...)
}

// chance writes one as people say it, never as certain.
func chance(p float64) string {
	switch {
	case p > 0.99:
		return "more than 99 in 100"
	case p < 0.01:
		return "fewer than 1 in 100"
	}
	return fmt.Sprintf("%.0f in 100", 100*p)
}

// breederPages are the pages about whose eggs hatch.
func breederPages() []Entry {
	return []Entry{
		{Path: "/pens", Name: "Pens"}, {Path: "/rates", Name: "Rates"}, {Path: "/rates/moves", Name: "What moves hatch"},
		{Path: "/birds", Name: "Birds"}, {Path: "/birds/mating", Name: "Matings"},
		{Path: "/tests", Name: "Fertility tests"},
	}
}

// blank leaves none empty, to be typed into.
func blank(n int) string {
	if n == 0 {
		return ""
	}
	return strconv.Itoa(n)
}

func kind(id string) *species.Profile {
	k, _ := species.Find(id)
	return k
}

// Number writes a figure with at most one decimal.
func Number(f float64) string { return units.Number(f) }

func dict(pairs ...any) map[string]any {
	m := map[string]any{}
	for i := 0; i+1 < len(pairs); i += 2 {
		m[pairs[i].(string)] = pairs[i+1]
	}
	return m
}
