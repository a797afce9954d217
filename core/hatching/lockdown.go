package hatching

import (
	"fmt"

	"metrogon/core/species"
)

// Step is one thing to do at lockdown, and why.
type Step struct {
	ID, Do, Why string
}

// UnderHen lists what is done where the eggs hatch under a broody hen [common practice].
func UnderHen() []Step {
	return []Step{
		{"feed", "Food, water and grit within her reach", "She may not leave the nest any more."},
		{"quiet", "Other hens kept off, no draught, no rats", "What is disturbed now is lost."},
		{"shut", "Nobody lifts her until the young are out", "She turns, airs and moistens them herself."},
	}
}

// Lockdown lists what is done before the lid is shut [common practice]: humidity is what the kind and
// the farm's school hold in lockdown; apart tells that the eggs move to a machine that does not turn, mist that
// its school mists whatever is opened.
func Lockdown(humidity species.Figure, apart, mist bool) []Step {
	turner := Step{"turner", "Turner off, and out", "Nothing turns from now on: they take their place for the pip."}
	if apart {
		turner = Step{"turner", "Out of the turner, into the hatcher", "Nothing turns from now on. Warm, clean and running."}
	}
	steps := []Step{
		{"look", "A last look", "Clears and dead ones out; nobody opens it again for three days."},
		turner,
		{"liner", "A floor that does not slip", "Rubber mesh or paper towel: on a slick one legs splay."},
		{"lay", "Eggs on their side, with room between", "In baskets or areas by pen, so that the young can be told apart."},
		{"thermometer", "A thermometer in the middle, at egg height", "What the display shows is not what they feel."},
		{"water", "Lukewarm water for three days", "It has to last without the lid: fill every channel that is used."},
		{
			"humidity", fmt.Sprintf("Humidity to %.0f–%.0f %%", humidity.From, humidity.To),
			"Soft membranes let them through. Water's surface makes it, not its depth.",
		},
		{
			"vents", "Vents a little shut, and fully open once they pip",
			"Shut they hold the humidity; from the first pip on air matters more.",
		},
	}
	if mist {
		steps = append(steps, Step{"mist", "A fine lukewarm mist, last of all", "Its school mists whatever was opened."})
	}
	return append(steps, Step{"shut", "Shut until the hatch is over", "Note when: what is opened later is written down."})
}
