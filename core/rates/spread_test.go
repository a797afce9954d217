package rates_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"gonum.org/v1/gonum/stat/distuv"

	"metrogon/core/rates"
)

// lived draws what batches of 8 to 30 eggs of groups with one true rate did, beta-binomial
// with the correlation rho.
func lived(rng *rand.Rand, groups int, p, rho float64) [][]rates.Count {
	all := make([][]rates.Count, groups)
	for g := range all {
		for range 4 + rng.IntN(17) {
			n := 8 + rng.IntN(23)
			q := p
			if rho > 0 {
				q = distuv.Beta{Alpha: p * (1 - rho) / rho, Beta: (1 - p) * (1 - rho) / rho, Src: rng}.Rand()
			}
			k := distuv.Binomial{N: float64(n), P: q, Src: rng}.Rand()
			all[g] = append(all[g], rates.Count{K: k, N: float64(n)})
		}
	}
	return all
}

// The promise of the intervals: six groups with 4 to 20 batches of 8 to 30 eggs, the true
// rate inside 93 to 97 times in 100.
func TestIntervalsHoldWhatTheyPromiseWhenBatchesDiffer(t *testing.T) {
	t.Parallel()
	for _, p := range []float64{0.7, 0.9} {
		for _, rho := range []float64{0, 0.01, 0.02, 0.05} {
			rng := rand.New(rand.NewPCG(7, uint64(1000*rho)))
			inside, naive, tried, mean := 0, 0, 0, 0.0
			for range 1500 {
				groups := lived(rng, 6, p, rho)
				spread := rates.SpreadOf(groups)
				mean += spread.Rho
				for _, g := range groups {
					in := spread.Worth(g).Wilson(0.95)
					plain := rates.Spread{}.Worth(g).Wilson(0.95)
					tried++
					if in.Low <= p && p <= in.High {
						inside++
					}
					if plain.Low <= p && p <= plain.High {
						naive++
					}
				}
			}
			share := 100 * float64(inside) / float64(tried)
			t.Logf("rate %.1f, rho %.2f: %.1f %% inside (%.1f without spread), rho found %.3f",
				p, rho, share, 100*float64(naive)/float64(tried), mean/1500)
			assert.InDelta(t, 95, share, 2, "rate %.1f, rho %.2f", p, rho)
		}
	}
}
