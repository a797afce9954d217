package bound

import (
	"maps"
	"math"
	"slices"

	"metrogon/core/season"
	"metrogon/core/season/bound/lp"
	"metrogon/core/season/draft"
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
func waysOf(m *draft.Model, r *relaxation, most int, keep func(*way) bool) (all []*way) {
	type key struct{ src, t, a, h int }
	known := map[key]*way{}
	for o, cands := range m.Cands {
		for _, c := range cands {
			for _, a := range c.Setters {
				for _, h := range c.Hatches {
					k := key{c.Src, c.T, a, h}
					w := known[k]
					if w == nil {
						if w = wayOf(m, c.Src, c.T, a, h); w == nil || keep != nil && !keep(w) {
							continue
						}
						r.addEggs(m, w)
						known[k] = w
						if all = append(all, w); rowsPerWay*len(all) > most {
							return all
						}
					}
					if _, twice := w.young[o]; !twice {
						w.young[o] = r.Var(m.Order[o].Value, 0, min(m.Order[o].Young, w.most*m.Source[w.src].Best()))
					}
				}
			}
		}
	}
	for _, w := range all {
		terms := []lp.Term{{At: w.eggs, By: -m.Source[w.src].Best()}}
		for _, o := range slices.Sorted(maps.Keys(w.young)) {
			terms = append(terms, lp.Term{At: w.young[o], By: 1})
		}
		r.Row(0, terms...)
	}
	return all
}

// way is a batch that may be, by what is fixed, or nil.
func wayOf(m *draft.Model, src, t, a, h int) *way {
	x := &m.Source[src]
	have := 0.0
	for _, age := range x.Ages[0] {
		if i := t - age - x.First; i >= 0 && i < len(x.Laid) {
			have += float64(max(0, m.Base.Left[src][i]))
		}
	}
	most := min(have, math.Floor(min(m.Base.SetterRoom(src, t, a), m.Base.HatcherRoom(src, t, h))+season.Tolerance))
	if most < 1 || m.Banned(src, t, a, h) {
		return nil
	}
	return &way{src: src, t: t, a: a, h: h, most: most, young: map[int]int{}}
}

func (r *relaxation) addEggs(m *draft.Model, w *way) {
	w.eggs = r.Var(-m.P.EggCost, 0, w.most)
	r.whole[anEgg] = append(r.whole[anEgg], w.eggs)
}

// fillers adds the batches that serve nobody but may fill settings up.
func fillers(m *draft.Model, r *relaxation) {
	if m.P.MinBatch <= 1 {
		return
	}
	type day struct{ src, t int }
	serves := map[day]bool{} // more of the same eggs will do there
	var settings []draft.At
	for _, w := range r.ways {
		serves[day{w.src, w.t}] = true
		if k := (draft.At{Machine: w.a, Day: w.t}); !slices.Contains(settings, k) {
			settings = append(settings, k)
		}
	}
	for _, k := range settings {
		for src := range m.Source {
			c, ok := m.Cand(src, k.Day)
			if !ok || serves[day{src, k.Day}] || !slices.Contains(c.Setters, k.Machine) {
				continue
			}
			for _, h := range c.Hatches {
				if w := wayOf(m, src, k.Day, k.Machine, h); w != nil {
					r.addEggs(m, w)
					r.ways = append(r.ways, w)
				}
			}
		}
	}
}
