package season

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"sync"
	"time"

	"github.com/google/uuid"

	planner "metrogon/core/season"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/ahead"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	peoplerows "metrogon/store/people"
	rows "metrogon/store/season"
)

// upsets are what goes otherwise than was planned, enough to plan the rest again: settings for a
// promise whose machine died or whose day is one away, and promises that are short and get fewer
// young than was planned, because fewer eggs were laid or set, or more of them were clear. Stuck are
// all planned batches that cannot stay where they are, for a promise or not.
func (s *outlook) upsets() (all []rows.Upset, stuck []int64) {
	all = []rows.Upset{}
	known, reserved := s.Supply, s.Reserved
	defer func() { s.Supply, s.Reserved = known, reserved }()
	s.Supply, s.Reserved = known.Copy(), nil
	s.Supply.Unwritten(s.Outlook)
	s.LayAhead()
	y := s.Yard()
	for _, p := range s.Ahead {
		for _, t := range s.Troubles(y, p, p.Count) {
			if t.Reason == planner.ClosedReason || t.Reason == planner.AwayReason {
				stuck = append(stuck, p.ID)
				if len(p.For) > 0 {
					all = append(all, rows.Upset{What: plannedID(p.ID), Lacks: float64(p.Count), Says: p.Label() + ": " + t.Says})
				}
				break
			}
		}
	}
	for _, p := range s.Cover() {
		planned := 0.0
		for _, f := range s.Book.For {
			if f.OrderID == p.ID {
				planned += f.Young * ahead.Counts(p.Order)
			}
		}
		if lost := planned - p.Covered; p.Short() > 0 && lost > max(1, planned/10) {
			all = append(all, rows.Upset{What: orderID(p.ID), Lacks: lost, Says: fmt.Sprintf(
				"%s for %s: about %.0f to be expected, %.0f were planned.",
				wording.Capital(ahead.Thing(p.Order, p.Kind)), p.Who, p.Covered, planned,
			)})
		}
	}
	return all, stuck
}

func plannedID(id int64) string { return fmt.Sprintf("planned-%d", id) }

// lookAhead sees what is upset, and lets the settings move that cannot stay where they are, and
// those of which not all eggs are there on their day.
func (s *outlook) lookAhead() {
	s.Upset, s.Stuck = s.upsets()
	s.Loose = append([]int64{}, s.Stuck...)
	eggs := s.Supply.Copy()
	for _, p := range s.Ahead {
		there := 0
		for _, e := range eggs.ForPlanned(s.Outlook, p, max(0, s.Day(p.SetOn))) {
			there += e.Eggs
		}
		if !p.SetOn.After(s.Today) && there < p.Count && !slices.Contains(s.Loose, p.ID) {
			s.Loose = append(s.Loose, p.ID)
		}
	}
}

// mayMove tells whether a plan may put a planned batch elsewhere, or drop it. One that serves no
// promise is hers: a plan would see no worth in it, and leaves it alone.
func mayMove(p snapshot.Planned, loose []int64) bool {
	return len(p.For) > 0 && (!p.Pinned || slices.Contains(loose, p.ID))
}

// worse tells whether something is upset that was not yet, or much less, when a plan was made.
func worse(now, then []rows.Upset) bool {
	return slices.ContainsFunc(now, func(u rows.Upset) bool {
		i := slices.IndexFunc(then, func(o rows.Upset) bool { return o.What == u.What })
		return i < 0 || u.Lacks > then[i].Lacks+max(1, then[i].Lacks/4)
	})
}

// held is in which state each farm was when its plan was seen to hold: while that stays, it holds as it did.
type held struct {
	mu   sync.Mutex
	seen map[int64]seen // by farm
}

type seen struct {
	entry int64
	date  time.Time
}

const (
	// HoldsEvery is how often it is looked whether plans still hold.
	HoldsEvery = 10 * time.Second
	// againSeconds are given to a plan for which nobody asked.
	againSeconds = 5
	// pastDays is how long after its last planned setting a farm is still looked after: until
	// the young of the slowest kind are pulled.
	pastDays = 60
	// farmTime is how long it may take to look at one farm.
	farmTime = 20 * time.Second
)

// HoldsNow looks after the plans of all farms: where one does not hold any more, the rest is planned again. Nothing
// moves by it: the plan waits to be accepted.
func (b *Service) HoldsNow(ctx context.Context) error {
	farms, err := rows.Of(b.DB).FarmsAhead(ctx, b.Now().AddDate(0, 0, -pastDays))
	if err != nil {
		return err
	}
	var failed error
	for _, id := range farms {
		if ctx.Err() != nil {
			return errors.Join(failed, ctx.Err())
		}
		one, enough := context.WithTimeout(ctx, farmTime)
		err := b.holds(one, id)
		if err != nil && !errors.As(err, new(farm.Later)) { // one farm's trouble is not another's
			failed = errors.Join(failed, fmt.Errorf("farm %d: %w", id, err))
		}
		enough()
	}
	return failed
}

func (b *Service) holds(ctx context.Context, id int64) error {
	m, err := b.ownerOf(ctx, id)
	if err != nil || m == nil {
		return err
	}
	now := seen{date: m.Date(b.Now())}
	err = b.Read(ctx, m, func(tx *farm.Tx) (err error) {
		now.entry, err = rows.On(tx).LastEntry(ctx)
		return err
	})
	if err != nil || b.held.as(id) == now {
		return err
	}
	if err := b.Again(ctx, m); err != nil {
		return err
	}
	b.held.keep(id, now)
	return nil
}

func (h *held) as(farmID int64) seen {
	h.mu.Lock()
	defer h.mu.Unlock()
	return h.seen[farmID]
}

func (h *held) keep(farmID int64, s seen) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.seen == nil {
		h.seen = map[int64]seen{}
	}
	h.seen[farmID] = s
}

// ownerOf finds one of a farm's owners, nil if it has none.
func (b *Service) ownerOf(ctx context.Context, farmID int64) (*farm.Member, error) {
	people, err := peoplerows.Of(b.DB).People(ctx, farmID)
	if err != nil {
		return nil, err
	}
	for _, p := range people {
		if p.Role == farm.OwnerRole {
			return farm.NewMember(p)
		}
	}
	return nil, nil
}

// Again asks for a plan if something is upset for which none was made yet; one that waits to be
// accepted is withdrawn once nothing is upset any more.
func (b *Service) Again(ctx context.Context, m *farm.Member) error {
	var ask, idle *rows.Plan
	err := b.Read(ctx, m, func(tx *farm.Tx) (err error) {
		ask, idle, err = upsetting(ctx, tx)
		return err
	})
	if err != nil {
		return err
	}
	if idle != nil {
		return b.withdraw(ctx, m, *idle)
	}
	if ask == nil {
		return nil
	}
	key, err := json.Marshal([]any{m.FarmID, ask.Because, ask.FromOn, ask.MadeOf})
	if err != nil {
		return err
	}
	// one key for what is upset today, so that of many processes one asks
	once := uuid.NewSHA1(uuid.NameSpaceOID, key).String()
	_, err = b.Act(ctx, farm.Request{Member: m, Key: once, Sure: true}, farm.Keeping,
		func(tx *farm.Tx) (farm.Done, error) {
			open, err := rows.On(tx).OpenPlans(ctx)
			if err == nil && open >= mostOpen {
				err = farm.Later(HoldsEvery) // the next look asks
			}
			if err != nil {
				return farm.Done{}, err
			}
			id, err := addPlan(ctx, tx, *ask, 0)
			return farm.Done{Subject: farm.Subject{Kind: journal.Plan, ID: id}}, err
		})
	return err
}

// upsetting finds the plan that is to be asked for, or the one that nothing upsets any more.
func upsetting(ctx context.Context, tx *farm.Tx) (ask, idle *rows.Plan, err error) {
	last, err := rows.On(tx).LastPlan(ctx)
	if err != nil {
		return nil, nil, err
	}
	s, err := see(ctx, tx)
	if err != nil {
		return nil, nil, err
	}
	void, err := s.void(last)
	if err != nil {
		return nil, nil, err
	}
	s.lookAhead()
	if len(s.Upset) == 0 && len(void) == 0 {
		if len(last) == 1 && last[0].Alone && len(last[0].Taken) == 0 && last[0].ThrownAt == nil && !isRemade(last[0]) {
			idle = &last[0]
		}
		return nil, idle, nil
	}
	for _, says := range void {
		s.Upset = append(s.Upset, rows.Upset{What: remade, Says: says})
	}
	if len(void) == 0 && len(last) == 1 && !worse(s.Upset, last[0].Because) || s.askable(nil) != nil {
		return nil, nil, nil
	}
	row, err := s.asked(againSeconds, nil)
	return &row, nil, err
}

// void tells what has changed of the last plan, if some of it still waited to be accepted.
func (s *outlook) void(last []rows.Plan) ([]string, error) {
	if len(last) == 0 || last[0].ThrownAt != nil {
		return nil, nil
	}
	v, err := s.view(last[0])
	if err != nil || v.Lost == 0 {
		return nil, err
	}
	return v.Void, nil
}

func (b *Service) withdraw(ctx context.Context, m *farm.Member, row rows.Plan) error {
	return b.Write(ctx, m, func(tx *farm.Tx) error {
		if err := rows.On(tx).EndPlan(ctx, row.ID, Cancelled, nil, ""); err != nil {
			return err
		}
		row.ThrownAt = &tx.At
		return rows.On(tx).SetPlanState(ctx, row.Status())
	})
}

// withdrawIfIdle takes a plan for which nobody asked away again if nothing would change by it.
func (b *Service) withdrawIfIdle(ctx context.Context, w Work) error {
	m, err := b.ownerOf(ctx, w.FarmID)
	if err != nil || m == nil {
		return err
	}
	var row rows.Plan
	left := 0
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		var v PlanView
		_, row, v, err = b.proposed(ctx, tx, w.PlanID)
		left = v.Left
		return err
	})
	if err != nil || left > 0 || isRemade(row) {
		return err
	}
	return b.withdraw(ctx, m, row)
}
