package season

import (
	"cmp"
	"slices"
	"time"

	"metrogon/farm/snapshot"
	rows "metrogon/store/season"
	seasonrows "metrogon/store/season"
	stockrows "metrogon/store/stock"
)

// lay is eggs of a pen and lay day that may be set; from Ready on, which is later than laid
// where they came in a parcel and rest.
type lay struct {
	on    time.Time // laid
	day   int       // laid
	ready int
	eggs  int
	known bool // in store; else only expected
}

// supply is the eggs of each pen, in the order in which they are laid.
type supply map[int64][]lay

// inStore takes up what is in store and not on trial.
func (x supply) inStore(s *Outlook, stock []stockrows.Stock) {
	for _, l := range stock {
		kind := s.w.Kinds[s.w.PenByID[l.PenID].Species]
		if kind == nil || kind.IsReptile() || l.Trial {
			continue
		}
		add := func(eggs, ready int) {
			if eggs > 0 {
				x[l.PenID] = append(x[l.PenID], lay{l.LaidOn, s.day(l.LaidOn), ready, eggs, true})
			}
		}
		add(l.Eggs-l.Resting, s.day(l.LaidOn))
		if l.ReadyAt != nil {
			ready := s.day(s.w.Member.Date(*l.ReadyAt))
			if s.w.SetMoment(s.date(ready)).Before(*l.ReadyAt) {
				ready++ // rested after the chores of that day
			}
			add(l.Resting, ready)
		}
	}
}

// laid adds what the pens are expected to lay from tomorrow up to a day, whole eggs. What
// they lay today is in store by tonight, if it is written down.
func (x supply) laid(s *Outlook, until int) {
	for pen, f := range s.lays {
		last := until
		if end := s.w.PenByID[pen].UntilOn; end != nil {
			last = min(last, s.day(*end))
		}
		for d := 1; d <= last; d++ {
			if n := f.On(d); n > 0 {
				x[pen] = append(x[pen], lay{s.date(d), d, d, n, false})
			}
		}
	}
}

// free is how many eggs of a pen may be set on a day.
func (x supply) free(pen int64, day, maxAge int) (n int) {
	for _, l := range x[pen] {
		if l.ready <= day && l.day <= day && day-l.day <= maxAge {
			n += l.eggs
		}
	}
	return n
}

// take takes up to n eggs of a pen that may be set on a day: those of the lay days wanted
// first, then the oldest, since the fresh ones keep.
func (x supply) take(pen int64, day, maxAge, n int, wanted []rows.PlannedEggs) (all []rows.PlannedEggs) {
	from := func(i, most int) {
		l := &x[pen][i]
		if most = min(most, l.eggs, n); most <= 0 || l.ready > day || l.day > day || day-l.day > maxAge {
			return
		}
		l.eggs -= most
		n -= most
		at := slices.IndexFunc(all, func(e rows.PlannedEggs) bool { return e.LaidOn.Equal(l.on) })
		if at < 0 {
			all = append(all, rows.PlannedEggs{PenID: pen, LaidOn: l.on})
			at = len(all) - 1
		}
		all[at].Eggs += most
	}
	first, _ := slices.BinarySearchFunc(x[pen], day-maxAge, func(l lay, d int) int { return cmp.Compare(l.day, d) })
	for _, e := range wanted {
		for i := first; i < len(x[pen]) && x[pen][i].day <= day && e.PenID == pen; i++ {
			if x[pen][i].on.Equal(e.LaidOn) {
				from(i, e.Eggs)
			}
		}
	}
	for i := first; i < len(x[pen]) && x[pen][i].day <= day && n > 0; i++ {
		from(i, n)
	}
	return all
}

// copy keeps what is taken from one apart from the other.
func (x supply) copy() supply {
	c := supply{}
	for pen, all := range x {
		c[pen] = slices.Clone(all)
	}
	return c
}

// of keeps what one planned batch takes apart: its pens' eggs alone.
func (x supply) of(p snapshot.Planned) supply {
	c := supply{}
	for _, e := range p.Eggs {
		if c[e.PenID] == nil {
			c[e.PenID] = slices.Clone(x[e.PenID])
		}
	}
	return c
}

// reserve takes the eggs that are promised as eggs out, once.
func (s *Outlook) reserve() map[int64]int {
	if s.reserved == nil {
		s.reserved = s.supply.reserve(s)
	}
	return s.reserved
}

// reserve takes the eggs that are promised as eggs out: laid latest before they are handed
// over, since buyers want them fresh. It tells how many of each promise are there.
func (x supply) reserve(s *Outlook) map[int64]int {
	there := map[int64]int{}
	for _, o := range s.book.Orders {
		if o.What != EggsOrder {
			continue
		}
		day, left := max(0, s.day(o.ToOn)), o.Count-o.Delivered
		for ; day >= s.day(o.FromOn)-freshDays && left > 0; day-- {
			for _, p := range s.pensFor(o) {
				for i := range x[p.ID] {
					l := &x[p.ID][i]
					if l.day == day {
						n := min(l.eggs, left)
						l.eggs, left = l.eggs-n, left-n
					}
				}
			}
		}
		there[o.ID] = o.Count - o.Delivered - left
	}
	return there
}

// freshDays is how old hatching eggs may be when they are handed over: they travel, rest,
// and are set within the week at which they are best [common practice].
const freshDays = 4

// planned takes the eggs of the planned batches out, and gives what is there for each. A
// batch that is late is set today.
func (x supply) planned(s *Outlook, ahead []snapshot.Planned) map[int64][]rows.PlannedEggs {
	got := map[int64][]rows.PlannedEggs{}
	for _, p := range ahead {
		got[p.ID] = x.forPlanned(s, p, max(0, s.day(p.SetOn)))
	}
	return got
}

// forPlanned takes the eggs of one planned batch, pen by pen as many as it wants.
func (x supply) forPlanned(s *Outlook, p snapshot.Planned, day int) (all []rows.PlannedEggs) {
	var pens []int64
	wants := map[int64]int{}
	for _, e := range p.Eggs {
		if wants[e.PenID] == 0 {
			pens = append(pens, e.PenID)
		}
		wants[e.PenID] += e.Eggs
	}
	for _, pen := range pens {
		all = append(all, x.take(pen, day, maxAge(p.Kind), wants[pen], p.Eggs)...)
	}
	return all
}

// layAhead reckons with what will be laid, but for what is promised of it.
func (s *Outlook) layAhead() {
	s.supply.laid(s, mostDays)
	s.reserve()
}

// unwritten adds the eggs that were laid by now as far as anybody can expect, and that nobody
// has written down yet: people do so hours later.
func (x supply) unwritten(s *Outlook) {
	for pen, f := range s.lays {
		n := f.On(1)
		if !s.yesterday && n > 0 {
			x[pen] = append(x[pen], lay{s.date(-1), -1, -1, n, false})
		}
		if !s.collected[pen] && n > 0 {
			x[pen] = append(x[pen], lay{s.today, 0, 0, n, false})
		}
		slices.SortStableFunc(x[pen], func(a, b lay) int { return cmp.Compare(a.day, b.day) })
	}
}

// givenBack is what is left with these eggs back among them.
func (x supply) givenBack(s *Outlook, eggs []seasonrows.PlannedEggs) supply {
	c := x.copy()
	for _, e := range eggs {
		day := s.day(e.LaidOn)
		at, _ := slices.BinarySearchFunc(c[e.PenID], day, func(l lay, d int) int { return cmp.Compare(l.day, d) })
		c[e.PenID] = slices.Insert(c[e.PenID], at, lay{e.LaidOn, day, day, e.Eggs, day <= 0})
	}
	return c
}

// forget drops what is only expected to be laid.
func (x supply) forget() {
	for pen, all := range x {
		known := all[:0]
		for _, l := range all {
			if l.known {
				known = append(known, l)
			}
		}
		x[pen] = known
	}
}
