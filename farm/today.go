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
func (b *Service) Today(ctx context.Context, m *Member) (page Today, err error) {
	err = b.Read(ctx, m, func(tx *Tx) error {
		w, err := tx.Snapshot(ctx)
		if err != nil {
			return err
		}
		open, err := w.Open(ctx, tx)
		if err != nil {
			return err
		}
		page = Today{Now: w.Now, Date: m.Date(w.Now), HasPens: len(w.Pens) > 0, HasBoxes: len(w.Machines) > 0}
		if page.Due, page.Soon, err = Due(ctx, tx, w, b.chores); err != nil {
			return err
		}
		if page.Room, err = w.EggRoom(ctx, tx); err != nil {
			return err
		}
		page.Empty = len(open) == 0 && page.Room.Eggs == 0
		for _, v := range open {
			if h := v.Hatch(); v.Alive > 0 && h.From.Before(w.Now.AddDate(0, 0, 10)) {
				page.Hatches = append(page.Hatches, v)
			}
		}
		slices.SortFunc(page.Hatches, func(x, y BatchView) int { return x.Hatch().At.Compare(y.Hatch().At) })
		stays := w.AllStays(open)
		page.Clashes = w.Clashes(stays)
		page.Running = w.Running(open, stays)
		parcels, err := w.Parcels(ctx, tx, 20)
		for _, p := range parcels {
			if p.OnTheWay() {
				page.OnTheWay = append(page.OnTheWay, p)
			}
		}
		return err
	})
	return
}

func (w *Snapshot) Running(open []BatchView, stays []season.Stay) (all []Running) {
	for _, x := range w.Machines {
		r := Running{Machine: x}
		for _, v := range open {
			if v.Stands().ID == x.ID {
				r.Batches = append(r.Batches, v)
			}
		}
		for _, locked := range []bool{false, true} {
			for _, l := range season.Loads(stays, x.ID, locked) {
				if !l.At.After(w.Now) && l.Share > 0 {
					r.Full = l.Share
				}
			}
		}
		if len(r.Batches) == 0 {
			r.Full = 0
		}
		r.Counter, r.HasCount = Counter(x, w.Now)
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
func (b *Service) Board(ctx context.Context, m *Member, around time.Time) (page Board, err error) {
	err = b.Read(ctx, m, func(tx *Tx) error {
		w, err := tx.Snapshot(ctx)
		if err != nil {
			return err
		}
		if around.IsZero() {
			around = m.Date(w.Now)
		}
		page = Board{From: around.AddDate(0, 0, -14), To: around.AddDate(0, 0, 35), Now: w.Now}
		views, err := w.Views(ctx, tx, func() ([]store.Batch, error) { return tx.BatchesSince(ctx, page.From) })
		if err != nil {
			return err
		}
		var open []BatchView
		var all []Bar
		for _, v := range views {
			if v.Open() {
				open = append(open, v)
			}
			for _, s := range w.Stays(v) {
				if s.From.Before(page.To) && s.To.After(page.From) {
					all = append(all, Bar{Stay: s, BatchView: v})
				}
			}
		}
		stays := w.AllStays(open)
		page.Clashes = w.Clashes(stays)
		for _, r := range w.Running(open, stays) {
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
func (b *Service) KindsKept(ctx context.Context, m *Member) (kinds []string, err error) {
	err = b.Read(ctx, m, func(tx *Tx) error {
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
func (b *Service) Machines(ctx context.Context, m *Member) (all []MachinePage, err error) {
	err = b.Read(ctx, m, func(tx *Tx) error {
		w, err := tx.Snapshot(ctx)
		if err != nil {
			return err
		}
		open, err := w.Open(ctx, tx)
		if err != nil {
			return err
		}
		up, err := w.Upkeep(ctx, tx)
		if err != nil {
			return err
		}
		for _, r := range w.Running(open, w.AllStays(open)) {
			page := MachinePage{Running: r}
			if page.Ready, err = w.Ready(r.Machine, up, HasEggs(open, r.ID)); err != nil {
				return err
			}
			for _, room := range w.Rooms[r.ID] {
				page.Rooms = append(page.Rooms, room)
			}
			slices.SortFunc(page.Rooms, func(x, y Room) int { return cmp.Compare(x.Species, y.Species) })
			all = append(all, page)
		}
		return nil
	})
	return
}
