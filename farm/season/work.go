package season

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"time"

	"metrogon/core/season/solve"
	"metrogon/farm"
	"metrogon/store"
	rows "metrogon/store/season"
)

// Work is a plan that is to be worked on.
type Work struct {
	FarmID int64 `json:"farm_id"`
	PlanID int64 `json:"plan_id"`
}

// Kind names the job.
func (Work) Kind() string { return "plan" }

// PlanQueue is where plans wait.
const PlanQueue = "plans"

const (
	// mostOpen is how many plans of one farm may be on their way: one that is worked on, and one that waits.
	mostOpen = 2
	// often is how long a job waits before it tells how far it is again.
	often = 400 * time.Millisecond
	// searches work at once in a process, and each gives way after a stint if others wait.
	searches = 2
	stint    = 5 * time.Second
	// again is when a plan is tried that waits for another one of its farm.
	again = 2 * time.Second
	// overdue is after how long a plan that waits is put into the queue anew, whatever became of its job.
	overdue = time.Minute
)

// addPlan keeps a plan that is asked for, with the job that works on it.
func addPlan(ctx context.Context, tx *farm.Tx, row rows.Plan, personID int64) (id int64, err error) {
	if id, err = rows.On(tx).AddPlan(ctx, row, personID); err == nil {
		tx.Later(store.Job{What: Work{tx.FarmID, id}, Queue: PlanQueue})
	}
	return id, err
}

// LeftBehind takes up the plans that a process left that is gone.
func (b *Service) LeftBehind(ctx context.Context) error {
	left, err := rows.Of(b.DB).LeftPlans(ctx, overdue)
	jobs := make([]store.Job, len(left))
	for i, l := range left {
		jobs[i] = store.Job{What: Work{l.FarmID, l.ID}, Queue: PlanQueue, Once: overdue}
	}
	return errors.Join(err, b.DB.Enqueue(ctx, jobs...))
}

// Plan claims a plan and works on it. farm.Later says that another one of its farm is worked on.
func (b *Service) Plan(ctx context.Context, w Work) error {
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	whole := context.WithoutCancel(ctx)
	row, busy, err := b.claim(whole, w)
	switch {
	case err != nil:
		return err
	case busy:
		return farm.Later(again)
	case row == nil: // it was worked on, or called off
		return nil
	}
	b.working.Store(w.PlanID, stop)
	defer b.working.Delete(w.PlanID)
	write := func(work func(tx *store.Tx) error) error { return b.DB.Write(whole, w.FarmID, work) }
	a, err := b.solve(ctx, *row, w, stop)
	if ctx.Err() != nil { // called off, or the process ends: then whoever comes next begins again
		return write(func(tx *store.Tx) error { return rows.On(tx).ReleasePlan(whole, w.PlanID) })
	}
	if err != nil {
		return write(func(tx *store.Tx) error { return rows.On(tx).EndPlan(whole, w.PlanID, Failed, nil, err.Error()) })
	}
	text, err := json.Marshal(a)
	if err != nil {
		return err
	}
	err = write(func(tx *store.Tx) error { return rows.On(tx).EndPlan(whole, w.PlanID, Finished, text, "") })
	if err == nil && row.Alone {
		err = b.withdrawIfIdle(whole, w)
	}
	return err
}

// claim takes a plan that waits; nil: there is nothing to do. busy: another one of the farm is worked on.
func (b *Service) claim(ctx context.Context, w Work) (row *rows.Plan, busy bool, err error) {
	err = b.DB.Write(ctx, w.FarmID, func(tx *store.Tx) error {
		if busy, err = rows.On(tx).PlanInWork(ctx, w.PlanID); err != nil || busy {
			return err
		}
		mine, err := rows.On(tx).ClaimPlan(ctx, w.PlanID)
		if err != nil || !mine {
			return err
		}
		p, err := rows.On(tx).Plan(ctx, w.PlanID)
		row = &p
		return err
	})
	return row, busy, err
}

// beat tells how far a plan is; false: it was called off.
func (b *Service) beat(ctx context.Context, w Work, p solve.Progress) (on bool, err error) {
	var bound *float64
	if !math.IsInf(p.Bound, 0) {
		bound = &p.Bound
	}
	err = b.DB.Write(ctx, w.FarmID, func(tx *store.Tx) (err error) {
		on, err = rows.On(tx).BeatPlan(ctx, w.PlanID, int64(p.Steps), p.Score, bound)
		return err
	})
	return on, err
}

// solve works on a plan in turn with the others, telling now and then how far it is. Sentences keep the planner's ids
// and days; they are written when they are read, in the names of then.
func (b *Service) solve(ctx context.Context, row rows.Plan, w Work, stop func()) (a answer, err error) {
	r, err := solve.ReadRequest(row.Request)
	if err != nil {
		return a, fmt.Errorf("the problem: %w", err)
	}
	r.Words = markedWords
	var now solve.Progress
	tell := func() {
		if on, err := b.beat(context.WithoutCancel(ctx), w, now); err == nil && !on { // else the next beat tells it again
			stop()
		}
	}
	if err := b.turns.take(ctx, tell); err != nil {
		return a, err
	}
	defer b.turns.leave()
	told, began := time.Time{}, time.Now()
	a.Answer, err = r.Work(ctx, func(p solve.Progress) {
		if now = p; time.Since(told) >= often {
			told = time.Now()
			tell()
		}
		if time.Since(began) >= stint && b.turns.wanted() {
			b.turns.leave()
			_ = b.turns.take(context.WithoutCancel(ctx), tell) // called off meanwhile, it ends with the next step
			began = time.Now()
		}
	})
	if err != nil || a.Fragile == "" || r.Simulate == nil {
		return a, err
	}
	for _, o := range a.Simulated {
		if o.Order == a.Fragile && o.Chance < 0.95 {
			short, enough := context.WithTimeout(ctx, 2*time.Second)
			defer enough()
			a.Raise = solve.RaiseOf(short, &r.Problem, a.Plan, *r.Simulate, a.Fragile, r.Seed)
		}
	}
	return a, nil
}
