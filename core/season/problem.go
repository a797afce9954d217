package season

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"reflect"
	"slices"
	"strings"
)

// Problem is a season to be planned: pens that lay, machines, a brooder, days
// away, and promises. Days are whole numbers from the plan's first day, 0. See
// docs/planning.md for the rules.
type Problem struct {
	Days          int       `json:"days"`      // settings and pulls fall on days 0 … Days-1
	MinBatch      float64   `json:"min_batch"` // fewest eggs of a setting
	EggCost       float64   `json:"egg_cost"`
	SettingCost   float64   `json:"setting_cost"`
	Species       []Species `json:"species"`
	Sources       []Source  `json:"sources"`
	Machines      []Machine `json:"machines"`
	BrooderPlaces float64   `json:"brooder_places"`
	Away          []Away    `json:"away,omitempty"`
	Orders        []Order   `json:"orders"`
	Fixed         []Batch   `json:"fixed,omitempty"`
	Forbidden     []Ban     `json:"forbidden,omitempty"`
	Words         Words     `json:"-"`
}

// Words are how sentences write days and ids; the zero value writes "day 12", and ids as
// they are.
type Words struct {
	Day  func(int) string
	Name func(id string) string
}

// OnDay writes a day.
func (w Words) OnDay(n int) string {
	if w.Day == nil {
		return fmt.Sprintf("day %d", n)
	}
	return w.Day(n)
}

// OnDays writes the days from one to another.
func (w Words) OnDays(from, to int) string {
	if w.Day == nil {
		return fmt.Sprintf("days %d to %d", from, to)
	}
	return w.Day(from) + " to " + w.Day(to)
}

// Called writes an id.
func (w Words) Called(id string) string {
	if w.Name == nil {
		return id
	}
	return w.Name(id)
}

// AllCalled writes ids.
func (w Words) AllCalled(ids []string) string {
	all := make([]string, len(ids))
	for i, id := range ids {
		all[i] = w.Called(id)
	}
	return strings.Join(all, ", ")
}

// Species is a kind with its days, counted from the set day.
type Species struct {
	ID          string    `json:"id"`
	Lockdown    int       `json:"lockdown"`
	Pull        int       `json:"pull"`
	MaxAge      int       `json:"max_age"`    // oldest egg that may be set, days
	AgeFactor   []float64 `json:"age_factor"` // hatch relative to a fresh egg, by age
	BroodPlaces float64   `json:"brood_places"`
	BroodDays   int       `json:"brood_days"`
}

// Source is a pen, or a parcel of shipped eggs.
type Source struct {
	ID      string  `json:"id"`
	Species string  `json:"species"`
	Yield   float64 `json:"yield"` // young per fresh egg set
	Kept    float64 `json:"kept"`  // share of the eggs set that reaches lockdown
	Supply  []Lay   `json:"supply"`
}

// Lay is eggs of one day.
type Lay struct {
	Laid int     `json:"laid"`
	Eggs float64 `json:"eggs"`
}

// Machine holds so many eggs of each species when it is full of that alone.
type Machine struct {
	ID        string             `json:"id"`
	Set       map[string]float64 `json:"set"`
	Hatch     map[string]float64 `json:"hatch"`
	CleanDays int                `json:"clean_days,omitempty"`
	Closed    [][2]int           `json:"closed,omitempty"`
}

// Away is days on which some actions may not fall: set, lockdown, pull.
type Away struct {
	From int      `json:"from"`
	To   int      `json:"to"`
	Not  []string `json:"not"`
}

// Order is a promise.
type Order struct {
	ID       string   `json:"id"`
	Sources  []string `json:"sources"`
	Young    float64  `json:"young"`
	PullFrom int      `json:"pull_from"`
	PullTo   int      `json:"pull_to"`
	Value    float64  `json:"value"` // of each young
}

// Batch is eggs of one source set on one day. One that already stands in a machine
// (SetDay below 0) has its expected young, and its eggs as a mere count.
type Batch struct {
	Source  string   `json:"source"`
	SetDay  int      `json:"set_day"`
	Setter  string   `json:"setter"`
	Hatcher string   `json:"hatcher"`
	Eggs    Clutch   `json:"eggs"`
	Young   *float64 `json:"young,omitempty"`
	Orders  []Give   `json:"orders,omitempty"`
}

// Clutch is the eggs of a batch by lay day.
type Clutch []Lay

// UnmarshalJSON takes a list, or the mere count of eggs that stand already.
func (c *Clutch) UnmarshalJSON(text []byte) error {
	var n float64
	if json.Unmarshal(text, &n) == nil {
		*c = Clutch{{0, n}}
		return nil
	}
	return Strict(text, (*[]Lay)(c))
}

// Count is the number of eggs.
func (c Clutch) Count() (n float64) {
	for _, l := range c {
		n += l.Eggs
	}
	return
}

// Give is young of a batch that go to an order.
type Give struct {
	Order string  `json:"order"`
	Young float64 `json:"young"`
}

// Ban forbids batches that match all that is said.
type Ban struct {
	Source  string `json:"source,omitempty"`
	Setter  string `json:"setter,omitempty"`
	Hatcher string `json:"hatcher,omitempty"`
	From    *int   `json:"from,omitempty"` // set day
	To      *int   `json:"to,omitempty"`
}

func (b Ban) Hits(source, setter, hatcher string, day int) bool {
	return (b.Source == "" || b.Source == source) && (b.Setter == "" || b.Setter == setter) &&
		(b.Hatcher == "" || b.Hatcher == hatcher) &&
		(b.From == nil || day >= *b.From) && (b.To == nil || day <= *b.To)
}

// MostDays that a plan may have.
const MostDays = 5000

// Read decodes a problem, strictly: unknown or missing fields, and figures that
// cannot be, give an error that names the field.
func Read(text []byte) (*Problem, error) {
	p := new(Problem)
	if err := Strict(text, p); err != nil {
		return nil, err
	}
	return p, p.Check()
}

// Strict decodes one value and asks for every field that may not be left out.
func Strict(text []byte, into any) error {
	d := json.NewDecoder(bytes.NewReader(text))
	d.DisallowUnknownFields()
	err := d.Decode(into)
	var mistyped *json.UnmarshalTypeError
	switch {
	case errors.As(err, &mistyped):
		return fmt.Errorf(
			"%s: a %s is given; it may be %s", cmpOr(strings.TrimPrefix(mistyped.Field, "Problem."), "input"),
			mistyped.Value, inJSON(mistyped.Type),
		)
	case errors.Is(err, io.EOF):
		return errors.New("input: nothing is given; it may be one JSON object")
	case err != nil:
		return fmt.Errorf("input: %w", err)
	}
	if _, err := d.Token(); err != io.EOF {
		return errors.New("input: more than one JSON value is given; it may be one")
	}
	var given any
	if err := json.Unmarshal(text, &given); err != nil {
		return fmt.Errorf("input: %w", err)
	}
	return complete(given, reflect.TypeOf(into).Elem(), "")
}

// inJSON names a type as JSON knows it.
func inJSON(t reflect.Type) string {
	switch t.Kind() {
	case reflect.Struct, reflect.Map:
		return "an object"
	case reflect.Slice, reflect.Array:
		return "a list"
	case reflect.String:
		return "a text"
	case reflect.Float64:
		return "a number"
	}
	return "a whole number"
}

func cmpOr(a, b string) string {
	if a == "" {
		return b
	}
	return a
}

// complete finds a field that is missing: all are needed that are not marked
// omitempty.
func complete(given any, t reflect.Type, at string) error {
	if t.Kind() == reflect.Pointer {
		t = t.Elem()
	}
	switch t.Kind() {
	case reflect.Slice:
		list, _ := given.([]any)
		for i, v := range list {
			if err := complete(v, t.Elem(), fmt.Sprintf("%s[%d]", at, i)); err != nil {
				return err
			}
		}
	case reflect.Struct:
		if t == reflect.TypeFor[Clutch]() {
			return nil
		}
		fields, ok := given.(map[string]any)
		if !ok {
			return fmt.Errorf("%s: it may be an object", cmpOr(at, "input"))
		}
		for i := range t.NumField() {
			if err := completeField(given, fields, t.Field(i), at); err != nil {
				return err
			}
		}
	}
	return nil
}

func completeField(given any, fields map[string]any, f reflect.StructField, at string) error {
	if f.Anonymous {
		return complete(given, f.Type, at)
	}
	name, more, _ := strings.Cut(f.Tag.Get("json"), ",")
	if name == "-" {
		return nil
	}
	where := strings.TrimPrefix(at+"."+name, ".")
	v, ok := fields[name]
	if ok && v != nil {
		return complete(v, f.Type, where)
	}
	if more == "" {
		return fmt.Errorf("%s: missing", where)
	}
	return nil
}

// Check finds the first figure that cannot be.
func (p *Problem) Check() error {
	c := &check{seen: map[string]bool{}}
	c.in("days", float64(p.Days), 0, MostDays)
	c.in("min_batch", p.MinBatch, 0, much)
	c.in("egg_cost", p.EggCost, 0, much)
	c.in("setting_cost", p.SettingCost, 0, much)
	c.in("brooder_places", p.BrooderPlaces, 0, much)
	c.species(p)
	c.sources(p)
	c.machines(p)
	c.away(p)
	c.orders(p)
	c.fixed(p)
	return c.err
}

// Figures beyond these are mistakes.
const (
	much    = 1e9
	farDays = 1e6
)

// check gathers what a problem names, and keeps the first thing wrong with it.
type check struct {
	seen map[string]bool // list and id
	err  error
}

func (c *check) bad(format string, args ...any) {
	if c.err == nil {
		c.err = fmt.Errorf(format, args...)
	}
}

func (c *check) in(field string, v, least, most float64) {
	if !(v >= least && v <= most) {
		c.bad("%s: %v is not possible; it may be %v to %v", field, v, least, most)
	}
}

func (c *check) once(list, id string) {
	if c.seen[list+id] {
		c.bad("%s: the id %q occurs twice", list, id)
	}
	c.seen[list+id] = true
}

func (c *check) known(field, list, id string, needed bool) {
	if (needed || id != "") && !c.seen[list+id] {
		c.bad("%s: %q is not known", field, id)
	}
}

func (c *check) species(p *Problem) {
	for i, s := range p.Species {
		at := fmt.Sprintf("species[%d]", i)
		c.once("species", s.ID)
		c.in(at+".lockdown", float64(s.Lockdown), 0, 1000)
		c.in(at+".pull", float64(s.Pull), float64(s.Lockdown), 1000)
		c.in(at+".max_age", float64(s.MaxAge), 0, 1000)
		c.in(at+".brood_places", s.BroodPlaces, 0, much)
		c.in(at+".brood_days", float64(s.BroodDays), 0, 10000)
		if len(s.AgeFactor) < s.MaxAge+1 {
			c.bad("%s.age_factor: it has %d entries; it needs max_age + 1 = %d", at, len(s.AgeFactor), s.MaxAge+1)
		}
		for j, f := range s.AgeFactor {
			c.in(fmt.Sprintf("%s.age_factor[%d]", at, j), f, 0, 10)
		}
	}
}

func (c *check) sources(p *Problem) {
	for i, s := range p.Sources {
		at := fmt.Sprintf("sources[%d]", i)
		c.once("sources", s.ID)
		if !c.seen["species"+s.Species] {
			c.bad("%s.species: %q is not known", at, s.Species)
		}
		c.in(at+".yield", s.Yield, 0, 100)
		c.in(at+".kept", s.Kept, 0, 100)
		for j, l := range s.Supply {
			where := fmt.Sprintf("%s.supply[%d]", at, j)
			c.in(where+".laid", float64(l.Laid), -farDays, farDays)
			c.in(where+".eggs", l.Eggs, 0, 1e6)
			if l.Eggs != math.Floor(l.Eggs) {
				c.bad("%s.eggs: %v is not whole", where, l.Eggs)
			}
		}
	}
}

func (c *check) machines(p *Problem) {
	for i, m := range p.Machines {
		at := fmt.Sprintf("machines[%d]", i)
		c.once("machines", m.ID)
		for what, room := range map[string]map[string]float64{"set": m.Set, "hatch": m.Hatch} {
			for _, id := range sortedKeys(room) {
				c.in(fmt.Sprintf("%s.%s.%s", at, what, id), room[id], 0, much)
			}
		}
		c.in(at+".clean_days", float64(m.CleanDays), 0, 1000)
		for j, days := range m.Closed {
			c.in(fmt.Sprintf("%s.closed[%d][1]", at, j), float64(days[1]), float64(days[0]), farDays)
			c.in(fmt.Sprintf("%s.closed[%d][0]", at, j), float64(days[0]), -farDays, farDays)
		}
	}
}

func (c *check) away(p *Problem) {
	for i, a := range p.Away {
		at := fmt.Sprintf("away[%d]", i)
		c.in(at+".from", float64(a.From), -farDays, farDays)
		c.in(at+".to", float64(a.To), float64(a.From), farDays)
		for j, what := range a.Not {
			if !slices.Contains(Actions, what) {
				c.bad("%s.not[%d]: %q is not known; it may be set, lockdown or pull", at, j, what)
			}
		}
	}
}

func (c *check) orders(p *Problem) {
	for i, o := range p.Orders {
		at := fmt.Sprintf("orders[%d]", i)
		c.once("orders", o.ID)
		for j, s := range o.Sources {
			if !c.seen["sources"+s] {
				c.bad("%s.sources[%d]: %q is not known", at, j, s)
			}
		}
		c.in(at+".young", o.Young, 0, 1e6)
		c.in(at+".value", o.Value, -much, much)
		c.in(at+".pull_from", float64(o.PullFrom), -farDays, farDays)
		c.in(at+".pull_to", float64(o.PullTo), -farDays, farDays)
	}
}

func (c *check) fixed(p *Problem) {
	for i, b := range p.Fixed {
		at := fmt.Sprintf("fixed[%d]", i)
		c.known(at+".source", "sources", b.Source, true)
		c.known(at+".setter", "machines", b.Setter, true)
		c.known(at+".hatcher", "machines", b.Hatcher, true)
		c.in(at+".set_day", float64(b.SetDay), -1000, float64(p.Days)-1)
		for j, l := range b.Eggs {
			c.in(fmt.Sprintf("%s.eggs[%d].eggs", at, j), l.Eggs, 0, 1e6)
		}
		if b.SetDay < 0 && b.Young == nil {
			c.bad("%s.young: missing, since the batch stands already", at)
		}
		if b.Young != nil {
			c.in(at+".young", *b.Young, 0, 1e6)
		}
	}
	for i, b := range p.Forbidden {
		at := fmt.Sprintf("forbidden[%d]", i)
		c.known(at+".source", "sources", b.Source, false)
		c.known(at+".setter", "machines", b.Setter, false)
		c.known(at+".hatcher", "machines", b.Hatcher, false)
	}
}

var Actions = []string{"set", "lockdown", "pull"}

func sortedKeys(m map[string]float64) []string {
	keys := make([]string, 0, len(m))
	for k := range m {
		keys = append(keys, k)
	}
	slices.Sort(keys)
	return keys
}

func (p *Problem) SpeciesOf(id string) (Species, bool) {
	i := slices.IndexFunc(p.Species, func(s Species) bool { return s.ID == id })
	if i < 0 {
		return Species{}, false
	}
	return p.Species[i], true
}
