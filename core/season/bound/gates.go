package bound

import (
	"maps"
	"math"
	"slices"

	"metrogon/core/season"
	"metrogon/core/season/bound/lp"
	"metrogon/core/season/draft"
)

// gate is a setting or a load: how much of its machine's room it opens, and the
// young of each promise that go through it.
type gate struct {
	room  []lp.Term
	eggs  []lp.Term
	young map[int][]lp.Term
	fits  map[int][]fit
	still bool    // of a setting: some of it never turns
	taken float64 // room that fixed batches take
}

// fit is what an egg takes of a machine's room, and the young it gives at best.
type fit struct{ share, each float64 }

// most is how many young fit, were all the room theirs; in whole eggs if all take
// the same room, as different ones may fill what others leave.
func most(fits []fit, room float64) float64 {
	all, share := 0.0, fits[0].share
	for _, f := range fits {
		if f.share <= 0 {
			return math.Inf(1)
		}
		all = max(all, f.each/f.share)
		if f.share != share {
			share = 0
		}
	}
	if share > 0 {
		return all * share * math.Floor((room+season.Tolerance)/share)
	}
	return all * room
}

func (g *gate) add(m *draft.Model, w *way, share float64) {
	if g.young == nil {
		g.young, g.fits = map[int][]lp.Term{}, map[int][]fit{}
	}
	x := &m.Source[w.src]
	g.room = append(g.room, lp.Term{At: w.eggs, By: share})
	g.eggs = append(g.eggs, lp.Term{At: w.eggs, By: 1})
	for _, o := range slices.Sorted(maps.Keys(w.young)) {
		g.young[o] = append(g.young[o], lp.Term{At: w.young[o], By: 1})
		g.fits[o] = append(g.fits[o], fit{share, x.Best()})
	}
}

// open asks that nothing goes through the gate unless one of the variables is 1.
func (g *gate) open(m *draft.Model, r *relaxation, by ...int) {
	with := func(c limit) {
		terms := slices.Clone(c.terms)
		for _, v := range by {
			terms = append(terms, lp.Term{At: v, By: -c.room})
		}
		r.Row(0, terms...)
	}
	for _, l := range whole(g.room, max(0, 1-g.taken)) {
		with(l)
	}
	for _, o := range slices.Sorted(maps.Keys(g.young)) {
		with(limit{g.young[o], min(most(g.fits[o], max(0, 1-g.taken)), m.Order[o].Young)})
	}
}

// shut is a lid that a load keeps shut, with the days of cleaning after it.
type shut struct{ v, from, to int }

// gates are the settings and the loads of all machines.
type gates struct {
	*relaxation
	m                 *draft.Model
	settings, loads   map[draft.At]*gate
	stays             map[draft.At]map[int]*gate // loads by how long their species stay shut
	setDays, loadDays []draft.At
	lids              map[int][]shut // by machine
}

// machines adds settings, loads, shut lids, cleaning and one climate at a time.
func (r *relaxation) machines(m *draft.Model, ways []*way) {
	g := &gates{
		relaxation: r, m: m, settings: map[draft.At]*gate{}, loads: map[draft.At]*gate{}, stays: map[draft.At]map[int]*gate{},
		lids: map[int][]shut{},
	}
	for _, w := range ways {
		g.through(w)
	}
	g.shutLids()
	g.sums(ways)
	for _, k := range g.loadDays { // rule 4: loads never overlap
		if terms := g.shutOn(k.Machine, k.Day); len(terms) > 1 {
			r.Row(1, terms...)
		}
	}
	for _, k := range g.setDays {
		g.setting(k)
	}
	for _, days := range [][]draft.At{g.setDays, g.loadDays} {
		for _, k := range days {
			r.turning(m, k, g.shutOn(k.Machine, k.Day))
		}
	}
	g.oneClimate(ways)
}

// through notes the setting and the load that a way goes through.
func (g *gates) through(w *way) {
	x := &g.m.Source[w.src]
	share := g.m.Machine[w.a].Egg[x.SpNo]
	set := gateAt(g.settings, &g.setDays, draft.At{Machine: w.a, Day: w.t})
	if x.Sp.Lockdown == 0 { // it never turns
		share, set.still = 0, true
	}
	set.add(g.m, w, share)
	k := draft.At{Machine: w.h, Day: w.t + x.Sp.Lockdown}
	share = g.m.Machine[w.h].Locked[x.SpNo] * x.Kept
	load := gateAt(g.loads, &g.loadDays, k)
	load.add(g.m, w, share)
	load.taken = g.m.Base.Lid[k.Machine][k.Day].Room
	if g.stays[k] == nil {
		g.stays[k] = map[int]*gate{}
	}
	wide := x.Sp.Pull - x.Sp.Lockdown
	if g.stays[k][wide] == nil {
		g.stays[k][wide] = &gate{taken: load.taken}
	}
	g.stays[k][wide].add(g.m, w, share)
}

func gateAt(all map[draft.At]*gate, days *[]draft.At, k draft.At) *gate {
	if all[k] == nil {
		all[k] = &gate{}
		*days = append(*days, k)
	}
	return all[k]
}

// shutLids gives each load one length, for which it shuts the lid.
func (g *gates) shutLids() {
	loadsOf := map[int][]lp.Term{} // by promise
	for _, k := range g.loadDays {
		lengths := slices.Sorted(maps.Keys(g.stays[k]))
		var vars []int
		for _, wide := range lengths {
			v := g.Var(0, 0, 1)
			vars = append(vars, v)
			g.whole[aLoad] = append(g.whole[aLoad], v)
			g.relaxation.loads[span{k.Machine, k.Day, k.Day + wide}] = v
			to := k.Day + wide + g.m.Machine[k.Machine].CleanDays
			g.lids[k.Machine] = append(g.lids[k.Machine], shut{v, k.Day, to})
		}
		g.loads[k].open(g.m, g.relaxation, vars...)
		for o := range g.loads[k].young {
			for _, v := range vars {
				loadsOf[o] = append(loadsOf[o], lp.Term{At: v, By: 1})
			}
		}
		for i, wide := range lengths[1:] { // longer stays need a longer lid
			g.stays[k][wide].open(g.m, g.relaxation, vars[i+1:]...)
		}
	}
	for _, o := range slices.Sorted(maps.Keys(loadsOf)) {
		g.sum(loadsOf[o], float64(len(loadsOf[o])))
	}
}

// sums counts the eggs of each source that serve each promise.
func (g *gates) sums(ways []*way) {
	type eggsOf struct{ order, src int }
	eggs := map[eggsOf][]lp.Term{}
	var pairs []eggsOf
	for _, w := range ways {
		for _, o := range slices.Sorted(maps.Keys(w.young)) {
			k := eggsOf{o, w.src}
			if eggs[k] == nil {
				pairs = append(pairs, k)
			}
			eggs[k] = append(eggs[k], lp.Term{At: w.eggs, By: 1})
		}
	}
	for _, k := range pairs {
		g.sum(eggs[k], 1e5)
	}
}

// shutOn are the loads whose lid may be shut on a day.
func (g *gates) shutOn(machine, day int) (terms []lp.Term) {
	for _, l := range g.lids[machine] {
		if l.from <= day && day <= l.to {
			terms = append(terms, lp.Term{At: l.v, By: 1})
		}
	}
	return terms
}

// setting costs, holds the fewest eggs or more (rule 2), and is not under a shut lid.
func (g *gates) setting(k draft.At) {
	set := g.settings[k]
	cost := -g.m.P.SettingCost
	if g.m.Base.Sets[k.Machine][k.Day].Batches > 0 {
		cost = 0
	}
	y := g.Var(cost, 0, 1)
	if slices.Contains(g.m.Small, k) {
		g.Bounds(y, 1, 1) // it is there, and has to be filled up
	}
	g.whole[aSetting] = append(g.whole[aSetting], y)
	g.relaxation.settings[k] = y
	set.open(g.m, g.relaxation, y)
	if least := g.m.P.MinBatch - float64(g.m.Base.Sets[k.Machine][k.Day].Eggs); least > 1 {
		terms := []lp.Term{{At: y, By: least}}
		if !g.exact {
			terms = append(terms, lp.Term{At: g.Var(-g.m.P.EggCost, 0, least), By: -1})
		}
		for _, t := range set.eggs {
			terms = append(terms, lp.Term{At: t.At, By: -1})
		}
		g.Row(0, terms...)
	}
	if terms := g.shutOn(k.Machine, k.Day); len(terms) > 0 && !set.still {
		g.Row(1, append(terms, lp.Term{At: y, By: 1})...)
	}
}

// oneClimate is rule 6: in a machine that does both, what turns is not shut in with a load.
func (g *gates) oneClimate(ways []*way) {
	both := map[span]*gate{}
	var turns []span
	for _, w := range ways {
		if x := &g.m.Source[w.src]; len(g.lids[w.a]) > 0 && x.Sp.Lockdown > 0 {
			k := span{w.a, w.t, w.t + x.Sp.Lockdown}
			if both[k] == nil {
				both[k] = &gate{}
				turns = append(turns, k)
			}
			both[k].add(g.m, w, g.m.Machine[w.a].Egg[x.SpNo])
		}
	}
	for _, k := range turns {
		v := g.Var(0, 0, 1)
		g.whole[aTurn] = append(g.whole[aTurn], v)
		both[k].open(g.m, g.relaxation, v)
		days := []int{k.from} // and every day on which a lid might be shut meanwhile
		for _, l := range g.lids[k.machine] {
			if l.from > k.from && l.from < k.to && !slices.Contains(days, l.from) {
				days = append(days, l.from)
			}
		}
		for _, d := range days {
			if terms := g.shutOn(k.machine, d); len(terms) > 0 {
				g.Row(1, append(terms, lp.Term{At: v, By: 1})...)
			}
		}
	}
}

// limit is the most that terms sum to.
type limit struct {
	terms []lp.Term
	room  float64
}

// whole is a limit on eggs' shares of some room, with what follows from whole eggs
// (mixed-integer rounding by each share): where 36.7 eggs have room, 36 do.
func whole(terms []lp.Term, room float64) []limit {
	limits := []limit{{terms, room}}
	var tried []float64
	for _, t := range terms {
		if t.By <= 0 || slices.Contains(tried, t.By) {
			continue
		}
		tried = append(tried, t.By)
		fits := (room + season.Tolerance) / t.By
		over := fits - math.Floor(fits)
		if over < .001 || over > .999 {
			continue
		}
		l := limit{room: math.Floor(fits)}
		for _, u := range terms {
			n := u.By / t.By
			k := math.Floor(n + 1e-12)
			l.terms = append(l.terms, lp.Term{At: u.At, By: k + max(0, n-k-over)/(1-over)})
		}
		limits = append(limits, l)
	}
	if len(tried) == 1 && len(limits) == 2 && !slices.ContainsFunc(terms, func(t lp.Term) bool { return t.By <= 0 }) {
		return limits[1:] // it says all
	}
	return limits
}

// sum adds a whole variable that is the sum of others.
func (r *relaxation) sum(terms []lp.Term, most float64) {
	if len(terms) < 2 {
		return
	}
	v := r.Var(0, 0, most)
	r.whole[aSum] = append(r.whole[aSum], v)
	minus := make([]lp.Term, len(terms))
	for i, t := range terms {
		minus[i] = lp.Term{At: t.At, By: -t.By}
	}
	r.Row(0, append(slices.Clone(terms), lp.Term{At: v, By: -1})...)
	r.Row(0, append(minus, lp.Term{At: v, By: 1})...)
}

// turning keeps a setter's room on a day, if no lid is shut.
func (r *relaxation) turning(m *draft.Model, k draft.At, shut []lp.Term) {
	var eggs []lp.Term
	for _, w := range r.ways {
		if x := &m.Source[w.src]; w.a == k.Machine && w.t <= k.Day && k.Day < w.t+x.Sp.Lockdown {
			eggs = append(eggs, lp.Term{At: w.eggs, By: m.Machine[w.a].Egg[x.SpNo]})
		}
	}
	if len(eggs) == 0 {
		return
	}
	for _, l := range whole(eggs, max(0, 1-m.Base.Turn[k.Machine][k.Day])) {
		for _, s := range shut {
			l.terms = append(l.terms, lp.Term{At: s.At, By: s.By * l.room})
		}
		r.Row(l.room, l.terms...)
	}
}
