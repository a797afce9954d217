// Package machine knows the kinds of machine that keep eggs warm, a broody hen
// among them: what each is for, and what has to be done before eggs go in. Source
// of what is said here: common practice.
package machine

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"metrogon/core/species"
	"metrogon/core/tray"
)

// ID names a kind of machine.
type ID string

// The kinds.
const (
	ForcedAir  ID = "forced-air"
	StillAir   ID = "still-air"
	Cabinet    ID = "cabinet"
	Hatcher    ID = "hatcher"
	AllInOne   ID = "all-in-one"
	BroodyHen  ID = "broody-hen"
	ReptileBox ID = "reptile-box"
)

// Kind is one kind of machine.
type Kind struct {
	ID       ID
	Name     string // in the words of the trade
	Sets     bool   // eggs turn, or lie, in it until lockdown
	Hatches  bool   // they hatch in it
	StillAir bool   // no fan: it is run warmer, measured at the top of the eggs
	Steps    []Step // of making it ready, in order
}

// Step is one thing to do before eggs go in.
type Step struct{ ID, Title, Why string }

// WarmUp is the step whose ticking starts the clock.
const WarmUp = "warm"

// Turner is the step that a machine without one does not need.
const Turner = "turner"

var (
	clean = Step{
		"clean", "Cleaned and sanitized",
		"After every hatch and before every set. As the label says; never mix cleaners.",
	}
	place  = Step{"place", "Out of draughts and sun", "At a steady room temperature."}
	outlet = Step{
		"outlet", "Protected outlet, drip loop",
		"A residual-current outlet and surge strip; the cable hangs lower than the plug; no extension chains.",
	}
	water     = Step{"water", "Water channels filled", "Room-warm water; surface, not depth, makes humidity."}
	floor     = Step{"floor", "Floor fitted", "So that no corner lifts."}
	turner    = Step{Turner, "Turner fitted and running", "Watch it turn once each way."}
	substrate = Step{
		"substrate", "Substrate mixed and weighed",
		"Coarse vermiculite or perlite with 0.8 to 1 part of water by weight; note what the box weighs.",
	}
	nest = Step{
		"nest", "Nest clean, hen sitting tight",
		"On dummy eggs for two days; dusted against mites as the label says.",
	}
	warm         = Step{WarmUp, "Running empty at temperature", "Until the reading is steady."}
	thermometers = Step{
		"thermometers", "Thermometers compared",
		"Two or three at egg height, in several places; the corrected reading counts, not the display." +
			" It holds within half a degree Celsius.",
	}
)

var (
	setter  = []Step{clean, place, outlet, water, floor, turner, warm, thermometers}
	hatcher = []Step{clean, place, outlet, water, floor, warm, thermometers}
	kinds   = []Kind{
		{ID: ForcedAir, Name: "Forced-air setter", Sets: true, Hatches: true, Steps: setter},
		{ID: StillAir, Name: "Still-air setter", Sets: true, Hatches: true, StillAir: true, Steps: setter},
		{ID: Cabinet, Name: "Cabinet setter", Sets: true, Hatches: true, Steps: setter},
		{ID: Hatcher, Name: "Hatcher", Hatches: true, Steps: hatcher},
		{ID: AllInOne, Name: "All-in-one", Sets: true, Hatches: true, Steps: setter},
		{ID: BroodyHen, Name: "Broody hen", Sets: true, Hatches: true, Steps: []Step{nest}},
		{
			ID: ReptileBox, Name: "Reptile incubator", Sets: true, Hatches: true,
			Steps: []Step{clean, substrate, warm, thermometers},
		},
	}
)

// Kinds lists every kind, the common ones first.
func Kinds() []Kind { return slices.Clone(kinds) }

// How many hens' eggs a machine of a kind usually holds, setting and hatching [common practice]:
// what a form begins with.
var usual = map[ID][2]int{
	ForcedAir: {48, 36}, StillAir: {40, 36}, Cabinet: {180, 0}, Hatcher: {0, 60}, AllInOne: {24, 20}, BroodyHen: {10, 10},
	ReptileBox: {24, 0},
}

// UsualRoom is how many eggs of a kind of animal a machine of this kind usually holds. Birds'
// machines hold no reptiles, nor the other way round.
func (k Kind) UsualRoom(p *species.Profile) (setting, hatching int) {
	room := usual[k.ID]
	return k.RoomFor(p, room[0]), k.RoomFor(p, room[1])
}

// RoomFor is how many eggs of a kind of animal fit where so many hens' eggs do: by the area that an egg
// covers, four quail's eggs in the place of one. A reptile box is counted in its own eggs.
func (k Kind) RoomFor(p *species.Profile, hens int) int {
	switch {
	case p.IsReptile() != (k.ID == ReptileBox):
		return 0
	case p.IsReptile():
		return hens
	}
	per := float64(tray.PerPlace(p))
	if per == 1 {
		per = min(1, math.Pow(58/p.EggG.At, 2./3))
	}
	return int(per * float64(hens))
}

// Called finds a kind as people write it in a list: "still air", "the cabinet", "hen".
func Called(text string) (Kind, error) {
	plain := strings.ToLower(text)
	for _, word := range []struct {
		part string
		id   ID
	}{
		{"still", StillAir}, {"cabinet", Cabinet}, {"all", AllInOne}, {"hatcher", Hatcher}, {"broody", BroodyHen},
		{"hen", BroodyHen}, {"reptile", ReptileBox}, {"forced", ForcedAir}, {"fan", ForcedAir}, {"setter", ForcedAir},
	} {
		if strings.Contains(plain, word.part) {
			return Find(string(word.id))
		}
	}
	return Find(text)
}

// Find gives a kind by its id, or an error that names it.
func Find(id string) (Kind, error) {
	for _, k := range kinds {
		if string(k.ID) == id {
			return k, nil
		}
	}
	return Kind{}, fmt.Errorf("%q is no kind of machine", id)
}

// HatchesOnly tells a machine that is kept for the hatch; of a kind that is not known
// nothing is told.
func HatchesOnly(id string) bool {
	k, err := Find(id)
	return err == nil && k.Hatches && !k.Sets
}

// WithoutFan tells a still-air machine.
func WithoutFan(id string) bool {
	k, err := Find(id)
	return err == nil && k.StillAir
}

// Ready lists the steps of making a machine of this kind ready; one without a
// turner needs none fitted.
func (k Kind) Ready(byHand bool) []Step {
	return slices.DeleteFunc(slices.Clone(k.Steps), func(s Step) bool { return s.ID == Turner && byHand })
}

// Step finds a step of this kind, or gives an error that names it.
func (k Kind) Step(id string, byHand bool) (Step, error) {
	all := k.Ready(byHand)
	i := slices.IndexFunc(all, func(s Step) bool { return s.ID == id })
	if i < 0 {
		return Step{}, fmt.Errorf("%q is no step of making ready: %s", id, k.Name)
	}
	return all[i], nil
}
