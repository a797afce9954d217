package incubate

import (
	"cmp"
	"fmt"
	"slices"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/choice"
	"metrogon/core/machine"
	"metrogon/core/storage"
	"metrogon/farm"
	"metrogon/farm/snapshot"
	"metrogon/store/stock"
)

// Wish is what a set is wanted for; the zero value wants the machine full of the
// oldest eggs.
type Wish struct {
	Young        int // 0: as many eggs as fit
	CertaintyPct int // of having at least so many young
	Order        choice.Order
	EveryPen     bool  // pens take turns
	PenID        int64 // one pen only; 0: all
}

// Later compares setting today with waiting for more eggs.
type Later struct {
	Days      int
	Now, Then Outlook
	New       int     // eggs that the pens should lay meanwhile
	Lost      float64 // young that waiting costs the eggs of today
}

// Outlook is what comes of filling the machine on one day with the best eggs.
type Outlook struct {
	Eggs  int
	Young float64
	Hatch time.Time
}

// Says compares in one sentence.
func (l Later) Says() string {
	more := l.Then.Young - l.Now.Young
	switch {
	case l.Now.Eggs == 0:
		return "Nothing in store can be set today."
	case more < 1:
		return "Waiting brings no more young: set today."
	}
	return fmt.Sprintf("Waiting brings about %.0f more young, though it costs the eggs of today %.1f.", more, l.Lost)
}

// machines picks the roomiest ones, for the hatch rather one that is a hatcher
// only.
func (p SetPage) machines(s *Setting, now time.Time) {
	s.Species, s.SetAt = p.Kind.ID, now
	if len(p.Setters) == 0 {
		return
	}
	roomier := func(a, b snapshot.Place) int { return cmp.Or(a.Free-b.Free, a.Room-b.Room) }
	s.SetterID = slices.MaxFunc(p.Setters, roomier).ID
	hatchers := slices.DeleteFunc(slices.Clone(p.Hatchers), func(x snapshot.Place) bool {
		return !machine.HatchesOnly(x.Kind)
	})
	if len(hatchers) == 0 {
		hatchers = p.Hatchers
	}
	if len(hatchers) > 0 {
		s.HatcherID = slices.MaxFunc(hatchers, roomier).ID
	}
}

// room is how many eggs the machines take: as the setter has room for, and the
// hatcher once some are taken out at candling.
func (p SetPage) room(s Setting) int {
	room := 0
	for _, x := range p.Setters {
		if x.ID == s.SetterID {
			room = x.Free
		}
	}
	for _, x := range p.Hatchers {
		if x.ID == s.HatcherID {
			room = min(room, int(float64(x.Room)/snapshot.KeptShare))
		}
	}
	return room
}

// lots are the eggs that may be set in so many days, with those of the days
// until then among them: not past their days, not resting, of the wished pen.
func (p SetPage) lots(
	x snapshot.Beliefs, wish Wish, days int, laying []stock.Stock,
) (lots []choice.Lot, of []snapshot.Lot) {
	add := func(pen int64, age, eggs int, l snapshot.Lot) {
		if k := storage.KeepingAt(p.Kind, age); eggs > 0 && !l.Trial && k != storage.Stale && k != storage.Late {
			lots = append(lots, choice.Lot{
				Pen: pen, Age: float64(age), Eggs: eggs, Young: x.Young[pen], Keeps: x.Keeps(p.Kind, age),
			})
			of = append(of, l)
		}
	}
	for _, row := range p.Stock {
		if wish.PenID != 0 && row.ID != wish.PenID {
			continue
		}
		for _, l := range row.Lots {
			free := l.Eggs - l.Resting
			if days > 0 {
				free = l.Eggs // parcels have rested by then
			}
			add(row.ID, l.Age+days, free, l)
		}
		for _, laid := range laying {
			if laid.PenID != row.ID || row.Supplier {
				continue
			}
			for age := range days {
				share := laid.Eggs * (age + 1) / layingDays
				add(row.ID, age, share-laid.Eggs*age/layingDays, snapshot.Lot{})
			}
		}
	}
	return
}

// layingDays is over how many days a pen's laying is averaged.
const layingDays = 7

// choose picks the eggs that meet the wish.
func (p *SetPage) choose(s *Setting, x snapshot.Beliefs) {
	s.Picks = nil
	lots, of := p.lots(x, s.Wish, 0, nil)
	order := s.Wish.Order
	if order != choice.Freshest {
		order = choice.Oldest
	}
	certainty := float64(min(max(s.Wish.CertaintyPct, 1), 99)) / 100
	c := choice.Choose(lots, choice.Wish{
		Young: min(max(s.Wish.Young, 0), farm.MaxEggs), Certainty: certainty, Order: order, EveryPen: s.Wish.EveryPen,
		Room: p.room(*s), Rho: x.Rho,
	})
	for i, n := range c.Take {
		if n > 0 {
			s.Picks = append(s.Picks, Pick{PenID: of[i].PenID, LaidOn: of[i].LaidOn, Eggs: n})
		}
	}
	if !c.Complete {
		p.Short = fmt.Sprintf(
			"All eggs that fit give at least %d young only %.0f times in 100.", s.Wish.Young, 100*c.Prob,
		)
	}
}

// later compares filling the machine today with waiting two days.
func (p SetPage) later(w *snapshot.Snapshot, x snapshot.Beliefs, laying []stock.Stock) *Later {
	const days = 2
	l := &Later{Days: days}
	outlook := func(days int) (Outlook, []choice.Lot, choice.Choice) {
		lots, _ := p.lots(x, p.Setting.Wish, days, laying)
		c := choice.Choose(lots, choice.Wish{Order: choice.Best, Room: p.room(p.Setting), Rho: x.Rho})
		hatch := p.Kind.HatchDays.At + float64(days)
		return Outlook{c.Eggs, c.Young.Mean(), calendar.After(w.Now, hatch)}, lots, c
	}
	var now choice.Choice
	var lots []choice.Lot
	l.Now, lots, now = outlook(0)
	l.Then, _, _ = outlook(days)
	for _, laid := range laying {
		if slices.ContainsFunc(p.Stock, func(r snapshot.StockRow) bool {
			return r.ID == laid.PenID && !r.Supplier && (p.Setting.Wish.PenID == 0 || p.Setting.Wish.PenID == r.ID)
		}) {
			l.New += laid.Eggs * days / layingDays
		}
	}
	older := slices.Clone(lots)
	for i := range older {
		older[i].Keeps = x.Keeps(p.Kind, int(older[i].Age)+days)
	}
	l.Lost = now.Young.Mean() - choice.Expect(older, now.Take, x.Rho).Mean()
	return l
}
