package choice

import (
	"cmp"
	"slices"
)

// Dealt is an egg that is dealt out: of a pen, so many days old.
type Dealt struct {
	ID  int64
	Pen int64
	Age int
}

// Deal deals eggs out over n parts as a fair trial wants it: the parts differ by one egg at most, in all and
// of each pen, and have their eggs of all ages: within a pen the oldest are dealt first, and of the next pen
// the freshest. The parts are at least one; the eggs are not changed.
func Deal(eggs []Dealt, n int) [][]int64 {
	parts := make([][]int64, max(n, 1))
	eggs = slices.Clone(eggs)
	slices.SortStableFunc(eggs, func(a, b Dealt) int {
		return cmp.Or(cmp.Compare(a.Pen, b.Pen), b.Age-a.Age, cmp.Compare(a.ID, b.ID))
	})
	for from, pen := 0, 0; from < len(eggs); pen++ {
		to := from + 1
		for to < len(eggs) && eggs[to].Pen == eggs[from].Pen {
			to++
		}
		if pen%2 == 1 {
			slices.Reverse(eggs[from:to])
		}
		from = to
	}
	for i, e := range eggs {
		parts[i%len(parts)] = append(parts[i%len(parts)], e.ID)
	}
	return parts
}

// Evenly takes so many of the eggs, from every pen and age in proportion.
func Evenly(eggs []Dealt, take int) []int64 {
	order := slices.Concat(Deal(eggs, 1)...)
	take = min(max(take, 0), len(order))
	var picked []int64
	for i, id := range order {
		if (i+1)*take/len(order) > i*take/len(order) {
			picked = append(picked, id)
		}
	}
	return picked
}
