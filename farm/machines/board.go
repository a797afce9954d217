package machines

import (
	"context"
	"time"

	"metrogon/core/season"
	"metrogon/farm"
	"metrogon/store"
)

// Board is the machines over the days.
type Board struct {
	From, To time.Time // dates
	Now      time.Time
	Lanes    []Lane
	Clashes  []farm.Clash
}

// Lane is one machine with what stands in it.
type Lane struct {
	farm.Running
	Bars  []Bar
	Loads []season.Load // the room used, of the fuller phase
}

// Bar is a batch in a machine in one phase.
type Bar struct {
	season.Stay
	farm.BatchView
	Clash string // what is wrong with it
}

// Board shows two weeks back and five weeks on from a date.
func (b *Service) Board(ctx context.Context, m *farm.Member, around time.Time) (page Board, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
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
		var open []farm.BatchView
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
					if c.Stay.BatchID == bar.Stay.BatchID && c.Stay.MachineID == bar.MachineID &&
						c.Stay.Phase == bar.Phase {
						bar.Clash = c.Says
					}
				}
				lane.Bars = append(lane.Bars, bar)
			}
			lane.Loads = loads(lane.Bars, r.ID)
			if r.UntilOn == nil || len(lane.Bars) > 0 {
				page.Lanes = append(page.Lanes, lane)
			}
		}
		return nil
	})
	return
}

// loads gives how full a machine is as it changes, by the fuller of its two phases.
func loads(bars []Bar, machineID int64) (all []season.Load) {
	stays := make([]season.Stay, len(bars))
	for i, b := range bars {
		stays[i] = b.Stay
	}
	phases := [2][]season.Load{
		season.Loads(stays, machineID, false), season.Loads(stays, machineID, true),
	}
	share := [2]float64{}
	for len(phases[0])+len(phases[1]) > 0 {
		first := 0
		if len(phases[0]) == 0 || len(phases[1]) > 0 && phases[1][0].At.Before(phases[0][0].At) {
			first = 1
		}
		at := phases[first][0].At
		share[first] = phases[first][0].Share
		phases[first] = phases[first][1:]
		all = append(all, season.Load{At: at, Share: max(share[0], share[1])})
	}
	return all
}
