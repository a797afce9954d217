package farm

import (
	"cmp"
	"context"
	"slices"
	"time"

	"metrogon/core/readiness"
	"metrogon/core/season"
	"metrogon/store"
)

// Today is what a morning needs.
type Today struct {
	Now      time.Time
	Date     time.Time
	Due      []Chore // late, and today
	Soon     []Chore // the next three days
	Hatches  []BatchView
	Room     EggRoom
	Running  []Running
	Clashes  []Clash
	OnTheWay []ParcelView
	Empty    bool // nothing on the farm yet
	HasPens  bool
	HasBoxes bool
}

// Running is a machine in use.
type Running struct {
	Machine
	Batches  []BatchView
	Full     float64 // share of its room, of the fuller phase
	Counter  int
	HasCount bool
}

// Today shows what is due now, today and in the next days.
func (b *Books) Today(ctx context.Context, m *Member) (page Today, err error) {
	err = b.read(ctx, m, func(tx *Tx) error {
		w, err := tx.snapshot(ctx)
		if err != nil {
			return err
		}
		open, err := w.openBatches(ctx, tx)
		if err != nil {
			return err
		}
		page = Today{Now: w.now, Date: m.Date(w.now), HasPens: len(w.penList) > 0, HasBoxes: len(w.list) > 0}
		if page.Due, page.Soon, err = dueNow(ctx, tx, w, b.chores); err != nil {
			return err
		}
		if page.Room, err = w.eggRoom(ctx, tx); err != nil {
			return err
		}
		page.Empty = len(open) == 0 && page.Room.Eggs == 0
		for _, v := range open {
			if h := v.Hatch(); v.Alive > 0 && h.From.Before(w.now.AddDate(0, 0, 10)) {
				page.Hatches = append(page.Hatches, v)
			}
		}
		slices.SortFunc(page.Hatches, func(x, y BatchView) int { return x.Hatch().At.Compare(y.Hatch().At) })
		stays := w.allStays(open)
		page.Clashes = w.clashes(stays)
		page.Running = w.running(open, stays)
		parcels, err := w.parcels(ctx, tx, 20)
		for _, p := range parcels {
			if p.OnTheWay() {
				page.OnTheWay = append(page.OnTheWay, p)
			}
		}
		return err
	})
	return
}

func (w *Snapshot) running(open []BatchView, stays []season.Stay) (all []Running) {
	for _, x := range w.list {
		r := Running{Machine: x}
		for _, v := range open {
			if v.Stands().ID == x.ID {
				r.Batches = append(r.Batches, v)
			}
		}
		for _, locked := range []bool{false, true} {
			for _, l := range season.Loads(stays, x.ID, locked) {
				if !l.At.After(w.now) && l.Share > 0 {
					r.Full = l.Share
				}
			}
		}
		if len(r.Batches) == 0 {
			r.Full = 0
		}
		r.Counter, r.HasCount = Counter(x, w.now)
		all = append(all, r)
	}
	return
}

// Board is the machines over the days.
type Board struct {
	From, To time.Time // dates
	Now      time.Time
	Lanes    []Lane
	Clashes  []Clash
}

// Lane is one machine with what stands in it.
type Lane struct {
	Running
	Bars []Bar
}

// Bar is a batch in a machine in one phase.
type Bar struct {
	season.Stay
	BatchView
	Clash string // what is wrong with it
}

// Board shows four weeks back and six weeks on from a date.
func (b *Books) Board(ctx context.Context, m *Member, around time.Time) (page Board, err error) {
	err = b.read(ctx, m, func(tx *Tx) error {
		w, err := tx.snapshot(ctx)
		if err != nil {
			return err
		}
		if around.IsZero() {
			around = m.Date(w.now)
		}
		page = Board{From: around.AddDate(0, 0, -14), To: around.AddDate(0, 0, 35), Now: w.now}
		views, err := w.views(ctx, tx, func() ([]store.Batch, error) { return tx.BatchesSince(ctx, page.From) })
		if err != nil {
			return err
		}
		var open []BatchView
		var all []Bar
		for _, v := range views {
			if v.Open() {
				open = append(open, v)
			}
			for _, s := range w.stays(v) {
				if s.From.Before(page.To) && s.To.After(page.From) {
					all = append(all, Bar{Stay: s, BatchView: v})
				}
			}
		}
		stays := w.allStays(open)
		page.Clashes = w.clashes(stays)
		for _, r := range w.running(open, stays) {
			lane := Lane{Running: r}
			for _, bar := range all {
				if bar.MachineID != r.ID {
					continue
				}
				for _, c := range page.Clashes {
					if c.Stay.BatchID == bar.Stay.BatchID && c.Stay.MachineID == bar.MachineID && c.Stay.Phase == bar.Phase {
						bar.Clash = c.Says
					}
				}
				lane.Bars = append(lane.Bars, bar)
			}
			if r.UntilOn == nil || len(lane.Bars) > 0 {
				page.Lanes = append(page.Lanes, lane)
			}
		}
		return nil
	})
	return
}

// KindsKept lists the species of the farm's pens.
func (b *Books) KindsKept(ctx context.Context, m *Member) (kinds []string, err error) {
	err = b.read(ctx, m, func(tx *Tx) error {
		pens, err := tx.Pens(ctx)
		for _, p := range pens {
			kinds = append(kinds, p.Species)
		}
		return err
	})
	return
}

// MachinePage is one machine with what it holds and what stands in it.
type MachinePage struct {
	Running
	Rooms []Room
	Ready readiness.State
}

// Machines lists the machines.
func (b *Books) Machines(ctx context.Context, m *Member) (all []MachinePage, err error) {
	err = b.read(ctx, m, func(tx *Tx) error {
		w, err := tx.snapshot(ctx)
		if err != nil {
			return err
		}
		open, err := w.openBatches(ctx, tx)
		if err != nil {
			return err
		}
		up, err := w.upkeep(ctx, tx)
		if err != nil {
			return err
		}
		for _, r := range w.running(open, w.allStays(open)) {
			page := MachinePage{Running: r}
			if page.Ready, err = w.readyState(r.Machine, up, stands(open, r.ID)); err != nil {
				return err
			}
			for _, room := range w.rooms[r.ID] {
				page.Rooms = append(page.Rooms, room)
			}
			slices.SortFunc(page.Rooms, func(x, y Room) int { return cmp.Compare(x.Species, y.Species) })
			all = append(all, page)
		}
		return nil
	})
	return
}
