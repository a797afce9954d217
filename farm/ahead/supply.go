package ahead

import (
	"cmp"
	"slices"
	"time"

	"metrogon/farm/snapshot"
	rows "metrogon/store/season"
	stockrows "metrogon/store/stock"
)

// lay is eggs of a pen and lay day that may be set; from Ready on, which is later than laid
// where they came in a parcel and rest.
type lay struct {
	On    time.Time // laid
	Day   int       // laid
	Ready int
	Eggs  int
	known bool // in store; else only expected
}

// mayBeSet tells that they may be set on a day: they have rested, and are not too old. Eggs of a parcel are as old as
// the planner takes them to be, from when they have rested.
func (l lay) mayBeSet(day, maxAge int) bool {
	return l.Ready <= day && l.Day <= day && day-max(l.Day, l.Ready) <= maxAge
}

// longestRest is how many days may lie between laying and rest, at the most.
const longestRest = 30

// Supply is the eggs of each pen, in the order in which they are laid.
type Supply map[int64][]lay

// InStore takes up what is in store and not on trial.
func (x Supply) InStore(s *Outlook, stock []stockrows.Stock) {
	for _, l := range stock {
		kind := s.W.Kinds[s.W.PenByID[l.PenID].Species]
		if kind == nil || kind.IsReptile() || l.Trial {
			continue
		}
		add := func(eggs, ready int) {
			if eggs > 0 {
				x[l.PenID] = append(x[l.PenID], lay{l.LaidOn, s.Day(l.LaidOn), ready, eggs, true})
			}
		}
		add(l.Eggs-l.Resting, s.Day(l.LaidOn))
		if l.ReadyAt != nil {
			ready := s.Day(s.W.Member.Date(*l.ReadyAt))
			if s.W.SetMoment(s.Date(ready)).Before(*l.ReadyAt) {
				ready++ // rested after the chores of that day
			}
			add(l.Resting, ready)
		}
	}
}

// Laid adds what the pens are expected to lay from tomorrow up to a day, whole eggs. What
// they lay today is in store by tonight, if it is written down.
func (x Supply) Laid(s *Outlook, until int) {
	for pen, f := range s.Lays {
		last := until
		if end := s.W.PenByID[pen].UntilOn; end != nil {
			last = min(last, s.Day(*end))
		}
		for d := 1; d <= last; d++ {
			if n := f.On(d); n > 0 {
				x[pen] = append(x[pen], lay{s.Date(d), d, d, n, false})
			}
		}
	}
}

// Free is how many eggs of a pen may be set on a day.
func (x Supply) Free(pen int64, day, maxAge int) (n int) {
	for _, l := range x[pen] {
		if l.mayBeSet(day, maxAge) {
			n += l.Eggs
		}
	}
	return n
}

// Take takes up to n eggs of a pen that may be set on a day: those of the lay days wanted
// first, then the oldest, since the fresh ones keep.
func (x Supply) Take(pen int64, day, maxAge, n int, wanted []rows.PlannedEggs) (all []rows.PlannedEggs) {
	from := func(i, most int) {
		l := &x[pen][i]
		if most = min(most, l.Eggs, n); most <= 0 || !l.mayBeSet(day, maxAge) {
			return
		}
		l.Eggs -= most
		n -= most
		at := slices.IndexFunc(all, func(e rows.PlannedEggs) bool { return e.LaidOn.Equal(l.On) })
		if at < 0 {
			all = append(all, rows.PlannedEggs{PenID: pen, LaidOn: l.On})
			at = len(all) - 1
		}
		all[at].Eggs += most
	}
	first, _ := slices.BinarySearchFunc(
		x[pen], day-maxAge-longestRest, func(l lay, d int) int { return cmp.Compare(l.Day, d) },
	)
	for _, e := range wanted {
		for i := first; i < len(x[pen]) && x[pen][i].Day <= day && e.PenID == pen; i++ {
			if x[pen][i].On.Equal(e.LaidOn) {
				from(i, e.Eggs)
			}
		}
	}
	for i := first; i < len(x[pen]) && x[pen][i].Day <= day && n > 0; i++ {
		from(i, n)
	}
	return all
}

// Copy keeps what is taken from one apart from the other.
func (x Supply) Copy() Supply {
	c := Supply{}
	for pen, all := range x {
		c[pen] = slices.Clone(all)
	}
	return c
}

// Of keeps what one planned batch takes apart: its pens' eggs alone.
func (x Supply) Of(p snapshot.Planned) Supply {
	c := Supply{}
	for _, e := range p.Eggs {
		if c[e.PenID] == nil {
			c[e.PenID] = slices.Clone(x[e.PenID])
		}
	}
	return c
}

// Reserve takes the eggs that are promised as eggs out, once.
func (s *Outlook) Reserve() map[int64]int {
	if s.Reserved == nil {
		s.Reserved = s.Supply.reserve(s)
	}
	return s.Reserved
}

// reserve takes the eggs that are promised as eggs out: laid latest before they are handed
// over, since buyers want them fresh. It tells how many of each promise are there.
func (x Supply) reserve(s *Outlook) map[int64]int {
	there := map[int64]int{}
	for _, o := range s.Book.Orders {
		if o.What != EggsOrder {
			continue
		}
		day, left := max(0, s.Day(o.ToOn)), o.Count-o.Delivered
		for ; day >= s.Day(o.FromOn)-freshDays && left > 0; day-- {
			for _, p := range s.PensFor(o) {
				for i := range x[p.ID] {
					l := &x[p.ID][i]
					if l.Day == day {
						n := min(l.Eggs, left)
						l.Eggs, left = l.Eggs-n, left-n
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

// Planned takes the eggs of the planned batches out, and gives what is there for each. A
// batch that is late is set today.
func (x Supply) Planned(s *Outlook, ahead []snapshot.Planned) map[int64][]rows.PlannedEggs {
	got := map[int64][]rows.PlannedEggs{}
	for _, p := range ahead {
		got[p.ID] = x.ForPlanned(s, p, max(0, s.Day(p.SetOn)))
	}
	return got
}

// ForPlanned takes the eggs of one planned batch, pen by pen as many as it wants.
func (x Supply) ForPlanned(s *Outlook, p snapshot.Planned, day int) (all []rows.PlannedEggs) {
	var pens []int64
	wants := map[int64]int{}
	for _, e := range p.Eggs {
		if wants[e.PenID] == 0 {
			pens = append(pens, e.PenID)
		}
		wants[e.PenID] += e.Eggs
	}
	for _, pen := range pens {
		all = append(all, x.Take(pen, day, MaxAge(p.Kind), wants[pen], p.Eggs)...)
	}
	return all
}

// LayAhead reckons with what will be laid, but for what is promised of it.
func (s *Outlook) LayAhead() {
	s.Supply.Laid(s, MostDays)
	s.Reserve()
}

// Unwritten adds the eggs that were laid by now as far as anybody can expect, and that nobody
// has written down yet: people do so hours later.
func (x Supply) Unwritten(s *Outlook) {
	for pen, f := range s.Lays {
		n := f.On(1)
		if !s.yesterday && n > 0 {
			x[pen] = append(x[pen], lay{s.Date(-1), -1, -1, n, false})
		}
		if !s.collected[pen] && n > 0 {
			x[pen] = append(x[pen], lay{s.Today, 0, 0, n, false})
		}
		slices.SortStableFunc(x[pen], func(a, b lay) int { return cmp.Compare(a.Day, b.Day) })
	}
}

// GivenBack is what is left with these eggs back among them.
func (x Supply) GivenBack(s *Outlook, eggs []rows.PlannedEggs) Supply {
	c := x.Copy()
	for _, e := range eggs {
		day := s.Day(e.LaidOn)
		at, _ := slices.BinarySearchFunc(c[e.PenID], day, func(l lay, d int) int { return cmp.Compare(l.Day, d) })
		c[e.PenID] = slices.Insert(c[e.PenID], at, lay{e.LaidOn, day, day, e.Eggs, day <= 0})
	}
	return c
}

// Forget drops what is only expected to be laid.
func (x Supply) Forget() {
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
