// Package choice picks eggs for a set: as few as give a wanted number of young
// with a wanted certainty, in the order and from the pens that were asked for.
package choice

import (
	"cmp"
	"slices"

	"metrogon/core/rates"
)

// Lot is eggs of one pen and age that may be set.
type Lot struct {
	Pen   int64
	Age   float64 // days
	Eggs  int
	Young rates.Beta // believed share of young of a fresh egg set
	Keeps float64    // what waiting leaves of it, 0 to 1
}

// Order of choice.
type Order string

// Oldest first leaves the fresh ones, which can wait; freshest first takes those
// that have lost least; best first those of which most young are expected.
const (
	Oldest   Order = "oldest"
	Freshest Order = "freshest"
	Best     Order = "best"
)

// Wish is what is asked for.
type Wish struct {
	Young     int     // wanted; 0: as many eggs as there is room for
	Certainty float64 // of having at least so many, (0, 1)
	Order     Order
	EveryPen  bool    // pens take turns, so that each is represented
	Room      int     // the most eggs
	Rho       float64 // correlation between the eggs of a batch (rates.Spread)
}

// Choice is how many eggs of each lot to set.
type Choice struct {
	Take     []int // of each lot, in the order given
	Eggs     int
	Young    rates.Young // distribution
	Prob     float64     // of at least the wanted young
	Complete bool        // the certainty is reached
}

// Choose picks the eggs. With fewer eggs than would be needed it takes all that
// there are and room for.
func Choose(lots []Lot, w Wish) Choice {
	line := queue(lots, w)
	line = line[:min(len(line), w.Room)]
	if w.Young == 0 {
		c := take(lots, line, w.Rho)
		c.Complete = true
		return c
	}
	prob := func(n int) float64 { return take(lots, line[:n], w.Rho).Young.AtLeast(w.Young) }
	if len(line) == 0 || prob(len(line)) < w.Certainty {
		c := take(lots, line, w.Rho)
		c.Prob = c.Young.AtLeast(w.Young)
		return c
	}
	lo, hi := min(w.Young, len(line))-1, len(line) // more eggs never give fewer young
	for hi-lo > 1 {
		if mid := (lo + hi) / 2; prob(mid) < w.Certainty {
			lo = mid
		} else {
			hi = mid
		}
	}
	c := take(lots, line[:hi], w.Rho)
	c.Prob, c.Complete = c.Young.AtLeast(w.Young), true
	return c
}

// queue puts every single egg into the order in which it is taken; it names each
// by the index of its lot.
func queue(lots []Lot, w Wish) []int {
	byPen := map[int64][]int{}
	var pens []int64
	order := make([]int, len(lots))
	for i := range lots {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int {
		switch w.Order {
		case Best:
			return cmp.Compare(lots[b].Young.Mean()*lots[b].Keeps, lots[a].Young.Mean()*lots[a].Keeps)
		case Freshest:
			return cmp.Compare(lots[a].Age, lots[b].Age)
		}
		return cmp.Compare(lots[b].Age, lots[a].Age)
	})
	var line []int
	for _, i := range order {
		pen := lots[i].Pen
		if !w.EveryPen {
			pen = 0
		}
		if _, known := byPen[pen]; !known {
			pens = append(pens, pen)
		}
		for range lots[i].Eggs {
			byPen[pen] = append(byPen[pen], i)
		}
	}
	for left := true; left; {
		left = false
		for _, pen := range pens {
			if eggs := byPen[pen]; len(eggs) > 0 {
				line = append(line, eggs[0])
				byPen[pen], left = eggs[1:], true
			}
		}
	}
	return line
}

func take(lots []Lot, line []int, rho float64) Choice {
	c := Choice{Take: make([]int, len(lots)), Eggs: len(line)}
	for _, i := range line {
		c.Take[i]++
	}
	c.Young = Expect(lots, c.Take, rho)
	return c
}

// Expect gives the distribution of young when so many eggs of each lot are set.
// Eggs of one pen share what is believed of it, and all of them what their batch meets.
func Expect(lots []Lot, take []int, rho float64) rates.Young {
	return rates.Expect(Joined(lots, take), rho, true)
}

// Joined makes one lot of so many eggs of each pen's.
func Joined(lots []Lot, take []int) (all []rates.Lot) {
	type pen struct {
		eggs  int
		keeps float64
		young rates.Beta
	}
	byPen := map[int64]*pen{}
	var pens []*pen
	for i, n := range take {
		if n == 0 {
			continue
		}
		p := byPen[lots[i].Pen]
		if p == nil {
			p = &pen{young: lots[i].Young}
			byPen[lots[i].Pen] = p
			pens = append(pens, p)
		}
		p.eggs += n
		p.keeps += float64(n) * lots[i].Keeps
	}
	for _, p := range pens {
		all = append(all, rates.Lot{Eggs: p.eggs, Belief: p.young.Scaled(p.keeps / float64(p.eggs))})
	}
	return all
}
