package candling

import (
	"math/rand/v2"

	"metrogon/core/species"
)

// Drill is an egg to practise on. It is drawn from its seed, so that the same
// one can be shown again.
type Drill struct {
	Kind       *species.Profile
	Day, Hatch float64
	Truth      Call
	DarkShell  bool // little can be seen through it
	Seed       uint64
}

// Drills makes a set of n eggs from a seed, the same each time: live ones in the
// majority, as in a tray, on days on which candling tells something.
func Drills(seed uint64, n int) []Drill {
	dice := rand.New(rand.NewPCG(seed, 7))
	kinds := []string{"chicken", "chicken", "coturnix-quail", "duck", "turkey", "goose"}
	truths := []Call{Live, Live, Live, Live, Live, Clear, Clear, Ring, Quit, Quit, Displaced}
	all := make([]Drill, n)
	for i := range all {
		p, err := species.Find(kinds[dice.IntN(len(kinds))])
		if err != nil {
			panic(err) // the shipped kinds are tested
		}
		d := Drill{Kind: p, Hatch: p.HatchDays.At, Truth: truths[dice.IntN(len(truths))], Seed: dice.Uint64N(1 << 40)}
		d.Day = d.Hatch * (.27 + .55*dice.Float64())
		if d.Truth == Live && dice.IntN(4) == 0 { // at lockdown: the edge dips, a beak moves
			d.Day = d.Hatch * (.82 + .1*dice.Float64())
		}
		if d.Truth == Ring { // rings show early
			d.Day = d.Hatch * (.25 + .2*dice.Float64())
		}
		if d.Truth == Quit {
			d.Day = d.Hatch * (.45 + .35*dice.Float64())
		}
		d.DarkShell = dice.IntN(8) == 0
		all[i] = d
	}
	return all
}

// Mistake is a kind of wrong call, the costliest first.
type Mistake string

// The kinds of mistake.
const (
	Right      Mistake = ""
	LiveThrown Mistake = "a live one thrown out" // lost for good
	DeadKept   Mistake = "a dead one kept"       // smell and burst risk, and its place
	WrongName  Mistake = "the wrong name"        // out all the same, but the pen's fertility is miscounted
	TooTimid   Mistake = "unsure without need"   // costs another look
)

// Mistakes lists them, the costliest first.
var Mistakes = []Mistake{LiveThrown, DeadKept, WrongName, TooTimid}

// Mistaken tells what a call was worth.
func (d Drill) Mistaken(said Call) Mistake {
	switch {
	case said == d.Truth, d.DarkShell && (said == Unseen || said == Unsure):
		return Right
	case said == Unsure || said == Unseen:
		return TooTimid
	case d.Truth == Displaced && said == Live:
		return WrongName
	case d.Truth == Live || d.Truth == Displaced:
		return LiveThrown
	case said == Live:
		return DeadKept
	}
	return WrongName
}

// Practice is a set on the way: the next egg, and how it went so far.
type Practice struct {
	Set      []Drill
	Next     int // index of the egg to be called; -1: all are done
	Asked    int
	RightNow int
	Mistakes map[Mistake]int
	Last     int // index of the egg called last; -1: none yet
	Said     Call
	Was      Mistake // what the last call was worth
	Left     int     // eggs still to come, missed ones among them
}

// Run plays the answers through a set: each egg once, and those that were missed
// again at the end until they are right.
func Run(set []Drill, answers []Call) Practice {
	p := Practice{Set: set, Mistakes: map[Mistake]int{}, Last: -1, Next: -1}
	queue := make([]int, len(set))
	for i := range queue {
		queue[i] = i
	}
	for _, said := range answers {
		if len(queue) == 0 {
			break
		}
		p.Last, p.Said = queue[0], said
		queue = queue[1:]
		p.Asked++
		if p.Was = set[p.Last].Mistaken(said); p.Was == Right {
			p.RightNow++
		} else {
			p.Mistakes[p.Was]++
			queue = append(queue, p.Last)
		}
	}
	if len(queue) > 0 {
		p.Next = queue[0]
	}
	p.Left = len(queue)
	return p
}
