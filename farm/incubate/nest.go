package incubate

import (
	"context"
	"fmt"
	"math"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/grading"
	"metrogon/core/method"
	"metrogon/core/units"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
	"metrogon/store/stock"
)

// Nest is eggs that are taken over part-incubated, from an abandoned nest or another farm: how long they were
// warm is known within a span of days.
type Nest struct {
	PenID               int64
	Eggs                int
	FromDays, ToDays    float64 // completed days of incubation so far
	SetterID, HatcherID int64   // the hatcher 0: the same machine
}

// mostUnsure is what the calendar reckons with, days either way.
const mostUnsure = 15

// TakeOver makes a batch of them, on trial: they leave the rates of their pen alone. Its clock is the middle of the
// span; all that follows of it is a span.
func (b *Service) TakeOver(ctx context.Context, req farm.Request, n Nest) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return farm.Done{}, err
		}
		pen, ok := w.PenByID[n.PenID]
		if !ok {
			return farm.Done{}, farm.Problemf("pen", "Say from which pen they are; make one for the nest if need be.")
		}
		kind, err := w.Kind(pen.Species)
		if err != nil {
			return farm.Done{}, err
		}
		if n.HatcherID == 0 {
			n.HatcherID = n.SetterID
		}
		var p farm.Problems
		p.Count("eggs", "The number of eggs", n.Eggs, 1, farm.MaxEggs)
		if kind.IsReptile() {
			p.Addf("pen", "A clutch is set on the day that it is found; its temperature tells the rest.")
		}
		if w.Rooms[n.SetterID][kind.ID].Setting == 0 {
			p.Addf("setter", "Pick a machine that takes these eggs.")
		} else if w.Rooms[n.HatcherID][kind.ID].Hatching == 0 {
			p.Addf("hatcher", "Pick a machine in which these eggs can hatch.")
		}
		clockSpan(&p, n.FromDays, n.ToDays, kind.HatchDays.To)
		if err := p.Err(); err != nil {
			return farm.Done{}, err
		}
		setAt, unsure := clockOf(tx.At, n.FromDays, n.ToDays)
		id, code, err := tx.AddBatch(ctx, store.Batch{
			Species: kind.ID, Bantam: pen.Bantam, SetterID: n.SetterID, HatcherID: n.HatcherID, SetAt: setAt, UnsureDays: unsure,
			Way: snapshot.WayRow(w.WayIn(kind.ID, w.MachineByID[n.SetterID])),
		}, kind.Short, setAt.In(req.Place).Year())
		if err != nil {
			return farm.Done{}, err
		}
		laid := req.Date(setAt)
		rows := []stock.Collection{{
			PenID: pen.ID, LaidOn: laid, Washing: string(method.Unwashed), Reasons: map[string]int{grading.Begun: n.Eggs},
		}}
		gathered, err := stock.On(tx).Collect(ctx, rows)
		if err != nil {
			return farm.Done{}, err
		}
		eggs, err := stock.On(tx).OnTrial(ctx, gathered[0], grading.Begun, n.Eggs)
		if err != nil {
			return farm.Done{}, err
		}
		lot := stock.Stock{PenID: pen.ID, LaidOn: laid, Trial: true}
		if _, err := stock.On(tx).Put(ctx, id, lot, n.Eggs, eggs, tx.At); err != nil {
			return farm.Done{}, err
		}
		if _, err := snapshot.AssignCodes(ctx, tx.Tx, req.Date(b.Now())); err != nil {
			return farm.Done{}, err
		}
		return journal.Record(ctx, tx, journal.On(journal.Batch, id).And(journal.Pen, pen.ID),
			journal.Undo{dropNest.Of(gathered), dropBatch.Of(id)}, "Took over %s of %s as %s in %s, %s days along.",
			wording.Plural(n.Eggs, "egg"), pen.Name, code, w.MachineByID[n.SetterID].Name, daysSay(n.FromDays, n.ToDays))
	})
}

// clockSpan checks a span of days of incubation.
func clockSpan(p *farm.Problems, from, to, most float64) {
	p.Measure("from_days", "The least number of days", &from, 0, most, "days")
	p.Measure("to_days", "The greatest number of days", &to, 0, most, "days")
	switch {
	case to < from:
		p.Addf("to_days", "The span ends before it begins.")
	case (to-from)/2 > mostUnsure:
		p.Addf("to_days", "A span of more than %d days tells nothing; look at one of them by the lamp first.", 2*mostUnsure)
	}
}

// clockOf is when eggs began to incubate that are from so many to so many days along now.
func clockOf(now time.Time, from, to float64) (setAt time.Time, unsureDays float64) {
	return calendar.After(now, -(from+to)/2).Truncate(time.Minute), (to - from) / 2
}

func daysSay(from, to float64) string {
	if from == to {
		return units.Number(from)
	}
	return units.Number(from) + "–" + units.Number(to)
}

// Along tells how far a batch is, with how unsure that is: "9", or "7–12".
func Along(v snapshot.BatchView, m *farm.Member) string {
	from, to := math.Max(0, v.Day-v.UnsureDays), v.Day+v.UnsureDays
	return daysSay(float64(m.Counting().Count(from)), float64(m.Counting().Count(to)))
}

// Narrow sets the clock of a batch by what its eggs look like now: so many to so many days along.
func (b *Service) Narrow(
	ctx context.Context, req farm.Request, batchID int64, fromDays, toDays float64,
) (farm.Done, error) {
	if err := req.Refuse(farm.Keeping); err != nil {
		return farm.Done{}, err
	}
	return snapshot.OnBatch(ctx, b.Service, req, batchID,
		func(tx *farm.Tx, batch store.Batch, _ snapshot.Eggs) (farm.Done, error) {
			_, v, err := snapshot.Viewed(ctx, tx, batch)
			if err != nil {
				return farm.Done{}, err
			}
			var p farm.Problems
			switch {
			case batch.UnsureDays == 0:
				p.Addf("to_days", "It is known when %s was set.", batch.Code)
			case batch.LockedAt != nil:
				p.Addf("to_days", "%s is in lockdown already; the hatch tells the rest.", batch.Code)
			}
			clockSpan(&p, fromDays, toDays, v.Kind.HatchDays.To)
			if p == nil && (toDays < v.Day-batch.UnsureDays || fromDays > v.Day+batch.UnsureDays) {
				p.Doubtf(tx.Request, "to_days", "%s days along? By what was said before they would be %s. Is it so?",
					daysSay(fromDays, toDays), Along(v, req.Member))
			}
			if err := p.Err(); err != nil {
				return farm.Done{}, err
			}
			setAt, unsure := clockOf(tx.At, fromDays, toDays)
			if err := tx.SetClock(ctx, batchID, setAt, unsure); err != nil {
				return farm.Done{}, err
			}
			return journal.Record(ctx, tx, journal.On(journal.Batch, batchID),
				journal.Undo{clockBefore.Of(clock{batchID, batch.SetAt, batch.UnsureDays})}, "%s is %s days along, by the lamp.",
				batch.Code, daysSay(fromDays, toDays))
		})
}

// clock is when a batch was said to have begun.
type clock struct {
	Batch  int64
	SetAt  time.Time
	Unsure float64
}

var (
	clockBefore = journal.NewKind("clock", func(ctx context.Context, tx *farm.Tx, c clock) error {
		return tx.SetClock(ctx, c.Batch, c.SetAt, c.Unsure)
	})
	dropNest = journal.NewKind("nest", func(ctx context.Context, tx *farm.Tx, collections []int64) error {
		n, err := stock.On(tx).DropCollections(ctx, collections)
		if err == nil && n < len(collections) {
			err = fmt.Errorf("the eggs of a nest are not all in store")
		}
		return err
	})
)

// NestPage is what eggs may be taken over from, and into what.
type NestPage struct {
	Pens              []snapshot.Pen
	Setters, Hatchers []snapshot.Machine
}

// Nest shows what is needed to take eggs over.
func (b *Service) Nest(ctx context.Context, m *farm.Member) (page NestPage, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return err
		}
		for _, p := range w.Pens {
			if kind, err := w.Kind(p.Species); err == nil && !kind.IsReptile() && p.UntilOn == nil {
				page.Pens = append(page.Pens, p)
			}
		}
		for _, x := range w.Machines {
			sets, hatches := false, false
			for id, r := range w.Rooms[x.ID] {
				bird := w.Kinds[id] != nil && !w.Kinds[id].IsReptile()
				sets, hatches = sets || bird && r.Setting > 0, hatches || bird && r.Hatching > 0
			}
			if sets && x.UntilOn == nil {
				page.Setters = append(page.Setters, x)
			}
			if hatches && x.UntilOn == nil {
				page.Hatchers = append(page.Hatchers, x)
			}
		}
		return nil
	})
	return page, err
}
