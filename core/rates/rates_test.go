package rates_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"metrogon/core/rates"
)

// Computed with R 4.2.2.
func TestWilsonAgainstR(t *testing.T) {
	for _, c := range []struct {
		k, n      int
		low, high float64
	}{
		{23, 41, 0.41040527222106, 0.7010986826345},
		{0, 12, 0, 0.24249400665524},
		{12, 12, 0.75750599334476, 1},
		{3, 7, 0.15821985525147, 0.74954163547234},
		{90, 120, 0.66558863335874, 0.8189017834319},
	} {
		in := rates.Wilson(c.k, c.n, 0.95)
		assert.InDelta(t, c.low, in.Low, 1e-9, "%d of %d, low", c.k, c.n)
		assert.InDelta(t, c.high, in.High, 1e-9, "%d of %d, high", c.k, c.n)
	}
}

// Computed with R 4.2.2: posteriors of the record named, Jeffreys prior.
func TestEggsForAgainstR(t *testing.T) {
	for _, c := range []struct {
		want         int
		confidence   float64
		k, of        int
		n            int
		at, oneFewer float64
	}{
		{12, 0.8, 23, 41, 26, 0.82814760179462, 0.78711302948737},
		{6, 0.5, 7, 12, 10, 0.56283950805664, 0.45097351074219},
		{20, 0.95, 90, 120, 33, 0.96120720209936, 0.93986880798287},
		{1, 0.9, 4, 9, 5, 0.90987723214286, 0.8671875},
		{10, 0.9, 23, 41, 24, 0.90082042405472, 0.87203675304499},
	} {
		got, err := rates.EggsFor(c.want, c.confidence, rates.Jeffreys.After(c.k, c.of), 0)
		require.NoError(t, err)
		assert.Equal(t, c.n, got.Eggs)
		assert.InDelta(t, c.at, got.Prob, 1e-9)
		assert.InDelta(t, c.oneFewer, got.ProbFewer, 1e-9)
	}
}

func TestEggsForIsTheFewest(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		b := rates.Beta{A: rapid.Float64Range(0.3, 80).Draw(t, "a"), B: rapid.Float64Range(0.3, 20).Draw(t, "b")}
		want, conf := rapid.IntRange(1, 40).Draw(t, "want"), rapid.Float64Range(0.1, 0.8).Draw(t, "confidence")
		got, err := rates.EggsFor(want, conf, b, 0)
		if err != nil {
			return // a hopeless pen: more eggs than can be counted
		}
		assert.GreaterOrEqual(t, got.Prob, conf)
		assert.Less(t, got.ProbFewer, conf)
		assert.GreaterOrEqual(t, got.Eggs, want)
	})
	_, err := rates.EggsFor(100, 0.99, rates.Beta{A: 0.5, B: 400}, 0)
	assert.ErrorContains(t, err, "more than 100000 eggs")
}

func TestYoungFromSeveralLots(t *testing.T) {
	// Hand-worked: one egg at evens and one at evens (uniform beliefs) give 0, 1, 2
	// young with 1/4, 1/2, 1/4.
	even := rates.Beta{A: 1, B: 1}
	y := rates.Expect([]rates.Lot{{1, even}, {1, even}}, 0, true)
	assert.InDeltaSlice(t, []float64{0.25, 0.5, 0.25}, y.At, 1e-12)
	assert.InDelta(t, 1, y.Mean(), 1e-12)
	assert.Equal(t, []int{0, 1, 2}, []int{y.Quantile(0.1), y.Quantile(0.5), y.Quantile(0.9)})
	assert.InDelta(t, 0.3, rates.Beta{A: 6, B: 4}.Scaled(0.5).Mean(), 1e-12)
}

func TestQuantilesAtTheirEdges(t *testing.T) {
	y := rates.Young{At: []float64{.25, .5, .25}}
	for q, want := range map[float64]int{0: 0, .25: 0, .25 + 1e-9: 1, .5: 1, .75: 1, .75 + 1e-9: 2, 1: 2} {
		assert.Equal(t, want, y.Quantile(q), "%g", q)
	}
	assert.Equal(
		t, 1, rates.Young{At: []float64{.1 + .2 - 1e-13, .7}}.Quantile(.3+1e-9),
		"rounding apart, exactly .3 is not .3 and more",
	)
	assert.Equal(
		t, 0, rates.Young{At: []float64{.3 - 1e-13, .7}}.Quantile(.3),
		"what only rounding keeps from it has reached it",
	)
	assert.Zero(t, rates.Young{}.Quantile(.5))
	assert.InDelta(t, 1, y.Mean(), 1e-12)
	assert.Equal(t, [4]float64{1, .75, .25, 0}, [4]float64{y.AtLeast(0), y.AtLeast(1), y.AtLeast(2), y.AtLeast(3)})
	assert.Equal(t, 1., y.AtLeast(-1))
}

// One sure egg a young one; and where the certainty is met exactly, no egg more.
func TestEggsForAtTheEdges(t *testing.T) {
	fair := rates.Beta{A: 1, B: 1} // P(X ≥ k) of n is (n+1-k)/(n+1)
	for _, c := range []struct {
		wanted     int
		confidence float64
		eggs       int
	}{{1, .5, 1}, {1, .75, 3}, {1, .75 + 1e-9, 4}, {2, .5, 3}, {5, .5, 9}} {
		got, err := rates.EggsFor(c.wanted, c.confidence, fair, 0)
		require.NoError(t, err)
		assert.Equal(t, c.eggs, got.Eggs, "%d with %g", c.wanted, c.confidence)
		assert.InDelta(t, float64(c.eggs+1-c.wanted)/float64(c.eggs+1), got.Prob, 1e-9)
		assert.InDelta(t, max(0, float64(c.eggs-c.wanted)/float64(c.eggs)), got.ProbFewer, 1e-9)
		assert.InDelta(t, float64(c.eggs)/2, got.Expected, 1e-9)
	}
	s := rates.Beta{A: 6, B: 4}.Scaled(.5)
	assert.InDelta(t, .3, s.Mean(), 1e-12)
	assert.InDelta(t, 10, s.A+s.B, 1e-12, "as much is known as before")
	assert.Equal(t, rates.Beta{A: 8, B: 5}, rates.Beta{A: 6, B: 4}.After(2, 3))
}
