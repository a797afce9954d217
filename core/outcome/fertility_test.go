package outcome_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"metrogon/core/outcome"
	"metrogon/core/rates"
)

func TestFertilityCountsNotOnlyTheWinners(t *testing.T) {
	for _, c := range []struct {
		name   string
		eggs   outcome.Looked
		done   bool
		k, n   float64
		says   string
		rateOf float64 // 0: none is told
	}{
		{"18 clears pulled of 40, 22 not called", outcome.Looked{Infertile: 18, Unknown: 22}, false, 0, 0,
			"at least 0 of 40, at most 22", 0},
		{"twenty dark shells, twelve hatched", outcome.Looked{Hatched: 12, Unknown: 8}, true, 15, 20,
			"at least 12 of 20", .75}, // 12 / 0.8
		{"all that were dark hatched", outcome.Looked{Hatched: 9}, true, 9, 9, "", 1},
		{"one of thirty unsure", outcome.Looked{Fertile: 24, Infertile: 5, Unknown: 1}, false, 24, 29, "", 24. / 29},
		{"nobody has looked", outcome.Looked{Unknown: 12}, false, 0, 0, "nobody has looked yet", 0},
		{"dark, and none hatched", outcome.Looked{Fertile: 4, Unknown: 4}, true, 0, 0, "of the others nobody can say", 0},
		{"more hatched than the share allows", outcome.Looked{Fertile: 2, Hatched: 8, Unknown: 2}, true, 12, 12,
			"at least 10 of 12", 1},
	} {
		k, why := c.eggs.Count(c.done, outcome.UsualHatch)
		assert.Equal(t, rates.Count{K: c.k, N: c.n}, k, c.name)
		if c.says == "" {
			assert.Empty(t, why, c.name)
		} else {
			assert.Contains(t, why, c.says, c.name)
		}
		if c.rateOf > 0 {
			assert.InDelta(t, c.rateOf, c.eggs.Interval(k, .95).Rate, 1e-12, c.name)
		}
	}
	dark := outcome.Looked{Hatched: 12, Unknown: 8}
	k, _ := dark.Count(true, outcome.UsualHatch)
	in := dark.Interval(k, .95)
	assert.LessOrEqual(t, in.Low, (.75+.6)/2, "half the way to the least")
	assert.GreaterOrEqual(t, in.High, (.75+1)/2, "half the way to the most")
}

// Whatever is known, the rate lies between the least and the most that is possible.
func TestFertilityLiesBetweenItsBounds(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := func(name string) int { return rapid.IntRange(0, 40).Draw(t, name) }
		l := outcome.Looked{Fertile: n("fertile"), Infertile: n("infertile"), Hatched: n("hatched"), Unknown: n("unknown")}
		k, _ := l.Count(rapid.Bool().Draw(t, "done"), rapid.Float64Range(.1, 1).Draw(t, "hatch"))
		if k.N == 0 {
			return
		}
		in, all := l.Interval(k, .95), float64(l.All())
		if k.N == all && (in.Rate < float64(l.AtLeast())/all-1e-9 || in.Rate > float64(l.AtMost())/all+1e-9) {
			t.Fatalf("%v of %+v", in.Rate, l)
		}
		if in.Low > in.Rate || in.High < in.Rate {
			t.Fatalf("%+v of %+v", in, l)
		}
	})
}
