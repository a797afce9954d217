package bound

import (
	"math"
	"slices"

	"metrogon/core/season/bound/lp"
	"metrogon/core/season/draft"
)

// share is young of one source that go to one promise through one hatcher, with the
// first and last day on which they may be set.
type share struct {
	v, order, src, h int
	from, to         int
	each             float64 // young of a fresh egg
}

// windows is a bound from a small program that looks at windows instead of days:
// whatever serves a promise is laid, locked down and in the brooder within days that
// follow from the promise's own window. For every stretch of days, all that has to
// fall into it shares the eggs laid then, the loads that a hatcher can shut then,
// and the brooder. It suits seasons that are too large to be looked at day by day.
// Where it is stopped before it is built, the plain bound stands.
func windowsOf(m *draft.Model, stop func() bool) float64 {
	w := &windows{Program: &lp.Program{}, m: m, stop: stop}
	w.shares()
	w.promises()
	for i := range m.Source {
		w.eggs(i)
	}
	for h := range m.Machine {
		w.loads(h)
	}
	w.brooder()
	if rows, _ := w.Size(); rows == 0 || rows > mostRows || stop() {
		return plain(m)
	}
	w.Solve(math.Inf(-1), stop)
	return m.Base.Score + fixedWorth(m) + w.Bound()
}

type windows struct {
	*lp.Program
	m    *draft.Model
	all  []share
	stop func() bool
}

// shares makes a variable of each source, promise and hatcher that go together.
func (w *windows) shares() {
	type key struct{ order, src, h int }
	known := map[key]int{} // in all
	for o, cands := range w.m.Cands {
		for _, c := range cands {
			x := &w.m.Source[c.Src]
			each := x.Best()
			if each <= 0 {
				continue
			}
			for _, h := range c.Hatches {
				i, seen := known[key{o, c.Src, h}]
				if seen {
					w.all[i].from, w.all[i].to = min(w.all[i].from, c.T), max(w.all[i].to, c.T)
					continue
				}
				known[key{o, c.Src, h}] = len(w.all)
				q := w.m.Order[o]
				worth := q.Value - (w.m.P.EggCost+w.m.P.SettingCost*w.leastRoom(x))/each
				w.all = append(w.all, share{w.Var(max(0, worth), 0, q.Young), o, c.Src, h, c.T, c.T, each})
			}
		}
	}
}

// leastRoom is the least that an egg takes of a setting's room, and so of its cost.
func (w *windows) leastRoom(x *draft.Pen) float64 {
	if x.Sp.Lockdown == 0 || len(w.m.Base.Parts) > 0 {
		return 0
	}
	least := math.Inf(1)
	for a := range w.m.Machine {
		if e := w.m.Machine[a].Egg[x.SpNo]; e > 0 {
			least = min(least, e)
		}
	}
	return least
}

// stretch is what shares of a group have in common: each needs something between two
// days, of which it takes so much.
type stretch struct {
	group    func(share) bool
	from, to func(share) int
	takes    func(share) float64
	room     func(a, b int) float64 // that there is from day a to day b
}

// add bounds, for every stretch of days, all that has to fall into it.
func (w *windows) add(k stretch) {
	var starts, ends []int
	for _, s := range w.all {
		if k.group(s) {
			starts, ends = append(starts, k.from(s)), append(ends, k.to(s))
		}
	}
	slices.Sort(starts)
	slices.Sort(ends)
	ends = slices.Compact(ends)
	for _, a := range slices.Compact(starts) {
		if w.stop() {
			return
		}
		for _, b := range ends {
			var terms []lp.Term
			most := 0.0
			for _, s := range w.all {
				if k.group(s) && k.from(s) >= a && k.to(s) <= b {
					terms = append(terms, lp.Term{At: s.v, By: k.takes(s)})
					most += k.takes(s) * w.m.Order[s.order].Young
				}
			}
			if len(terms) > 0 {
				if fits := k.room(a, b); fits < most {
					w.Row(fits, terms...)
				}
			}
		}
	}
}

// promises take no more than is wanted.
func (w *windows) promises() {
	for o := range w.m.Order {
		var terms []lp.Term
		for _, s := range w.all {
			if s.order == o {
				terms = append(terms, lp.Term{At: s.v, By: 1})
			}
		}
		if len(terms) > 1 {
			w.Row(w.m.Order[o].Young, terms...)
		}
	}
}

// eggs of a source are laid before they are set, and not too long before.
func (w *windows) eggs(i int) {
	x := &w.m.Source[i]
	w.add(stretch{
		group: func(s share) bool { return s.src == i },
		from:  func(s share) int { return s.from - x.Sp.MaxAge },
		to:    func(s share) int { return s.to },
		takes: func(s share) float64 { return 1 / s.each },
		room: func(a, b int) (eggs float64) {
			for d := max(a, x.First); d <= b && d-x.First < len(x.Laid); d++ {
				eggs += float64(max(0, w.m.Base.Left[i][d-x.First]))
			}
			return eggs
		},
	})
}

// loads of a hatcher keep its lid shut, one after the other.
func (w *windows) loads(h int) {
	stay := math.MaxInt
	for _, s := range w.all {
		if s.h == h {
			stay = min(stay, w.m.Source[s.src].Sp.Pull-w.m.Source[s.src].Sp.Lockdown)
		}
	}
	lock := func(day int, s share) int { return day + w.m.Source[s.src].Sp.Lockdown }
	w.add(stretch{
		group: func(s share) bool { return s.h == h },
		from:  func(s share) int { return lock(s.from, s) },
		to:    func(s share) int { return lock(s.to, s) },
		takes: func(s share) float64 {
			x := &w.m.Source[s.src]
			return x.Kept * w.m.Machine[h].Locked[x.SpNo] / s.each
		},
		room: func(a, b int) float64 { return float64(1 + (b-a)/(stay+w.m.Machine[h].CleanDays+1)) },
	})
}

// brooder holds the young of a promise for sure on the days that all its windows share.
func (w *windows) brooder() {
	in := func(s share) (from, to int) {
		x := &w.m.Source[s.src]
		return s.to + x.Sp.Pull, s.from + x.Sp.Pull + x.Sp.BroodDays - 1
	}
	var days []int
	for _, s := range w.all {
		if from, to := in(s); from <= to && !slices.Contains(days, from) {
			days = append(days, from)
		}
	}
	for _, d := range days {
		var terms []lp.Term
		for _, s := range w.all {
			if from, to := in(s); from <= d && d <= to && w.m.Source[s.src].Sp.BroodPlaces > 0 {
				terms = append(terms, lp.Term{At: s.v, By: w.m.Source[s.src].Sp.BroodPlaces})
			}
		}
		if len(terms) > 0 {
			w.Row(w.m.P.BrooderPlaces-w.m.Base.Brood[min(d, w.m.Days)], terms...)
		}
	}
}
