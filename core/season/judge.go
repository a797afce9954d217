package season

import (
	"cmp"
	"fmt"
	"math"
	"slices"
)

// Broken is a broken rule, by its number in docs/planning.md.
type Broken struct {
	Rule int
	Says string
}

// forbidden is the number of the rule that pins and bans add to the ten.
const forbidden = 11

// Limits hold to this share, and absolutely below 1.
const tolerance = 1e-6

func within(used, limit float64) bool { return used <= limit+tolerance*max(math.Abs(limit), 1) }

// Judge scores a plan and lists the rules that it breaks. It reads the plan as it
// is written, whoever made it; unknown ids break the rule of their kind. Batches of
// the problem that already stand are counted in; its pins (fixed, set day 0 or
// later) are asked for. What a standing batch gives to promises is read from the plan.
func (p *Problem) Judge(batches []Batch) (score float64, broken []Broken) {
	type span struct {
		machine, species string
		from, to         int
		eggs, room       float64
		batch            int
	}
	type day struct {
		id  string
		day int
	}
	bad := func(rule int, format string, args ...any) {
		broken = append(broken, Broken{rule, fmt.Sprintf(format, args...)})
	}
	sources, machines, orders := map[string]*Source{}, map[string]*Machine{}, map[string]*Order{}
	for i := range p.Sources {
		sources[p.Sources[i].ID] = &p.Sources[i]
	}
	for i := range p.Machines {
		machines[p.Machines[i].ID] = &p.Machines[i]
	}
	for i := range p.Orders {
		orders[p.Orders[i].ID] = &p.Orders[i]
	}
	used, settings := map[day]float64{}, map[day]float64{}
	received := map[string]float64{}
	var turning, hatching, brooding []span
	eggs := 0.0

	var standing []Batch
	for _, b := range p.Fixed {
		if b.SetDay < 0 {
			b.Orders = nil
			for _, o := range batches {
				if samePlace(o, b) {
					b.Orders = o.Orders
				}
			}
			standing = append(standing, b)
		} else if !slices.ContainsFunc(batches, func(o Batch) bool {
			return samePlace(o, b) && o.Eggs.Count() >= b.Eggs.Count()-tolerance
		}) {
			bad(forbidden, "the pin of %s, set on day %d, is missing", b.Source, b.SetDay)
		}
	}
	fresh := slices.DeleteFunc(slices.Clone(batches), func(b Batch) bool {
		return b.SetDay < 0 && slices.ContainsFunc(standing, func(o Batch) bool { return samePlace(o, b) })
	})
	for i, b := range append(standing, fresh...) {
		stands := i < len(standing)
		n := i - len(standing) + 1
		who := fmt.Sprintf("batch %d (%s, set on day %d)", n, b.Source, b.SetDay)
		t, count := b.SetDay, b.Eggs.Count()
		src, setter, hatcher := sources[b.Source], machines[b.Setter], machines[b.Hatcher]
		if !stands {
			for _, l := range b.Eggs {
				if l.Eggs < 0 {
					bad(1, "%s: %v eggs of lay day %d", who, l.Eggs, l.Laid)
				} else if l.Eggs != math.Floor(l.Eggs) {
					bad(1, "%s: %v eggs of lay day %d is not a whole number", who, l.Eggs, l.Laid)
				}
				used[day{b.Source, l.Laid}] += l.Eggs
			}
			if count <= 0 {
				bad(1, "%s holds no eggs", who)
			}
			eggs += count
			settings[day{b.Setter, t}] += count
			pinned := slices.ContainsFunc(p.Fixed, func(f Batch) bool { return samePlace(f, b) })
			if !pinned && slices.ContainsFunc(p.Forbidden, func(f Ban) bool {
				return f.hits(b.Source, b.Setter, b.Hatcher, t)
			}) {
				bad(forbidden, "%s is forbidden", who)
			}
		}
		if src == nil {
			bad(1, "%s: there is no source %s", who, b.Source)
		}
		if setter == nil {
			bad(3, "%s: there is no machine %s", who, b.Setter)
		}
		if hatcher == nil {
			bad(5, "%s: there is no machine %s", who, b.Hatcher)
		}
		young, pull := 0.0, 0
		if src != nil {
			sp, _ := p.speciesOf(src.Species)
			lock := t + sp.Lockdown
			pull = t + sp.Pull
			if stands {
				young = *b.Young
			} else {
				for _, l := range b.Eggs {
					age := t - l.Laid
					if l.Eggs == 0 {
						continue
					}
					if age < 0 || age > sp.MaxAge {
						bad(
							1, "%s: eggs of lay day %d are %d days old at set, 0 … %d are allowed", who, l.Laid, age,
							sp.MaxAge,
						)
					} else {
						young += l.Eggs * src.Yield * sp.AgeFactor[age]
					}
				}
				if t < 0 || t >= p.Days {
					bad(0, "%s: set day %d lies outside 0 … %d", who, t, p.Days-1)
				} else if pull >= p.Days {
					bad(0, "%s: pull day %d lies after the last day %d", who, pull, p.Days-1)
				}
				for k, d := range []int{t, lock, pull} {
					if a, gone := p.awayOn(actions[k], d); gone {
						bad(8, "%s: %s falls on day %d, away from day %d to %d", who, actions[k], d, a.From, a.To)
					}
				}
			}
			if setter != nil {
				if !(setter.Set[src.Species] > 0) {
					bad(3, "%s: machine %s does not set %s", who, b.Setter, src.Species)
				}
				if lock > t {
					turning = append(turning, span{b.Setter, src.Species, t, lock - 1, count, 0, n})
				}
			}
			if hatcher != nil {
				room := hatcher.Hatch[src.Species]
				if !(room > 0) {
					bad(5, "%s: machine %s does not hatch %s", who, b.Hatcher, src.Species)
				}
				share := 0.0
				if room > 0 {
					share = count * src.Kept / room
				}
				hatching = append(hatching, span{b.Hatcher, src.Species, lock, pull, 0, share, n})
			}
			brooding = append(brooding, span{from: pull, to: pull + sp.BroodDays - 1, room: young * sp.BroodPlaces})
		}
		given := 0.0
		for _, g := range b.Orders {
			if g.Young < 0 {
				bad(10, "%s: gives %v young to order %s", who, g.Young, g.Order)
				continue
			}
			given += g.Young
			o := orders[g.Order]
			if o == nil {
				bad(10, "%s: there is no order %s", who, g.Order)
				continue
			}
			received[g.Order] += g.Young
			if !slices.Contains(o.Sources, b.Source) {
				bad(10, "%s: order %s does not take young of %s", who, g.Order, b.Source)
			}
			if src != nil && (pull < o.PullFrom || pull > o.PullTo) {
				bad(
					10, "%s: pulled on day %d, outside the window %d … %d of order %s", who, pull, o.PullFrom, o.PullTo,
					g.Order,
				)
			}
		}
		if src != nil && !within(given, young) {
			bad(10, "%s: gives %.6g young, has %.6g", who, given, young)
		}
	}
	for _, s := range p.Sources {
		supply := map[int]float64{}
		for _, l := range s.Supply {
			supply[l.Laid] += l.Eggs
		}
		for d, n := range used {
			if d.id == s.ID && !within(n, supply[d.day]) {
				bad(1, "source %s: %.6g eggs of lay day %d used, %.6g in supply", s.ID, n, d.day, supply[d.day])
			}
		}
	}
	for s, n := range settings {
		if n < p.MinBatch*(1-tolerance) {
			bad(
				2, "machine %s: the setting of day %d holds %.6g eggs, at least %.6g are needed", s.id, s.day, n,
				p.MinBatch,
			)
		}
	}
	for _, m := range p.Machines {
		var turns []span
		for _, x := range turning {
			if x.machine == m.ID {
				turns = append(turns, x)
			}
		}
		for _, x := range turns {
			full := 0.0
			for _, y := range turns {
				if y.from <= x.from && x.from <= y.to && m.Set[y.species] > 0 {
					full += y.eggs / m.Set[y.species]
				}
			}
			if !within(full, 1) {
				bad(3, "machine %s: %.6g times full on day %d", m.ID, full, x.from)
			}
		}
		var loads []span // by lockdown day
		for _, x := range hatching {
			if x.machine != m.ID {
				continue
			}
			i := slices.IndexFunc(loads, func(l span) bool { return l.from == x.from })
			if i < 0 {
				loads = append(loads, span{from: x.from, to: x.to, room: x.room})
				continue
			}
			loads[i].to = max(loads[i].to, x.to)
			loads[i].room += x.room
		}
		slices.SortFunc(loads, func(a, b span) int { return cmp.Compare(a.from, b.from) })
		for i, l := range loads {
			if !within(l.room, 1) {
				bad(5, "machine %s: the load of day %d is %.6g times full", m.ID, l.from, l.room)
			}
			for _, before := range loads[:i] {
				if l.from <= before.to {
					bad(4, "machine %s: loads of day %d and %d overlap", m.ID, before.from, l.from)
				} else if l.from <= before.to+m.CleanDays {
					bad(
						4, "machine %s: load of day %d begins while the load pulled on day %d is cleaned up", m.ID,
						l.from, before.to,
					)
				}
			}
			for _, x := range turns {
				if x.from <= l.to && x.to >= l.from {
					bad(
						6, "machine %s: batch %d turns on day %d to %d, a load stands from day %d to %d", m.ID, x.batch,
						x.from, x.to, l.from, l.to,
					)
				} else if l.to < x.from && x.from <= l.to+m.CleanDays {
					bad(
						4, "machine %s: batch %d is set on day %d while the load pulled on day %d is cleaned up", m.ID,
						x.batch, x.from, l.to,
					)
				}
			}
		}
		for _, c := range m.Closed {
			for _, x := range turns {
				if x.from <= c[1] && x.to >= c[0] {
					bad(
						7, "machine %s: batch %d turns on day %d to %d, closed from day %d to %d", m.ID, x.batch,
						x.from, x.to, c[0], c[1],
					)
				}
			}
			for _, l := range loads {
				if l.from <= c[1] && l.to >= c[0] {
					bad(
						7, "machine %s: a load stands from day %d to %d, closed from day %d to %d", m.ID, l.from, l.to,
						c[0], c[1],
					)
				}
			}
		}
	}
	for _, x := range brooding {
		at, places := max(x.from, 0), 0.0
		for _, y := range brooding {
			if y.from <= at && at <= y.to {
				places += y.room
			}
		}
		if x.to >= at && !within(places, p.BrooderPlaces) {
			bad(9, "brooder: %.6g places taken on day %d, there are %.6g", places, at, p.BrooderPlaces)
		}
	}
	for id, y := range received {
		score += orders[id].Value * min(orders[id].Young, y)
	}
	score -= p.EggCost*eggs + p.SettingCost*float64(len(settings))
	slices.SortStableFunc(broken, func(a, b Broken) int {
		return cmp.Or(cmp.Compare(a.Rule, b.Rule), cmp.Compare(a.Says, b.Says))
	})
	return score, broken
}

func samePlace(a, b Batch) bool {
	return a.Source == b.Source && a.SetDay == b.SetDay && a.Setter == b.Setter && a.Hatcher == b.Hatcher
}

func (p *Problem) awayOn(action string, day int) (Away, bool) {
	for _, a := range p.Away {
		if day >= a.From && day <= a.To && slices.Contains(a.Not, action) {
			return a, true
		}
	}
	return Away{}, false
}
