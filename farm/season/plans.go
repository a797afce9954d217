package season

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	planner "metrogon/core/season"
	"metrogon/core/season/solve"
	"metrogon/farm"
	"metrogon/farm/ahead"
	"metrogon/farm/journal"
	rows "metrogon/store/season"
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
	*solve.Answer
	Raise *solve.Raise `json:"raise,omitempty"` // of the most fragile promise
}

// Ask asks for a plan of the farm as it is, or as it would be. A job works on it.
func (b *Service) Ask(
	ctx context.Context, req farm.Request, seconds int, what *WhatIf,
) (id int64, done farm.Done, err error) {
	done, err = b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
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
		open, err := rows.On(tx).OpenPlans(ctx)
		if err != nil {
			return farm.Done{}, err
		}
		if open >= mostOpen {
			return farm.Done{}, farm.Problemf(
				"plan", "Two plans of your farm are on their way already. Wait until one is done, or stop it.",
			)
		}
		id, err := addPlan(ctx, tx, row, req.PersonID)
		return farm.Done{Said: "Planning…", Subject: farm.Subject{Kind: journal.Plan, ID: id}}, err
	})
	return done.Of(journal.Plan), done, err
}

// asked is a plan that is asked for, with the problem that it is to solve.
func (s *outlook) asked(seconds int, what *WhatIf) (row rows.Plan, err error) {
	row = rows.Plan{FromOn: s.Today, AskedAt: s.W.Now, Seconds: seconds, Because: s.Upset, Loose: s.Loose}
	if row.MadeOf, err = json.Marshal(s.madeOf()); err != nil {
		return row, err
	}
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

// askable, after lookAhead, sees that there is something to plan, and that what stays where it is can.
func (s *outlook) askable(what *WhatIf) error {
	if len(s.Book.Orders) == 0 {
		return farm.Problemf("orders", "Nothing is promised yet: tell first what, to whom and when.")
	}
	s.Supply.Laid(s.Outlook, ahead.MostDays)
	defer func() { s.Supply.Forget() }()
	for _, p := range s.Ahead {
		if mayMove(p, s.Loose) || slices.Contains(s.Stuck, p.ID) || p.SetOn.Before(s.Today) {
			continue
		}
		for _, t := range s.Against(s.Yard(), p, s.EggsBut(p.ID)) {
			if t.Reason != planner.EggsReason {
				return farm.Problemf(
					"pins", "%s stays where it is, and cannot: %s Move it, or let it move, and plan again.", p.Label(), t.Says,
				)
			}
		}
	}
	return nil
}

// Cancel calls a plan off that is worked on.
func (b *Service) Cancel(ctx context.Context, req farm.Request, id int64) (farm.Done, error) {
	done, err := b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		if _, err := rows.On(tx).Plan(ctx, id); err != nil {
			return farm.Done{}, err
		}
		return farm.Done{Said: "Stopped planning."}, rows.On(tx).EndPlan(ctx, id, Cancelled, nil, "")
	})
	if err == nil {
		if stop, ok := b.working.Load(id); ok {
			stop.(context.CancelFunc)()
		}
	}
	return done, err
}

// Accept keeps settings of a plan, by their number; none named: all.
func (b *Service) Accept(ctx context.Context, req farm.Request, id int64, which []int) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		s, row, p, err := b.proposed(ctx, tx, id)
		if err != nil {
			return farm.Done{}, err
		}
		if len(p.Void) > 0 {
			return farm.Done{}, farm.Problemf(
				"plan", "This plan does not hold any more. %s A new one is being made.", strings.Join(p.Void, " "),
			)
		}
		s.LayAhead()
		if says := shortened(s.changes(p, which)); says != "" {
			var doubts farm.Problems
			doubts.Doubtf(tx.Request, "which", "A promise that is covered would be short. %s Accept it all the same?", says)
			if err := doubts.Err(); err != nil {
				return farm.Done{}, err
			}
		}
		u, about := journal.Undo{planBefore.Of(row.Status())}, journal.On(journal.Plan, id)
		n, eggs := 0, 0
		for _, one := range p.Proposals {
			if one.Taken || one.Gone != "" || len(which) > 0 && !slices.Contains(which, one.No) {
				continue
			}
			row.Taken = append(row.Taken, int32(one.No))
			if one.Replaces != nil {
				before := ahead.RowsOf(*one.Replaces)
				u = append(u, ahead.PlannedBefore.Of(ahead.Kept[ahead.PlannedRows]{ID: before.ID, Before: &before}))
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
		if err := b.keepMade(ctx, tx, &row); err != nil {
			return farm.Done{}, err
		}
		if err := rows.On(tx).SetPlanState(ctx, row.Status()); err != nil {
			return farm.Done{}, err
		}
		said := fmt.Sprintf("Accepted %d settings, %d eggs in all. Today tells you when each is due.", n, eggs)
		if n == 1 {
			said = fmt.Sprintf("Accepted one setting, %d eggs. Today tells you when it is due.", eggs)
		}
		return journal.Record(ctx, tx, about, u, "%s", said)
	})
}

// keepMade makes a plan one of what there is now, since what has changed is its own doing.
func (b *Service) keepMade(ctx context.Context, tx *farm.Tx, row *rows.Plan) error {
	s, err := see(ctx, tx)
	if err != nil {
		return err
	}
	row.MadeOf, err = json.Marshal(s.madeOf())
	return err
}

// Changes tells what accepting settings of a plan would make of the promises; none named: all that are left.
func (b *Service) Changes(ctx context.Context, m *farm.Member, id int64, which []int) (all []Change, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		s, _, v, err := b.proposed(ctx, tx, id)
		if err != nil {
			return err
		}
		s.LayAhead()
		all = s.changes(v, which)
		return nil
	})
	return all, err
}

// Throw throws a plan away; what was accepted of it stays.
func (b *Service) Throw(ctx context.Context, req farm.Request, id int64) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		row, err := rows.On(tx).Plan(ctx, id)
		if err != nil {
			return farm.Done{}, err
		}
		u := journal.Undo{planBefore.Of(row.Status())}
		row.ThrownAt = &tx.At
		if err := rows.On(tx).SetPlanState(ctx, row.Status()); err != nil {
			return farm.Done{}, err
		}
		return journal.Record(ctx, tx, journal.On(journal.Plan, id), u, "Threw the plan away.")
	})
}

// Forbid keeps a setting of a plan out of the next one: this kind in this machine on that day.
func (b *Service) Forbid(ctx context.Context, req farm.Request, id int64, no int) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		_, _, p, err := b.proposed(ctx, tx, id)
		if err != nil {
			return farm.Done{}, err
		}
		for _, one := range p.Proposals {
			if one.No != no || one.Kind == nil {
				continue
			}
			ban := rows.Ban{Species: one.Kind.ID, MachineID: one.Setter.ID, FromOn: one.SetOn, ToOn: one.SetOn}
			if ban.ID, err = rows.On(tx).SaveBan(ctx, ban); err != nil {
				return farm.Done{}, err
			}
			return journal.Record(
				ctx, tx, journal.On(journal.Plan, id), journal.Undo{ahead.BanBack.Of(ahead.Kept[rows.Ban]{ID: ban.ID})},
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
		row, err := rows.On(tx).Plan(ctx, id)
		if err != nil {
			return err
		}
		r, err := solve.ReadRequest(row.Request)
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
