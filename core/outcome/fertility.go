package outcome

import (
	"fmt"

	"metrogon/core/rates"
)

// Looked is what is known of the fertility of one pen's eggs in one batch; eggs broken by
// hand are in none of the counts.
type Looked struct {
	Fertile   int // seen alive, with a ring or a quit, or with an embryo on opening
	Infertile int // clear, or infertile on opening
	Hatched   int // of which nothing was seen before they hatched
	Unknown   int // of which nobody can say
}

// Add counts one egg, of which it is known or not whether it was fertile.
func (l *Looked) Add(fertile, known, hatched bool) {
	switch {
	case known && fertile:
		l.Fertile++
	case known:
		l.Infertile++
	case hatched:
		l.Hatched++
	default:
		l.Unknown++
	}
}

// Plus joins what is known of more eggs.
func (l Looked) Plus(m Looked) Looked {
	return Looked{l.Fertile + m.Fertile, l.Infertile + m.Infertile, l.Hatched + m.Hatched, l.Unknown + m.Unknown}
}

// All eggs.
func (l Looked) All() int { return l.Fertile + l.Infertile + l.Hatched + l.Unknown }

// Known tells that of nearly all it is known: fewer than one in ten are unknown.
func (l Looked) Known() bool { return 10*l.Unknown < l.All() }

// AtLeast are known to be fertile; a hatch proves it.
func (l Looked) AtLeast() int { return l.Fertile + l.Hatched }

// AtMost might be fertile.
func (l Looked) AtMost() int { return l.AtLeast() + l.Unknown }

// UsualHatch is the hatch of fertile eggs where nothing else is known [common practice].
const UsualHatch = 0.80

// Count tells how many eggs are reckoned as fertile, and of how many; 0 of 0 where the
// eggs do not tell, with the reason.
//
// Where fewer than one in ten are unknown, they are left out. Where more are, their fate
// may have decided who is known: of twenty dark shells of which twelve hatched, "12 of 12"
// counts only the winners. Once the batch is done, those that hatched unseen stand for
// the fertile ones of that group at the hatch of fertile eggs (the pen's own, else the
// kind's, 0 to 1); all of them are counted.
func (l Looked) Count(done bool, hatchOfFertile float64) (c rates.Count, why string) {
	all := float64(l.All())
	told := fmt.Sprintf("at least %d of %d", l.AtLeast(), l.All())
	switch {
	case l.Fertile+l.Infertile+l.Hatched == 0:
		return c, "nobody has looked yet"
	case l.Known():
		return rates.Count{K: float64(l.AtLeast()), N: all - float64(l.Unknown)}, ""
	case !done:
		return c, fmt.Sprintf("%s, at most %d: the others are not called yet", told, l.AtMost())
	case l.Hatched == 0:
		return c, fmt.Sprintf("%s, at most %d: of the others nobody can say", told, l.AtMost())
	}
	unseen := min(float64(l.Hatched)/hatchOfFertile, float64(l.Hatched+l.Unknown))
	return rates.Count{K: float64(l.Fertile) + unseen, N: all},
		told + ": those that nobody could see are reckoned from those that hatched"
}

// Interval is the rate of a count of these eggs, with the bounds that hold it with this
// confidence in (0, 1).
func (l Looked) Interval(c rates.Count, confidence float64) rates.Interval {
	in := c.Wilson(confidence)
	if c.N == float64(l.All()) {
		return l.Widened(in)
	}
	return in
}

// Widened makes an interval reach at least half the way from its rate to what is the least
// and the most possible, where unknown eggs were shared out.
func (l Looked) Widened(in rates.Interval) rates.Interval {
	if l.Unknown == 0 {
		return in
	}
	least, most := float64(l.AtLeast())/float64(l.All()), float64(l.AtMost())/float64(l.All())
	in.Low, in.High = min(in.Low, (in.Rate+least)/2), max(in.High, (in.Rate+most)/2)
	return in
}
