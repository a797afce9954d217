// Package species holds what is known of each kind of egg: one profile a
// kind, one data file a profile, every figure with the mark of where it comes
// from. Days are completed days of 24 h since set; temperatures °C; humidity
// relative, in percent; masses g; durations named _h in hours.
package species

import (
	"bytes"
	"embed"
	"fmt"
	"io/fs"
	"slices"
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"

	"github.com/pelletier/go-toml/v2"
)

// Mark says how well a figure is founded.
type Mark string

// The marks. A published figure and one from memory name their source; common
// practice has none, nor has a figure that a farm put in place of a shipped one.
const (
	Published      Mark = "published"
	CommonPractice Mark = "common practice"
	FromMemory     Mark = "from memory"
	FarmsOwn       Mark = "this farm’s own"
	Judgement      Mark = "judgement" // the project's own, where nobody has measured
)

// Origin is the mark of a figure and, where it has one, its source.
type Origin struct {
	Mark   Mark   `toml:"mark"`
	Source string `toml:"source"`
}

// String reads as it is printed beside a figure.
func (o Origin) String() string {
	if o.Source == "" {
		return string(o.Mark)
	}
	return string(o.Mark) + ": " + o.Source
}

// Figure is one number, a span, or a number within its usual span. A span
// without a middle has At halfway.
type Figure struct {
	At   float64 `toml:"at"`
	From float64 `toml:"from"`
	To   float64 `toml:"to"`
	Origin
}

// Known tells whether the profile gives this figure at all.
func (f Figure) Known() bool { return f.Mark != "" }

// Days is a list of days with its origin.
type Days struct {
	Days []int `toml:"days"`
	Origin
}

// Kind parts the two worlds: birds are turned and locked down, reptiles never.
type Kind string

// The kinds.
const (
	Bird    Kind = "bird"
	Reptile Kind = "reptile"
)

// Rearing parts birds by how their young begin.
type Rearing string

// How young begin: on their feet, or naked and blind in a nest, to be fed within hours.
const (
	Precocial Rearing = "precocial"
	Altricial Rearing = "altricial"
)

// Profile is what the program knows of one species before the farm knows better.
type Profile struct {
	ID      string   `toml:"id"`
	Name    string   `toml:"name"`
	Short   string   `toml:"short"` // for batch codes and bars; the name where it is short enough
	Young   string   `toml:"young"` // what one young is called
	Kind    Kind     `toml:"kind"`
	Rearing Rearing  `toml:"rearing"`   // of birds; not said: precocial
	Water   bool     `toml:"waterfowl"` // may be cooled and misted
	Permit  bool     `toml:"permit"`    // keeping or selling them often needs one
	Aliases []string `toml:"aliases"`

	HatchDays           Figure `toml:"hatch_days"`
	LockdownDay         Figure `toml:"lockdown_day"` // whole days, or halves: their evening; on which turning stops
	CandleDays          Days   `toml:"candle_days"`
	TemperatureC        Figure `toml:"temperature_c"`          // birds: forced air at egg height
	LockdownC           Figure `toml:"lockdown_temperature_c"` // where it is another; not known: as before
	HumiditySetPct      Figure `toml:"humidity_set_pct"`
	HumidityLockdownPct Figure `toml:"humidity_lockdown_pct"`
	ExtensionWetBulbF   Figure `toml:"extension_wet_bulb_f"` // of another school, while turning
	EggG                Figure `toml:"egg_g"`
	StorageBestDays     Figure `toml:"storage_best_days"`
	StorageLimitDays    Figure `toml:"storage_limit_days"`   // At: most stop; To: the last that anybody sets
	StorageStretchDays  Figure `toml:"storage_stretch_days"` // at which waiting costs what ten days cost hens' eggs
	LossPct             Figure `toml:"loss_pct"`             // water lost by lockdown, of the fresh mass
	PipToOutH           Figure `toml:"pip_to_out_h"`
	InternalToExternalH Figure `toml:"internal_to_external_h"`
	BantamEarlyDays     Figure `toml:"bantam_early_days"`
	FemalesPerMale      Figure `toml:"females_per_male"`
	StaysFertileDays    Figure `toml:"stays_fertile_days"`  // once the male is out: as a rule, at the longest
	FirstFertileDays    Figure `toml:"first_fertile_days"`  // once he is in: the first ones, to be safe; birds
	UsualFertilityPct   Figure `toml:"usual_fertility_pct"` // of set, while the farm has no record
	UsualHatchPct       Figure `toml:"usual_hatch_pct"`     // of fertile
	PullAfterH          Figure `toml:"pull_after_h"`        // the first young; not known: a day
	BroodPlaces         Figure `toml:"brood_places"`        // of a brooder, a chick's being one; not known: none
	BroodDays           Figure `toml:"brood_days"`          // from the pull
	LiveHatchPct        Figure `toml:"live_hatch_pct"`      // From: of eggs alive at the first candling, To: at the last

	// Reptiles.
	Duration           Duration `toml:"duration"`
	Clutch             Figure   `toml:"clutch"`
	ClutchIntervalDays Figure   `toml:"clutch_interval_days"` // from one clutch of a season to the next; not known: one
	Shell              Shell    `toml:"shell"`
	GainPct            Figure   `toml:"gain_pct"` // of the fresh mass, taken up by three quarters of the time; soft shells
	DangerC            Figure   `toml:"danger_c"` // from which embryos are deformed or die
	Limits             Limits   `toml:"limits"`
	FirstShedDays      Figure   `toml:"first_shed_days"`
	FirstFeedDays      Figure   `toml:"first_feed_days"`
	Sex                Sex      `toml:"sex"`
	Diapause           Diapause `toml:"diapause"`
}

// IsReptile tells a clutch from a batch of birds' eggs.
func (p *Profile) IsReptile() bool { return p.Kind == Reptile }

// IsAltricial tells nestlings, which are fed by their own or foster parents or by hand, from young that feed
// themselves.
func (p *Profile) IsAltricial() bool { return p.Rearing == Altricial }

// UsualHatch is the share of set that hatches while the farm has no record, 0 to 1.
func (p *Profile) UsualHatch() float64 { return p.UsualFertilityPct.At * p.UsualHatchPct.At / 1e4 }

//go:embed profiles/*.toml
var files embed.FS

var shipped = sync.OnceValues(func() ([]*Profile, error) {
	names, err := fs.Glob(files, "profiles/*.toml")
	if err != nil {
		return nil, err
	}
	var all []*Profile
	for _, name := range names {
		data, err := files.ReadFile(name)
		if err != nil {
			return nil, err
		}
		p, err := Decode(data)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
		all = append(all, p)
	}
	slices.SortFunc(all, func(a, b *Profile) int {
		if a.Kind != b.Kind {
			return strings.Compare(string(a.Kind), string(b.Kind))
		}
		return strings.Compare(a.Name, b.Name)
	})
	return all, nil
})

// All returns the shipped profiles, birds first, each kind by name. The
// profiles are shared: do not change them.
func All() []*Profile {
	all, err := shipped()
	if err != nil {
		panic(err) // a broken data file cannot pass the tests
	}
	return all
}

// ownMark stands in the id of a kind of a farm's own between the shipped one that it is like and its name.
const ownMark = "~"

// OwnID is the id of a kind of a farm's own that is like a shipped one: what it is called stands in it, so that
// it is known wherever it is met. The name may have 2 to 40 letters, blanks, hyphens and apostrophes.
func OwnID(like, name string) (string, error) {
	p, err := Find(like)
	if err != nil || p.Like() != "" {
		return "", fmt.Errorf("pick the shipped kind that it is most like")
	}
	name = strings.Join(strings.Fields(name), " ")
	if n := utf8.RuneCountInString(name); n < 2 || n > 40 {
		return "", fmt.Errorf("the name of a kind may have 2 to 40 letters")
	}
	for _, r := range name {
		if !unicode.IsLetter(r) && !strings.ContainsRune(" -'’", r) {
			return "", fmt.Errorf("the name of a kind may have letters, blanks and hyphens, no %q", string(r))
		}
	}
	return p.ID + ownMark + strings.ReplaceAll(name, " ", "_"), nil
}

// Like is the id of the shipped kind that one of a farm's own is like; "" for a shipped kind.
func (p *Profile) Like() string {
	like, _, own := strings.Cut(p.ID, ownMark)
	if !own {
		return ""
	}
	return like
}

// Find returns the profile with this id or alias, or an error that lists what there is. A kind of a farm's own
// has all figures of the shipped one that it is like.
func Find(id string) (*Profile, error) {
	if like, name, own := strings.Cut(id, ownMark); own && name != "" {
		p, err := Find(like)
		if err != nil || p.ID != like {
			return nil, fmt.Errorf("species: %q is like no shipped kind", id)
		}
		mine := *p
		mine.ID, mine.Name, mine.Aliases = id, strings.ReplaceAll(name, "_", " "), nil
		mine.Short = mine.Name
		return &mine, nil
	}
	var ids []string
	for _, p := range All() {
		if p.ID == id || slices.Contains(p.Aliases, id) {
			return p, nil
		}
		ids = append(ids, p.ID)
	}
	return nil, fmt.Errorf("species: %q is not known; it may be %s", id, strings.Join(ids, ", "))
}

// Called finds a kind as people write it in a list: "Hens", "Muscovy ducks".
func Called(text string) (*Profile, error) {
	plain := strings.ToLower(strings.TrimSpace(text))
	for _, name := range []string{plain, strings.TrimSuffix(plain, "s")} {
		for _, p := range All() {
			if strings.ToLower(p.Name) == name || strings.ToLower(p.Short) == name {
				return p, nil
			}
		}
		if p, err := Find(strings.ReplaceAll(name, " ", "-")); err == nil {
			return p, nil
		}
	}
	return Find(plain)
}

// Decode reads one profile strictly: an unknown key, a figure without a mark,
// a span that runs backwards or a missing figure is an error naming it.
func Decode(data []byte) (*Profile, error) {
	p := new(Profile)
	d := toml.NewDecoder(bytes.NewReader(data)).DisallowUnknownFields()
	if err := d.Decode(p); err != nil {
		return nil, err
	}
	if p.ID == "" || p.Name == "" || p.Young == "" {
		return nil, fmt.Errorf("id, name and young must be given")
	}
	if p.Short == "" {
		p.Short = p.Name
	}
	for name, f := range p.figures() {
		if !f.Known() {
			continue
		}
		if f.From == 0 && f.To == 0 {
			f.From, f.To = f.At, f.At
		}
		if f.At == 0 {
			f.At = (f.From + f.To) / 2
		}
		if !(0 <= f.From && f.From <= f.At && f.At <= f.To) {
			return nil, fmt.Errorf("%s: %g to %g around %g is not a span", name, f.From, f.To, f.At)
		}
	}
	for name, o := range p.origins() {
		if err := o.check(); err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
	}
	return p, p.reptileAgrees()
}

func (o Origin) check() error {
	switch o.Mark {
	case Published, FromMemory:
		if o.Source == "" {
			return fmt.Errorf("mark %q needs a source", o.Mark)
		}
	case Judgement:
	case CommonPractice:
		if o.Source != "" {
			return fmt.Errorf("common practice has no single source, yet %q is given", o.Source)
		}
	case "":
		return fmt.Errorf("missing")
	default:
		return fmt.Errorf("mark %q is none of published, common practice, from memory, judgement", o.Mark)
	}
	return nil
}

func (p *Profile) figures() map[string]*Figure {
	return map[string]*Figure{
		"hatch_days": &p.HatchDays, "lockdown_day": &p.LockdownDay, "temperature_c": &p.TemperatureC,
		"lockdown_temperature_c": &p.LockdownC,
		"humidity_set_pct":       &p.HumiditySetPct, "humidity_lockdown_pct": &p.HumidityLockdownPct,
		"egg_g": &p.EggG, "storage_best_days": &p.StorageBestDays, "storage_limit_days": &p.StorageLimitDays,
		"loss_pct": &p.LossPct, "pip_to_out_h": &p.PipToOutH, "internal_to_external_h": &p.InternalToExternalH,
		"bantam_early_days": &p.BantamEarlyDays, "females_per_male": &p.FemalesPerMale, "clutch": &p.Clutch,
		"storage_stretch_days": &p.StorageStretchDays, "usual_fertility_pct": &p.UsualFertilityPct,
		"usual_hatch_pct": &p.UsualHatchPct, "live_hatch_pct": &p.LiveHatchPct, "pull_after_h": &p.PullAfterH,
		"stays_fertile_days": &p.StaysFertileDays, "first_fertile_days": &p.FirstFertileDays,
		"extension_wet_bulb_f": &p.ExtensionWetBulbF, "brood_places": &p.BroodPlaces, "brood_days": &p.BroodDays,
		"clutch_interval_days": &p.ClutchIntervalDays, "gain_pct": &p.GainPct, "danger_c": &p.DangerC,
		"first_shed_days": &p.FirstShedDays, "first_feed_days": &p.FirstFeedDays,
	}
}

// hensStretch is that figure of hens' eggs.
const hensStretch = 10

// HenDays is the age in days at which hens' eggs have lost as much by waiting as this kind's have at an age. It is
// counted from day 1: eggs of a day are fresh, whatever they are.
func (p *Profile) HenDays(ageDays float64) float64 {
	if ageDays <= 1 || p.StorageStretchDays.At <= 1 {
		return ageDays
	}
	return 1 + (ageDays-1)*(hensStretch-1)/(p.StorageStretchDays.At-1)
}

// StoresAsHens tells that waiting costs this kind's eggs what it costs hens', as far as is known.
func (p *Profile) StoresAsHens() bool { return p.StorageStretchDays.At == hensStretch }

// Named is a figure with its name in the data files.
type Named struct {
	Name string
	Figure
}

// Figures lists the figures that the profile gives, by name.
func (p *Profile) Figures() (all []Named) {
	for name, f := range p.figures() {
		if f.Known() {
			all = append(all, Named{name, *f})
		}
	}
	slices.SortFunc(all, func(a, b Named) int { return strings.Compare(a.Name, b.Name) })
	return all
}

// origins lists the marks that must stand: those of figures that are given, and
// those that a profile of this kind may not lack.
func (p *Profile) origins() map[string]Origin {
	must := map[string]Origin{"candle_days": p.CandleDays.Origin}
	needed := []string{
		"temperature_c", "pip_to_out_h", "storage_best_days", "storage_limit_days",
		"usual_fertility_pct", "usual_hatch_pct", "live_hatch_pct", "stays_fertile_days",
	}
	switch p.Kind {
	case Reptile:
		needed = append(needed, "clutch", "danger_c")
		must["duration"], must["sex"], must["shell"] = p.Duration.Origin, p.Sex.Origin, p.Shell.Origin
		if p.Diapause.Rests() {
			must["diapause"] = p.Diapause.Origin
		}
		if p.Limits != (Limits{}) {
			must["limits"] = p.Limits.Origin
		}
	case Bird:
		needed = append(
			needed, "hatch_days", "lockdown_day", "humidity_set_pct", "humidity_lockdown_pct", "egg_g", "loss_pct",
			"internal_to_external_h", "storage_stretch_days", "first_fertile_days",
		)
	default:
		must["kind"] = Origin{}
	}
	for name, f := range p.figures() {
		if f.Known() || slices.Contains(needed, name) {
			must[name] = f.Origin
		}
	}
	return must
}
