package lp_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/optimize/convex/lp"

	ours "metrogon/core/season/bound/lp"
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
	for range 150 {
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

// certified solves and asks for a proof: what is found keeps every row, and is worth as
// much as no plan can be worth more than.
func certified(t *testing.T, p *ours.Program, c []float64, rows [][]ours.Term, b []float64) float64 {
	require.True(t, p.Solve(math.Inf(-1), never))
	worth := 0.0
	for j := range c {
		worth += c[j] * p.X(j)
	}
	for i, row := range rows {
		sum := 0.0
		for _, x := range row {
			sum += x.By * p.X(x.At)
		}
		require.LessOrEqual(t, sum, b[i]+1e-6, "row %d", i)
	}
	require.InDelta(t, p.Bound(), worth, 1e-5)
	return worth
}

// Rows that come when all is solved bind as if they had been there before; those that
// do not bind may be forgotten.
func TestRowsComeAndGo(t *testing.T) {
	dice := rand.New(rand.NewPCG(7, 8))
	for range 100 {
		n, m := 5+dice.IntN(20), 5+dice.IntN(20)
		whole, late := &ours.Program{}, &ours.Program{}
		var c, b []float64
		var rows [][]ours.Term
		for range n {
			c = append(c, math.Round(9*dice.Float64()-2))
			u := math.Round(1 + 6*dice.Float64())
			whole.Var(c[len(c)-1], 0, u)
			late.Var(c[len(c)-1], 0, u)
		}
		for i := range m {
			var row []ours.Term
			for j := range n {
				if dice.IntN(3) == 0 {
					row = append(row, ours.Term{At: j, By: math.Round(6*dice.Float64() - 1)})
				}
			}
			rows, b = append(rows, row), append(b, math.Round(12*dice.Float64()))
			whole.Row(b[i], row...)
			if i < m/2 {
				late.Row(b[i], row...)
			}
		}
		want := certified(t, whole, c, rows, b)
		certified(t, late, c, rows[:m/2], b)
		for i := m / 2; i < m; i++ {
			late.Row(b[i], rows[i]...)
		}
		assert.InDelta(t, want, certified(t, late, c, rows, b), 1e-5)
		late.Trim(m / 2)
		left, _ := late.Size()
		assert.LessOrEqual(t, left, m)
		late.Bounds(0, 0, 0)
		whole.Bounds(0, 0, 0)
		require.True(t, late.Solve(math.Inf(-1), never))
		require.True(t, whole.Solve(math.Inf(-1), never))
		assert.GreaterOrEqual(t, late.Bound(), whole.Bound()-1e-5, "without some rows")
	}
}

// Weeks of work for gates that open by fractions, all as good as each other: many pivots
// bring nothing, and yet it ends, at the optimum.
func TestIdlePivots(t *testing.T) {
	dice := rand.New(rand.NewPCG(9, 10))
	const days, kinds = 90, 40
	p := &ours.Program{}
	var c, b []float64
	var rows [][]ours.Term
	add := func(worth, most float64) int {
		c = append(c, worth)
		return p.Var(worth, 0, most)
	}
	ask := func(most float64, terms ...ours.Term) {
		rows, b = append(rows, terms), append(b, most)
		p.Row(most, terms...)
	}
	gates := make([]int, days)
	for d := range gates {
		gates[d] = add(-1, 1)
	}
	for range kinds {
		var all []ours.Term
		from := dice.IntN(days - 20)
		for d := from; d < from+20; d++ {
			x := add(1+.25*float64(dice.IntN(2)), 10)
			all = append(all, ours.Term{At: x, By: 1})
			ask(0, ours.Term{At: x, By: 1}, ours.Term{At: gates[d], By: -10})
		}
		ask(30, all...)
	}
	for d := range days - 6 {
		var shut []ours.Term
		for k := range 6 {
			shut = append(shut, ours.Term{At: gates[d+k], By: 1})
		}
		ask(1, shut...)
	}
	certified(t, p, c, rows, b)
	for range 150 {
		g := gates[dice.IntN(days)]
		p.Bounds(g, 0, float64(dice.IntN(2)))
		certified(t, p, c, rows, b)
	}
	assert.Greater(t, p.Pivots, 600, "the inverse was made anew")
}

// First-order steps prove a bound that no plan passes and that comes near the optimum, which the
// simplex method finds.
func TestFirstOrderStepsProveABound(t *testing.T) {
	dice := rand.New(rand.NewPCG(3, 4))
	for range 60 {
		build := func(p *ours.Program, dice *rand.Rand) {
			vars, rows := 4+dice.IntN(20), 3+dice.IntN(12)
			for range vars {
				p.Var(math.Round(10*dice.Float64()-2), 0, float64(1+dice.IntN(5)))
			}
			for range rows {
				var terms []ours.Term
				for j := range vars {
					if dice.IntN(3) == 0 {
						terms = append(terms, ours.Term{j, math.Round(8*dice.Float64()) - 1})
					}
				}
				p.Row(float64(1+dice.IntN(12)), terms...)
			}
		}
		seed := dice.Uint64()
		var p, q ours.Program
		build(&p, rand.New(rand.NewPCG(seed, 1)))
		build(&q, rand.New(rand.NewPCG(seed, 1)))
		require.True(t, p.Solve(math.Inf(-1), never))
		best := p.Bound()
		f := q.First()
		f.Steps(64, never)
		assert.GreaterOrEqual(t, f.Bound(), best-1e-6, "soon")
		f.Steps(4000, never)
		assert.GreaterOrEqual(t, f.Bound(), best-1e-6, "a bound is never below the optimum")
		assert.LessOrEqual(t, f.Bound(), best+.01*math.Abs(best)+1e-3, "and within a percent of it after so many steps")
		stopped := 0
		f.Steps(100, func() bool { stopped++; return stopped > 5 })
		assert.Equal(t, 6, stopped, "it ends when it is told")
	}
}

// As large as a month of a small farm: 150 ways to set, three rows each. gonum's simplex is what a library of the
// registries does with it.
func BenchmarkSimplex(b *testing.B) {
	const n, m = 150, 100
	build := func() (p *ours.Program, c []float64, a *mat.Dense, rhs []float64) {
		dice := rand.New(rand.NewPCG(11, 12))
		p, c, a, rhs = &ours.Program{}, make([]float64, n+m+n), mat.NewDense(m+n, n+m+n, nil), make([]float64, m+n)
		rows := make([][]ours.Term, m)
		for j := range n {
			worth, most := 1+20*dice.Float64(), 1+60*dice.Float64()
			p.Var(worth, 0, most)
			c[j], rhs[m+j] = -worth, most
			a.Set(m+j, j, 1)
			a.Set(m+j, n+m+j, 1)
			for range 3 {
				i, by := dice.IntN(m), .5+dice.Float64()
				rows[i] = append(rows[i], ours.Term{At: j, By: by})
				a.Set(i, j, a.At(i, j)+by)
			}
		}
		for i, terms := range rows {
			rhs[i] = 40 + 40*dice.Float64()
			a.Set(i, n+i, 1)
			p.Row(rhs[i], terms...)
		}
		return
	}
	b.Run("ours", func(b *testing.B) {
		for b.Loop() {
			p, _, _, _ := build()
			require.True(b, p.Solve(math.Inf(-1), never))
		}
	})
	b.Run("gonum", func(b *testing.B) {
		for b.Loop() {
			_, c, a, rhs := build()
			_, _, err := lp.Simplex(c, a, rhs, 1e-10, nil)
			require.NoError(b, err)
		}
	})
}
