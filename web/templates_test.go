package web

import (
	"fmt"
	"html"
	"html/template"
	"io"
	"log/slog"
	"math/rand/v2"
	"net/http"
	"net/url"
	"os"
	"reflect"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"
	"text/template/parse"
	"time"
	"unsafe"

	"github.com/jba/templatecheck"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/species"
	"metrogon/farm"
	"metrogon/farm/services"
	"metrogon/store/people"
	"metrogon/web/page"
)

// Every view is rendered with made-up data until each of its branches was taken both ways: a template that names what
// is not there is found, whatever it takes for a farm to come there. Parts that several views share are counted
// together.
func TestEveryBranchOfEveryTemplate(t *testing.T) {
	t.Parallel()
	_, site, err := routes(services.New(nil, time.Now), Options{Log: slog.New(slog.DiscardHandler)})
	require.NoError(t, err)
	require.Greater(t, len(site.Samples()), 60)
	taken := map[string]bool{}
	for _, s := range site.Samples() {
		t.Run(fmt.Sprintf("%s of %s", s.Name, s.Shows), func(t *testing.T) {
			b := newBranches(t, s)
			m := newMaker(b)
			door := regexp.MustCompile(`account|linked|lost`).MatchString(s.Shows.String())
			quiet, failed := 0, map[string]int{}
			for round := 0; quiet < 500 && round < 3000 && len(b.taken) < len(b.all); round++ {
				before := len(b.taken)
				err := b.layout.ExecuteTemplate(io.Discard, "layout", m.view(door, s.Shows))
				if err != nil {
					failed[short(err)]++
				}
				quiet++
				if len(b.taken) > before {
					quiet = 0
				}
			}
			for says, n := range failed {
				if !madeUp.MatchString(says) {
					t.Errorf("%s (%d times)", says, n)
				}
			}
			if os.Getenv("BRANCHES") != "" {
				t.Logf("%d of %d; %v", len(b.taken), len(b.all), failed)
			}
			for n, way := range b.all {
				taken[way] = taken[way] || b.taken[n]
			}
		})
	}
	var never []string
	for way, did := range taken {
		if !did {
			never = append(never, way)
		}
	}
	slices.Sort(never)
	t.Logf("%d ways, of which made-up data never take %d: %s", len(taken), len(never), strings.Join(never, " · "))
	assert.Less(
		t, len(never), len(taken)/40, "these hardly ever go together in made-up data; the next test checks their names",
	)
}

// No view names a field or method that its data have not, in any branch, whatever is never taken above.
func TestNoTemplateNamesWhatIsNotThere(t *testing.T) {
	t.Parallel()
	_, site, err := routes(services.New(nil, time.Now), Options{Log: slog.New(slog.DiscardHandler)})
	require.NoError(t, err)
	for _, s := range site.Samples() {
		of, err := s.For(farm.Owning)
		require.NoError(t, err)
		assert.NoError(t, templatecheck.CheckHTML(typed(t, of, s.Shows), page.View{}), "%s of %s", s.Name, s.Shows)
	}
}

// typed gives a layout in which .Data, that may be anything, is a call whose type is known.
func typed(t *testing.T, of *template.Template, shows reflect.Type) *template.Template {
	data := reflect.MakeFunc(reflect.FuncOf(nil, []reflect.Type{shows}, false), func([]reflect.Value) []reflect.Value {
		return []reflect.Value{reflect.Zero(shows)}
	})
	all := template.Must(of.Clone()).Funcs(template.FuncMap{"shown": data.Interface()})
	for _, part := range all.Templates() {
		if part.Tree != nil && part.Tree.Root != nil {
			source := dataField.ReplaceAllString(part.Tree.Root.String(), "(shown)")
			_, err := all.New(part.Name()).Parse(source)
			require.NoError(t, err)
		}
	}
	return all.Lookup("layout")
}

var dataField = regexp.MustCompile(`(\$\w*)?\.Data\b`)

// Views that are opened by those alone who may do all that stands in them.
var behindDoors = regexp.MustCompile(
	`^(set|nest|clock)\.html of incubate|^scale\.html of weigh|^(list|cut)\.html of outage|^candle\.html of candle|` +
		`^(lockdown|breakout)\.html of hatch|^(bird_new|pen_new)\.html of flock|^start\.html of today|` +
		`^(gathered|out)\.html of stock|^lists\.html of (books|handover)`,
)

// A reader is shown nothing to send that he may not, whatever the farm is like.
func TestNoBranchShowsAReaderAForm(t *testing.T) {
	t.Parallel()
	_, site, err := routes(services.New(nil, time.Now), Options{Log: slog.New(slog.DiscardHandler)})
	require.NoError(t, err)
	sends := regexp.MustCompile(`<(form method="post"[^>]* action|button[^>]* formaction)="([^"]+)"`)
	for _, s := range site.Samples() {
		if behindDoors.MatchString(fmt.Sprintf("%s of %s", s.Name, s.Shows)) {
			continue
		}
		layout, err := s.For(farm.Reading)
		require.NoError(t, err)
		m := newMaker(&branches{})
		for range 40 {
			var body strings.Builder
			_ = layout.ExecuteTemplate(&body, "layout", m.view(false, s.Shows))
			for _, f := range sends.FindAllStringSubmatch(body.String(), -1) {
				to := html.UnescapeString(f[2])
				assert.Equal(t, farm.Reading, site.Needs(http.MethodPost, to), "%s of %s shows %s", s.Name, s.Shows, to)
			}
		}
	}
}

// madeUp are errors that made-up data bring about, and a farm cannot: methods that rely on what goes together.
var madeUp = regexp.MustCompile(`out of range|slice bounds|nil (\*\w+ )?pointer|invalid memory|divide by zero|panic: `)

func short(err error) string {
	says := err.Error()
	if i := strings.LastIndex(says, "executing "); i >= 0 {
		says = says[i:]
	}
	return says
}

// branches are the ways that a template parts into, each counted when it is taken.
type branches struct {
	all    []string
	taken  map[int]bool
	words  []string // that it compares with
	nums   []int
	seen   map[string]bool
	of     page.Sample
	layout *template.Template
}

// newBranches puts a counter at the beginning of each way of what a view uses.
func newBranches(t *testing.T, s page.Sample) *branches {
	layout, err := s.For(farm.Owning)
	require.NoError(t, err)
	b := &branches{taken: map[int]bool{}, seen: map[string]bool{}, of: s, layout: layout}
	now := rand.New(rand.NewPCG(2, 0))
	layout.Funcs(template.FuncMap{
		"taken": func(n int) string { b.taken[n] = true; return "" },
		"can":   func(string) bool { return now.IntN(3) > 0 },
		"opens": func(string) bool { return now.IntN(3) > 0 },
		"sends": func(string) bool { return now.IntN(3) > 0 },
	})
	b.use("layout")
	return b
}

// use walks a template that is used, once.
func (b *branches) use(name string) {
	one := b.layout.Lookup(name)
	if one == nil || one.Tree == nil || b.seen[name] {
		return
	}
	b.seen[name] = true
	in := name
	if name == "main" {
		in = b.of.Name + " of " + b.of.Shows.String()
	}
	b.walk(in, one.Tree.Root)
}

func (b *branches) counter(where string) parse.Node {
	n := len(b.all)
	b.all = append(b.all, where)
	tree, err := parse.Parse("x", fmt.Sprintf("{{ $way%d := taken %d }}", n, n), "{{", "}}", map[string]any{"taken": 0})
	if err != nil {
		panic(err)
	}
	return tree["x"].Root.Nodes[0]
}

func (b *branches) walk(in string, n parse.Node) {
	switch n := n.(type) {
	case *parse.ListNode:
		if n != nil {
			for _, one := range n.Nodes {
				b.walk(in, one)
			}
		}
	case *parse.IfNode:
		b.part(in, "if", &n.BranchNode)
	case *parse.WithNode:
		b.part(in, "with", &n.BranchNode)
	case *parse.RangeNode:
		b.part(in, "range", &n.BranchNode)
	case *parse.ActionNode:
		b.literals(n.Pipe)
	case *parse.TemplateNode:
		b.literals(n.Pipe)
		b.use(n.Name)
	}
}

// part walks the two ways of a node.
func (b *branches) part(in, what string, n *parse.BranchNode) {
	b.literals(n.Pipe)
	b.walk(in, n.List)
	where := fmt.Sprintf("%s: %s %s", in, what, n.Pipe)
	if named(n.List) {
		n.List.Nodes = append([]parse.Node{b.counter(where)}, n.List.Nodes...)
	}
	if named(n.ElseList) {
		b.walk(in, n.ElseList)
		n.ElseList.Nodes = append([]parse.Node{b.counter(where + " else")}, n.ElseList.Nodes...)
	}
}

// named tells ways that name something; in the others nothing can go wrong.
func named(way *parse.ListNode) bool {
	return way != nil && slices.ContainsFunc(way.Nodes, func(n parse.Node) bool { return n.Type() != parse.NodeText })
}

// literals keeps the words and numbers that something is compared with.
func (b *branches) literals(n parse.Node) {
	switch n := n.(type) {
	case *parse.PipeNode:
		if n != nil {
			for _, c := range n.Cmds {
				b.literals(c)
			}
		}
	case *parse.CommandNode:
		for _, a := range n.Args {
			b.literals(a)
		}
	case *parse.StringNode:
		b.words = append(b.words, n.Text)
	case *parse.NumberNode:
		if v, err := strconv.Atoi(n.Text); err == nil {
			b.nums = append(b.nums, v)
		}
	}
}

// trade are words that methods tell things apart by.
var trade = []string{
	"", "", "x", "Barred", "all-in-one", "setter", "hatcher", "broody", "shelves", "chicken", "quail", "leopard-gecko",
	"live", "clear", "unsure", "hatched", "unhatched", "removed", "counted", "infertile", "running", "waiting", "done",
	"candle", "lockdown", "pull", "clear-out", "tilt", "turn", "water", "temperature_c", "candle_days", "batches", "owner",
	"batch", "machine", "pen",
}

// maker makes up data.
type maker struct {
	*rand.Rand
	words []string
	nums  []int
	full  float64 // how often something is there
	left  int     // that may still be made up for one page
}

func newMaker(b *branches) *maker {
	m := &maker{Rand: rand.New(rand.NewPCG(1, uint64(len(b.all)))), words: trade}
	m.words = append(slices.Clone(trade), b.words...)
	for _, n := range b.nums {
		m.nums = append(m.nums, n-1, n, n+1)
	}
	m.nums = append(m.nums, 0, 0, 1, 2, 17, -3)
	return m
}

// view makes up what a template gets, before the door or behind it.
func (m *maker) view(door bool, shows reflect.Type) page.View {
	return page.View{Meta: m.meta(door), Data: m.make(shows).Interface()}
}

// meta makes up what all pages get; before the door nobody is signed in.
func (m *maker) meta(door bool) page.Meta {
	m.full, m.left = []float64{.2, .5, .8, .95, 1}[m.IntN(5)], 400
	var meta page.Meta
	m.fill(reflect.ValueOf(&meta).Elem(), 3)
	meta.Typed, meta.Problems = nil, nil
	if m.IntN(3) == 0 { // a form came back
		doubts := m.IntN(2) == 0
		meta.Typed = url.Values{}
		for _, field := range m.words {
			for range m.IntN(4) {
				meta.Typed.Add(field, m.word())
			}
			if m.IntN(3) == 0 {
				meta.Problems = append(meta.Problems, farm.Problem{Field: field, Says: "It is wrong.", Ask: doubts})
			}
		}
	}
	meta.Member = m.member()
	if door && m.IntN(2) == 0 {
		meta.Member = nil
	}
	return meta
}

func (m *maker) member() *farm.Member {
	row := people.Member{}
	m.fill(reflect.ValueOf(&row).Elem(), 2)
	row.Zone, row.ChoreAt, row.Role = "Europe/London", "07:00", farm.Roles[m.IntN(len(farm.Roles))]
	row.Temperature, row.Mass = []string{"C", "F"}[m.IntN(2)], []string{"g", "oz"}[m.IntN(2)]
	row.Clock, row.CountFrom = []int{12, 24}[m.IntN(2)], m.IntN(2)
	by, err := farm.NewMember(row)
	if err != nil {
		panic(err)
	}
	return by
}

func (m *maker) word() string { return m.words[m.IntN(len(m.words))] }

func (m *maker) make(t reflect.Type) reflect.Value {
	v := reflect.New(t).Elem()
	m.fill(v, 6)
	return v
}

var (
	begins   = regexp.MustCompile(`^(From|FromOn|Day|On|SetOn|LaidOn)$`)
	profiles = species.All()
	moments  = reflect.TypeFor[time.Time]()
	spots    = reflect.TypeFor[*time.Location]()
	aKind    = reflect.TypeFor[*species.Profile]()
	members  = reflect.TypeFor[*farm.Member]()
)

// fill makes a value up, so many levels deep.
func (m *maker) fill(v reflect.Value, deep int) {
	if !v.CanSet() { // a field that only its package sees
		v = reflect.NewAt(v.Type(), unsafe.Pointer(v.UnsafeAddr())).Elem()
	}
	there := m.Float64() < m.full && m.left > 0
	switch v.Type() {
	case moments:
		if there {
			at := time.Date(2027, 4, 14, 7, 0, 0, 0, time.UTC)
			v.Set(reflect.ValueOf(at.Add(time.Duration(m.IntN(9999)-5000) * time.Hour)))
		}
		return
	case spots:
		v.Set(reflect.ValueOf(time.UTC))
		return
	case aKind:
		v.Set(reflect.ValueOf(profiles[m.IntN(len(profiles))]))
		return
	case members:
		v.Set(reflect.ValueOf(m.member()))
		return
	}
	switch v.Kind() {
	case reflect.Bool:
		v.SetBool(m.IntN(2) == 0)
	case reflect.Int, reflect.Int8, reflect.Int16, reflect.Int32, reflect.Int64:
		v.SetInt(int64(m.nums[m.IntN(len(m.nums))]))
	case reflect.Uint, reflect.Uint8, reflect.Uint16, reflect.Uint32, reflect.Uint64:
		v.SetUint(uint64(m.IntN(9)))
	case reflect.Float32, reflect.Float64:
		v.SetFloat([]float64{0, 0, 1, .5, -2, 37.5, 80}[m.IntN(7)])
	case reflect.String:
		v.SetString(m.word())
	case reflect.Pointer:
		if there && deep > 0 {
			v.Set(reflect.New(v.Type().Elem()))
			m.fill(v.Elem(), deep-1)
		}
	case reflect.Slice:
		if there && deep > 0 {
			n := []int{1, 1, 1, 2, 2, 2, 2, 7}[m.IntN(8)]
			m.left -= n
			v.Set(reflect.MakeSlice(v.Type(), n, n))
			for i := range n {
				m.fill(v.Index(i), deep-1)
			}
		}
	case reflect.Array:
		for i := range v.Len() {
			m.fill(v.Index(i), deep-1)
		}
	case reflect.Map:
		v.Set(reflect.MakeMap(v.Type()))
		if there && deep > 0 {
			for range 1 + m.IntN(2) {
				k, e := reflect.New(v.Type().Key()).Elem(), reflect.New(v.Type().Elem()).Elem()
				m.fill(k, deep-1)
				m.fill(e, deep-1)
				v.SetMapIndex(k, e)
			}
		}
	case reflect.Struct:
		for i := range v.NumField() {
			m.fill(v.Field(i), deep)
			if f := v.Type().Field(i); begins.MatchString(f.Name) && f.Type == moments { // which all that lasts has
				v.Field(i).Set(reflect.ValueOf(time.Date(2027, 1, 1+m.IntN(90), 0, 0, 0, 0, time.UTC)))
			}
		}
	}
}
