package rates_test

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/stat/distuv"

	"metrogon/core/rates"
)

// pens with records of their own, as a farm has them.
var pens = []rates.Lot{{18, rates.Beta{A: 62, B: 20}}, {12, rates.Beta{A: 30, B: 22}}, {10, rates.Beta{A: 7, B: 3}}}

// draw hatches the lots once: each lot's true rate from its belief, the batch by a quantile
// that all lots share.
func draw(rng *rand.Rand, lots []rates.Lot, rho float64, together bool) (young int) {
	u := rng.Float64()
	for _, l := range lots {
		p := distuv.Beta{Alpha: l.Belief.A, Beta: l.Belief.B, Src: rng}.Rand()
		if !together {
			u = rng.Float64()
		}
		if rho > 0 {
			p = distuv.Beta{Alpha: p * (1 - rho) / rho, Beta: (1 - p) * (1 - rho) / rho}.Quantile(u)
		}
		young += int(distuv.Binomial{N: float64(l.Eggs), P: p, Src: rng}.Rand())
	}
	return young
}

// "9 times in 10" is that: 87 to 93 times in 100 when life varies as it was told.
func TestNineTimesInTen(t *testing.T) {
	t.Parallel()
	rng := rand.New(rand.NewPCG(3, 9))
	for _, rho := range []float64{0, 0.02, 0.05} {
		for _, together := range []bool{true, false} {
			y := rates.Expect(pens, rho, together)
			low, high := y.Quantile(.05), y.Quantile(.95)
			inside, sum := 0, 0
			const times = 6000
			for range times {
				n := draw(rng, pens, rho, together)
				sum += n
				if low <= n && n <= high {
					inside++
				}
			}
			share := 100 * float64(inside) / times
			t.Logf("rho %.2f, together %v: %d–%d holds %.1f %%", rho, together, low, high, share)
			assert.InDelta(t, 90, share, 3, "rho %v, together %v", rho, together)
			assert.InDelta(t, y.Mean(), float64(sum)/times, 0.15, "the mean of what hatched")
		}
	}
}

func TestYoungAddUp(t *testing.T) {
	want := 0.0
	for _, l := range pens {
		want += float64(l.Eggs) * l.Belief.Mean()
	}
	for _, rho := range []float64{0, 0.003, 0.02, 0.2} {
		for _, together := range []bool{true, false} {
			y := rates.Expect(pens, rho, together)
			require.Len(t, y.At, 41)
			assert.InDelta(t, want, y.Mean(), 0.01, "rho %v", rho)
			assert.InDelta(t, 1, y.AtLeast(0)-1+sum(y.At), 1e-9, "rho %v", rho)
		}
	}
	wide, narrow := rates.Expect(pens, 0.05, true), rates.Expect(pens, 0.05, false)
	assert.Less(t, wide.Quantile(.05), narrow.Quantile(.05), "one batch for all is less sure than three")
	assert.Equal(t, 0.0, rates.Expect(nil, 0.02, true).Mean(), "no eggs, no young")
	sure := rates.Expect([]rates.Lot{{300, rates.Beta{A: 1e6, B: 1e-3}}}, 0.02, true)
	assert.InDelta(t, 300, sure.Mean(), 0.01)
}

func sum(x []float64) (s float64) {
	for _, v := range x {
		s += v
	}
	return s
}

// The certainty of a number of eggs against the integral by brute force (200,000 steps of
// the believed rate).
func TestEggsForABatch(t *testing.T) {
	for _, c := range []struct {
		b          rates.Beta
		rho        float64
		wanted     int
		confidence float64
	}{
		{rates.Beta{A: 23.5, B: 18.5}, 0.02, 12, 0.9}, {rates.Beta{A: 90.5, B: 30.5}, 0.05, 20, 0.95},
		{rates.Beta{A: 0.5, B: 0.5}, 0.1, 3, 0.4}, {rates.Beta{A: 400, B: 180}, 0.001, 60, 0.8},
	} {
		got, err := rates.EggsFor(c.wanted, c.confidence, c.b, c.rho)
		require.NoError(t, err)
		brute := func(n int) float64 {
			const steps = 200_000
			size, all, weight := (1-c.rho)/c.rho, 0.0, 0.0
			for i := range steps {
				angle := (float64(i) + .5) / steps * math.Pi / 2
				s, k := math.Sincos(angle)
				w := math.Exp((2*c.b.A-1)*math.Log(s) + (2*c.b.B-1)*math.Log(k) + 40)
				weight += w
				if w > 0 {
					all += w * rates.Beta{A: s * s * size, B: k * k * size}.AtLeast(c.wanted, n)
				}
			}
			return all / weight
		}
		assert.InDelta(t, brute(got.Eggs), got.Prob, 1e-6, "%v", c)
		assert.InDelta(t, brute(got.Eggs-1), got.ProbFewer, 1e-6, "%v", c)
		assert.True(t, got.Prob >= c.confidence && got.ProbFewer < c.confidence, "%v", c)
		plain, err := rates.EggsFor(c.wanted, c.confidence, c.b, 0)
		require.NoError(t, err)
		if c.confidence > .5 {
			assert.GreaterOrEqual(t, got.Eggs, plain.Eggs, "a batch of its own asks for more")
		}
	}
}

func BenchmarkExpect(b *testing.B) {
	lots := slices.Concat(pens, pens, pens)
	for b.Loop() {
		rates.Expect(lots, 0.02, true)
	}
}
