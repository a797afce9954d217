package candling

// Growth is what two looks at the air cell tell of an egg through whose shell
// nothing else shows.
type Growth string

// What the air cell says.
const (
	Grows   Growth = "grows as it should"
	Slow    Growth = "grows little: look once more"
	Stands  Growth = "does not grow: out, unless in doubt"
	TooSoon Growth = "too soon to tell"
)

// Growing compares the loss in percent that two looks at the air cell stand for,
// so many days apart, with what eggs of the kind lose in that time (perDay, percent
// of the fresh mass). A cell read by eye is good to two points, so that less
// than a look's worth of growth is told only after three days. Growth is a sign of
// life, not its proof: an egg that died lately loses water too. [Common practice:
// of dark shells only an air cell that grows says "alive".]
func Growing(before, now, days, perDay float64) Growth {
	grown := (now - before) / (days * perDay)
	switch {
	case !(days >= 3):
		return TooSoon
	case grown >= .6:
		return Grows
	case grown >= .25:
		return Slow
	}
	return Stands
}
