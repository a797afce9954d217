package candling

import "slices"

// looseHatch is how many of eggs hatch whose air cell came loose or displaced, beside as many sound ones of the same
// parcel [judgement: keepers hatch some of them, and far fewer].
const looseHatch = 0.5

// Cell is what an egg that was never seen alive is worth by its air cell, 0 to 1: seen displaced by the lamp, or one
// of a parcel in which the share loose (0 to 1) of the eggs came so.
func Cell(calls []string, loose float64) float64 {
	if slices.Contains(calls, string(Displaced)) {
		loose = 1
	}
	return 1 - (1-looseHatch)*loose
}
