package season

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"math"
	"slices"
	"time"

	planner "metrogon/core/season"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/store"
)

// States of a plan.
const (
	Waiting   = "waiting"
	Working   = "running"
	Finished  = "done"
	Cancelled = "cancelled"
	Failed    = "failed"
)

// answer is what a job keeps of its work.
type answer struct {
	*planner.Answer
	Raise *planner.Raise `json:"raise,omitempty"` // of the most fragile promise
}

// Ask asks for a plan of the farm as it is, or as it would be. A job works on it.
func (b *Service) Ask(
	ctx context.Context, m *farm.Member, key string, seconds int, what *WhatIf,
) (id int64, done farm.Done, err error) {
	done, err = b.Act(ctx, m, farm.Keeping, key, func(tx *farm.Tx) (farm.Done, error) {
		var p farm.Problems
		p.Count("seconds", "The number of seconds", seconds, 1, 300)
		if err := p.Err(); err != nil {
			return farm.Done{}, err
		}
		s, err := see(ctx, tx)
		if err != nil {
			return farm.Done{}, err
		}
		s.lookAhead()
		if err := s.askable(what); err != nil {
			return farm.Done{}, err
		}
		row, err := s.asked(seconds, what)
		if err != nil {
			return farm.Done{}, err
		}
		id, err := tx.AddPlan(ctx, row, m.PersonID)
		return farm.Done{Said: "Planning…", BatchID: id}, err
	})
	if err == nil {
		b.Wake()
	}
	return done.BatchID, done, err // a plan is no batch, but its id has to come back with a key used twice
}

// asked is a plan that is asked for, with the problem that it is to solve.
func (s *scene) asked(seconds int, what *WhatIf) (row store.Plan, err error) {
	row = store.Plan{FromOn: s.today, AskedAt: s.w.Now, Seconds: seconds, Because: s.upset, Loose: s.loose}
	if what != nil {
		if err := what.check(s); err != nil {
			return row, err
		}
		what.before(s)
		if row.WhatIf, err = json.Marshal(what); err != nil {
			return row, err
		}
	}
	r, err := s.problem()
	if err != nil {
		return row, err
	}
	if what != nil {
		what.after(s, r)
	}
	limit := float64(seconds)
	r.Seconds = &limit
	row.Request, err = json.Marshal(r)
	return row, err
}

// Wake tells the job that somebody waits.
func (b *Service) Wake() {
	select {
	case b.wake <- struct{}{}:
	default:
	}
}

// askable, after lookAhead, sees that there is something to plan, and that what stays where it is can.
func (s *scene) askable(what *WhatIf) error {
	if len(s.book.Orders) == 0 {
		return farm.Problemf("orders", "Nothing is promised yet: tell first what, to whom and when.")
	}
	s.supply.laid(s, mostDays)
	defer func() { s.supply.forget() }()
	for _, p := range s.ahead {
		if mayMove(p, s.loose) || slices.Contains(s.stuck, p.ID) || p.SetOn.Before(s.today) {
			continue
		}
		for _, t := range s.against(s.yard(), p, s.eggsBut(p.ID)) {
			if t.Reason != planner.EggsReason {
				return farm.Problemf(
					"pins", "%s stays where it is, and cannot: %s Move it, or let it move, and plan again.", p.Label(), t.Says,
				)
			}
		}
	}
	return nil
}

// forget drops what is only expected to be laid.
func (x supply) forget() {
	for pen, all := range x {
		known := all[:0]
		for _, l := range all {
			if l.known {
				known = append(known, l)
			}
		}
		x[pen] = known
	}
}

// Cancel calls a plan off that is worked on.
func (b *Service) Cancel(ctx context.Context, m *farm.Member, key string, id int64) (farm.Done, error) {
	done, err := b.Act(ctx, m, farm.Keeping, key, func(tx *farm.Tx) (farm.Done, error) {
		if _, err := tx.Plan(ctx, id); err != nil {
			return farm.Done{}, err
		}
		return farm.Done{Said: "Stopped planning."}, tx.EndPlan(ctx, id, Cancelled, nil, "")
	})
	if err == nil {
		if stop, ok := b.working.Load(id); ok {
			stop.(context.CancelFunc)()
		}
	}
	return done, err
}

const (
	// look is how often it is seen whether a plan waits of which nobody told this process.
	look = 2 * time.Second
	// often is how long a job waits before it tells how far it is again.
	often = 400 * time.Millisecond
	// jobs are worked on at once.
	jobs = 2
)

// Work works on plans until the context ends: those that are asked for here, and those that a
// process left behind that is gone.
func (b *Service) Work(ctx context.Context, log *slog.Logger) {
	free := make(chan struct{}, jobs)
	tick := time.NewTicker(look)
	defer tick.Stop()
	go (&watch{b, map[int64]seen{}}).work(ctx, log)
	for ctx.Err() == nil {
		waiting, err := b.DB.WaitingPlans(ctx)
		if err != nil && ctx.Err() == nil && !farm.Unavailable(err) {
			log.Error("looking for plans", "err", err)
		}
		for _, w := range waiting {
			if _, mine := b.working.Load(w.ID); mine {
				continue
			}
			free <- struct{}{}
			go func() {
				defer func() { <-free }()
				if err := b.run(ctx, w); err != nil && ctx.Err() == nil {
					log.Error("planning", "farm", w.FarmID, "plan", w.ID, "err", err)
				}
			}()
		}
		select {
		case <-ctx.Done():
		case <-tick.C:
		case <-b.wake:
		}
	}
}

// run claims a plan and works on it.
func (b *Service) run(ctx context.Context, w store.Waiting) error {
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	if _, taken := b.working.LoadOrStore(w.ID, stop); taken {
		return nil
	}
	defer b.working.Delete(w.ID)
	whole := context.WithoutCancel(ctx)
	write := func(work func(tx *store.Tx) error) error { return b.DB.Write(whole, w.FarmID, work) }
	row, err := b.claim(whole, w)
	if err != nil || row == nil {
		return err
	}
	a, err := b.solve(ctx, *row, func(p planner.Progress) {
		if on, err := b.beat(whole, w, p); err == nil && !on { // else the next beat tells it again
			stop()
		}
	})
	if ctx.Err() != nil && errors.Is(context.Cause(ctx), context.Canceled) {
		return nil // called off, or the process ends: whoever comes next begins again
	}
	if err != nil {
		return write(func(tx *store.Tx) error { return tx.EndPlan(whole, w.ID, Failed, nil, err.Error()) })
	}
	text, err := json.Marshal(a)
	if err != nil {
		return err
	}
	err = write(func(tx *store.Tx) error { return tx.EndPlan(whole, w.ID, Finished, text, "") })
	if err == nil && row.Alone {
		err = b.withdrawIfIdle(whole, w)
	}
	return err
}

// claim takes a plan that waits; nil: somebody else did.
func (b *Service) claim(ctx context.Context, w store.Waiting) (row *store.Plan, err error) {
	err = b.DB.Write(ctx, w.FarmID, func(tx *store.Tx) error {
		mine, err := tx.ClaimPlan(ctx, w.ID)
		if err != nil || !mine {
			return err
		}
		p, err := tx.Plan(ctx, w.ID)
		row = &p
		return err
	})
	return row, err
}

// beat tells how far a plan is; false: it was called off.
func (b *Service) beat(ctx context.Context, w store.Waiting, p planner.Progress) (on bool, err error) {
	var bound *float64
	if !math.IsInf(p.Bound, 0) {
		bound = &p.Bound
	}
	err = b.DB.Write(ctx, w.FarmID, func(tx *store.Tx) (err error) {
		on, err = tx.BeatPlan(ctx, w.ID, int64(p.Steps), p.Score, bound)
		return err
	})
	return on, err
}

// solve works on a plan, telling now and then how far it is. Sentences keep the planner's ids
// and days; they are written when they are read, in the names of then.
func (b *Service) solve(ctx context.Context, row store.Plan, tell func(planner.Progress)) (a answer, err error) {
	r, err := planner.ReadRequest(row.Request)
	if err != nil {
		return a, fmt.Errorf("the problem: %w", err)
	}
	r.Words = markedWords
	var last time.Time
	a.Answer, err = r.Work(ctx, func(p planner.Progress) {
		if now := time.Now(); now.Sub(last) >= often {
			last = now
			tell(p)
		}
	})
	if err != nil || a.Fragile == "" || r.Simulate == nil {
		return a, err
	}
	for _, o := range a.Simulated {
		if o.Order == a.Fragile && o.Chance < 0.95 {
			short, enough := context.WithTimeout(ctx, 2*time.Second)
			defer enough()
			a.Raise = planner.RaiseOf(short, &r.Problem, a.Plan, *r.Simulate, a.Fragile, r.Seed)
		}
	}
	return a, nil
}

// Accept keeps settings of a plan, by their number; none named: all.
func (b *Service) Accept(ctx context.Context, m *farm.Member, key string, id int64, which []int) (farm.Done, error) {
	return b.Act(ctx, m, farm.Keeping, key, func(tx *farm.Tx) (farm.Done, error) {
		s, row, p, err := b.proposed(ctx, tx, id)
		if err != nil {
			return farm.Done{}, err
		}
		u, about := journal.Undo{planBefore.Of(row.Status())}, journal.On(journal.Plan, id)
		n, eggs := 0, 0
		for _, one := range p.Proposals {
			if one.Taken || one.Gone != "" || len(which) > 0 && !slices.Contains(which, one.No) {
				continue
			}
			row.Taken = append(row.Taken, int32(one.No))
			if one.Replaces != nil {
				before := rowsOf(*one.Replaces)
				u = append(u, plannedBefore.Of(kept[plannedRows]{before.ID, &before}))
				about = about.And(journal.Planned, before.ID)
			}
			steps, on, err := one.keep(ctx, tx, s)
			if err != nil {
				return farm.Done{}, err
			}
			u, about = append(u, steps...), append(about, on...)
			n, eggs = n+1, eggs+one.Count
		}
		if n == 0 {
			return farm.Done{}, farm.Problemf("which", "Nothing of this plan is left to be accepted.")
		}
		if err := tx.SetPlanState(ctx, row.Status()); err != nil {
			return farm.Done{}, err
		}
		said := fmt.Sprintf("Accepted %d settings, %d eggs in all. Today tells you when each is due.", n, eggs)
		if n == 1 {
			said = fmt.Sprintf("Accepted one setting, %d eggs. Today tells you when it is due.", eggs)
		}
		return journal.Record(ctx, tx, about, u, "%s", said)
	})
}

// Throw throws a plan away; what was accepted of it stays.
func (b *Service) Throw(ctx context.Context, m *farm.Member, key string, id int64) (farm.Done, error) {
	return b.Act(ctx, m, farm.Keeping, key, func(tx *farm.Tx) (farm.Done, error) {
		row, err := tx.Plan(ctx, id)
		if err != nil {
			return farm.Done{}, err
		}
		u := journal.Undo{planBefore.Of(row.Status())}
		row.ThrownAt = &tx.At
		if err := tx.SetPlanState(ctx, row.Status()); err != nil {
			return farm.Done{}, err
		}
		return journal.Record(ctx, tx, journal.On(journal.Plan, id), u, "Threw the plan away.")
	})
}

// Forbid keeps a setting of a plan out of the next one: this kind in this machine on that day.
func (b *Service) Forbid(ctx context.Context, m *farm.Member, key string, id int64, no int) (farm.Done, error) {
	return b.Act(ctx, m, farm.Keeping, key, func(tx *farm.Tx) (farm.Done, error) {
		_, _, p, err := b.proposed(ctx, tx, id)
		if err != nil {
			return farm.Done{}, err
		}
		for _, one := range p.Proposals {
			if one.No != no || one.Kind == nil {
				continue
			}
			ban := store.Ban{Species: one.Kind.ID, MachineID: one.Setter.ID, FromOn: one.SetOn, ToOn: one.SetOn}
			if ban.ID, err = tx.SaveBan(ctx, ban); err != nil {
				return farm.Done{}, err
			}
			return journal.Record(
				ctx, tx, journal.On(journal.Plan, id), journal.Undo{banBack.Of(kept[store.Ban]{ID: ban.ID})},
				"The next plan sets no %s in %s on %s.", one.Kind.Name, one.Setter.Name, one.SetOn.Format("Mon 2 Jan"),
			)
		}
		return farm.Done{}, farm.ErrNone
	})
}

// Export gives a plan's problem and the plan itself as JSON, in the form of docs/planning.md, so
// that anybody can check it.
func (b *Service) Export(ctx context.Context, m *farm.Member, id int64) (problem, plan []byte, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		row, err := tx.Plan(ctx, id)
		if err != nil {
			return err
		}
		r, err := planner.ReadRequest(row.Request)
		if err != nil {
			return err
		}
		if problem, err = json.MarshalIndent(r.Problem, "", "  "); err != nil || row.Answer == nil {
			return err
		}
		var a answer
		if err := json.Unmarshal(row.Answer, &a); err != nil {
			return err
		}
		plan, err = json.MarshalIndent(a.Plan, "", "  ")
		return err
	})
	return problem, plan, err
}
