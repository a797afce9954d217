package rates_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"metrogon/core/rates"
)

// Computed with R 4.2.2: fisher.test.
func TestExactAgainstR(t *testing.T) {
	for _, c := range []struct {
		groups []rates.Tally
		p      float64
	}{
		{[]rates.Tally{{18, 24}, {11, 24}}, 0.075345500143111},
		{[]rates.Tally{{3, 5}, {9, 10}}, 0.24175824175824},
		{[]rates.Tally{{0, 12}, {6, 12}}, 0.013729977116705},
		{[]rates.Tally{{14, 20}, {9, 20}, {18, 24}}, 0.09597944057472},
		{[]rates.Tally{{5, 12}, {8, 12}, {3, 10}, {10, 15}}, 0.2105212520002},
	} {
		p, estimated := rates.Exact(c.groups)
		assert.InDelta(t, c.p, p, 1e-10, "%v", c.groups)
		assert.False(t, estimated)
	}
}

// The same by going through every way there is.
func TestExactIsTheSumOverAllWays(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		groups := rapid.SliceOfN(rapid.Custom(func(t *rapid.T) rates.Tally {
			n := rapid.IntRange(0, 7).Draw(t, "n")
			return rates.Tally{K: rapid.IntRange(0, n).Draw(t, "k"), N: n}
		}), 1, 4).Draw(t, "groups")
		p, estimated := rates.Exact(groups)
		assert.InDelta(t, everyWay(groups), p, 1e-9)
		assert.False(t, estimated)
	})
}

func everyWay(groups []rates.Tally) float64 {
	choose := func(n, k int) float64 {
		c := 1.0
		for i := range k {
			c = c * float64(n-i) / float64(i+1)
		}
		return c
	}
	young, seen := 0, 1.0
	for _, g := range groups {
		young += g.K
		seen *= choose(g.N, g.K)
	}
	all, rare := 0.0, 0.0
	var deal func(i, left int, w float64)
	deal = func(i, left int, w float64) {
		if i == len(groups) {
			if left == 0 {
				all += w
				if w <= seen*(1+1e-7) {
					rare += w
				}
			}
			return
		}
		for x := 0; x <= min(left, groups[i].N); x++ {
			deal(i+1, left-x, w*choose(groups[i].N, x))
		}
	}
	deal(0, young, 1)
	return rare / all
}

func TestExactEstimatesWhereThereAreTooManyWays(t *testing.T) {
	many := make([]rates.Tally, 24)
	for i := range many {
		many[i] = rates.Tally{K: 140 + 3*(i%5), N: 200}
	}
	p, estimated := rates.Exact(many)
	assert.True(t, estimated)
	// Pearson's χ², exact enough for so many eggs: 10.4 with 23 degrees of freedom.
	assert.InDelta(t, 0.988, p, 0.003)
	again, _ := rates.Exact(many)
	assert.Equal(t, p, again, "always the same figure for the same eggs")
}
