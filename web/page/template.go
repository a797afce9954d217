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
	"sync"

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
type Template[T any] struct{ views }

// views are a page's templates, whatever they show: all that is done with them is made once, not for each T. What
// somebody may not do is not shown: `can "keep"` in a template asks for the reader's right.
type views struct {
	site *Site
	For  func(farm.Right) (*template.Template, error)
}

// Parse reads the files of one view of a page; they see the shared layout and parts.
func Parse[T any](site *Site, files fs.FS, names ...string) Template[T] {
	return Template[T]{parsed(site, nil, files, names, reflect.TypeFor[T]())}
}

// ParseWith does so with functions of the page's own.
func ParseWith[T any](site *Site, own template.FuncMap, files fs.FS, names ...string) Template[T] {
	return Template[T]{parsed(site, own, files, names, reflect.TypeFor[T]())}
}

func parsed(site *Site, own template.FuncMap, files fs.FS, names []string, shows reflect.Type) views {
	v := views{site, byRight(site, template.Must(parse(site, own, shared, files, names)))}
	if site.Source != nil {
		v.For = fromDisk(site, own, names)
	}
	site.views = append(site.views, Sample{names[0], v.For, shows})
	return v
}

// byRight makes a template's copies, each for those who have one right, when it is first asked for.
func byRight(site *Site, master *template.Template) func(farm.Right) (*template.Template, error) {
	var copies [farm.Owning + 1]func() (*template.Template, error)
	for has := range copies {
		copies[has] = sync.OnceValues(func() (*template.Template, error) {
			t, err := master.Clone()
			if err != nil {
				return nil, err
			}
			return t.Funcs(site.asks(farm.Right(has))), nil
		})
	}
	return func(has farm.Right) (*template.Template, error) { return copies[has]() }
}

// Sample is a view with what it shows, for tests.
type Sample struct {
	Name  string
	For   func(farm.Right) (*template.Template, error)
	Shows reflect.Type
}

// Samples are the views of all pages.
func (s *Site) Samples() []Sample { return s.views }

// fromDisk reads the views of whoever called Parse anew, from the folder of that room.
func fromDisk(site *Site, own template.FuncMap, views []string) func(farm.Right) (*template.Template, error) {
	_, caller, _, _ := runtime.Caller(3)
	room := path.Base(path.Dir(caller))
	return func(has farm.Right) (*template.Template, error) {
		common, err := fs.Sub(site.Source, "page")
		if err != nil {
			return nil, err
		}
		files, err := fs.Sub(site.Source, room)
		if err != nil {
			return nil, err
		}
		t, err := parse(site, own, common, files, views)
		if err != nil {
			return nil, err
		}
		return t.Funcs(site.asks(has)), nil
	}
}

// Draw puts a view into its layout, with what its reader may do.
func (t Template[T]) Draw(meta Meta, data T) ([]byte, error) { return t.draw(meta, data) }

func (v views) draw(meta Meta, data any) ([]byte, error) {
	now, err := v.For(meta.Member.Right())
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	err = now.ExecuteTemplate(&b, "layout", View{meta, data})
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
	maps.Copy(funcs, site.asks(farm.Reading)) // until it is known who reads
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
