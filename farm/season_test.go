package farm_test

import (
	"context"
	"encoding/json"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	planner "metrogon/core/season"
	"metrogon/farm"
	"metrogon/farm/ahead"
	"metrogon/farm/chores"
	"metrogon/farm/incubate"
	"metrogon/farm/season"
	"metrogon/farm/snapshot"
	"metrogon/farm/stock"
	"metrogon/farm/wishes"
	seasonrows "metrogon/store/season"
)

// spring is a yard with a pen that lays four eggs a day, a setter and a hatcher.
type spring struct {
	*yard
	barred, cabinet, hatchBox int64
}

func newSpring(t *testing.T) *spring {
	y := newYard(t)
	s := &spring{yard: y, barred: y.pen("Barred", "chicken")}
	s.cabinet = y.machine("Cabinet", "cabinet", "chicken", 40, 0)
	s.hatchBox = y.machine("Hatch box", "hatcher", "chicken", 0, 20)
	for back := range 10 {
		y.collect(s.barred, back, 4, 0)
	}
	return s
}

// in is a date so many days ahead.
func in(days int) time.Time { return day(-days) }

func (s *spring) promise(what string, count, from, to int) int64 {
	s.Helper()
	price := 3.0
	_, err := s.Season.SaveOrder(s.Context(), by(s.m), snapshot.Order{
		Who: "Mosswick", What: what, Species: "chicken", Count: count, FromOn: in(from), ToOn: in(to), SurePct: 50,
		Price: &price,
	})
	require.NoError(s, err)
	all, err := s.Season.Promises(s.Context(), s.m)
	require.NoError(s, err)
	return all.Open[len(all.Open)-1].ID
}

// plan asks for a plan and waits until the job has made it.
func (s *spring) plan(seconds int, what *season.WhatIf) season.PlanView {
	s.Helper()
	id, _, err := s.Season.Ask(s.Context(), by(s.m), seconds, what)
	require.NoError(s, err)
	var v season.PlanView
	s.working(func() bool {
		all, err := s.Season.Plans(s.Context(), s.m)
		require.NoError(s, err)
		for _, w := range append([]season.PlanView{*all.Plan}, all.WhatIfs...) {
			if w.ID == id {
				v = w
			}
		}
		return !v.Running()
	})
	require.Equal(s, season.Finished, v.State, v.Says)
	return v
}

// working does what the queue would until something is so.
func (s *spring) working(until func() bool) {
	s.Helper()
	require.Eventually(s, func() bool {
		require.NoError(s, s.Season.HoldsNow(s.Context()))
		left, err := seasonrows.Of(s.DB).LeftPlans(s.Context(), 0)
		require.NoError(s, err)
		for _, l := range left {
			require.NoError(s, s.Season.Plan(s.Context(), season.Work{FarmID: l.FarmID, PlanID: l.ID}))
		}
		return until()
	}, time.Minute, 20*time.Millisecond)
}

func (s *spring) problem(id int64) (p planner.Problem) {
	s.Helper()
	text, _, err := s.Season.Export(s.Context(), s.m, id)
	require.NoError(s, err)
	require.NoError(s, json.Unmarshal(text, &p))
	return p
}

// The problem is the farm: each figure of it worked out by hand.
func TestTheProblemIsTheFarm(t *testing.T) {
	s := newSpring(t)
	ctx := s.Context()
	s.now = start.AddDate(0, 0, -4) // set four days ago, of eggs that were two and three days old then
	old := s.set(incubate.Setting{
		Species: "chicken", SetterID: s.cabinet, HatcherID: s.hatchBox,
		Picks: []incubate.Pick{{PenID: s.barred, LaidOn: day(6), Eggs: 4}, {PenID: s.barred, LaidOn: day(7), Eggs: 2}},
	})
	s.now = start
	s.set(incubate.Setting{
		Species: "chicken", SetterID: s.cabinet, HatcherID: s.hatchBox,
		Picks: []incubate.Pick{{PenID: s.barred, LaidOn: day(0), Eggs: 3}},
	})
	s.promise(ahead.YoungOrder, 6, 25, 28)
	s.promise(ahead.PulletsOrder, 3, 40, 46)
	s.promise(ahead.EggsOrder, 3, 0, 0)
	_, err := s.Days.AddAway(ctx, by(s.m), snapshot.Away{FromOn: in(10), ToOn: in(12), Actions: []string{"set"}})
	require.NoError(t, err)
	end := in(9)
	_, err = s.Days.Close(ctx, by(s.m), snapshot.Closure{MachineID: s.cabinet, FromOn: in(8), ToOn: &end})
	require.NoError(t, err)
	_, err = s.Days.SaveBrooder(ctx, by(s.m), snapshot.Brooder{Name: "Lamp", Places: 30})
	require.NoError(t, err)
	v := s.plan(1, nil)
	p := s.problem(v.ID)

	assert.Equal(t, 47, p.Days, "up to the last day of the last promise")
	require.Len(t, p.Species, 2, "those that were set today apart")
	assert.Equal(
		t, []int{18, 22, 10, 28}, []int{
			p.Species[0].Lockdown, p.Species[0].Pull, p.Species[0].MaxAge, p.Species[0].BroodDays,
		},
	)
	assert.Equal(t, 30.0, p.BrooderPlaces)
	assert.Equal(t, []planner.Away{{From: 10, To: 12, Not: []string{"set"}}}, p.Away)

	laid := map[int]float64{}
	for _, l := range p.Sources[0].Supply {
		laid[l.Laid] += l.Eggs
	}
	// Four were collected on each of ten days. Six of 22 and 23 February are set, and three of
	// today's; the one left and two of yesterday's are promised as eggs.
	assert.Equal(t, map[int]float64{-9: 4, -8: 4, -7: 2, -5: 4, -4: 4, -3: 4, -2: 4, -1: 2}, pick(laid, -9, 0))
	assert.Equal(
		t, map[int]float64{1: 4, 2: 4, 3: 4, 30: 4, 47: 4}, pick(laid, 1, 47, 1, 2, 3, 30, 47), "four a day are expected",
	)
	assert.InDelta(t, .85*.80, p.Sources[0].Yield, 1e-9, "usual, without a record")

	machines := map[string]planner.Machine{}
	for _, m := range p.Machines {
		machines[s.name(m.ID)] = m
	}
	assert.Equal(t, map[string]float64{"chicken": 40, "chicken-today": 40}, machines["Cabinet"].Set)
	assert.Equal(t, map[string]float64{"chicken": 20, "chicken-today": 20}, machines["Hatch box"].Hatch)
	assert.Equal(t, [][2]int{{8, 9}}, machines["Cabinet"].Closed)
	assert.Equal(t, 1, machines["Hatch box"].CleanDays)

	require.Len(t, p.Fixed, 2)
	standing, today := p.Fixed[0], p.Fixed[1]
	assert.Equal(t, -4, standing.SetDay)
	assert.Equal(t, 6.0, standing.Eggs.Count())
	assert.InDelta(t, s.batch(old).Prospect.Young, *standing.Young, 1e-3, "as its own page says")
	assert.Equal(t, -1, today.SetDay, "what is set today stands too")
	assert.Equal(t, 3.0, today.Eggs.Count())
	assert.Equal(t, []int{19, 23}, []int{p.Species[1].Lockdown, p.Species[1].Pull}, "so that it comes a day later")
	assert.Contains(t, p.Orders[0].Sources, today.Source)

	require.Len(t, p.Orders, 2, "eggs are taken out of the supply, not planned")
	young, pullets := p.Orders[0], p.Orders[1]
	assert.Equal(t, []int{25, 28}, []int{young.PullFrom, young.PullTo})
	assert.InDelta(t, 6, young.Young, 1.2, "as likely as not")
	assert.InDelta(t, 18, young.Young*young.Value, .1, "worth six times three")
	assert.InDelta(t, 6, pullets.Young, 1.5, "twice as many young as pullets")
	assert.InDelta(t, 9, pullets.Young*pullets.Value, .1)
}

// pick keeps the days between two, or those named.
func pick(all map[int]float64, from, to int, only ...int) map[int]float64 {
	out := map[int]float64{}
	for d, n := range all {
		if d >= from && d <= to && n > 0 && (len(only) == 0 || slices.Contains(only, d)) {
			out[d] = n
		}
	}
	return out
}

// name finds a machine by the planner's id.
func (s *spring) name(id string) string {
	all, err := s.Machines.List(s.Context(), s.m)
	require.NoError(s, err)
	for _, x := range all {
		if id == "machine-"+strconv.FormatInt(x.ID, 10) {
			return x.Name
		}
	}
	return id
}

// checked runs the published checker over a plan. What stands already is not part of its form, so
// it is left out, as is what it gives.
func (s *spring) checked(v season.PlanView) {
	s.Helper()
	problem, plan, err := s.Season.Export(s.Context(), s.m, v.ID)
	require.NoError(s, err)
	var p map[string]any
	require.NoError(s, json.Unmarshal(problem, &p))
	delete(p, "fixed")
	delete(p, "forbidden")
	problem, err = json.Marshal(p)
	require.NoError(s, err)
	dir := s.TempDir()
	for name, text := range map[string][]byte{"problem.json": problem, "plan.json": plan} {
		require.NoError(s, os.WriteFile(filepath.Join(dir, name), text, 0o600))
	}
	out, err := exec.Command(
		"python3", "../core/season/testdata/check.py", filepath.Join(dir, "problem.json"), filepath.Join(dir, "plan.json"),
	).CombinedOutput()
	assert.NoError(s, err, string(out))
}

// A season from the promise to the set: planned, accepted, due, set by one tap, taken back.
func TestASeasonIsPlannedAcceptedAndSet(t *testing.T) {
	s := newSpring(t)
	ctx := s.Context()
	order := s.promise(ahead.YoungOrder, 8, 26, 30)
	v := s.plan(5, nil)
	s.checked(v)
	require.NotEmpty(t, v.Proposals)
	assert.Contains(t, v.Gap, "proven")
	assert.Contains(t, v.Proposals[0].Says, "so that the 8 chicks for Mosswick come on")
	require.Len(t, v.Results, 1)
	assert.Greater(t, v.Results[0].Planned, 7.5)
	assert.InDelta(t, .5, v.Results[0].Chance, .25, "as likely as not, as was asked")

	done, err := s.Season.Accept(ctx, by(s.m), v.ID, nil)
	require.NoError(t, err)
	all, err := s.Season.Promises(ctx, s.m)
	require.NoError(t, err)
	assert.Zero(t, all.Open[0].Short(), "it is covered by what is planned")
	_, err = s.Undo(ctx, by(s.m), done.Entry)
	require.NoError(t, err)
	all, err = s.Season.Promises(ctx, s.m)
	require.NoError(t, err)
	assert.Positive(t, all.Open[0].Short(), "taken back")
	_, err = s.Season.Accept(ctx, by(s.m), v.ID, nil)
	require.NoError(t, err)
	_, err = s.Season.Accept(ctx, by(s.m), v.ID, nil)
	assert.ErrorContains(t, err, "Nothing of this plan is left")

	board, err := s.Season.Board(ctx, s.m, time.Time{}, 6)
	require.NoError(t, err)
	assert.Empty(t, board.Troubles, "a plan clashes with nothing")
	first := v.Proposals[0]
	s.now = first.SetOn.Add(9 * time.Hour)
	due := s.chores(chores.SetPlanned)
	require.Len(t, due, 1)
	assert.Contains(t, due[0].Title, "Barred")
	id := due[0].About.ID
	// Fewer were laid than was planned, where they were still to be laid: what is there is set.
	toSet, err := s.Season.Due(ctx, s.m, id)
	require.NoError(t, err)
	setting := incubate.Setting{
		Species: toSet.Species, SetterID: toSet.SetterID, HatcherID: toSet.HatcherID, SetAt: s.now, PlannedID: id,
	}
	for _, e := range toSet.Picks {
		setting.Picks = append(setting.Picks, incubate.Pick{PenID: e.PenID, LaidOn: e.LaidOn, Eggs: e.Eggs})
	}
	require.NotEmpty(t, setting.Picks)
	done, err = s.Incubate.Set(ctx, by(s.m), setting)
	require.NoError(t, err)
	assert.Empty(t, s.chores(chores.SetPlanned), "it is set")
	_, err = s.Incubate.Set(ctx, by(s.m), setting)
	assert.Error(t, err, "it is not set twice")
	_, err = s.Undo(ctx, by(s.m), done.Entry)
	require.NoError(t, err)
	assert.Len(t, s.chores(chores.SetPlanned), 1, "with the batch taken back the plan stands again")

	// Eggs that are planned and never come cover nothing.
	gone := s.now
	s.now = s.now.AddDate(0, 0, 40)
	all, err = s.Season.Promises(ctx, s.m)
	require.NoError(t, err)
	assert.Zero(t, all.Open[0].Covered, "none were laid")
	assert.Contains(t, s.chores(chores.SetPlanned)[0].Reason, "none of its eggs are there")
	s.now = gone

	_, err = s.Season.Deliver(ctx, by(s.m), order, 5, false)
	require.NoError(t, err)
	all, err = s.Season.Promises(ctx, s.m)
	require.NoError(t, err)
	assert.Equal(t, 3, all.Open[0].Left())
	_, err = s.Season.Deliver(ctx, by(s.m), order, 3, false)
	require.NoError(t, err)
	all, err = s.Season.Promises(ctx, s.m)
	require.NoError(t, err)
	assert.Empty(t, all.Open)
	assert.Len(t, all.Ended, 1)
}

// Hatching eggs that are handed over leave the store, the freshest first, and come back.
func TestPromisedEggsLeaveTheStore(t *testing.T) {
	s := newSpring(t)
	ctx := s.Context()
	id := s.promise(ahead.EggsOrder, 6, 0, 2)
	all, err := s.Season.Promises(ctx, s.m)
	require.NoError(t, err)
	assert.Zero(t, all.Open[0].Short(), "they are there")
	before := s.inStore()
	done, err := s.Season.Deliver(ctx, by(s.m), id, 6, false)
	require.NoError(t, err)
	assert.Contains(t, done.Said, "Out of the store: 4 of Barred, 1 Mar; 2 of Barred, 28 Feb.")
	assert.Equal(t, before-6, s.inStore())
	_, err = s.Undo(ctx, by(s.m), done.Entry)
	require.NoError(t, err)
	assert.Equal(t, before, s.inStore())
	_, err = s.Season.Deliver(ctx, by(s.m), id, 60, false)
	assert.ErrorContains(t, err, "Only 40 eggs fit to be handed over are in store")
}

// A machine dies: what may move is planned anew elsewhere, and it is said what changes.
func TestADeadMachineIsPlannedAround(t *testing.T) {
	s := newSpring(t)
	ctx := s.Context()
	s.promise(ahead.YoungOrder, 6, 26, 30)
	v := s.plan(2, nil)
	_, err := s.Season.Accept(ctx, by(s.m), v.ID, nil)
	require.NoError(t, err)
	spare := s.machine("Still box", "still-air", "chicken", 24, 24)
	_, err = s.Days.Close(ctx, by(s.m), snapshot.Closure{MachineID: s.cabinet, FromOn: in(0), Why: "its fan died"})
	require.NoError(t, err)
	board, err := s.Season.Board(ctx, s.m, time.Time{}, 6)
	require.NoError(t, err)
	require.NotEmpty(t, board.Troubles)
	p := board.Troubles[0]
	assert.Contains(t, p.Troubles[0].Says, "Cabinet takes no eggs")
	assert.Contains(t, p.Troubles[0].Says, "its fan died")
	require.NotEmpty(t, p.Cures)
	assert.Equal(t, "set in Still box", p.Cures[0].Says)

	again := s.planned()
	assert.Contains(t, again.Because[0].Says, "Cabinet takes no eggs")
	assert.Len(t, s.chores(chores.Replanned), 1, "Today says so")
	for _, one := range board.Troubles {
		p, err := s.Season.Planned(ctx, s.m, one.ID, nil)
		require.NoError(t, err)
		assert.Equal(t, s.cabinet, p.SetterID, "nothing of hers moves unless she lets it")
	}
	s.checked(again)
	var dropped, made int
	for _, one := range again.Proposals {
		if one.Count == 0 {
			dropped++
			assert.Contains(t, one.Says, "Do not set")
			assert.Contains(t, one.Says, "after all: Cabinet takes no eggs", "it is said why")
		} else {
			made++
			assert.Equal(t, spare, one.Setter.ID)
		}
	}
	assert.Equal(t, len(board.Troubles), dropped)
	assert.Positive(t, made)
	_, err = s.Season.Accept(ctx, by(s.m), again.ID, nil)
	require.NoError(t, err)
	board, err = s.Season.Board(ctx, s.m, time.Time{}, 6)
	require.NoError(t, err)
	assert.Empty(t, board.Troubles)
	assert.Empty(t, s.chores(chores.Replanned), "it is accepted")
}

// planned waits for the plan that is made by itself.
func (s *spring) planned() (v season.PlanView) {
	s.Helper()
	s.working(func() bool {
		all, err := s.Season.Plans(s.Context(), s.m)
		require.NoError(s, err)
		v = *all.Plan
		return v.Alone && !v.Running()
	})
	require.Equal(s, season.Finished, v.State, v.Says)
	require.NotEmpty(s, v.Because)
	return v
}

// When fewer eggs are there than was planned, and a promise is short by it, the rest is planned
// again; once the eggs turn up, that plan goes away by itself.
func TestFewerEggsArePlannedAround(t *testing.T) {
	s := newSpring(t)
	ctx := s.Context()
	s.promise(ahead.YoungOrder, 14, 24, 34)
	v := s.plan(2, nil)
	_, err := s.Season.Accept(ctx, by(s.m), v.ID, nil)
	require.NoError(t, err)
	var eaten []int64 // a fox in the store
	for back := range 10 {
		done, err := s.Stock.TakeOut(ctx, by(s.m), stock.Out{PenID: s.barred, LaidOn: day(back), Eggs: 4, Why: "eaten"})
		require.NoError(t, err)
		eaten = append(eaten, done.Entry)
	}
	again := s.planned()
	assert.Contains(t, again.Because[0].Says, "14 chicks for Mosswick: about")
	require.NotEmpty(t, again.Proposals)
	assert.Positive(t, again.Left)
	for _, entry := range slices.Backward(eaten) {
		_, err = s.Undo(ctx, by(s.m), entry)
		require.NoError(t, err)
	}
	s.working(func() bool { // it is withdrawn
		all, err := s.Season.Plans(ctx, s.m)
		require.NoError(t, err)
		return all.Plan == nil || !all.Plan.Alone
	})
	assert.Empty(t, s.chores(chores.Replanned))
}

// A planned batch is moved into a clash, which is told with its reason and cures, and out again by
// one of them; what is forbidden is not planned again.
func TestAPlannedBatchIsMoved(t *testing.T) {
	s := newSpring(t)
	ctx := s.Context()
	s.promise(ahead.YoungOrder, 6, 26, 30)
	_, err := s.Days.AddAway(ctx, by(s.m), snapshot.Away{FromOn: in(12), ToOn: in(13), Actions: []string{"set", "pull"}})
	require.NoError(t, err)
	v := s.plan(2, nil)
	_, err = s.Season.Forbid(ctx, by(s.m), v.ID, v.Proposals[0].No)
	require.NoError(t, err)
	next := s.plan(2, nil)
	for _, p := range next.Proposals {
		assert.NotEqual(t, v.Proposals[0].SetOn, p.SetOn, "that day is forbidden")
	}
	_, err = s.Season.Accept(ctx, by(s.m), next.ID, []int{next.Proposals[0].No})
	require.NoError(t, err)
	board, err := s.Season.Board(ctx, s.m, time.Time{}, 6)
	require.NoError(t, err)
	var id int64
	for _, l := range board.Lanes {
		for _, b := range l.Bars {
			id = max(id, b.PlannedID)
		}
	}
	require.NotZero(t, id)
	p, err := s.Season.Planned(ctx, s.m, id, &season.Move{SetOn: in(12)})
	require.NoError(t, err)
	require.Len(t, p.Troubles, 1)
	assert.Contains(t, p.Troubles[0].Says, "Setting falls on days away")
	var cures []string
	for _, c := range p.Cures {
		cures = append(cures, c.Says)
	}
	assert.Equal(t, []string{"1 day earlier", "2 days later"}, cures)
	done, err := s.Season.Move(ctx, by(s.m), id, season.Move{SetOn: in(14)})
	require.NoError(t, err)
	p, err = s.Season.Planned(ctx, s.m, id, nil)
	require.NoError(t, err)
	assert.Equal(t, in(14), p.SetOn)
	assert.Empty(t, p.Troubles)
	_, err = s.Undo(ctx, by(s.m), done.Entry)
	require.NoError(t, err)
	must(s.Season.Pin(ctx, by(s.m), id, true))
	box := snapshot.Machine{ID: s.hatchBox, Name: "Hatch box", Kind: "hatcher"}
	rooms := []snapshot.Room{{Species: "chicken", Hatching: 1}}
	small := must(s.Machines.SaveMachine(ctx, by(s.m), box, rooms))
	_, _, err = s.Season.Ask(ctx, by(s.m), 2, nil)
	assert.ErrorContains(t, err, "stays where it is, and cannot")
	must(s.Undo(ctx, by(s.m), small.Entry))
	_, err = s.Season.Move(ctx, by(s.m), id, season.Move{SetOn: in(-1)})
	assert.ErrorContains(t, err, "is over")
	_, err = s.Season.Move(ctx, by(s.m), id, season.Move{HatcherID: s.cabinet})
	assert.ErrorContains(t, err, "can hatch")
	_, err = s.Season.Drop(ctx, by(s.m), id)
	require.NoError(t, err)
	_, err = s.Incubate.Set(ctx, by(s.m), incubate.Setting{
		Species: "chicken", SetterID: s.cabinet, HatcherID: s.hatchBox, SetAt: s.now, PlannedID: id,
		Picks: []incubate.Pick{{PenID: s.barred, LaidOn: day(0), Eggs: 1}},
	})
	assert.ErrorContains(t, err, "is set already, or not planned any more")
	_, err = s.Wishes.AcceptBack(ctx, by(s.m), "hens out on the moon", nil)
	assert.ErrorContains(t, err, "There is nothing in it to be planned")
	_, err = s.Season.Planned(ctx, s.m, id, nil)
	assert.ErrorIs(t, err, farm.ErrNone)
}

// A line is reckoned back: hens' eggs out on a day are set 22 days before.
func TestReckonedBackFromADay(t *testing.T) {
	s := newSpring(t)
	ctx := s.Context()
	out := in(30)
	wished := func(line string) (back wishes.Back) {
		must(s.Season.Board(ctx, s.m, time.Time{}, 6, wishes.Asked(line, &back)))
		return back
	}
	back := wished("hens out on " + out.Format("2 January"))
	require.Len(t, back.Options, 1)
	o := back.Options[0]
	assert.Equal(t, in(8), o.SetOn)
	assert.Equal(t, in(26), s.m.Date(o.LockOn()))
	assert.Equal(t, out, s.m.Date(o.PullOn()))
	assert.Equal(t, "Cabinet", o.Setter.Name)
	assert.Equal(t, "Hatch box", o.Hatcher.Name)
	assert.Equal(t, 23, o.Count, "of 44 eggs as many as the hatch box holds after candling: 20 ÷ 0.85")
	assert.Empty(t, o.Troubles)

	back = wished("6 hens for " + out.Format("2 January"))
	o = back.Options[0]
	assert.InDelta(t, 12, o.Count, 2, "eggs for six young 8 times in 10, at 68 %")
	assert.Equal(t, "6 young of chicken, out and dry on "+out.Format("Mon 2 January"), back.Says)
	_, err := s.Wishes.AcceptBack(ctx, by(s.m), "6 hens for "+out.Format("2 January"), nil)
	require.NoError(t, err)
	board, err := s.Season.Board(ctx, s.m, time.Time{}, 6)
	require.NoError(t, err)
	assert.Empty(t, board.Troubles)

	back = wished("hens out in 3 weeks")
	assert.Equal(t,
		"Chicken would have to have been set on Sun 28 February. The first day that can be is Tue 23 March.", back.Problem)
	back = wished("hens every Friday")
	require.Len(t, back.Options, 6)
	for _, o := range back.Options {
		assert.Equal(t, time.Friday, o.PullOn().Weekday())
	}
	back = wished("ducks on 3 May")
	assert.Empty(t, back.Problem, "no ducks are kept: what is said is what lays here")
}

// What would be if: another hatcher brings more, and kept it is a machine of the farm.
func TestWhatIf(t *testing.T) {
	s := newSpring(t)
	ctx := s.Context()
	s.promise(ahead.YoungOrder, 24, 30, 31)
	v := s.plan(3, nil)
	if !assert.Greater(t, v.Results[0].Short, 3.0, "one hatch box of 20 is too small") {
		return
	}
	assert.Contains(t, v.Results[0].Why, "hatchers are full")
	assert.Contains(t, v.Results[0].Cure, "Hatch box")
	w := s.plan(3, &season.WhatIf{Kind: season.IfHatcher, N: 40})
	require.NotEmpty(t, w.Differs)
	assert.Contains(t, w.Differs[0], "24 chicks for Mosswick: about")
	done, err := s.Season.Keep(ctx, by(s.m), w.ID)
	require.NoError(t, err)
	assert.Contains(t, done.Said, "Another hatcher, of 40 hens’ eggs")
	_, err = s.Season.Accept(ctx, by(s.m), w.ID, nil)
	require.NoError(t, err)
	all, err := s.Machines.List(ctx, s.m)
	require.NoError(t, err)
	assert.Len(t, all, 3)
	board, err := s.Season.Board(ctx, s.m, time.Time{}, 6)
	require.NoError(t, err)
	assert.Empty(t, board.Troubles)

	_, _, err = s.Season.Ask(ctx, by(s.m), 1, &season.WhatIf{Kind: "moon"})
	assert.ErrorContains(t, err, "Pick what would be different")
	_, _, err = s.Season.Ask(ctx, by(s.m), 1, &season.WhatIf{Kind: season.IfHens, N: 2, PenID: s.barred})
	assert.NoError(t, err)
}

// A plan outlives the process that worked on it, and can be called off.
func TestAPlanOutlivesItsProcess(t *testing.T) {
	s := newSpring(t)
	ctx := s.Context()
	s.promise(ahead.YoungOrder, 6, 26, 30)
	id, _, err := s.Season.Ask(ctx, by(s.m), 300, nil)
	require.NoError(t, err)
	_, err = s.owner.Pool.Exec(ctx, `update plans set state = 'running', beat_at = now() - interval '20 seconds'`)
	require.NoError(t, err, "somebody began, and was not heard of since")
	left := func() int { return len(must(seasonrows.Of(s.DB).LeftPlans(ctx, time.Minute))) }
	assert.Equal(t, 1, left())
	_, err = s.owner.Pool.Exec(ctx, `update plans set beat_at = now()`)
	require.NoError(t, err)
	assert.Zero(t, left(), "somebody is at work")
	assert.NoError(t, s.Season.Plan(ctx, season.Work{FarmID: s.m.FarmID, PlanID: id}), "and nobody else")
	_, err = s.Season.Cancel(ctx, by(s.m), id)
	require.NoError(t, err)
	_, err = s.owner.Pool.Exec(ctx, `update plans set beat_at = now() - interval '20 seconds'`)
	require.NoError(t, err)
	assert.Zero(t, left(), "it was called off")

	s.now = start // asked again, a fresh process takes it up
	v := s.plan(1, nil)
	assert.False(t, math.IsNaN(v.Score))
	assert.Positive(t, v.Score)
}

func TestPromisesAreChecked(t *testing.T) {
	s := newSpring(t)
	ctx := s.Context()
	o := snapshot.Order{Who: "", What: "chicks", Species: "phoenix", Count: 0, FromOn: in(3), ToOn: in(2), SurePct: 100}
	_, err := s.Season.SaveOrder(ctx, by(s.m), o)
	for _, says := range []string{
		"Whom it is for is missing", "Pick what is promised.", "How many is 0", "How sure it is to be is 100",
		"The last day comes before the first",
	} {
		assert.ErrorContains(t, err, says)
	}
	_, _, err = s.Season.Ask(ctx, by(s.m), 5, nil)
	assert.ErrorContains(t, err, "Nothing is promised yet")
	helper := *s.m
	helper.Role = farm.HelperRole
	_, err = s.Season.Drop(ctx, by(&helper), 1)
	assert.ErrorContains(t, err, "for a keeper or an owner", "a helper sets what is planned, and plans nothing")
	_, err = s.Season.SaveOrder(ctx, by(&helper), o)
	assert.ErrorContains(t, err, "for a keeper or an owner")
	for _, says := range []error{
		errOf(s.Days.AddAway(ctx, by(s.m), snapshot.Away{FromOn: in(2), ToOn: in(1)})),
		errOf(s.Days.Close(ctx, by(s.m), snapshot.Closure{MachineID: 99, FromOn: in(1)})),
		errOf(s.Days.SaveBrooder(ctx, by(s.m), snapshot.Brooder{Places: 0})),
	} {
		_, typed := farm.AsProblems(says)
		assert.True(t, typed, "%v is told as what was typed wrong", says)
	}
}

func errOf[T any](_ T, err error) error { return err }

// A farm has a plan that is worked on and one that waits, and no more: the queue is everybody's.
func TestAFarmHasTwoPlansOnTheirWay(t *testing.T) {
	s := newSpring(t)
	ctx := s.Context()
	s.promise(ahead.YoungOrder, 6, 26, 30)
	first, _, err := s.Season.Ask(ctx, by(s.m), 300, nil)
	require.NoError(t, err)
	_, err = s.owner.Pool.Exec(ctx, `update plans set state = 'running', beat_at = now() where id = $1`, first)
	require.NoError(t, err)
	state := func(id int64) (v string) {
		require.NoError(t, s.owner.Pool.QueryRow(ctx, `select state from plans where id = $1`, id).Scan(&v))
		return v
	}
	second, _, err := s.Season.Ask(ctx, by(s.m), 1, nil)
	require.NoError(t, err)
	_, _, err = s.Season.Ask(ctx, by(s.m), 1, nil)
	assert.ErrorContains(t, err, "Two plans of your farm are on their way already")
	var later farm.Later
	require.ErrorAs(t, s.Season.Plan(ctx, season.Work{FarmID: s.m.FarmID, PlanID: second}), &later, "one after the other")

	_, err = s.Season.Cancel(ctx, by(s.m), first)
	require.NoError(t, err)
	require.NoError(t, s.Season.Plan(ctx, season.Work{FarmID: s.m.FarmID, PlanID: second}))
	assert.Equal(t, season.Finished, state(second))
	assert.Equal(t, season.Cancelled, state(first))
}

// A process that stops leaves its plan to the next.
func TestAPlanIsLeftToTheNextProcess(t *testing.T) {
	s := newSpring(t)
	s.promise(ahead.YoungOrder, 6, 26, 30)
	id, _, err := s.Season.Ask(s.Context(), by(s.m), 2, nil)
	require.NoError(t, err)
	ctx, stop := context.WithCancel(s.Context())
	stop() // as soon as it has begun
	require.NoError(t, s.Season.Plan(ctx, season.Work{FarmID: s.m.FarmID, PlanID: id}))
	left, err := seasonrows.Of(s.DB).LeftPlans(s.Context(), 0)
	require.NoError(t, err)
	require.Len(t, left, 1)
	require.NoError(t, s.Season.Plan(s.Context(), season.Work{FarmID: left[0].FarmID, PlanID: left[0].ID}))
}

// A plan is a proposal of a day: what it was made of changes, and nothing of it can be accepted any more; one is made
// anew. What is accepted is told before by what it makes of the promises.
func TestAPlanThatTimeHasOvertakenIsVoid(t *testing.T) {
	s := newSpring(t)
	ctx := s.Context()
	s.promise(ahead.YoungOrder, 6, 26, 30)
	v := s.plan(1, nil)
	require.Positive(t, v.Left)
	assert.Empty(t, v.Void)
	gains, err := s.Season.Changes(ctx, s.m, v.ID, nil)
	require.NoError(t, err)
	require.Len(t, gains, 1)
	assert.Equal(t, "Mosswick, 6 chicks: 0 of 6 → covered", gains[0].Says)

	shown := func() season.PlanView {
		all, err := s.Season.Plans(ctx, s.m)
		require.NoError(t, err)
		return *all.Plan
	}
	_, err = s.Days.AddAway(
		ctx, by(s.m), snapshot.Away{FromOn: in(40), ToOn: in(42), Actions: []string{"set", "lockdown", "pull"}},
	)
	require.NoError(t, err)
	now := shown()
	assert.Equal(t, []string{"Days away were changed."}, now.Void)
	assert.Zero(t, now.Left)
	_, err = s.Season.Accept(ctx, by(s.m), v.ID, nil)
	assert.ErrorContains(t, err, "This plan does not hold any more. Days away were changed.")
	again := func() season.PlanView {
		s.working(func() bool {
			p := shown()
			return p.ID != v.ID && !p.Running()
		})
		return shown()
	}
	made := again()
	assert.True(t, made.Alone)
	assert.Equal(t, "Days away were changed.", made.Because[0].Says)
	assert.Empty(t, made.Void)
	require.Positive(t, made.Left)
	_, err = s.Season.Accept(ctx, by(s.m), made.ID, nil)
	require.NoError(t, err)
	assert.Empty(t, shown().Void, "its own settings do not make it void")
}

// A dearer promise needs the eggs of one that is covered. The plan says what that costs, and accepting asks.
func TestAcceptingTellsWhichPromisesSuffer(t *testing.T) {
	s := newSpring(t)
	ctx := s.Context()
	cheap := s.promise(ahead.YoungOrder, 12, 24, 26)
	v := s.plan(2, nil)
	_, err := s.Season.Accept(ctx, by(s.m), v.ID, nil)
	require.NoError(t, err)
	board, err := s.Season.Board(ctx, s.m, time.Time{}, 6)
	require.NoError(t, err)
	for _, l := range board.Lanes {
		for _, b := range l.Bars {
			if b.PlannedID != 0 && b.Phase == planner.Turning {
				_, err = s.Season.Pin(ctx, by(s.m), b.PlannedID, false)
				require.NoError(t, err)
			}
		}
	}
	dear := 90.0
	_, err = s.Season.SaveOrder(ctx, by(s.m), snapshot.Order{
		Who: "Tarn End", What: ahead.YoungOrder, Species: "chicken", Count: 20, FromOn: in(24), ToOn: in(26), SurePct: 50,
		Price: &dear,
	})
	require.NoError(t, err)
	next := s.plan(3, nil)
	require.NotEmpty(t, next.Changes)
	i := slices.IndexFunc(next.Changes, func(c season.Change) bool { return c.ID == cheap })
	require.GreaterOrEqual(t, i, 0, "%v", next.Changes)
	assert.True(t, next.Changes[i].Worse)
	assert.Regexp(t, `^Mosswick, 12 chicks: covered → \d+ of 12$`, next.Changes[i].Says)
	_, err = s.Season.Accept(ctx, asked(s.m), next.ID, nil)
	p, _ := farm.AsProblems(err)
	require.True(t, p.Doubtful(), "%v", err)
	assert.Contains(t, p.Error(), next.Changes[i].Says)
	_, err = s.Season.Accept(ctx, by(s.m), next.ID, nil)
	require.NoError(t, err)
}
