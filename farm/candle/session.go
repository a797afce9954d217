package candle

import (
	"context"
	"fmt"
	"slices"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/candling"
	"metrogon/core/moisture"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
	"metrogon/store/weigh"
)

// Session is a batch that is candled, in the dark.
type Session struct {
	snapshot.BatchView
	Expect string
	Last   bool // lockdown comes after it, in the same going
}

// Sitting is what is candled in one going: a batch, or all that turns in a machine, which people open once.
type Sitting struct {
	Machine  snapshot.Machine
	Whole    bool // all that turns in the machine
	Doubtful bool // only the eggs of a batch of which nothing was sure
	Sessions []Session
	Eggs     []SessionEgg // still in the machine, in the order of their places
}

// oneGoing is how soon before lockdown a candling leads into it.
const oneGoing = 36 * time.Hour

// SessionEgg is one egg to be candled.
type SessionEgg struct {
	snapshot.PlacedEgg
	Called candling.Call // in the candling of these hours
	Cell   string        // what its air cell showed last, of a dark shell
	Lived  string        // the day on which it was called live last, before these hours: "day 7"
}

// Session lists the eggs of a batch to be candled.
func (b *Service) Session(ctx context.Context, m *farm.Member, batchID int64) (page Sitting, err error) {
	err = snapshot.ReadOpen(ctx, b.Service, m, func(tx *farm.Tx, w *snapshot.Snapshot, open []snapshot.BatchView) error {
		i := slices.IndexFunc(open, func(v snapshot.BatchView) bool { return v.ID == batchID })
		if i < 0 {
			return farm.ErrNone
		}
		page, err = sit(ctx, tx, w, open[i])
		return err
	})
	return page, err
}

// Doubtful lists the eggs of a batch that are to be looked at again: of which the last call before these hours was
// unsure, or that nothing could be seen.
func (b *Service) Doubtful(ctx context.Context, m *farm.Member, batchID int64) (page Sitting, err error) {
	err = snapshot.ReadOpen(ctx, b.Service, m, func(tx *farm.Tx, w *snapshot.Snapshot, open []snapshot.BatchView) error {
		i := slices.IndexFunc(open, func(v snapshot.BatchView) bool { return v.ID == batchID })
		if i < 0 {
			return farm.ErrNone
		}
		if page, err = sit(ctx, tx, w, open[i]); err != nil {
			return err
		}
		before, err := tx.LooksBefore(ctx, w.Now.Add(-candlingLasts), batchID)
		if err != nil {
			return err
		}
		doubtful := map[int64]bool{}
		for _, l := range before {
			doubtful[l.EggID] = candling.Call(l.Call).Doubtful()
		}
		page.Doubtful = true
		page.Eggs = slices.DeleteFunc(page.Eggs, func(e SessionEgg) bool {
			return !doubtful[e.ID] && !e.Called.Doubtful() // or became so in these hours
		})
		return nil
	})
	return page, err
}

// Machine lists the eggs of all batches that turn in a machine and show something by now, in the order of
// their places.
func (b *Service) Machine(ctx context.Context, m *farm.Member, machineID int64) (page Sitting, err error) {
	err = snapshot.ReadOpen(ctx, b.Service, m, func(tx *farm.Tx, w *snapshot.Snapshot, open []snapshot.BatchView) error {
		var in []snapshot.BatchView
		for _, v := range open {
			shows := v.Alive > 0 && v.Day >= candling.Nothing && !v.Kind.IsReptile()
			if v.LockedAt == nil && v.SetterID == machineID && shows {
				in = append(in, v)
			}
		}
		if w.MachineByID[machineID].ID == 0 {
			return farm.ErrNone
		}
		page, err = sit(ctx, tx, w, in...)
		page.Machine, page.Whole = w.MachineByID[machineID], true
		return err
	})
	return page, err
}

func sit(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot, in ...snapshot.BatchView) (page Sitting, err error) {
	var ids []int64
	for _, v := range in {
		s := Session{BatchView: v, Expect: candling.Expect(v.Day, v.HatchDay)}
		lock, locks := v.Milestone(calendar.Lockdown)
		s.Last = locks && v.LockedAt == nil && lock.At.Sub(w.Now) < oneGoing
		page.Sessions, page.Machine, ids = append(page.Sessions, s), v.Stands(), append(ids, v.ID)
	}
	eggs, err := w.EggsInPlace(ctx, tx, in...)
	if err != nil || len(in) == 0 {
		return page, err
	}
	looks, err := tx.Looks(ctx, ids...)
	if err != nil {
		return page, err
	}
	since := w.Now.Add(-candlingLasts)
	called, lived := map[int64]candling.Call{}, map[int64]string{}
	for _, l := range looks {
		if l.At != nil && l.At.After(since) {
			called[l.EggID] = candling.Call(l.Call)
		}
	}
	before, err := tx.LooksBefore(ctx, since, ids...)
	if err != nil {
		return page, err
	}
	for _, l := range before {
		i := slices.IndexFunc(in, func(v snapshot.BatchView) bool { return v.ID == l.BatchID })
		if l.Call == string(candling.Live) && i >= 0 {
			lived[l.EggID] = w.Member.Counting().Day(calendar.Elapsed(in[i].SetAt, *l.At))
		}
	}
	weighings, err := weigh.On(tx).Weighings(ctx, ids...)
	if err != nil {
		return page, err
	}
	cells := lastCells(weighings, w.Member)
	for _, e := range eggs {
		page.Eggs = append(page.Eggs, SessionEgg{e, called[e.ID], cells[e.ID], lived[e.ID]})
	}
	return page, nil
}

// lastCells tells of each egg whose air cell was read what it showed last.
func lastCells(weighings []weigh.Weighing, m *farm.Member) map[int64]string {
	cells := map[int64]string{}
	for _, x := range weighings { // the oldest first
		if x.EggID != nil && x.CellPct > 0 {
			cells[*x.EggID] = fmt.Sprintf(
				"air cell of %s: %.0f %% lost", m.ShortDay(x.At), moisture.LossOfCell(x.CellPct/100),
			)
		}
	}
	return cells
}

// Op is one thing done at the bench, perhaps while the phone had no signal. Its
// key makes it happen once, however often it is sent.
type Op struct {
	Key     string        `json:"key"`
	Kind    string        `json:"kind"` // call, cell, rest, take-back or end
	Egg     int64         `json:"egg"`
	Call    candling.Call `json:"call"`
	TakeOut bool          `json:"take_out"`
	Sure    bool          `json:"sure"`     // asked at the bench, and said that it is so
	LossPct float64       `json:"loss_pct"` // that the drawn air cell picked stands for
	At      time.Time     `json:"at"`
	Of      string        `json:"of"`      // the key that a take-back takes back
	Seconds int           `json:"seconds"` // that the lid was open, at the end
}

// A candling that lasts longer is worth a note: eggs cool [common practice: back
// within half an hour].
const longCandling = 20 * time.Minute

// Apply does what was called at the bench.
func (b *Service) Apply(ctx context.Context, req farm.Request, batchID int64, ops []Op) ([]farm.OpDone, error) {
	return farm.EachOp(req, fmt.Sprintf("bench %d", batchID), ops, func(op Op) string { return op.Key },
		func(req farm.Request, op Op) (farm.Done, error) { return b.op(ctx, req, batchID, op) })
}

func (b *Service) op(ctx context.Context, req farm.Request, batchID int64, op Op) (farm.Done, error) {
	at := b.Made(op.At)
	switch op.Kind {
	case "call":
		req.Sure = op.Sure || op.Call != candling.Clear // other calls are not asked about at the lamp
		return snapshot.OnBatch(ctx, b.Service, req, batchID,
			func(tx *farm.Tx, batch store.Batch, eggs snapshot.Eggs) (farm.Done, error) {
				if !slices.Contains(candling.Calls, op.Call) {
					return farm.Done{}, farm.Problemf("call", "%q is no call.", string(op.Call))
				}
				if err := snapshot.Living([]int64{op.Egg}, eggs); err != nil {
					return farm.Done{}, err
				}
				at := farm.Latest(at, batch.SetAt)
				out := op.TakeOut && req.TakesOut(op.Call)
				if err := doubts(ctx, tx, batch, op.Call, []int64{op.Egg}, out, at); err != nil {
					return farm.Done{}, err
				}
				return called(ctx, tx, batch, op.Call, []int64{op.Egg}, out, at)
			})
	case "cell":
		return b.Cells.ReadCell(ctx, req, batchID, op.Egg, op.LossPct, at)
	case "rest":
		return b.CandleRest(ctx, req, batchID, at)
	case "take-back":
		return journal.TakeBackOf(ctx, b.Service, req, op.Of)
	case "end":
		return snapshot.OnBatch(ctx, b.Service, req, batchID,
			func(tx *farm.Tx, batch store.Batch, _ snapshot.Eggs) (farm.Done, error) {
				open := time.Duration(min(max(op.Seconds, 0), 86400)) * time.Second
				if open < longCandling {
					return farm.Done{Said: "Candled."}, nil
				}
				return journal.Record(
					ctx, tx, journal.On(journal.Batch, batchID), nil, "%s: candling lasted %.0f minutes.", batch.Code,
					open.Minutes(),
				)
			})
	}
	return farm.Done{}, farm.Problemf("kind", "%.20q is nothing that can be done at the bench.", op.Kind)
}
