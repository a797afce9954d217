package hatch

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/candling"
	"metrogon/core/hatching"
	"metrogon/core/machine"
	"metrogon/core/method"
	"metrogon/core/season"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
	hatchrows "metrogon/store/hatch"
)

// LockPage is a batch that goes into lockdown, with the machine that it would hatch in.
type LockPage struct {
	snapshot.BatchView
	Due      calendar.Milestone
	Into     snapshot.Machine
	Room     int
	Hatchers []snapshot.Place
	Baskets  []Basket
	Share    []Sharing
	Full     float64 // share of the room, with all that hatches there then; 1 is full
	Clashes  []snapshot.Clash
	Cures    []snapshot.Machine // in which it clashes with nothing
	Uncalled int                // eggs that nobody has looked at near the end
	Steps    []hatching.Step
	Ticked   map[string]bool
	Latest   time.Time // the lid should be shut by then: the first pips may come
}

// Sharing is another batch in the same machine.
type Sharing struct {
	snapshot.BatchView
	Shut bool // in lockdown there already
}

// Lock shows a batch before its lockdown, in its own hatcher or another.
func (b *Service) Lock(ctx context.Context, m *farm.Member, id, hatcherID int64) (page LockPage, err error) {
	err = snapshot.ReadOpen(ctx, b.Service, m, func(tx *farm.Tx, w *snapshot.Snapshot, open []snapshot.BatchView) error {
		i := slices.IndexFunc(open, func(v snapshot.BatchView) bool { return v.ID == id })
		if i < 0 || open[i].Kind.IsReptile() || open[i].LockedAt != nil {
			return farm.ErrNone
		}
		v := open[i]
		into := cmp.Or(hatcherID, v.HatcherID)
		page = LockPage{BatchView: v, Into: w.MachineByID[into], Room: w.Rooms[into][v.Species].Hatching}
		if page.Room == 0 {
			return farm.ErrNone
		}
		page.Due, _ = v.Milestone(calendar.Lockdown)
		pip, _ := v.Milestone(calendar.ExternalPip)
		page.Latest = pip.From
		page.around(w, open, into)
		page.Steps = steps(v, into)
		return page.inside(ctx, tx, w)
	})
	return
}

// inside are the eggs that go in, by pen, and what of the list is done.
func (p *LockPage) inside(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot) error {
	rows, err := hatchrows.On(tx).Hatch(ctx, p.Into.ID, []int64{p.ID}, []string{p.Species}, w.Now)
	if err != nil {
		return err
	}
	for _, pen := range w.ByPen(rows.Eggs[p.ID], rows.YoungOf(p.ID), p.BatchView) {
		p.Baskets = append(p.Baskets, basket(w, pen, p.BatchView, nil, rows))
		for _, e := range pen.Left() {
			p.Uncalled += farm.OneIf(candling.LastOf(e.Calls) == "")
		}
	}
	up, err := w.Upkeep(ctx, tx)
	p.Ticked = map[string]bool{}
	for _, t := range up.Done {
		if step, is := strings.CutPrefix(t.Kind, ofLockdown); is && t.BatchID == p.ID {
			p.Ticked[step] = true
		}
	}
	return err
}

// around sees what else stands in the machine, whether all of it fits, and where it would.
func (p *LockPage) around(w *snapshot.Snapshot, open []snapshot.BatchView, into int64) {
	for _, o := range open {
		if o.ID == p.ID || o.HatcherID != into || o.Kind.IsReptile() {
			continue
		}
		due := o.At(calendar.Lockdown)
		shut := o.LockedAt != nil
		if shut || w.Member.Date(due).Equal(w.Member.Date(p.Due.At)) {
			p.Share = append(p.Share, Sharing{o, shut})
			p.Full += float64(o.Alive) / float64(max(w.Rooms[into][o.Species].Hatching, 1))
		}
	}
	p.Full += float64(p.Alive) / float64(p.Room)
	p.Clashes = clashesIn(w, open, p.ID, into)
	_, p.Hatchers = w.Places(w.AllStays(open), p.Species)
	if len(p.Clashes) == 0 {
		return
	}
	for _, h := range p.Hatchers {
		if h.ID != into && len(clashesIn(w, open, p.ID, h.ID)) == 0 {
			p.Cures = append(p.Cures, h.Machine)
		}
	}
}

// clashesIn are those of a batch's own lockdown if it hatches in a machine.
func clashesIn(w *snapshot.Snapshot, open []snapshot.BatchView, id, hatcherID int64) (all []snapshot.Clash) {
	open = slices.Clone(open)
	for i := range open {
		if open[i].ID == id {
			open[i].HatcherID, open[i].Hatcher = hatcherID, w.MachineByID[hatcherID]
		}
	}
	mine := func(s season.Stay) bool { return s.BatchID == id && s.Phase == season.Locked }
	stays := w.AllStays(open)
	for _, s := range stays {
		if mine(s) {
			all = append(all, w.Closes([]season.Stay{s})...)
		}
	}
	for _, c := range w.Clashes(stays) {
		if mine(c.Stay) || mine(c.With) {
			all = append(all, c)
		}
	}
	return all
}

// steps of a batch's lockdown in a machine.
func steps(v snapshot.BatchView, into int64) []hatching.Step {
	if into == v.SetterID && machine.Broody(v.Setter.Kind) {
		return hatching.UnderHen()
	}
	return hatching.Lockdown(v.Method.Humidity(v.Kind, true), into != v.SetterID, v.Method.Late != method.NotLate)
}

// Shutting is a lockdown as it is done.
type Shutting struct {
	HatcherID int64
	At        time.Time // zero: now
	Baskets   []hatchrows.HatchBasket
	Pipped    []hatchrows.HatchSign // eggs that had pipped by then, so many of a pen
}

// Shut locks a batch down, names its baskets, and notes eggs that have pipped already: no alarm.
func (b *Service) Shut(ctx context.Context, req farm.Request, id int64, s Shutting) (farm.Done, error) {
	return b.onPens(ctx, req, id, func(tx *farm.Tx, batch store.Batch, pens []snapshot.PenEggs) (farm.Done, error) {
		at, step, where, err := lock(ctx, tx, batch, s.HatcherID, s.At)
		if err != nil {
			return farm.Done{}, err
		}
		u := journal.Undo{step}
		pipped := 0
		for _, k := range s.Baskets {
			var p farm.Problems
			k.BatchID, k.Name = id, p.Name("basket", "Where a basket stands", k.Name, 40, false)
			if err := p.Err(); err != nil {
				return farm.Done{}, err
			}
			if err := hatchrows.On(tx).NameBasket(ctx, k); err != nil {
				return farm.Done{}, err
			}
		}
		for _, x := range s.Pipped {
			t := Tap{Pen: *x.PenID, Trial: x.Trial, N: x.N}
			sign := hatchrows.HatchSign{BatchID: id, Kind: hatching.Pip, N: 1, At: at}
			if _, err := whose(&sign, t, pens); err != nil {
				return farm.Done{}, err
			}
			one, err := hatchrows.On(tx).AddSign(ctx, sign, req.PersonID)
			if err != nil {
				return farm.Done{}, err
			}
			u, pipped = append(u, dropSigns.Of([]int64{one})), pipped+x.N
		}
		said := fmt.Sprintf("%s in lockdown in %s.", batch.Code, where)
		if pipped > 0 {
			said += fmt.Sprintf(" %s had pipped already.", wording.Plural(pipped, "egg"))
		}
		return journal.Record(ctx, tx, journal.On(journal.Batch, id), u, "%s", said)
	})
}

// ofLockdown marks the steps of a lockdown among the chores that are done.
const ofLockdown = "lockdown-"

// Tick ticks a step of the lockdown off, or opens it again.
func (b *Service) Tick(
	ctx context.Context, req farm.Request, id int64, step string, is bool,
) (farm.Done, error) {
	return snapshot.OnBatch(ctx, b.Service, req, id,
		func(tx *farm.Tx, batch store.Batch, _ snapshot.Eggs) (farm.Done, error) {
			_, v, err := snapshot.Viewed(ctx, tx, batch)
			if err != nil {
				return farm.Done{}, err
			}
			steps := steps(v, batch.HatcherID)
			i := slices.IndexFunc(steps, func(s hatching.Step) bool { return s.ID == step })
			if i < 0 {
				return farm.Done{}, farm.Problemf("step", "That is no step of a lockdown.")
			}
			if is {
				_, err = tx.MarkDone(ctx, id, ofLockdown+step, 0, tx.At)
				return farm.Done{Said: steps[i].Do + ": done."}, err
			}
			return farm.Done{Said: steps[i].Do + ": not yet."}, tx.MarkUndone(ctx, id, ofLockdown+step, 0)
		})
}
