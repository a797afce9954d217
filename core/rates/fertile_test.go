package rates_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"metrogon/core/rates"
)

var usual = rates.Thresholds{Sell: .8, Swap: .4}

func TestAFertilityTestInWords(t *testing.T) {
	for _, c := range []struct {
		k, n   int
		advice rates.Advice
		says   string
	}{
		// Common practice: half filled means "do not sell now", not "the male is bad".
		{5, 10, rates.TestAgain, "5 of 10: 22–78 %. Not 80 %: do not sell now. Whether the male is poor (below 40 %) is " +
			"open; ten more will tell."},
		{5, 5, rates.SetEggs, "5 of 5: 55–100 %. Good enough to set. Before selling, ten more would have to be as good: " +
			"at least 80 % is sure only 7 times in 10."},
		{26, 40, rates.SetEggs, "26 of 40: 44–81 %. Hardly 80 %: do not sell now. Set them, and set more for the clear " +
			"ones."},
		{10, 10, rates.SellEggs, "10 of 10: 69–100 %. Good enough to sell: at least 80 % fertile, sure 8 times in 10."},
		{9, 10, rates.SetEggs, "9 of 10: 57–98 %. Good enough to set. Before selling, ten more would have to be as good: " +
			"at least 80 % is sure only 6 times in 10."},
		{3, 10, rates.TestAgain, "3 of 10: 10–63 %. Not 80 %: do not sell now. Whether the male is poor (below 40 %) is " +
			"open; ten more will tell."},
		{2, 10, rates.SwapMale, "2 of 10: 5–54 %. Poor: below 40 %, sure 8 times in 10. Look at the number of females, " +
			"the hens' age and how long the male is there; then swap him."},
		{2, 2, rates.TestAgain, "Too few eggs to say (2; 5 are needed)."},
	} {
		got := rates.ReadTest(rates.Tally{K: c.k, N: c.n}, usual, .02)
		assert.Equal(t, c.advice, got.Advice, "%d of %d", c.k, c.n)
		assert.Equal(t, c.says, got.Says)
	}
}

// More fertile eggs of as many never make the advice worse; and the same share of more eggs is never
// less sure of the side on which it lies.
func TestAdviceRunsOneWay(t *testing.T) {
	order := map[rates.Advice]int{rates.SwapMale: 0, rates.TestAgain: 1, rates.SetEggs: 2, rates.SellEggs: 3}
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(1, 60).Draw(t, "n")
		k := rapid.IntRange(0, n-1).Draw(t, "k")
		rho := rapid.Float64Range(0, .08).Draw(t, "rho")
		a := rates.ReadTest(rates.Tally{K: k, N: n}, usual, rho)
		b := rates.ReadTest(rates.Tally{K: k + 1, N: n}, usual, rho)
		assert.GreaterOrEqual(t, b.Above, a.Above)
		assert.LessOrEqual(t, b.Below, a.Below)
		if a.Advice == rates.SellEggs {
			assert.Equal(t, rates.SellEggs, b.Advice)
		}
		assert.False(t, order[a.Advice] == 3 && order[b.Advice] == 0)
	})
}

func TestWhatATestOfSoManyEggsTells(t *testing.T) {
	plans := rates.PlanTest([]int{5, 10, 20, 40}, usual, .9, .2, .02)
	for _, p := range plans {
		assert.Less(t, p.Errs, .02, "%d eggs clear a poor pen", p.Eggs)
	}
	assert.Greater(t, plans[3].Finds, plans[0].Finds, "more eggs find out more")
	assert.Greater(t, plans[3].Sells, plans[1].Sells)
	for _, rho := range []float64{0, .02, .05} {
		for i, p := range rates.PlanTest([]int{5, 10, 15, 20, 30, 50}, usual, .9, .25, rho)[1:] {
			before := rates.PlanTest([]int{5, 10, 15, 20, 30, 50}, usual, .9, .25, rho)[i]
			assert.True(t, p.Sells >= before.Sells && p.Finds >= before.Finds, "%d eggs say less than %d", p.Eggs, before.Eggs)
		}
	}
	// By hand, without a spread: of ten eggs ten have to be fertile to sell: 0.9^10; nine give 64 in 100.
	assert.InDelta(t, .3487, rates.PlanTest([]int{10}, usual, .9, .2, 0)[0].Sells, 1e-3)
}
