package solve

import (
	"context"
	"fmt"
	"slices"
	"time"

	"metrogon/core/season"
)

// Request is a problem with how it is to be worked on.
type Request struct {
	season.Problem
	Seconds  *float64 `json:"seconds,omitempty"` // 0 to 600; default 5
	Seed     uint64   `json:"seed,omitempty"`
	Steps    int      `json:"steps,omitempty"` // 0: as many as the seconds allow
	Simulate *Chance  `json:"simulate,omitempty"`
	Replan   *Replan  `json:"replan,omitempty"`
}

// Replan asks for a plan that differs from one that was agreed on only where that
// is worth it.
type Replan struct {
	Accepted   []season.Batch `json:"accepted"`
	ChangeCost float64        `json:"change_cost"` // of every setting dropped or new
}

// Answer is a plan with what else was asked for.
type Answer struct {
	*Plan
	Simulated []Outcome `json:"simulated,omitempty"`
	Fragile   string    `json:"fragile,omitempty"`
}

// ReadRequest decodes strictly, as Read.
func ReadRequest(text []byte) (*Request, error) {
	r := new(Request)
	if err := season.Strict(text, r); err != nil {
		return nil, err
	}
	if err := r.Check(); err != nil {
		return nil, err
	}
	if r.Seconds != nil && !(*r.Seconds >= 0 && *r.Seconds <= 600) {
		return nil, fmt.Errorf("seconds: %v is not possible; it may be 0 to 600", *r.Seconds)
	}
	if r.Steps < 0 || r.Steps > 1e9 {
		return nil, fmt.Errorf("steps: %d is not possible; it may be 0 to 1e9", r.Steps)
	}
	if c := r.Simulate; c != nil {
		switch {
		case c.Runs < 1 || c.Runs > 100000:
			return nil, fmt.Errorf("simulate.runs: %d is not possible; it may be 1 to 100000", c.Runs)
		case !(c.YieldSD >= 0 && c.YieldSD <= 5):
			return nil, fmt.Errorf("simulate.yield_sd: %v is not possible; it may be 0 to 5", c.YieldSD)
		case !(c.Rho >= 0 && c.Rho <= 0.9):
			return nil, fmt.Errorf("simulate.rho: %v is not possible; it may be 0 to 0.9", c.Rho)
		case !(c.LayingSpread >= 0 && c.LayingSpread <= 5):
			return nil, fmt.Errorf("simulate.laying_spread: %v is not possible; it may be 0 to 5", c.LayingSpread)
		}
		for id, n := range c.Needs {
			if !slices.ContainsFunc(r.Orders, func(o season.Order) bool { return o.ID == id }) {
				return nil, fmt.Errorf("simulate.needs: %q is not known", id)
			}
			if !(n.Count >= 0 && n.Count <= 1e6) {
				return nil, fmt.Errorf("simulate.needs.%s.count: %v is not possible; it may be 0 to 1e6", id, n.Count)
			}
		}
		for id, b := range c.Posteriors {
			if !slices.ContainsFunc(r.Sources, func(s season.Source) bool { return s.ID == id }) {
				return nil, fmt.Errorf("simulate.posteriors: %q is not known", id)
			}
			if !(b.A > 0 && b.B > 0 && b.A < 1e9 && b.B < 1e9) {
				return nil, fmt.Errorf(
					"simulate.posteriors.%s: a and b are %v and %v; both may be above 0", id, b.A, b.B,
				)
			}
		}
	}
	if r.Replan != nil && !(r.Replan.ChangeCost >= 0 && r.Replan.ChangeCost <= 1e9) {
		return nil, fmt.Errorf("replan.change_cost: %v is not possible; it may be 0 to 1e9", r.Replan.ChangeCost)
	}
	if r.Replan != nil {
		machine := func(id string) bool {
			return slices.ContainsFunc(r.Machines, func(m season.Machine) bool { return m.ID == id })
		}
		for i, b := range r.Replan.Accepted {
			switch {
			case !slices.ContainsFunc(r.Sources, func(s season.Source) bool { return s.ID == b.Source }):
				return nil, fmt.Errorf("replan.accepted[%d].source: %q is not known", i, b.Source)
			case !machine(b.Setter) || !machine(b.Hatcher):
				return nil, fmt.Errorf(
					"replan.accepted[%d]: %q or %q is not known; close a machine that is gone instead of leaving "+
						"it out",
					i, b.Setter, b.Hatcher,
				)
			case b.SetDay < 0 || b.SetDay >= season.MostDays:
				return nil, fmt.Errorf(
					"replan.accepted[%d].set_day: %d is not possible; what stands already belongs to fixed", i,
					b.SetDay,
				)
			}
		}
	}
	return r, nil
}

// Shares of the time that are left for notes, and for the simulation if it is asked for.
const (
	forNotes  = 0.12
	forChance = 0.10
)

// Work answers a request within its seconds. progress may be nil; what passes while it is called does not count, so
// that it may wait there for its turn.
func (r *Request) Work(ctx context.Context, progress func(Progress)) (*Answer, error) {
	limit := 5 * time.Second
	if r.Seconds != nil {
		limit = time.Duration(*r.Seconds * float64(time.Second))
	}
	var all []*stint
	share := func(of float64) *stint {
		s := newStint(ctx, time.Duration(of*float64(limit)))
		all = append(all, s)
		return s
	}
	defer func() {
		for _, s := range all {
			s.timer.Stop()
			s.end()
		}
	}()
	whole, left := share(1), 1.0
	if r.Simulate != nil {
		left -= forChance
	}
	notes := share(left)
	search := notes
	if r.Steps == 0 {
		search = share(left - forNotes)
	}
	tell := progress
	if progress != nil {
		tell = func(p Progress) { stood(all, func() { progress(p) }) }
	}
	o := Options{Seed: r.Seed, Steps: r.Steps, Progress: tell}
	if r.Replan != nil {
		o.Accepted, o.Change = r.Replan.Accepted, r.Replan.ChangeCost
	}
	plan, err := Solve(search, &r.Problem, o)
	if err != nil {
		return nil, err
	}
	if r.Replan != nil {
		plan.Changes = season.Changes(r.Replan.Accepted, plan.Batches, r.Words)
	}
	plan.Notes = Explain(notes, &r.Problem, plan, r.Seed)
	a := &Answer{Plan: plan}
	if r.Simulate != nil {
		a.Simulated, a.Fragile = Simulate(whole, &r.Problem, plan, *r.Simulate, r.Seed)
	}
	return a, nil
}
