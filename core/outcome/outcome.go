// Package outcome says how eggs end, and what is known where young were counted
// and not shells.
//
// People count young by pen: "six hatched" out of twelve eggs. Then nobody saw
// which six. The pen, the batch and the machine have their count; anything finer
// (days of storage, a hen, a place on the tray, how shells were treated) is known
// only where all eggs of the count share it.
package outcome

// Fate is how an egg ended; an egg without one is in store or in a machine.
type Fate string

// The fates.
const (
	Hatched   Fate = "hatched"
	Unhatched Fate = "unhatched"
	Removed   Fate = "removed" // taken out of the machine before its time
	// Counted is one of a group of which it is known only how many hatched.
	Counted Fate = "counted"
	// Broken by hand counts against nobody [common practice].
	Broken  Fate = "broken"
	CastOut Fate = "cast-out" // from the store: eaten, sold, given away
)

// Group is the eggs of one pen in one batch of which young were counted and not
// shells.
type Group struct {
	Eggs    int // all that were set; 0: no group
	Counted int // of Eggs, those whose own end nobody saw
	Young   int // that were counted of these, 0 to Counted
}

// OfFertile gives the young of a group's counted eggs that are known as fertile, and
// how many these eggs were. Where it is not known of some eggs whether they were
// fertile, the young are shared out between these and the fertile ones; where that is
// so of more than a third, nothing is told (0 of 0). Young beyond the eggs known as
// fertile came from eggs that were taken for clear.
func (g Group) OfFertile(fertile, unknown int) (young, of int) {
	if unknown == 0 {
		return g.Young, max(fertile, g.Young)
	}
	if 3*unknown > fertile+unknown {
		return 0, 0
	}
	share := (2*g.Young*fertile + fertile + unknown) / (2 * (fertile + unknown)) // rounded
	return min(share, fertile), fertile
}

// Part is the eggs of one pen in one batch that share something finer: the day
// they were laid, a hen, a place, a treatment.
type Part struct {
	Eggs    int   // that were set
	Hatched int   // of those whose own end was seen
	Counted int   // of Eggs, those whose end was not
	Of      Group // to which they belong; zero where every egg's end was seen
}

// Known gives the eggs of which this part's own hatch is known, and how many of
// them hatched. A group tells of a part only if the part is the whole group. Else
// all its eggs are left out, those with an end of their own as well: to share the
// young out would claim that whatever sets the parts apart makes no difference, and
// to keep the others would count the clear and the dead without the hatched.
func (p Part) Known() (set, hatched, leftOut int) {
	switch p.Of.Eggs {
	case 0:
		return p.Eggs, p.Hatched, 0
	case p.Eggs:
		return p.Eggs, p.Hatched + p.Of.Young, 0
	}
	return 0, 0, p.Eggs
}

// Share gives what is to be expected of this part: each of the n counted eggs of a
// group is k/n of a young one. Summed over all parts of a group it is the count
// itself. The variance is that of drawing the part out of the group without
// putting back (hypergeometric): 0 where the part holds all that were counted.
func (p Part) Share() (hatched, variance float64) {
	if p.Counted == 0 || p.Of.Counted == 0 {
		return float64(p.Hatched), 0
	}
	n, k, m := float64(p.Of.Counted), float64(p.Of.Young), float64(p.Counted)
	hatched = float64(p.Hatched) + m*k/n
	if n > 1 {
		variance = m * (k / n) * (1 - k/n) * (n - m) / (n - 1)
	}
	return hatched, variance
}
