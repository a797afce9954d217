package rates

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

// Fits of R 4.2.2 (maximum likelihood of the beta-binomial), and shrunken means.
func TestPoolAgreesWithR(t *testing.T) {
	for _, c := range []struct {
		groups      []Count
		alpha, beta float64 // 0: degenerate
		means       []float64
	}{
		{
			[]Count{{5, 12}, {12, 15}, {3, 14}, {18, 20}, {9, 24}, {2, 10}}, 1.7704502894536, 1.7502756671732,
			[]float64{.43621994927131, .74351568732793, .27227469348376, .84055442531456, .39135778272812, .27886448564588},
		},
		{
			[]Count{{20, 24}, {11, 24}, {16, 24}, {24, 30}}, 11.561254030794, 5.1650000996963,
			[]float64{.77496088713853, .55397321733803, .67674414500497, .76105510044704},
		},
		{
			[]Count{{1, 4}, {6, 6}, {0, 5}, {8, 9}, {3, 12}}, .53102846677641, .52714861880546,
			[]float64{.30268384061534, .92531377260535, .08765482739688, .84816844982829, .2704074576133},
		},
		{[]Count{{7, 12}, {9, 15}, {12, 20}, {6, 10}}, 0, 0, nil},
	} {
		p := Pool(c.groups)
		assert.Equal(t, c.alpha == 0, p.Degenerate, "%v", c.groups)
		if c.alpha == 0 {
			assert.InDelta(t, 34.5/58, p.Mean(), 1e-12, "all eggs together, and half of one each way")
			continue
		}
		assert.InEpsilon(t, c.alpha, p.A, 1e-5)
		assert.InEpsilon(t, c.beta, p.B, 1e-5)
		for i, g := range c.groups {
			assert.InDelta(t, c.means[i], p.Of(g, 0.95).Rate, 1e-6)
		}
	}
}

func TestPoolOfLittle(t *testing.T) {
	assert.True(t, Pool(nil).Degenerate)
	assert.True(t, Pool([]Count{{3, 9}, {0, 0}}).Degenerate, "one group alone shows no spread")
	assert.True(t, Pool([]Count{{9, 9}, {4, 4}}).Degenerate, "all of all")
	assert.True(t, Pool([]Count{{0, 9}, {0, 4}}).Degenerate)
}

// A pooled rate lies between the group's own and the kind's, and is surer than its own.
func TestPoolingShrinks(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		groups := rapid.SliceOfN(rapid.Custom(func(t *rapid.T) Count {
			n := rapid.IntRange(1, 60).Draw(t, "n")
			return Count{float64(rapid.IntRange(0, n).Draw(t, "k")), float64(n)}
		}), 1, 12).Draw(t, "groups")
		p := Pool(groups)
		for _, g := range groups {
			in := p.Of(g, 0.95)
			own := float64(g.K) / float64(g.N)
			if in.Rate < in.Low || in.Rate > in.High || math.IsNaN(in.Rate) {
				t.Fatalf("%v of %v: %v", in, g, p)
			}
			if !p.Degenerate && (in.Rate-own)*(p.Mean()-own) < -1e-9 {
				t.Fatalf("%v of %v is drawn away from %v", in.Rate, own, p.Mean())
			}
		}
	})
}
