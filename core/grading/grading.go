// Package grading tells at collection which eggs are fit to be set. Masses in g.
package grading

import (
	"fmt"
	"math"

	"metrogon/core/units"
)

// Reason is why an egg is not set.
type Reason struct {
	ID, Name string
	Why      string // what it is and how it is seen
}

// Broken is the reason of an egg that broke in the nest or on the way.
const Broken = "broken"

// Reasons to reject an egg [common practice].
var Reasons = []Reason{
	{"crack", "cracked", "Candle for hairlines; in water a stream of bubbles shows one."},
	{"double", "double yolk", "Large; two yolks when candled."},
	{"small", "too small", "Far below what this pen usually lays."},
	{"large", "too large", "Far above what this pen usually lays."},
	{"shape", "shape", "Wrinkled, ridged, round, or pointed so that the blunt end cannot be told."},
	{"dirty", "dirty", "Soiled so that brushing would not help."},
	{"pullet", "first eggs", "The first eggs of a young layer hatch badly."},
	{"floats", "floats", "Lies on the water: too old, do not set. Never float an egg with an embryo."},
	{Broken, "broken", "Broken in the nest or on the way."},
}

// Begun is the reason of eggs that were taken over part-incubated. They are set on trial: whatever died before is
// not among them, so they tell nothing of a pen.
const Begun = "begun"

// Known finds a reason, of Reasons or Begun.
func Known(id string) (Reason, bool) {
	for _, r := range append(Reasons[:len(Reasons):len(Reasons)], Reason{Begun, "part-incubated", ""}) {
		if r.ID == id {
			return r, true
		}
	}
	return Reason{}, false
}

// Usual is what a pen's eggs weigh, from those that were weighed.
type Usual struct {
	N        int
	Mean, SD float64
}

// Enough eggs for a pen's own usual size to be trusted.
const enough = 10

// Size judges an egg's mass against the pen's own usual size, or, until enough
// of its eggs were weighed, against the species' figure: usual lies within two
// standard deviations, but at least 12 % and at most 25 % around the mean
// [common practice: take normal ones]. It says nothing for a usual egg, or
// where nothing is known to compare with.
func (u Usual) Size(mass, speciesMass float64, r units.Reader) (reason, says string) {
	mean, slack, against := speciesMass, .25, "of this kind"
	if u.N >= enough {
		mean, slack, against = u.Mean, min(max(2*u.SD/u.Mean, .12), .25), "of this pen"
	}
	if mean == 0 || mass == 0 || math.Abs(mass/mean-1) <= slack {
		return "", ""
	}
	reason, word := "small", "small"
	if mass > mean {
		reason, word = "large", "large"
	}
	return reason, fmt.Sprintf("%s is %s: eggs %s weigh about %s.", r.Mass(mass), word, against, r.Mass(mean))
}

// youngLayers is the age in weeks below which hens of a kind lay first eggs [common practice: some weeks after
// they come into lay].
var youngLayers = map[string]int{
	"chicken": 26, "coturnix-quail": 9, "bobwhite-quail": 30, "duck": 28, "muscovy-duck": 34, "turkey": 36, "goose": 48,
	"guinea-fowl": 36, "pheasant": 46,
}

// YoungLayer tells whether hens of a kind are so young, in weeks, that their first eggs, which hatch badly, may
// be among those that they lay.
func YoungLayer(species string, weeks int) bool { return weeks >= 0 && weeks < youngLayers[species] }
