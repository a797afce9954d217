package season

import (
	"maps"
	"math"
	"slices"

	"metrogon/core/season/lp"
)

// way is a batch that may be: its eggs, and the young that go to each promise.
type way struct {
	src, t, a, h int
	eggs         int
	young        map[int]int // by promise
	most         float64     // eggs
}

// rowsPerWay is how many rows of a relaxation each way has at least.
const rowsPerWay = 3

// ways lists the batches that can serve a promise; not all of them, if they would have
// more rows than most.
func waysOf(m *model, r *relaxation, most int, keep func(*way) bool) (all []*way) {
	type key struct{ src, t, a, h int }
	known := map[key]*way{}
	for o, cands := range m.cands {
		for _, c := range cands {
			for _, a := range c.setters {
				for _, h := range c.hatches {
					k := key{c.src, c.t, a, h}
					w := known[k]
					if w == nil {
						if w = wayOf(m, c.src, c.t, a, h); w == nil || keep != nil && !keep(w) {
							continue
						}
						r.addEggs(m, w)
						known[k] = w
						if all = append(all, w); rowsPerWay*len(all) > most {
							return all
						}
					}
					if _, twice := w.young[o]; !twice {
						w.young[o] = r.Var(m.order[o].Value, 0, min(m.order[o].Young, w.most*m.source[w.src].best()))
					}
				}
			}
		}
	}
	for _, w := range all {
		terms := []lp.Term{{At: w.eggs, By: -m.source[w.src].best()}}
		for _, o := range slices.Sorted(maps.Keys(w.young)) {
			terms = append(terms, lp.Term{At: w.young[o], By: 1})
		}
		r.Row(0, terms...)
	}
	return all
}

// way is a batch that may be, by what is fixed, or nil.
func wayOf(m *model, src, t, a, h int) *way {
	x := &m.source[src]
	have := 0.0
	for _, age := range x.ages[0] {
		if i := t - age - x.first; i >= 0 && i < len(x.supply) {
			have += float64(max(0, m.base.left[src][i]))
		}
	}
	most := min(have, math.Floor(min(m.base.setterRoom(src, t, a), m.base.hatcherRoom(src, t, h))+tolerance))
	if most < 1 || m.banned(src, t, a, h) {
		return nil
	}
	return &way{src: src, t: t, a: a, h: h, most: most, young: map[int]int{}}
}

func (r *relaxation) addEggs(m *model, w *way) {
	w.eggs = r.Var(-m.p.EggCost, 0, w.most)
	r.whole[anEgg] = append(r.whole[anEgg], w.eggs)
}

// fillers adds the batches that serve nobody but may fill settings up.
func fillers(m *model, r *relaxation) {
	if m.p.MinBatch <= 1 {
		return
	}
	type day struct{ src, t int }
	serves := map[day]bool{} // more of the same eggs will do there
	var settings []at
	for _, w := range r.ways {
		serves[day{w.src, w.t}] = true
		if k := (at{w.a, w.t}); !slices.Contains(settings, k) {
			settings = append(settings, k)
		}
	}
	for _, k := range settings {
		for src := range m.source {
			c, ok := m.cand(src, k.day)
			if !ok || serves[day{src, k.day}] || !slices.Contains(c.setters, k.machine) {
				continue
			}
			for _, h := range c.hatches {
				if w := wayOf(m, src, k.day, k.machine, h); w != nil {
					r.addEggs(m, w)
					r.ways = append(r.ways, w)
				}
			}
		}
	}
}
