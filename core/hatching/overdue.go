package hatching

import (
	"fmt"

	"metrogon/core/species"
)

// Help is one thing to do with eggs that are overdue, in this order.
type Help struct {
	Do, How string
	// Never says to which eggs it is never done; "" where it harms none.
	Never string
}

// OverdueHelp lists what is done with eggs of a kind past their usual time, the gentlest first [common practice].
func OverdueHelp(p *species.Profile) []Help {
	low, high := PipToOut(p)
	return []Help{
		{"Wait first", fmt.Sprintf("Slow ones exist: old eggs, cool corners, a cold spell. From the first star in the "+
			"shell a %s takes %.0f to %.0f hours, and rests in between.", p.Young, low, high), ""},
		{"Tap and listen", "Hold it to your ear, tap twice with a nail, whistle low. Peeping, scratching or a knock: it " +
			"lives. Silence tells nothing.", ""},
		{"Into the light", "A beak’s shadow or a bulge that moves in the air cell: put it back, humidity up, lid shut. " +
			"An edge that dips is normal now. Look for a minute, keep it warm.", ""},
		{"A star, but no further", "Mist it and leave it. Help only long after the usual time, only where the blood " +
			"vessels have drawn back: those that are helped early mostly bleed. In doubt ask somebody who has done it.", ""},
		{"The water float, last of all", "Only where nothing else tells: blood-warm water, still, half a minute. One that " +
			"jerks lives; dry it and put it back at once. Stillness proves nothing: give that one a day more.",
			"Never one that has pipped or is cracked: it drowns. Never one that may still hatch in its usual time."},
		{"Then open it outdoors", "Gloves, a bag, away from your face. What it shows tells what to do next time.",
			"Never indoors: rotten ones burst."},
	}
}
