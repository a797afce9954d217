package season

import (
	"math"
	"slices"

	"metrogon/core/season/lp"
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
func (m *model) windows(stop func() bool) float64 {
	r := &lp.Program{}
	var all []share
	type key struct{ order, src, h int }
	known := map[key]int{} // in all
	for o, cands := range m.cands {
		for _, c := range cands {
			x := &m.source[c.src]
			each := x.best()
			if each <= 0 {
				continue
			}
			least := math.Inf(1) // of a setting's room and cost, what an egg takes
			for a := range m.machine {
				if e := m.machine[a].egg[x.spNo]; e > 0 {
					least = min(least, e)
				}
			}
			if x.sp.Lockdown == 0 || len(m.base.parts) > 0 {
				least = 0
			}
			for _, h := range c.hatches {
				i, seen := known[key{o, c.src, h}]
				if !seen {
					known[key{o, c.src, h}] = len(all)
					worth := m.order[o].Value - (m.p.EggCost+m.p.SettingCost*least)/each
					all = append(all, share{r.Var(max(0, worth), 0, m.order[o].Young), o, c.src, h, c.t, c.t, each})
					continue
				}
				all[i].from, all[i].to = min(all[i].from, c.t), max(all[i].to, c.t)
			}
		}
	}
	stretch := func(
		group func(share) bool, from, to func(share) int, takes func(share) float64, room func(a, b int) float64,
	) {
		var starts, ends []int
		for _, s := range all {
			if group(s) {
				starts, ends = append(starts, from(s)), append(ends, to(s))
			}
		}
		slices.Sort(starts)
		slices.Sort(ends)
		for _, a := range slices.Compact(starts) {
			if stop() {
				return
			}
			for _, b := range slices.Compact(slices.Clone(ends)) {
				var terms []lp.Term
				most := 0.0
				for _, s := range all {
					if group(s) && from(s) >= a && to(s) <= b {
						terms = append(terms, lp.Term{At: s.v, By: takes(s)})
						most += takes(s) * m.order[s.order].Young
					}
				}
				if len(terms) > 0 {
					if fits := room(a, b); fits < most {
						r.Row(fits, terms...)
					}
				}
			}
		}
	}
	for o := range m.order {
		var terms []lp.Term
		for _, s := range all {
			if s.order == o {
				terms = append(terms, lp.Term{At: s.v, By: 1})
			}
		}
		if len(terms) > 1 {
			r.Row(m.order[o].Young, terms...)
		}
	}
	for i := range m.source {
		x := &m.source[i]
		stretch(func(s share) bool { return s.src == i }, func(s share) int { return s.from - x.sp.MaxAge },
			func(s share) int { return s.to },
			func(s share) float64 { return 1 / s.each }, func(a, b int) (eggs float64) {
				for d := max(a, x.first); d <= b && d-x.first < len(x.supply); d++ {
					eggs += float64(max(0, m.base.left[i][d-x.first]))
				}
				return
			})
	}
	for h := range m.machine {
		stay := math.MaxInt
		for _, s := range all {
			if s.h == h {
				stay = min(stay, m.source[s.src].sp.Pull-m.source[s.src].sp.Lockdown)
			}
		}
		locks := func(day int, s share) int { return day + m.source[s.src].sp.Lockdown }
		stretch(func(s share) bool { return s.h == h }, func(s share) int { return locks(s.from, s) },
			func(s share) int { return locks(s.to, s) },
			func(s share) float64 {
				x := &m.source[s.src]
				return x.Kept * m.machine[h].hatch[x.spNo] / s.each
			}, func(a, b int) float64 { return float64(1 + (b-a)/(stay+m.machine[h].CleanDays+1)) })
	}
	var days []int // on which the brooder is sure to hold a promise's young
	in := func(s share) (from, to int) {
		x := &m.source[s.src]
		return s.to + x.sp.Pull, s.from + x.sp.Pull + x.sp.BroodDays - 1
	}
	for _, s := range all {
		if from, to := in(s); from <= to && !slices.Contains(days, from) {
			days = append(days, from)
		}
	}
	for _, d := range days {
		var terms []lp.Term
		for _, s := range all {
			if from, to := in(s); from <= d && d <= to && m.source[s.src].sp.BroodPlaces > 0 {
				terms = append(terms, lp.Term{At: s.v, By: m.source[s.src].sp.BroodPlaces})
			}
		}
		if len(terms) > 0 {
			r.Row(m.p.BrooderPlaces-m.base.brood[min(d, m.days)], terms...)
		}
	}
	if rows, _ := r.Size(); rows == 0 || rows > mostRows || stop() {
		return m.plain()
	}
	r.Solve(math.Inf(-1), stop)
	return m.base.score + m.fixedWorth() + r.Bound()
}
