package solve_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/season"
	"metrogon/core/season/solve"
)

// Young that were pulled before the plan begins still sit in the brooder.
func TestYoungOfBeforeStillTakeTheBrooder(t *testing.T) {
	p := small()
	p.Orders = []season.Order{{
		ID: "spring", Sources: []string{"barred"}, Young: 8, PullFrom: 24, PullTo: 24, Value: 3,
	}}
	p.BrooderPlaces = 8
	full := solved(t, p, time.Minute, solve.Options{Steps: 400})
	require.NotEmpty(t, full.Batches)
	young := 6.0
	p.Fixed = []season.Batch{{
		Source: "barred", SetDay: -24, Setter: "box", Hatcher: "box", Eggs: season.Clutch{{Laid: 0, Eggs: 10}},
		Young: &young,
	}}
	tight := solved(t, p, time.Minute, solve.Options{Steps: 400})
	kept(t, p, tight.Batches, "beside the young of before")
	got := 0.0
	for _, b := range tight.Batches {
		for _, g := range b.Orders {
			got += g.Young
		}
	}
	assert.LessOrEqual(t, got, 2+1e-6, "eight places, six of them taken")
}

// What stands in a machine may break every rule: it stands there, and the plan goes round it.
func TestWhatStandsIsNoMistakeOfThePlan(t *testing.T) {
	p := small()
	young := 3.0
	for _, day := range []int{-16, -3} { // one needs the lid shut while the other turns
		p.Fixed = append(p.Fixed, season.Batch{
			Source: "barred", SetDay: day, Setter: "box", Hatcher: "box",
			Eggs: season.Clutch{{Laid: 0, Eggs: 500}}, Young: &young,
		})
	}
	plan, err := solve.Solve(t.Context(), p, solve.Options{Steps: 400})
	require.NoError(t, err)
	for _, b := range plan.Batches {
		assert.Greater(t, b.SetDay+18, 19, "nothing joins a machine that is more than full: %+v", b)
	}
}

// Of pullets half are males: 10 of them from 20 young is a matter of even chance, from 40 sure.
func TestFemalesCountByAnEvenChance(t *testing.T) {
	p := small()
	p.Orders = []season.Order{{ID: "hens", Sources: []string{"barred"}, Young: 20, PullFrom: 0, PullTo: 0, Value: 1}}
	for young, chance := range map[float64]float64{20: .588, 40: .9997} { // binomial tables, X ≥ 10 of 20 and of 40
		y := young
		p.Orders[0].Young = young
		b := season.Batch{
			Source: "barred", SetDay: -22, Setter: "box", Hatcher: "box", Eggs: season.Clutch{{Laid: 0, Eggs: 60}},
			Young: &y, Orders: []season.Give{{Order: "hens", Young: young}},
		}
		p.Fixed = []season.Batch{b}
		c := solve.Chance{
			Runs: 4000, Posteriors: map[string]solve.Posterior{"barred": {A: 5e7, B: 5e7}},
			Needs: map[string]solve.Need{"hens": {Count: 10, Females: true}},
		}
		all, _ := solve.Simulate(t.Context(), p, &solve.Plan{Standing: []season.Batch{b}}, c, 7)
		assert.InDelta(t, chance, all[0].Chance, .03, "%v young", young)
	}
}

func TestMoreEggsRaiseAChance(t *testing.T) {
	p := small()
	for day := range 30 {
		p.Sources[0].Supply = append(p.Sources[0].Supply, season.Lay{Laid: day, Eggs: 6})
	}
	plan := solved(t, p, time.Minute, solve.Options{Steps: 400})
	c := solve.Chance{Runs: 100, Rho: .05}
	order := p.Orders[0].ID
	r := solve.RaiseOf(t.Context(), p, plan, c, order, 1)
	require.NotNil(t, r, "a plan that just fills a promise leaves it to chance")
	assert.Greater(t, r.After, r.Before+.03)
	assert.Positive(t, r.More)
}
