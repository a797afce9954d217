package season

import "fmt"

// Change is one difference between a plan that was agreed on and a new one.
type Change struct {
	What   string  `json:"what"` // dropped, new, more, fewer
	Batch  Batch   `json:"batch"`
	Before float64 `json:"before"` // eggs
	After  float64 `json:"after"`
	Says   string  `json:"says"`
}

// Changes lists what a breeder has to do otherwise than was agreed.
func Changes(before, after []Batch, words Words) (all []Change) {
	eggs := func(list []Batch, b Batch) (n float64) {
		for _, o := range list {
			if SamePlace(o, b) {
				n += o.Eggs.Count()
			}
		}
		return
	}
	seen := map[string]bool{}
	for i, b := range append(append([]Batch{}, before...), after...) {
		id := fmt.Sprint(b.Source, "\x00", b.SetDay, "\x00", b.Setter, "\x00", b.Hatcher)
		if seen[id] {
			continue
		}
		seen[id] = true
		c := Change{Batch: b, Before: eggs(before, b), After: eggs(after, b)}
		way := fmt.Sprintf(
			"%s on %s, %s to %s", words.Called(b.Source), words.OnDay(b.SetDay), words.Called(b.Setter), words.Called(b.Hatcher),
		)
		switch {
		case c.After == 0:
			c.What, c.Says = "dropped", fmt.Sprintf("Do not set %s (%v eggs).", way, c.Before)
		case i >= len(before):
			c.What, c.Says = "new", fmt.Sprintf("Set %v eggs of %s.", c.After, way)
		case c.After > c.Before:
			c.What, c.Says = "more", fmt.Sprintf("Set %v eggs instead of %v of %s.", c.After, c.Before, way)
		case c.After < c.Before:
			c.What, c.Says = "fewer", fmt.Sprintf("Set %v eggs instead of %v of %s.", c.After, c.Before, way)
		default:
			continue
		}
		all = append(all, c)
	}
	return
}
