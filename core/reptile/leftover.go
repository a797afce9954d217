package reptile

import (
	"fmt"

	"metrogon/core/candling"
	"metrogon/core/units"
)

// Cause is why an egg may not have hatched.
type Cause string

// The causes, in a keeper's words.
const (
	TooWet    Cause = "too wet"
	TooDry    Cause = "too dry"
	Hot       Cause = "too hot"
	Cold      Cause = "too cold"
	NoAir     Cause = "no air"
	Slug      Cause = "infertile slug"
	Neighbour Cause = "mould from a dead neighbour"
	Moved     Cause = "moved after its first day"
	Unknown   Cause = "nobody can tell"
)

// Causes lists them in the order in which they are asked.
var Causes = []Cause{Slug, TooDry, TooWet, Hot, Cold, NoAir, Neighbour, Moved, Unknown}

// Kept is what is known of how a clutch was kept; nil is not known.
type Kept struct {
	HotH, ColdH    float64  // hours from the dangerous heat on, and below the usual
	LostShare      *float64 // the most of its water that the box had lost
	OverG          *float64 // by which the box was heavier than it should be, g
	AiredDays      *float64 // the longest time between two airings
	DeadBeside     int      // neighbours that were mouldy or bad
	Dented, Sweaty bool     // it, or its sisters, long before the hatch
}

// Reason is a cause with what speaks for and against it.
type Reason struct {
	Cause        Cause
	For, Against []string
}

// Signs of dryness and stale air [common practice].
const (
	dryShare  = 0.35
	airedDays = 21
)

// Why lists what may have cost an egg that was opened at a stage, as far as anything speaks for it, the most likely
// first; none where nothing is known. It points, it does not prove.
func Why(stage candling.Stage, k Kept, u units.Reader) (all []Reason) {
	add := func(c Cause, pro, con []string) {
		if len(pro) > 0 {
			all = append(all, Reason{c, pro, con})
		}
	}
	if stage == candling.Infertile {
		add(Slug, []string{"No vein, no embryo: nothing ever grew."}, nil)
		return all
	}
	say := func(is bool, text string) []string {
		if !is {
			return nil
		}
		return []string{text}
	}
	late := stage == candling.Late || stage == candling.PippedDead
	hot := say(k.HotH > 0, spell(k.HotH)+" of dangerous heat.")
	add(Hot, hot, nil)
	dry := say(k.LostShare != nil && *k.LostShare > dryShare, shareSays(k.LostShare))
	dry = append(dry, say(k.Dented, "Dents long before the hatch.")...)
	add(TooDry, dry, say(k.LostShare != nil && *k.LostShare <= dryShare/2, "The box had lost little."))
	wet := say(k.OverG != nil && *k.OverG > leaveG, overSays(k.OverG, u))
	wet = append(wet, say(k.Sweaty && late, "It sweated long before the hatch.")...)
	add(TooWet, wet, say(k.Dented, "Yet there were dents."))
	add(NoAir, say(late && k.AiredDays != nil && *k.AiredDays > airedDays, airSays(k.AiredDays)), nil)
	add(Neighbour, say(k.DeadBeside > 0 && stage != candling.PippedDead,
		fmt.Sprintf("%d beside it were bad.", k.DeadBeside)), nil)
	add(Cold, say(k.ColdH > 72, spell(k.ColdH)+" below the usual."),
		say(late, "Cold delays more than it kills late ones."))
	return all
}

func shareSays(share *float64) string {
	if share == nil {
		return ""
	}
	return fmt.Sprintf("The box had lost %.0f %% of its water.", 100**share)
}

func overSays(over *float64, u units.Reader) string {
	if over == nil {
		return ""
	}
	return fmt.Sprintf("The box weighed %s more than it should.", u.Mass(*over))
}

func airSays(days *float64) string {
	if days == nil {
		return ""
	}
	return fmt.Sprintf("It was not aired for %.0f days; embryos need most air late.", *days)
}
