package farm

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/rates"
	"metrogon/core/season"
	"metrogon/core/species"
	"metrogon/core/storage"
	"metrogon/store"
)

// Pick is so many eggs of one pen and lay day.
type Pick struct {
	PenID  int64
	LaidOn time.Time
	Eggs   int
}

// Setting is a batch that is about to be set.
type Setting struct {
	Species      string
	SetterID     int64
	HatcherID    int64 // 0: the same machine
	SetAt        time.Time
	TempC        float64 // reptiles
	StartCounter bool    // the setter's day counter starts with this batch
	Picks        []Pick
}

// SetPage is what can be set, and what would come of it.
type SetPage struct {
	Kinds    []*species.Profile // that are in store
	Kind     *species.Profile
	Stock    []StockRow // of that kind
	Setters  []Place
	Hatchers []Place
	Setting  Setting // as it was asked for, or proposed
	Answer   *Answer // nil until eggs and a machine are picked
}

// Place is a machine with what it holds of the kind at hand, and what is left.
type Place struct {
	Machine
	Room int
	Free int // now
}

// Answer is what comes of a setting.
type Answer struct {
	BatchView
	Young     float64 // expected
	YoungLow  int     // 9 times in 10 between these
	YoungHigh int
	Ages      []string // eggs that are too old, a line each
	Clashes   []Clash
	FreeAfter int // places of the setter left for this kind
	Counter   int // what the setter's counter shows at lockdown
	HasCount  bool
}

// unset is the id of the batch that is not made yet.
const unset = -1

// PlanSetting shows the stock of one kind and works the picked eggs out. Where
// neither eggs nor a machine are picked it proposes both. What is wrong is
// returned as Problems beside the page.
func (b *Books) PlanSetting(ctx context.Context, m *Member, s Setting) (page SetPage, problems error) {
	err := b.read(ctx, m, func(tx *store.Tx) error {
		w, err := b.barn(ctx, tx, m)
		if err != nil {
			return err
		}
		room, err := w.eggRoom(ctx, tx)
		if err != nil {
			return err
		}
		for _, row := range room.Stock {
			if !slices.Contains(page.Kinds, row.Kind) {
				page.Kinds = append(page.Kinds, row.Kind)
			}
		}
		if page.Kind, err = species.Find(s.Species); err != nil || !slices.Contains(page.Kinds, page.Kind) {
			if len(page.Kinds) == 0 {
				page.Kind = nil
				return nil
			}
			page.Kind = page.Kinds[0]
		}
		page.Stock = slices.DeleteFunc(room.Stock, func(r StockRow) bool { return r.Kind != page.Kind })
		open, err := w.views(ctx, tx, func() ([]store.Batch, error) { return tx.OpenBatches(ctx) })
		if err != nil {
			return err
		}
		stays := w.allStays(open)
		page.Setters, page.Hatchers = w.places(stays, page.Kind.ID)
		if len(s.Picks) == 0 && s.SetterID == 0 {
			s = page.propose(w.now)
		}
		page.Setting = s
		if len(s.Picks) == 0 || s.SetterID == 0 {
			return nil
		}
		records, err := tx.Records(ctx)
		if err != nil {
			return err
		}
		var batch store.Batch
		if batch, problems = w.check(s); problems != nil {
			return nil
		}
		page.Answer, err = w.answer(batch, s, stays, w.beliefs(records))
		return err
	})
	return page, errors.Join(err, problems)
}

// propose picks the roomiest machines, for the hatch rather one that is a
// hatcher only, and the oldest eggs that are not past their days: as many as the
// setter has room for, and the hatcher once some are taken out at candling.
func (p SetPage) propose(now time.Time) Setting {
	s := Setting{Species: p.Kind.ID, SetAt: now, TempC: p.Kind.TemperatureC.At}
	if len(p.Setters) == 0 {
		return s
	}
	roomier := func(a, b Place) int { return cmp.Or(a.Free-b.Free, a.Room-b.Room) }
	setter := slices.MaxFunc(p.Setters, roomier)
	s.SetterID = setter.ID
	room := setter.Free
	hatchers := slices.DeleteFunc(slices.Clone(p.Hatchers), func(x Place) bool { return x.Kind != "hatcher" })
	if len(hatchers) == 0 {
		hatchers = p.Hatchers
	}
	if len(hatchers) > 0 && !p.Kind.IsReptile() {
		hatcher := slices.MaxFunc(hatchers, roomier)
		s.HatcherID = hatcher.ID
		room = min(room, int(float64(hatcher.Room)/keptShare))
	}
	var lots []Lot
	for _, row := range p.Stock {
		lots = append(lots, row.Lots...)
	}
	slices.SortStableFunc(lots, func(a, b Lot) int { return b.Age - a.Age })
	for _, l := range lots {
		if n := min(room, l.Eggs); n > 0 && l.Keeping != storage.Stale && l.Keeping != storage.Lost {
			room -= n
			s.Picks = append(s.Picks, Pick{l.PenID, l.LaidOn, n})
		}
	}
	return s
}

func (w *barn) allStays(open []BatchView) (stays []season.Stay) {
	for _, v := range open {
		stays = append(stays, w.stays(v)...)
	}
	return
}

func (w *barn) places(stays []season.Stay, kind string) (setters, hatchers []Place) {
	for _, x := range w.list {
		r := w.rooms[x.ID][kind]
		if x.UntilOn != nil && x.UntilOn.Before(w.member.Date(w.now)) {
			continue
		}
		if r.Setting > 0 {
			setters = append(setters, Place{x, r.Setting, free(season.Loads(stays, x.ID, false), w.now, r.Setting)})
		}
		if r.Hatching > 0 {
			hatchers = append(hatchers, Place{x, r.Hatching, free(season.Loads(stays, x.ID, true), w.now, r.Hatching)})
		}
	}
	return
}

func free(loads []season.Load, at time.Time, room int) int {
	used := 0.0
	for _, l := range loads {
		if !l.At.After(at) {
			used = l.Share
		}
	}
	return max(0, int((1-used)*float64(room)+1e-6))
}

// check judges what was picked and gives the batch that it makes.
func (w *barn) check(s Setting) (batch store.Batch, err error) {
	var p Problems
	kind, err := species.Find(s.Species)
	if err != nil {
		return batch, problem("species", "Pick what is to be set.")
	}
	if s.HatcherID == 0 || kind.IsReptile() {
		s.HatcherID = s.SetterID
	}
	batch = store.Batch{ID: unset, Code: "These eggs", Species: kind.ID, SetterID: s.SetterID, HatcherID: s.HatcherID, SetAt: s.SetAt, Bantam: true}
	if kind.IsReptile() {
		batch.TempC = &s.TempC
		if _, err := kind.Incubation(s.TempC); err != nil {
			p.add("temp_c", "%v.", err)
		}
	}
	if w.rooms[s.SetterID][kind.ID].Setting == 0 {
		p.add("setter", "Pick a machine that takes %s eggs.", lower(kind.Name))
	}
	if !kind.IsReptile() && w.rooms[s.HatcherID][kind.ID].Hatching == 0 {
		p.add("hatcher", "Pick a machine in which %s eggs can hatch.", lower(kind.Name))
	}
	if s.SetAt.Before(w.now.AddDate(-1, 0, 0)) || s.SetAt.After(w.now.AddDate(0, 0, 1)) {
		p.add("set_at", "The moment of setting lies too far off; it may be from a year ago to tomorrow.")
	}
	on, eggs, days := w.member.Date(s.SetAt), 0, 0
	for _, pick := range s.Picks {
		pen, ok := w.pens[pick.PenID]
		switch age := ageDays(pick.LaidOn, on); {
		case !ok || pen.Species != kind.ID:
			p.add("eggs", "Some of these eggs are of another kind.")
		case pick.Eggs < 1 || pick.Eggs > MaxEggs:
			p.add("eggs", "The number of eggs is %d; it may be 1 to %d.", pick.Eggs, MaxEggs)
		case age < 0:
			p.add("set_at", "Eggs of %s were not laid yet on %s.", pick.LaidOn.Format("2 Jan"), on.Format("2 Jan"))
		case age > 60:
			p.add("eggs", "Eggs of %s are more than 60 days old.", pick.LaidOn.Format("2 Jan 2006"))
		default:
			eggs += pick.Eggs
			days += age * pick.Eggs
			batch.Bantam = batch.Bantam && pen.Bantam
		}
	}
	switch {
	case eggs == 0 && len(p) == 0:
		p.add("eggs", "Pick the eggs to set.")
	case eggs > 5*MaxEggs:
		p.add("eggs", "%d eggs are too many for one batch; it may have %d.", eggs, 5*MaxEggs)
	case eggs > 0:
		batch.StorageDays = float64(days) / float64(eggs)
	}
	return batch, p.err()
}

func (w *barn) answer(batch store.Batch, s Setting, stays []season.Stay, beliefs map[int64]rates.Beta) (*Answer, error) {
	v, err := w.view(batch)
	if err != nil {
		return nil, err
	}
	a := &Answer{BatchView: v}
	on := w.member.Date(s.SetAt)
	var young rates.Young
	fade := map[int64]float64{} // of each pen, eggs weighed by what waiting cost them
	count := map[int64]int{}
	for _, pick := range s.Picks {
		age := ageDays(pick.LaidOn, on)
		a.Eggs += pick.Eggs
		count[pick.PenID] += pick.Eggs
		fade[pick.PenID] += float64(pick.Eggs) * storage.Relative(v.Kind, float64(age))
		if k := storage.Judge(v.Kind, age); k == storage.Stale || k == storage.Lost {
			a.Ages = append(a.Ages, fmt.Sprintf("%s of %s, %s: %d days old, most stop at %s.",
				plural(pick.Eggs, "egg"), w.pens[pick.PenID].Name, pick.LaidOn.Format("2 Jan"), age, number(v.Kind.StorageLimitDays.At)))
		}
	}
	a.Alive = a.Eggs
	for pen, n := range count {
		young = young.Add(n, beliefs[pen].Scaled(fade[pen]/float64(n)))
	}
	a.Young, a.YoungLow, a.YoungHigh = young.Mean(), young.Quantile(0.05), young.Quantile(0.95)
	a.BatchView.Tally.Eggs = a.Eggs
	own := w.stays(a.BatchView)
	stays = append(slices.Clone(stays), own...)
	for _, c := range w.clashes(stays) {
		told := c.Room() && slices.ContainsFunc(a.Clashes, func(o Clash) bool { return o.Room() && o.Machine.ID == c.Machine.ID })
		if c.Stay.BatchID == unset || c.With.BatchID == unset || (c.Room() && !told && overlapsMachine(c, own)) {
			a.Clashes = append(a.Clashes, c)
		}
	}
	room := w.rooms[s.SetterID][batch.Species].Setting
	a.FreeAfter = free(season.Loads(stays, s.SetterID, false), latest(w.now, s.SetAt), room)
	setter := w.machines[s.SetterID]
	if s.StartCounter {
		setter.CounterStartedAt = &s.SetAt
	}
	if stop, ok := a.Milestone(calendar.Lockdown); ok {
		a.Counter, a.HasCount = Counter(setter, stop.At)
	}
	return a, nil
}

func overlapsMachine(c Clash, own []season.Stay) bool {
	return slices.ContainsFunc(own, func(s season.Stay) bool {
		return s.MachineID == c.Stay.MachineID && (s.Phase == season.Locked) == (c.Stay.Phase == season.Locked) && s.From.Before(c.To) && c.From.Before(s.To)
	})
}

func latest(a, b time.Time) time.Time {
	if a.After(b) {
		return a
	}
	return b
}

// Set sets the picked eggs. If somebody else took some of them meanwhile,
// nothing is set, and the problem names which went.
func (b *Books) Set(ctx context.Context, m *Member, key string, s Setting) (Done, error) {
	return b.act(ctx, m, key, func(tx *store.Tx) (Done, error) {
		w, err := b.barn(ctx, tx, m)
		if err != nil {
			return Done{}, err
		}
		batch, err := w.check(s)
		if err != nil {
			return Done{}, err
		}
		kind, _ := species.Find(batch.Species)
		id, code, err := tx.AddBatch(ctx, batch, kind.Short, s.SetAt.In(m.Place).Year())
		if err != nil {
			return Done{}, err
		}
		slices.SortStableFunc(s.Picks, func(x, y Pick) int { return strings.Compare(w.pens[x.PenID].Name, w.pens[y.PenID].Name) })
		eggs := 0
		for _, pick := range s.Picks {
			n, err := tx.Put(ctx, id, pick.PenID, pick.LaidOn, pick.Eggs)
			if err != nil {
				return Done{}, err
			}
			if n < pick.Eggs {
				return Done{}, problem("eggs", "Of the eggs of %s from %s only %d are left in store; nothing was set.", pick.LaidOn.Format("2 Jan"), w.pens[pick.PenID].Name, n)
			}
			eggs += n
		}
		u := &undo{DropBatch: id}
		if s.StartCounter {
			setter := w.machines[s.SetterID]
			u.Counter = &counterBefore{setter.ID, setter.CounterStartedAt}
			if err := tx.StartCounter(ctx, setter.ID, &s.SetAt); err != nil {
				return Done{}, err
			}
		}
		return b.wrote(ctx, tx, m, id, u, "Set %s as %s in %s.", plural(eggs, "egg"), code, w.machines[s.SetterID].Name)
	})
}
