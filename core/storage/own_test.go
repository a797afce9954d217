package storage_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"metrogon/core/species"
	"metrogon/core/storage"
)

func hen(t require.TestingT) *species.Profile {
	p, err := species.Find("chicken")
	require.NoError(t, err)
	return p
}

func TestWithoutOwnEggsTheBlendIsTheCurve(t *testing.T) {
	for _, p := range species.All() {
		for _, own := range [][]storage.Own{nil, {{AgeDays: 5}}} {
			c := storage.Blend(p, own)
			for age := 0.0; age < 40; age += .3 {
				require.Equal(t, storage.Relative(p, age), c.Relative(age), "%s, %g days", p.ID, age)
				share, eggs := c.Weight(age)
				require.Zero(t, share+eggs)
			}
		}
	}
}

func TestTheBlendFallsWithAgeWhateverTheFarmSaw(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var own []storage.Own
		for range rapid.IntRange(1, 12).Draw(t, "entries") {
			set := rapid.IntRange(0, 400).Draw(t, "set")
			own = append(own, storage.Own{
				AgeDays: rapid.Float64Range(0, 60).Draw(t, "age"), Set: set,
				Hatched: rapid.IntRange(0, set).Draw(t, "hatched"),
			})
		}
		c := storage.Blend(hen(t), own)
		before := 1.0
		for age := 0.0; age <= 61; age += .25 {
			r := c.Relative(age)
			if r > before+1e-9 || r < 0 {
				t.Fatalf("%g at %g days, after %g", r, age, before)
			}
			before = r
		}
		if r := c.Relative(1); r != 1 && c.Relative(0) != r {
			t.Fatalf("a fresh egg has %g", r)
		}
	})
}

// Few own eggs move it little, many bring it to what they did.
func TestOwnEggsTakeOver(t *testing.T) {
	for _, c := range []struct {
		name       string
		n          int
		from, to   float64 // at 7 days, where own eggs did half as well as fresh ones
		shareAbout float64
	}{
		{"four eggs", 4, .85, .95, .09}, {"forty", 40, .63, .78, .5}, {"four thousand", 4000, .49, .52, .99},
	} {
		b := storage.Blend(hen(t), []storage.Own{
			{AgeDays: 1, Set: c.n, Hatched: c.n * 4 / 5}, {AgeDays: 7, Set: c.n, Hatched: c.n * 2 / 5},
		})
		r := b.Relative(7)
		assert.True(t, r >= c.from && r <= c.to, "%s: %g", c.name, r)
		share, eggs := b.Weight(7)
		assert.InDelta(t, c.shareAbout, share, .01, c.name)
		assert.InDelta(t, float64(c.n), eggs, 1e-9)
		assert.Equal(t, 1.0, b.Relative(1), c.name)
	}
	// Far from any own egg the published shape stays.
	b := storage.Blend(hen(t), []storage.Own{{AgeDays: 2, Set: 500, Hatched: 400}})
	assert.InDelta(t, storage.Relative(hen(t), 25), b.Relative(25), .005)
	low, high := b.Bounds(25)
	assert.InDelta(t, .34/.58, low/b.Relative(25), 1e-9, "as far from it as the published bounds")
	assert.InDelta(t, .80/.58, high/b.Relative(25), 1e-9)
	assert.InDelta(t, storage.Relative(hen(t), 13), b.Relative(13), .02, "own eggs as good as the table change nothing")
}

// A farm whose eggs do as the published curve says is seldom told that they differ;
// one whose old eggs do much worse is told so.
func TestDifferingIsSaidWithCare(t *testing.T) {
	dice := rand.New(rand.NewPCG(5, 6))
	told := func(perAge int, factor float64) (share float64) {
		const farms = 400
		for range farms {
			var own []storage.Own
			for age := 1; age <= 12; age++ {
				o := storage.Own{AgeDays: float64(age), Set: perAge}
				rate := .75 * storage.Relative(hen(t), o.AgeDays)
				if age >= 6 {
					rate *= factor
				}
				for range o.Set {
					if dice.Float64() < rate {
						o.Hatched++
					}
				}
				own = append(own, o)
			}
			if _, _, sure := storage.Blend(hen(t), own).Differs(14); sure {
				share += 1. / farms
			}
		}
		return
	}
	assert.Less(t, told(30, 1), .06, "as published")
	assert.Less(t, told(200, 1), .06, "as published, many eggs")
	assert.Greater(t, told(60, .6), .95, "plainly worse from day 6 on")
	day, by, sure := storage.Blend(
		hen(t), []storage.Own{{AgeDays: 1, Set: 200, Hatched: 160}, {AgeDays: 7, Set: 200, Hatched: 60}},
	).Differs(14)
	assert.True(t, sure && by < -.3 && day >= 6 && day <= 8, "day %d, %.2f", day, by)
}

func TestTheLongerTheCooler(t *testing.T) {
	// common practice
	for days, want := range map[float64][2]float64{
		1: {16, 18}, 3: {16, 18}, 4: {14, 16}, 7: {14, 16}, 9: {13, 15}, 14: {12, 13}, 40: {12, 13},
	} {
		f := storage.AdviseTemperature(days)
		assert.Equal(t, want, [2]float64{f.From, f.To}, "%g days", days)
	}
}

// Worked by hand: forty eggs of seven days, of which twenty hatched, beside a curve that
// counts as forty. The level is 20.5 ÷ (40 × 0.985 + 1) = 0.507426. On day 7 the rate is
// (40 × 0.507426 × 0.985 + 20) ÷ 80 = 0.499907, on day 6 (40 × 0.507426 × 0.98875 + 10) ÷ 60
// = 0.501145, of which the forty count half; both over the level on day 1.
func TestABlendWorkedByHand(t *testing.T) {
	b := storage.Blend(hen(t), []storage.Own{{AgeDays: 7, Set: 40, Hatched: 20}})
	assert.Equal(t, 40, b.Eggs)
	assert.InDelta(t, .98518, b.Relative(7), 2e-5)
	assert.InDelta(t, .98762, b.Relative(6), 2e-5)
	assert.InDelta(t, 1, b.Relative(1), 1e-12)
	assert.InDelta(t, 1, b.Relative(0), 1e-12)
	assert.InDelta(
		t, (b.Relative(7)+b.Relative(7.25))/2, b.Relative(7.125), 1e-12, "straight between quarters of a day",
	)
	assert.Equal(t, b.Relative(60), b.Relative(400), "the curve ends")
	for age, want := range map[float64][2]float64{
		5: {0, 0}, 6: {20. / 60, 20}, 7: {.5, 40}, 8: {20. / 60, 20}, 9: {0, 0}, 8.5: {10. / 50, 10},
	} {
		share, eggs := b.Weight(age)
		assert.InDelta(t, want[0], share, 1e-12, "%g days", age)
		assert.InDelta(t, want[1], eggs, 1e-12, "%g days", age)
	}
	day, by, sure := b.Differs(14)
	assert.False(t, sure)
	assert.InDelta(t, 0, by, .05, "day %d", day)
	_, _, sure = storage.Blend(hen(t), nil).Differs(14)
	assert.False(t, sure, "without own eggs nothing differs")
	_, _, sure = storage.Blend(hen(t), []storage.Own{{AgeDays: 1, Set: 9, Hatched: 9}, {AgeDays: 7, Set: 9}}).Differs(
		14,
	)
	assert.False(t, sure, "nine eggs of an age are too few to say so")
	// Of a hundred fresh eggs eighty hatched, of a hundred of seven days 44: the level
	// is 124.5 ÷ 199.5 = 0.62406; on day 7 0.44 stands against 0.61470, 2.54 standard
	// errors; on day 6, half as many eggs, fewer.
	day, by, sure = storage.Blend(
		hen(t), []storage.Own{{AgeDays: 1, Set: 100, Hatched: 80}, {AgeDays: 7, Set: 100, Hatched: 44}},
	).Differs(14)
	assert.Equal(t, 7, day)
	assert.InDelta(t, -.27994, by, 1e-5)
	assert.False(t, sure)
	day, by, _ = storage.Blend(
		hen(t), []storage.Own{{AgeDays: 1, Set: 100, Hatched: 80}, {AgeDays: 7, Set: 100, Hatched: 44}},
	).Differs(6)
	assert.Equal(t, 6, day, "an age beyond the last is not looked at")
	assert.InDelta(t, -.28369, by, 1e-5)
}

func TestAdviceIsAsWarmAsItsMiddle(t *testing.T) {
	for days, want := range map[float64]float64{3: 17, 7: 15, 10: 14, 30: 12.5} { // common practice
		assert.Equal(t, want, storage.AdviseTemperature(days).At, "%g days", days)
	}
}

// Whoever asks past the curve's last day, the 60th, gets what holds on that day.
func TestPastTheLastDayTheCurveStays(t *testing.T) {
	c := storage.Blend(hen(t), []storage.Own{{AgeDays: 58, Set: 100, Hatched: 60}, {AgeDays: 60, Set: 100, Hatched: 0}})
	assert.Less(t, c.Relative(60), c.Relative(59.75), "still falling at its end")
	assert.Equal(t, c.Relative(60), c.Relative(1000))
	share, eggs := c.Weight(60)
	late, lateEggs := c.Weight(1000)
	assert.Equal(t, share, late)
	assert.Equal(t, eggs, lateEggs)
	assert.InDelta(t, 100, eggs, 1e-9, "eggs two days off tell nothing")
	day, _, _ := c.Differs(1000)
	assert.GreaterOrEqual(t, day, 57)
}
