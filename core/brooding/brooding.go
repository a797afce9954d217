// Package brooding knows how young are kept in the brooder: how warm by age, with whom, until when,
// and how many places they take. Ages are completed days since they hatched; temperatures °C, under
// the heat. What it knows of the kinds is common practice (kinds.toml).
package brooding

import (
	"bytes"
	_ "embed"
	"fmt"
	"math"
	"slices"
	"sync"
	"time"

	"github.com/pelletier/go-toml/v2"

	"metrogon/core/species"
)

//go:embed kinds.toml
var kindFile []byte

// Keeping is how the young of a kind are kept.
type Keeping struct {
	ID        string   `toml:"id"`
	Like      string   `toml:"like"`
	StartC    float64  `toml:"start_c"`   // in the first week
	LessC     float64  `toml:"less_c"`    // each week
	OutDays   int      `toml:"out_days"`  // old enough to go out, feathered, in mild weather
	GapDays   int      `toml:"gap_days"`  // by which others beside them may be older or younger
	Waterfowl bool     `toml:"waterfowl"` // no medicated feed
	List      []string `toml:"list"`      // what is put ready
}

var read = sync.OnceValues(func() (map[string]Keeping, error) {
	var file struct {
		Kind []Keeping `toml:"kind"`
	}
	err := toml.NewDecoder(bytes.NewReader(kindFile)).DisallowUnknownFields().Decode(&file)
	all := map[string]Keeping{}
	for _, k := range file.Kind {
		all[k.ID] = k
	}
	return all, err
})

// Of tells how the young of a kind are kept.
func Of(p *species.Profile) Keeping {
	all, err := read()
	if err != nil {
		panic(err) // a broken data file cannot pass the tests
	}
	k, ok := all[p.ID]
	if !ok {
		k = all[p.Like()]
	}
	return k.filled(all)
}

// filled takes what a kind does not say from the one that it is like.
func (k Keeping) filled(all map[string]Keeping) Keeping {
	like, ok := all[k.Like]
	if k.ID == "" {
		like, ok = all["chicken"], true
	}
	if !ok {
		return k
	}
	like = like.filled(all)
	if k.StartC == 0 {
		k.StartC = like.StartC
	}
	if k.LessC == 0 {
		k.LessC = like.LessC
	}
	if k.OutDays == 0 {
		k.OutDays = like.OutDays
	}
	if k.GapDays == 0 {
		k.GapDays = like.GapDays
	}
	if k.List == nil {
		k.List = like.List
	}
	k.Waterfowl = k.Waterfowl || like.Waterfowl
	return k
}

// RoomC is where lowering ends: the warmth of a room.
const RoomC = 21

// HeatC is how warm it is under the heat at an age: the start in the first week, and so much less
// each week until the room's.
func (k Keeping) HeatC(days int) float64 {
	return math.Max(RoomC, k.StartC-k.LessC*float64(max(0, days)/7))
}

// Lowered is the age at which the heat is lowered next, with the temperature; ok is false once it is the room's.
func (k Keeping) Lowered(days int) (next int, c float64, ok bool) {
	next = (max(0, days)/7 + 1) * 7
	c = k.HeatC(next)
	return next, c, c < k.HeatC(days)
}

// Lot is young of one kind and age.
type Lot struct {
	Kind *species.Profile
	Days int // old
}

// Apart tells why two lots had better not share a brooder; "" where they may.
func Apart(a, b Lot) string {
	x, y := Of(a.Kind), Of(b.Kind)
	older, younger := a, b
	if b.Days > a.Days {
		older, younger = b, a
	}
	switch gap := older.Days - younger.Days; {
	case x.Waterfowl != y.Waterfowl:
		return "Waterfowl make all wet, and take no medicated feed: apart from others."
	case a.Kind.ID != b.Kind.ID && (quail(a.Kind) || quail(b.Kind)):
		return "Quail are trodden on by larger young, and carry diseases of their own: apart."
	case a.Kind.ID != b.Kind.ID && (turkey(a.Kind) || turkey(b.Kind)):
		return "Turkeys take blackhead from chickens and others: apart."
	case gap > min(x.GapDays, y.GapDays):
		return fmt.Sprintf("%d days between them: the older ones are too warm, the younger ones too cold or trodden on.", gap)
	}
	return ""
}

func quail(p *species.Profile) bool { return of(p, "coturnix-quail") }

func turkey(p *species.Profile) bool { return of(p, "turkey") }

// of tells whether a kind is kept like another.
func of(p *species.Profile, id string) bool {
	all, _ := read()
	return slices.Contains([]string{p.ID, p.Like(), all[p.ID].Like}, id)
}

// Group is young that take room from one date up to another, that one left out (rule 9 of planning.md).
type Group struct {
	From, To time.Time
	Places   float64
	Sure     bool // they hatched; else they are expected
}

// GroupOf gives the room of young that were, or will be, brought in on a date: as many places as the kind takes,
// for as many days.
func GroupOf(p *species.Profile, young float64, from time.Time, sure bool) Group {
	return Group{from, from.AddDate(0, 0, int(p.BroodDays.At)), young * p.BroodPlaces.At, sure}
}

// Day is the room that is taken on a date.
type Day struct {
	On             time.Time
	Sure, Expected float64
}

// Occupied adds groups up, day by day.
func Occupied(groups []Group, from time.Time, days int) []Day {
	all := make([]Day, days)
	for i := range all {
		d := &all[i]
		d.On = from.AddDate(0, 0, i)
		for _, g := range groups {
			switch {
			case g.From.After(d.On) || !g.To.After(d.On):
			case g.Sure:
				d.Sure += g.Places
			default:
				d.Expected += g.Places
			}
		}
	}
	return all
}

// Nestlings says what altricial young want from the first hour on [common practice].
const (
	NestlingsSay = "They are naked and blind, and need food within hours: put them under foster parents whose own young " +
		"are as old, or feed them by hand."
	NestlingsHow = "Warm hands, one at a time, straight into the nest of the foster pair or a warm box. Feed within " +
		"hours, small and often. No chick brooder, no crumb."
)
