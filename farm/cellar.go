package farm

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"metrogon/core/candling"
	"metrogon/store"
)

// Cellar is a batch on the candling bench, in the dark.
type Cellar struct {
	BatchView
	Eggs   []BenchEgg // still in the machine, in the order of their places
	Expect string
}

// BenchEgg is one egg to be candled.
type BenchEgg struct {
	store.Egg
	Pen    Pen
	Spot   string        // "Upper B4", where it lies on a tray
	Called candling.Call // in the candling of these hours
	Cell   string        // what its air cell showed last, of a dark shell
}

// Code is what is written on the egg, or its number.
func (e BenchEgg) Code() string { return markOf(e.Mark, e.No) }

// Cellar lists the eggs to be candled.
func (b *Books) Cellar(ctx context.Context, m *Member, batchID int64) (page Cellar, err error) {
	err = b.read(ctx, m, func(tx *Tx) error {
		w, err := tx.snapshot(ctx)
		if err != nil {
			return err
		}
		trays, err := w.trayPage(ctx, tx, batchID)
		if err != nil {
			return err
		}
		page = Cellar{BatchView: trays.BatchView, Expect: candling.Expect(trays.Kind, trays.Day, trays.HatchDay)}
		eggs, err := tx.BatchEggs(ctx, batchID)
		if err != nil {
			return err
		}
		now, err := tx.CallsSince(ctx, batchID, w.now.Add(-candlingLasts))
		if err != nil {
			return err
		}
		weighings, err := tx.Weighings(ctx, batchID)
		if err != nil {
			return err
		}
		water, cells := w.waterOf(trays.BatchView), map[string]string{}
		water.gather(weighings, eggs)
		for _, d := range water.Dark {
			cells[d.Code] = fmt.Sprintf("air cell of %s: %.0f %% lost", m.ShortDay(d.At), d.LossPct)
		}
		order := map[int64]int{}
		spot := map[int64]string{}
		for i, t := range trays.Trays {
			for place, lying := range t.Lying {
				for _, e := range lying {
					order[e.ID], spot[e.ID] = i*2000+place-1_000_000, t.Name+" "+t.Layout.Name(place)
				}
			}
		}
		for _, e := range eggs {
			if e.Fate == nil {
				page.Eggs = append(page.Eggs, BenchEgg{e, w.pens[e.PenID], spot[e.ID], candling.Call(now[e.ID]), cells[markOf(e.Mark, e.No)]})
			}
		}
		slices.SortStableFunc(page.Eggs, func(x, y BenchEgg) int { return cmp.Or(cmp.Compare(order[x.ID], order[y.ID]), x.No-y.No) })
		return nil
	})
	return
}

// Op is one thing done at the bench, perhaps while the phone had no signal. Its
// key makes it happen once, however often it is sent.
type Op struct {
	Key     string        `json:"key"`
	Kind    string        `json:"kind"` // call, cell, rest, take-back or end
	Egg     int64         `json:"egg"`
	Call    candling.Call `json:"call"`
	TakeOut bool          `json:"take_out"`
	LossPct float64       `json:"loss_pct"` // that the drawn air cell picked stands for
	At      time.Time     `json:"at"`
	Of      string        `json:"of"`      // the key that a take-back takes back
	Seconds int           `json:"seconds"` // that the lid was open, at the end
}

// OpDone tells what became of an op: done, or why it cannot be.
type OpDone struct {
	Key  string `json:"key"`
	Done bool   `json:"done"`
	Says string `json:"says"`
}

// A candling that lasts longer is worth a note: eggs cool [common practice: back
// within half an hour].
const longCandling = 20 * time.Minute

// Bench does ops in order, each by itself. What cannot be done is told with the
// reason and stops nothing after it. An error means that nothing from there on
// was done; send the rest again.
func (b *Books) Bench(ctx context.Context, m *Member, batchID int64, ops []Op) (all []OpDone, err error) {
	for _, op := range ops {
		what, err := json.Marshal(op)
		if err != nil {
			return all, err
		}
		done, err := b.op(Asked(ctx, fmt.Sprintf("bench %d %s", batchID, what)), m, batchID, op)
		p, typed := AsProblems(err)
		switch {
		case err == nil:
			all = append(all, OpDone{op.Key, true, done.Said})
		case typed:
			all = append(all, OpDone{op.Key, false, p.Error()})
		case errors.Is(err, ErrNone):
			all = append(all, OpDone{op.Key, false, "There is no such egg in this batch any more."})
		default:
			return all, err
		}
	}
	return all, nil
}

func (b *Books) op(ctx context.Context, m *Member, batchID int64, op Op) (Done, error) {
	at := op.At.Truncate(time.Second)
	if now := b.Now(); at.After(now) || at.Before(now.AddDate(0, 0, -14)) {
		at = now // the phone's clock is wrong
	}
	switch op.Kind {
	case "call":
		return b.onBatch(ctx, m, op.Key, batchID, func(tx *Tx, batch store.Batch, eggs map[int64]store.Egg) (Done, error) {
			if !slices.Contains(candling.Calls, op.Call) {
				return Done{}, problem("call", "%q is no call.", string(op.Call))
			}
			if err := living([]int64{op.Egg}, eggs); err != nil {
				return Done{}, err
			}
			at := latest(at, batch.SetAt)
			return called(ctx, tx, batch, op.Call, []int64{op.Egg}, op.TakeOut && m.TakesOut(op.Call), at)
		})
	case "cell":
		return b.readCell(ctx, m, op, batchID, at)
	case "rest":
		return b.CandleRest(ctx, m, op.Key, batchID, at)
	case "take-back":
		return b.takeBack(ctx, m, op)
	case "end":
		return b.onBatch(ctx, m, op.Key, batchID, func(tx *Tx, batch store.Batch, _ map[int64]store.Egg) (Done, error) {
			open := time.Duration(min(max(op.Seconds, 0), 86400)) * time.Second
			if open < longCandling {
				return Done{Said: "Candled."}, nil
			}
			return write(ctx, tx, On("batch", batchID), nil, "%s: candling lasted %.0f minutes.", batch.Code, open.Minutes())
		})
	}
	return Done{}, problem("kind", "%.20q is nothing that can be done at the bench.", op.Kind)
}

// takeBack undoes what a key did.
func (b *Books) takeBack(ctx context.Context, m *Member, op Op) (Done, error) {
	if uuid.Validate(op.Of) != nil {
		return Done{}, problem("of", "There is nothing to take back.")
	}
	var before Done
	err := b.read(ctx, m, func(tx *Tx) error {
		answer, err := tx.Answered(ctx, op.Of)
		if err != nil {
			return err
		}
		return json.Unmarshal([]byte(answer), &before)
	})
	if errors.Is(err, ErrNone) {
		return Done{}, problem("of", "That call never arrived, so there is nothing to take back.")
	}
	if err != nil {
		return Done{}, fmt.Errorf("take back: %w", err)
	}
	return b.Undo(ctx, m, op.Key, before.Entry)
}

// readCell keeps how large the air cell of an egg with a dark shell is.
func (b *Books) readCell(ctx context.Context, m *Member, op Op, batchID int64, at time.Time) (Done, error) {
	x := Weigh{Eggs: 1, Cell: Cell{LossPct: op.LossPct, Drawn: true}, At: at}
	err := b.read(ctx, m, func(tx *Tx) error {
		batch, err := tx.Batch(ctx, batchID)
		if err != nil {
			return err
		}
		_, v, err := tx.viewed(ctx, batch)
		if err != nil {
			return err
		}
		x.RHPct, x.TempC = v.Humidity().At, v.Air().TempC
		eggs, err := tx.BatchEggs(ctx, batchID)
		for _, e := range eggs {
			if e.ID == op.Egg {
				x.Code = markOf(e.Mark, e.No)
			}
		}
		return err
	})
	if err != nil {
		return Done{}, err
	}
	if x.Code == "" {
		return Done{}, ErrNone
	}
	return b.Weigh(ctx, m, op.Key, batchID, x)
}
