package reptile

import (
	"math/rand/v2"
	"slices"

	"metrogon/core/candling"
	"metrogon/core/species"
)

// Choice is what a keeper would do about an egg.
type Choice string

// The choices.
const (
	Lives Choice = "lives" // it is well
	Leave Choice = "leave" // leave it, look again another day
	Weigh Choice = "weigh" // weigh the box: too dry, or too wet
	Out   Choice = "out"   // it is lost
)

// Choices lists them.
var Choices = []Choice{Lives, Leave, Weigh, Out}

// Drill is an egg to be told.
type Drill struct {
	Kind  *species.Profile
	Signs []Sign
	Grown float64 // share of development, 0 to 1
	Seed  uint64
}

// drilled are what eggs of a drill show; each at some time of its life.
var drilled = [][]Sign{
	{Veins}, {Opaque}, {Dented}, {Dented, Veins}, {Sweating}, {Mouldy, Veins}, {Mouldy}, {Pale}, {Windowed, Veins},
	{Caved, Mouldy, Pale}, {Caved, Smelly, Pale}, {Caved}, {Dented, Opaque}, {Fine},
}

// drilledAt are the shares of development of drills: each stage of looking.
var drilledAt = []float64{0.2, 0.4, 0.7, 0.94}

// Drills are n eggs, the same each time for the same set.
func Drills(set uint64, n int) (all []Drill) {
	dice := rand.New(rand.NewPCG(set, 23))
	var kinds []*species.Profile
	for _, p := range species.All() {
		if p.IsReptile() {
			kinds = append(kinds, p)
		}
	}
	order := dice.Perm(len(drilled))
	for i := range n {
		d := Drill{
			Kind: kinds[dice.IntN(len(kinds))], Signs: drilled[order[i%len(order)]],
			Grown: drilledAt[dice.IntN(len(drilledAt))], Seed: dice.Uint64() >> 40,
		}
		if slices.Contains(d.Signs, Opaque) && d.Grown < opaqueFrom {
			d.Grown = drilledAt[2]
		}
		all = append(all, d)
	}
	return all
}

// Right is what is to be done, and why.
func (d Drill) Right() (Choice, string) {
	call := Judge(d.Kind, d.Signs, d.Grown)
	for _, s := range d.Signs {
		if m := Means(d.Kind, s, d.Grown); m.Weigh && call != candling.Bad {
			return Weigh, m.Says + " " + m.Do
		}
	}
	last := Means(d.Kind, d.Signs[len(d.Signs)-1], d.Grown)
	switch call {
	case candling.Live:
		return Lives, Means(d.Kind, d.Signs[0], d.Grown).Says + " " + last.Says
	case candling.Bad:
		return Out, "Caved in, with mould or smell and no glow: lost."
	}
	return Leave, last.Says + " " + last.Do
}
