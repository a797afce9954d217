package reptile

import (
	"metrogon/core/candling"
	"metrogon/core/species"
)

// Sign is something that is seen of an egg without moving it.
type Sign string

// The signs.
const (
	Veins    Sign = "veins"    // a pink glow, veins
	Opaque   Sign = "opaque"   // dark, nothing shines through
	Pale     Sign = "pale"     // yellow or white all over, no glow
	Windowed Sign = "windowed" // a clear, thin patch of shell
	Dented   Sign = "dented"
	Sweating Sign = "sweating" // drops on the shell
	Mouldy   Sign = "mouldy"
	Caved    Sign = "caved" // collapsed
	Smelly   Sign = "smelly"
	Fine     Sign = "fine" // white, full, nothing to see
)

// Named is a sign with its name.
type Named struct {
	Sign Sign
	Name string
}

// Signs lists them in the order in which they are looked for.
var Signs = []Named{
	{Fine, "full and white"}, {Veins, "pink glow, veins"}, {Opaque, "dark, opaque"}, {Pale, "yellow, no glow"},
	{Windowed, "windowed"}, {Dented, "dented"}, {Sweating, "sweating"}, {Mouldy, "mould on it"}, {Caved, "caved in"},
	{Smelly, "smells"},
}

// NameOf a sign; "" of what is none.
func NameOf(s Sign) string {
	for _, n := range Signs {
		if n.Sign == s {
			return n.Name
		}
	}
	return ""
}

// Stages of looking: shares of development.
const (
	glowFrom   = 0.12 // veins show from about a week or two on
	opaqueFrom = 0.6
	nearHatch  = 0.85
)

// Stage names where in its life a clutch is, for what an egg looks like then.
type Stage string

// The stages.
const (
	Fresh Stage = "fresh"
	Early Stage = "early"
	Late  Stage = "late"
	Near  Stage = "near"
)

// StageAt is the stage when so much of development is over.
func StageAt(grown float64) Stage {
	switch {
	case grown < glowFrom:
		return Fresh
	case grown < opaqueFrom:
		return Early
	case grown < nearHatch:
		return Late
	}
	return Near
}

// Expect says what a live egg looks like when so much is over, with light from the side and the top kept up
// [common practice].
func Expect(p *species.Profile, grown float64) string {
	switch StageAt(grown) {
	case Fresh:
		return "Nothing to see yet but a pale glow: good and bad eggs look alike. Leave them."
	case Early:
		return "A pink glow with veins in a live one. Some show them weeks late; an egg that is full and white is left."
	case Late:
		return "It grows dark and opaque. That is the young that fills it, not a dead egg."
	}
	if p.Shell.Type == species.Hard {
		return "Dark. A hair crack, then a hole: it pips. Some weigh less than before."
	}
	return "Dark, and many dent or sweat in the last days: that is normal now. Leave the box shut."
}

// Meaning is what a sign tells when so much is over, and what to do about it.
type Meaning struct {
	Says, Do string
	Call     candling.Call // what it tells of life; "" says nothing
	Weigh    bool          // the box, to know
}

// Means reads a sign [common practice]. No single sign condemns an egg but its smell with its collapse.
func Means(p *species.Profile, s Sign, grown float64) Meaning {
	near := grown >= nearHatch
	switch s {
	case Veins:
		return Meaning{Says: "It lives.", Call: candling.Live}
	case Opaque:
		if grown < opaqueFrom {
			return Meaning{
				Says: "Early for that; a thick shell or a dark spot of substrate looks so too.", Call: candling.Unsure,
			}
		}
		return Meaning{Says: "A young fills it.", Call: candling.Live}
	case Pale:
		if grown < 0.3 {
			return Meaning{Says: "Too early to tell: slow ones look so.", Do: "Leave it.", Call: candling.Unsure}
		}
		return Meaning{Says: "Likely a slug, or dead; slow ones exist.", Do: "Leave it until it caves in and smells.",
			Call: candling.Unsure}
	case Windowed:
		return Meaning{Says: "The shell is thin there: it dries out first at that place.",
			Do: "A pinch of damp moss over it, no water on the shell.", Weigh: true}
	case Dented:
		if near {
			return Meaning{Says: "Normal shortly before the hatch.", Do: "Leave it, and give no water now."}
		}
		return Meaning{Says: "Too dry, or the box stood open.", Do: "Weigh the box and give back what it lost.", Weigh: true}
	case Sweating:
		if near {
			return Meaning{Says: "Many sweat a day or two before they pip.", Do: "Leave the box shut."}
		}
		return Meaning{Says: "The box is wet or its temperature swings.",
			Do: "Wipe the lid, not the egg; give no water for now.", Weigh: true}
	case Mouldy:
		return Meaning{Says: "Mould settles on dead spots first; live eggs get some from a dead neighbour.",
			Do: "Brush it off dry, air the box. Leave the egg if it is full."}
	case Caved:
		if near {
			return Meaning{Says: "Shortly before the hatch many cave in a little.", Do: "Leave it."}
		}
		return Meaning{Says: "Dry, or dead.", Do: "Weigh the box; look again in three days, not sooner.", Weigh: true,
			Call: candling.Unsure}
	case Smelly:
		return Meaning{Says: "Something rots; it may be a neighbour.", Do: "Find the one that is caved in, yellow and " +
			"mouldy too. Gloves; a bag; wash your hands.", Call: candling.Unsure}
	}
	return Meaning{Says: "As it should be."}
}

// Judge is what all signs of one look tell together: an egg is called bad only where smell or mould comes with
// collapse and no glow, and not shortly before the hatch.
func Judge(p *species.Profile, signs []Sign, grown float64) candling.Call {
	has := map[Sign]bool{}
	for _, s := range signs {
		has[s] = true
	}
	rotten := has[Caved] && (has[Smelly] || has[Mouldy] && has[Pale])
	switch {
	case has[Veins]:
		return candling.Live
	case rotten && (grown < nearHatch || has[Smelly] && has[Pale]):
		return candling.Bad
	case has[Opaque] && grown >= opaqueFrom:
		return candling.Live
	case has[Pale] || has[Caved] || has[Smelly] || has[Opaque]:
		return candling.Unsure
	}
	return ""
}
