package lp_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/optimize/convex/lp"

	ours "metrogon/core/season/lp"
)

func never() bool { return false }

// Against gonum's simplex: random programs with non-negative bounds, as
// min -c·x, A x + s = b, x + t = u.
func TestAgainstAnotherSimplex(t *testing.T) {
	dice := rand.New(rand.NewPCG(3, 4))
	for trial := range 200 {
		n, m := 1+dice.IntN(8), 1+dice.IntN(8)
		p := &ours.Program{}
		c := make([]float64, n+m+n)
		a := mat.NewDense(m+n, n+m+n, nil)
		b := make([]float64, m+n)
		for j := range n {
			v, u := math.Round(20*dice.Float64()-8), math.Round(1+5*dice.Float64())
			p.Var(v, 0, u)
			c[j] = -v
			a.Set(m+j, j, 1)
			a.Set(m+j, n+m+j, 1)
			b[m+j] = u
		}
		for i := range m {
			var terms []ours.Term
			for j := range n {
				if v := math.Round(8*dice.Float64() - 3); v != 0 && dice.IntN(3) > 0 {
					terms = append(terms, ours.Term{At: j, By: v})
					a.Set(i, j, v)
				}
			}
			b[i] = math.Round(10 * dice.Float64())
			a.Set(i, n+i, 1)
			p.Row(b[i], terms...)
		}
		want, _, err := lp.Simplex(c, a, b, 1e-10, nil)
		require.NoError(t, err)
		require.True(t, p.Solve(math.Inf(-1), never))
		assert.InDelta(t, -want, p.Bound(), 1e-6, "program %d", trial)
		x := 0.0
		for j := range n {
			x += -c[j] * p.X(j)
		}
		assert.InDelta(t, -want, x, 1e-6, "program %d", trial)

		p.Bounds(0, 0, 0) // as a branch does
		b[m] = 0
		want, _, err = lp.Simplex(c, a, b, 1e-10, nil)
		require.NoError(t, err)
		require.True(t, p.Solve(math.Inf(-1), never))
		assert.InDelta(t, -want, p.Bound(), 1e-6, "branch of program %d", trial)
	}
}

// Nothing can hold: x may be at most 1, yet is asked to be 2.
func TestNothingCanHold(t *testing.T) {
	p := &ours.Program{}
	x := p.Var(1, 0, 1)
	p.Row(-2, ours.Term{At: x, By: -1})
	assert.False(t, p.Solve(math.Inf(-1), never))
}

// A row that is kept only when every variable stands at zero is no contradiction.
func TestEverythingAtZero(t *testing.T) {
	dice := rand.New(rand.NewPCG(7, 8))
	for range 200 {
		p := &ours.Program{}
		var terms []ours.Term
		for j := range 30 {
			p.Var(dice.Float64(), 0, 100*dice.Float64())
			terms = append(terms, ours.Term{At: j, By: dice.Float64()})
		}
		p.Row(0, terms...)
		require.True(t, p.Solve(math.Inf(-1), never))
		assert.InDelta(t, 0, p.Bound(), 1e-6)
	}
}

// Whatever the pivot at which it is stopped, the bound holds.
func TestStoppedAnywhere(t *testing.T) {
	p := &ours.Program{}
	for range 40 {
		p.Var(1, 0, 1)
	}
	dice := rand.New(rand.NewPCG(5, 6))
	for range 30 {
		var terms []ours.Term
		for j := range 40 {
			terms = append(terms, ours.Term{At: j, By: dice.Float64()})
		}
		p.Row(3, terms...)
	}
	p.Solve(math.Inf(-1), func() bool { return true })
	early := p.Bound()
	p.Solve(math.Inf(-1), never)
	assert.GreaterOrEqual(t, early, p.Bound()-1e-9)
}
