package rates_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"gonum.org/v1/gonum/stat/distuv"

	"metrogon/core/rates"
)

// Drawn towards one another, two groups are less sure to differ than each by itself: by R 4.2.2, with Jeffreys' prior
// on each, the first is the better with these chances.
func TestDrawnTogetherFewEggsClaimLess(t *testing.T) {
	for _, c := range []struct {
		a, b rates.Tally
		p    float64
	}{
		{rates.Tally{K: 23, N: 41}, rates.Tally{K: 15, N: 40}, 0.95352294412586},
		{rates.Tally{K: 3, N: 5}, rates.Tally{K: 9, N: 10}, 0.089170329539065},
		{rates.Tally{K: 0, N: 6}, rates.Tally{K: 2, N: 6}, 0.057550514591606},
		{rates.Tally{K: 90, N: 120}, rates.Tally{K: 80, N: 120}, 0.92234792060775},
		{rates.Tally{K: 12, N: 12}, rates.Tally{K: 10, N: 12}, 0.93334526249941},
	} {
		got := rates.Compare([]rates.Group{alone("a", c.a), alone("b", c.b)}, rates.Spread{})
		assert.Less(t, math.Abs(got.Best[0]-.5), math.Abs(c.p-.5), "%v over %v", c.a, c.b)
		assert.Equal(t, c.p > .5, got.Best[0] > .5, "%v over %v: on the same side", c.a, c.b)
		assert.InDelta(t, 1, got.Best[0]+got.Best[1], 1e-9)
		assert.True(t, math.IsNaN(got.ByBatch), "nobody told the batches")
	}
}

func alone(name string, t rates.Tally) rates.Group {
	return rates.Group{Name: name, Lots: []rates.BatchTally{{Tally: t}}}
}

func TestGroupsWithoutEggsAreNeverBest(t *testing.T) {
	got := rates.Compare([]rates.Group{
		alone("a", rates.Tally{K: 6, N: 9}), {Name: "none"}, alone("c", rates.Tally{K: 5, N: 9}),
	}, rates.Spread{})
	assert.Zero(t, got.Best[1])
	assert.Greater(t, got.Best[0], got.Best[2])
	assert.Equal(t, rates.ByChance, got.Verdict)
}

// In one half of the batches everything goes well, in the other badly; in each of them pen a does a
// little better than pen b. That says more than the same eggs in batches of their own.
func TestEggsSetTogetherTellMore(t *testing.T) {
	a, b, apart := rates.Group{}, rates.Group{}, rates.Group{}
	for i := range int64(8) {
		k := []int{18, 9}[i%2]
		a.Lots = append(a.Lots, rates.BatchTally{Batch: i + 1, Tally: rates.Tally{K: k, N: 20}})
		b.Lots = append(b.Lots, rates.BatchTally{Batch: i + 1, Tally: rates.Tally{K: k - 3, N: 20}})
		apart.Lots = append(apart.Lots, rates.BatchTally{Batch: i + 101, Tally: rates.Tally{K: k - 3, N: 20}})
	}
	together := rates.Compare([]rates.Group{a, b}, rates.Spread{})
	alone := rates.Compare([]rates.Group{a, apart}, rates.Spread{})
	assert.Less(t, together.ByBatch, 0.02)
	assert.Greater(t, alone.ByBatch, 0.1)
	assert.Equal(t, together.Exact, alone.Exact, "the plain test cannot tell them apart")
	assert.Equal(t, 8, together.Shared)
	assert.Less(t, together.Detectable, alone.Detectable)
}

// When nothing differs, a test at 5 % cries wolf 5 times in 100: the one that respects batches
// does (3.5 to 6.5), with batches whose rates differ by a correlation of 0.03.
func TestTheTestThatRespectsBatchesKeepsItsLevel(t *testing.T) {
	const farms = 2000
	for _, c := range []struct {
		name         string
		shared       func(batch int) bool
		batches, n   int
		plainAtLeast int // times in 100
	}{
		{"set together", func(int) bool { return true }, 6, 14, 0},
		{"set apart", func(int) bool { return false }, 12, 25, 9},
		{"both", func(b int) bool { return b%2 == 0 }, 8, 18, 4},
	} {
		src := rand.New(rand.NewPCG(11, 12))
		batchRate := func() float64 {
			const size = (1 - .03) / .03
			return distuv.Beta{Alpha: .75 * size, Beta: .25 * size, Src: src}.Rand()
		}
		wolf, plain := 0, 0
		for range farms {
			two := make([]rates.Group, 2)
			id := int64(0)
			for b := range c.batches {
				id++
				rate := batchRate()
				for g := range two {
					if g > 0 && !c.shared(b) {
						id++
						rate = batchRate()
					}
					k := int(distuv.Binomial{N: float64(c.n), P: rate, Src: src}.Rand())
					two[g].Lots = append(two[g].Lots, rates.BatchTally{Batch: id, Tally: rates.Tally{K: k, N: c.n}})
				}
			}
			got := rates.Compare(two, rates.Spread{})
			if got.ByBatch < 0.05 {
				wolf++
			}
			if got.Exact < 0.05 {
				plain++
			}
		}
		t.Logf("%s: %.1f %%, plain %.1f %%", c.name, 100*float64(wolf)/farms, 100*float64(plain)/farms)
		assert.InDelta(t, 5, 100*float64(wolf)/farms, 1.5, c.name)
		assert.GreaterOrEqual(t, 100*plain, c.plainAtLeast*farms, "%s: the plain test", c.name)
	}
}

func TestAComparisonInWords(t *testing.T) {
	for _, c := range []struct {
		a, b rates.Tally
		says string
		more int
	}{
		{
			rates.Tally{K: 30, N: 40}, rates.Tally{K: 26, N: 40},
			"A difference this big comes up by chance about every other time. Not a reason to act on the machine.", 310,
		},
		{
			rates.Tally{K: 6, N: 9}, rates.Tally{K: 5, N: 9},
			"So few eggs would hardly show a difference of 65 points: they say nothing yet about the machine.", 365,
		},
		{
			rates.Tally{K: 80, N: 100}, rates.Tally{K: 50, N: 100},
			"A difference this big comes up by chance less than one time in a thousand. Something is behind it: " +
				"look for what else differs before the machine is blamed.", 0,
		},
		{
			rates.Tally{K: 30, N: 40}, rates.Tally{K: 30, N: 40},
			"A difference this big comes up by chance nearly always. Not a reason to act on the machine.", -1,
		},
	} {
		got := rates.Compare([]rates.Group{alone("a", c.a), alone("b", c.b)}, rates.Spread{})
		assert.Equal(t, c.says, got.Says("the machine"))
		assert.Equal(t, c.more, got.More, "%v %v", c.a, c.b)
	}
}

// The test by batches alone is the one of the whole comparison.
func TestByBatchesIsTheComparisonsOwn(t *testing.T) {
	lot := func(batch int64, k, n int) rates.BatchTally {
		return rates.BatchTally{Batch: batch, Tally: rates.Tally{K: k, N: n}}
	}
	groups := []rates.Group{
		{Name: "a", Lots: []rates.BatchTally{lot(1, 18, 24), lot(2, 15, 20)}},
		{Name: "b", Lots: []rates.BatchTally{lot(2, 9, 20), lot(3, 10, 22)}},
	}
	assert.InDelta(t, rates.Compare(groups, rates.Spread{}).ByBatch, rates.ByBatches(groups, rates.Spread{}), 1e-12)
	assert.True(t, math.IsNaN(rates.ByBatches(groups[:1], rates.Spread{})))
}
