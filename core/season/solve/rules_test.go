package solve_test

import (
	"context"
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/season"
	"metrogon/core/season/solve"
)

// one batch of the small season: sixteen fresh eggs set on day 9, locked down on day 27,
// pulled on day 31.
func one() []season.Batch {
	eggs := season.Clutch{}
	for d := 6; d <= 9; d++ {
		eggs = append(eggs, season.Lay{Laid: d, Eggs: 4})
	}
	return []season.Batch{{
		Source: "barred", SetDay: 9, Setter: "box", Hatcher: "box", Eggs: eggs,
		Orders: []season.Give{{Order: "market", Young: 8}},
	}}
}

// Each rule of docs/planning.md at its very edge, worked out by hand: allowed on one side,
// broken on the other.
func TestEachRuleAtItsEdge(t *testing.T) {
	closed := func(from, to int) func(*season.Problem, []season.Batch) {
		return func(p *season.Problem, _ []season.Batch) { p.Machines[0].Closed = [][2]int{{from, to}} }
	}
	away := func(from, to int, not string) func(*season.Problem, []season.Batch) {
		return func(p *season.Problem, _ []season.Batch) {
			p.Away = []season.Away{{From: from, To: to, Not: []string{not}}}
		}
	}
	for name, c := range map[string]struct {
		change func(p *season.Problem, plan []season.Batch)
		breaks int // -1: nothing
	}{
		"as it is":                  {func(*season.Problem, []season.Batch) {}, -1},
		"0: pulled on the last day": {func(p *season.Problem, _ []season.Batch) { p.Days = 32 }, -1},
		"0: pulled a day after":     {func(p *season.Problem, _ []season.Batch) { p.Days = 31 }, 0},
		"1: all that was laid":      {func(_ *season.Problem, b []season.Batch) { b[0].Eggs[0].Eggs = 4 }, -1},
		"1: one more than was laid": {func(_ *season.Problem, b []season.Batch) { b[0].Eggs[0].Eggs = 5 }, 1},
		"1: as old as allowed":      {func(p *season.Problem, _ []season.Batch) { p.Species[0].MaxAge = 3 }, -1},
		"1: a day older":            {func(p *season.Problem, _ []season.Batch) { p.Species[0].MaxAge = 2 }, 1},
		"1: half an egg":            {func(_ *season.Problem, b []season.Batch) { b[0].Eggs[0].Eggs = 3.5 }, 1},
		"2: just enough eggs":       {func(p *season.Problem, _ []season.Batch) { p.MinBatch = 16 }, -1},
		"2: an egg too few":         {func(p *season.Problem, _ []season.Batch) { p.MinBatch = 17 }, 2},
		"3: the setter just full": {
			func(p *season.Problem, _ []season.Batch) { p.Machines[0].Set["chicken"] = 16 }, -1,
		},
		"3: a place too few": {
			func(p *season.Problem, _ []season.Batch) { p.Machines[0].Set["chicken"] = 15 }, 3,
		},
		"5: the hatcher just full": {
			func(p *season.Problem, _ []season.Batch) { p.Machines[0].Hatch["chicken"] = 16 }, -1,
		},
		"5: a place too few": {
			func(p *season.Problem, _ []season.Batch) { p.Machines[0].Hatch["chicken"] = 15 }, 5,
		},
		"7: closed until the day before": {closed(0, 8), -1},
		"7: closed on the set day":       {closed(0, 9), 7},
		"7: closed on the pull day":      {closed(31, 40), 7},
		"7: closed from the day after":   {closed(32, 40), -1},
		"8: away on the day before":      {away(0, 8, "set"), -1},
		"8: away on the set day":         {away(9, 9, "set"), 8},
		"8: away at lockdown":            {away(20, 27, "lockdown"), 8},
		"8: away, but for other things":  {away(20, 27, "set"), -1},
		"8: away on the pull day":        {away(31, 31, "pull"), 8},
		"9: the brooder just full":       {func(p *season.Problem, _ []season.Batch) { p.BrooderPlaces = 8 }, -1},
		"9: a place too few":             {func(p *season.Problem, _ []season.Batch) { p.BrooderPlaces = 7.9 }, 9},
		"10: pulled on the last day":     {func(p *season.Problem, _ []season.Batch) { p.Orders[0].PullTo = 31 }, -1},
		"10: the window ended before":    {func(p *season.Problem, _ []season.Batch) { p.Orders[0].PullTo = 30 }, 10},
		"10: more than it has": {
			func(_ *season.Problem, b []season.Batch) { b[0].Orders[0].Young = 8.1 }, 10,
		},
		"10: less than nothing": {func(_ *season.Problem, b []season.Batch) { b[0].Orders[0].Young = -1 }, 10},
	} {
		p, plan := small(), one()
		c.change(p, plan)
		_, broken := p.Judge(plan)
		if c.breaks < 0 {
			assert.Empty(t, broken, name)
			continue
		}
		require.NotEmpty(t, broken, name)
		assert.Equal(t, c.breaks, broken[0].Rule, "%s: %s", name, broken[0].Says)
	}
}

// Loads of one machine: the first is pulled on day 31; cleaned for two days, the machine
// may lock down again on day 34, and set again on day 34.
func TestLidsAndCleaning(t *testing.T) {
	for _, c := range []struct {
		second, clean int // set day of a second batch
		rules         []int
	}{
		{16, 0, nil},      // lockdown on day 34
		{14, 0, nil},      // on day 32, the day after the pull
		{13, 0, []int{4}}, // on the day of the pull
		{16, 2, nil},      // cleaned on days 32 and 33
		{15, 2, []int{4}}, // on day 33, while it is cleaned
	} {
		p := small()
		p.Machines[0].CleanDays = c.clean
		p.Machines = append(p.Machines, season.Machine{ID: "setter", Set: map[string]float64{"chicken": 40}})
		plan := one()
		plan[0].Setter = "setter"
		next := one()[0]
		next.Setter, next.SetDay, next.Orders = "setter", c.second, nil
		next.Eggs = season.Clutch{{Laid: c.second - 1, Eggs: 4}, {Laid: c.second, Eggs: 4}}
		_, broken := p.Judge(append(plan, next))
		var rules []int
		for _, b := range broken {
			rules = append(rules, b.Rule)
		}
		assert.Equal(
			t, c.rules, slices.Compact(rules), "set on day %d, %d days of cleaning: %v", c.second, c.clean, broken,
		)
	}
	for day, rule := range map[int]int{10: 6, 31: 6, 32: 4, 33: 4, 34: -1} { // set in the box itself
		p := small()
		p.Days, p.Machines[0].CleanDays = 80, 2
		p.Sources[0].Supply = append(p.Sources[0].Supply, season.Lay{Laid: day, Eggs: 8})
		next := season.Batch{
			Source: "barred", SetDay: day, Setter: "box", Hatcher: "box", Eggs: season.Clutch{{Laid: day, Eggs: 8}},
		}
		_, broken := p.Judge(append(one(), next))
		if rule < 0 {
			assert.Empty(t, broken, "day %d", day)
			continue
		}
		assert.True(
			t, slices.ContainsFunc(broken, func(b season.Broken) bool { return b.Rule == rule }), "day %d: %v", day,
			broken,
		)
	}
}

// A ban hits a batch only where all that it says fits.
func TestABanHitsWhatItSays(t *testing.T) {
	day := func(n int) *int { return &n }
	for hits, bans := range map[bool][]season.Ban{
		true: {
			{}, {Source: "barred"}, {Setter: "box"}, {Hatcher: "box"}, {From: day(9)}, {To: day(9)},
			{Source: "barred", Setter: "box", Hatcher: "box", From: day(9), To: day(9)},
		},
		false: {
			{Source: "other"}, {Setter: "other"}, {Hatcher: "other"}, {From: day(10)}, {To: day(8)},
			{Source: "barred", Setter: "other"}, {Setter: "box", Hatcher: "other"},
		},
	} {
		for _, ban := range bans {
			p := small()
			p.Forbidden = []season.Ban{ban}
			_, broken := p.Judge(one())
			assert.Equal(t, hits, len(broken) > 0, "%+v: %v", ban, broken)
		}
	}
}

// What a note says is lacking is what the promise wants and does not get.
func TestANoteSaysWhatIsLacking(t *testing.T) {
	p := small()
	p.Orders[0].Young = 30
	plan := solved(t, p, 0, solve.Options{Steps: 40})
	got := 0.0
	for _, b := range plan.Batches {
		for _, g := range b.Orders {
			got += g.Young
		}
	}
	notes := solve.Explain(context.Background(), p, plan, 1)
	require.Len(t, notes, 1)
	assert.InDelta(t, 30-got, notes[0].Short, 0.051, "%+v, %g young are planned", notes[0], got)
	assert.Greater(t, notes[0].Short, 5.0)
}

func TestAnIDOccursOnce(t *testing.T) {
	for list, twice := range map[string]func(p *season.Problem){
		"species":  func(p *season.Problem) { p.Species = append(p.Species, p.Species[0]) },
		"sources":  func(p *season.Problem) { p.Sources = append(p.Sources, p.Sources[0]) },
		"machines": func(p *season.Problem) { p.Machines = append(p.Machines, p.Machines[0]) },
		"orders":   func(p *season.Problem) { p.Orders = append(p.Orders, p.Orders[0]) },
	} {
		p := small()
		require.NoError(t, p.Check())
		twice(p)
		assert.ErrorContains(t, p.Check(), fmt.Sprintf("%s: the id", list))
	}
	// The same name in two lists is no trouble, and a ban may leave a name out.
	p := small()
	p.Machines[0].ID, p.Forbidden = "barred", []season.Ban{{Setter: "barred"}}
	assert.NoError(t, p.Check())
	p.Forbidden[0].Hatcher = "nowhere"
	assert.ErrorContains(t, p.Check(), `forbidden[0].hatcher: "nowhere" is not known`)
}
