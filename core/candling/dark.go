package candling

// Water is what two looks at the air cell tell of an egg through whose shell nothing else
// shows: that it loses water, and no more. A clear or dead egg loses almost as much as a
// live one, since water leaves by diffusion through the shell [Ar & Rahn 1980, Water in the
// avian egg: overall budget of incubation], so a cell that grows is no sign of life, and one
// that does not is none of death.
type Water string

// What the air cell says.
const (
	Loses     Water = "loses water as it should"
	LosesFew  Water = "seems to lose little water: read it again, and check the humidity"
	TooSoon   Water = "too soon to tell"
	DarkShell       = "An air cell grows in a dead egg as in a live one, so it condemns none. Look again on days 10, " +
		"14 and 18 with a stronger lamp, in full dark: in a live one the shadow fills more of the egg each time, and " +
		"its edge moves. What cannot be seen is settled at lockdown, by the edge of the cell, movement, smell and " +
		"weight in the hand, or by the hatch; until then it counts as unknown."
)

// Losing compares the loss in percent that two looks at the air cell stand for, so many
// days apart, with what eggs of the kind lose in that time (perDay, percent of the fresh
// mass). A cell read by eye is good to two points, so that nothing is told before three
// days.
func Losing(before, now, days, perDay float64) Water {
	switch {
	case !(days >= 3):
		return TooSoon
	case (now-before)/(days*perDay) >= .4:
		return Loses
	}
	return LosesFew
}
