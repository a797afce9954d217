package rates

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"gonum.org/v1/gonum/stat/distuv"
	"pgregory.net/rapid"
)

// one is a group of which batches are not known.
func one(k, n float64) Eggs { return Eggs{Batches: []Count{{k, n}}} }

func TestPoolOfLittle(t *testing.T) {
	assert.NotEmpty(t, Pool(nil).readings, "nothing is known, and nothing breaks")
	alone := Pool([]Eggs{one(15, 20), {}})
	in := alone.Of(0, 0.95)
	assert.True(t, in.Low < .75 && .75 < in.High)
	assert.Greater(t, alone.Of(1, 0.95).High-alone.Of(1, 0.95).Low, in.High-in.Low, "of the other less is known")
	all := Pool([]Eggs{one(9, 9), one(4, 4)}).Of(0, 0.95)
	assert.True(t, all.Low > .6 && all.High > .99, "all of all: %v", all)
	assert.InDelta(t, 1-all.Low, Pool([]Eggs{one(0, 9), one(0, 4)}).Of(0, 0.95).High, 1e-9, "and none of none")
}

// Groups as unlike as can be, and as large.
func TestPoolOfExtremes(t *testing.T) {
	for _, n := range []float64{500, 1e6, 1e9} {
		groups := []Eggs{one(0, n), one(n, n), {Apart: true, Batches: []Count{{n / 2, n}, {1, 1}}}}
		p := Pool(groups)
		for i, want := range []float64{0, 1, .5} {
			assert.InDelta(t, want, p.Of(i, 0.95).Rate, .05, "%g eggs", n)
		}
		assert.False(t, math.IsNaN(p.Points().Rate) || math.IsNaN(p.Unseen().A))
		assert.InDelta(t, 1, BestOf(groups)[1], .01)
	}
}

// A pooled rate lies within its interval, and hatched and not hatched are alike to it.
func TestPoolingIsEven(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		groups := rapid.SliceOfN(rapid.Custom(func(t *rapid.T) Eggs {
			e := Eggs{Apart: rapid.Bool().Draw(t, "apart")}
			for range rapid.IntRange(1, 4).Draw(t, "batches") {
				n := rapid.IntRange(1, 30).Draw(t, "n")
				e.Batches = append(e.Batches, Count{float64(rapid.IntRange(0, n).Draw(t, "k")), float64(n)})
			}
			return e
		}), 1, 5).Draw(t, "groups")
		var turned []Eggs
		for _, g := range groups {
			e := Eggs{Apart: g.Apart}
			for _, b := range g.Batches {
				e.Batches = append(e.Batches, Count{b.N - b.K, b.N})
			}
			turned = append(turned, e)
		}
		p, q := Pool(groups), Pool(turned)
		for i := range groups {
			in, other := p.Of(i, 0.95), q.Of(i, 0.95)
			if math.IsNaN(in.Rate) || in.Rate < in.Low || in.Rate > in.High {
				t.Fatalf("%v", in)
			}
			if math.Abs(in.Rate+other.Rate-1) > 1e-6 || math.Abs(in.Low+other.High-1) > 1e-6 {
				t.Fatalf("%v, turned %v", in, other)
			}
			if b := p.Belief(i); math.Abs(b.Mean()-in.Rate) > 1e-9 {
				t.Fatalf("a belief of %v for %v", b.Mean(), in.Rate)
			}
		}
	})
}

// bred draws what pens did whose true rates lie about a mean, with batches that differ.
func bred(dice *rand.Rand, pens int, mean, sd, rho float64) (truth []float64, all []Eggs) {
	for range pens {
		rate := mean
		if sd > 0 {
			size := mean*(1-mean)/(sd*sd) - 1
			rate = distuv.Beta{Alpha: mean * size, Beta: (1 - mean) * size, Src: dice}.Rand()
		}
		e := Eggs{Apart: true}
		for range 2 + dice.IntN(9) {
			n, q := float64(8+dice.IntN(23)), rate
			if rho > 0 {
				q = distuv.Beta{Alpha: rate * (1 - rho) / rho, Beta: (1 - rate) * (1 - rho) / rho, Src: dice}.Rand()
			}
			e.Batches = append(e.Batches, Count{distuv.Binomial{N: n, P: q, Src: dice}.Rand(), n})
		}
		truth, all = append(truth, rate), append(all, e)
	}
	return truth, all
}

// Bars of 95 hold 93 to 97 of 100 where pens differ by 3 to 8 points, batches little; on some 900 pens a cell, within
// what so many can tell.
func TestPooledBarsHold(t *testing.T) {
	for _, c := range []struct {
		pens          int
		mean, sd, rho float64
		least, most   float64
	}{
		{3, .75, .03, .01, .93, .99}, {3, .75, .08, .01, .92, .98}, {6, .75, .05, .02, .925, .98},
		{12, .75, .05, .02, .925, .98}, {12, .75, .08, 0, .925, .98}, {6, .85, .08, .04, .88, .96},
	} {
		dice := rand.New(rand.NewPCG(3, uint64(c.pens*1000)+uint64(c.sd*100)))
		held, n := 0, 0
		for range 900 / c.pens {
			truth, all := bred(dice, c.pens, c.mean, c.sd, c.rho)
			p := Pool(all)
			for i := range all {
				in := p.Of(i, 0.95)
				n++
				if in.Low <= truth[i] && truth[i] <= in.High {
					held++
				}
			}
		}
		share := float64(held) / float64(n)
		assert.True(t, share >= c.least && share <= c.most, "%+v: %.3f", c, share)
		t.Logf("%+v: %.1f", c, 100*share)
	}
}

// Who is called the best with 90 in 100 or more is it, near nine times in ten and more.
func TestTheBestIsTheBest(t *testing.T) {
	for _, sd := range []float64{.08} {
		dice := rand.New(rand.NewPCG(5, uint64(sd*1000)))
		right, called := 0, 0
		for range 250 {
			truth, all := bred(dice, 4, .75, sd, .01)
			for i, p := range BestOf(all) {
				if p < .9 {
					continue
				}
				called++
				best := true
				for _, other := range truth {
					best = best && other <= truth[i]
				}
				if best {
					right++
				}
			}
		}
		if called >= 20 {
			assert.GreaterOrEqual(t, float64(right)/float64(called), .86, "SD %g: %d of %d", sd, right, called)
		}
		t.Logf("SD %g: %d of %d", sd, right, called)
	}
}

func TestHowFarPensDiffer(t *testing.T) {
	dice := rand.New(rand.NewPCG(9, 9))
	_, alike := bred(dice, 8, .75, 0, 0)
	_, apart := bred(dice, 8, .75, .15, 0)
	near, far := Pool(alike).Points(), Pool(apart).Points()
	assert.Less(t, near.Rate, 5.0)
	assert.True(t, far.Low < 15 && 15 < far.High+4, "%v", far)
	assert.Greater(t, far.Rate, 2*near.Rate)
	b := Pool(alike).Bounded()
	assert.True(t, b.A+b.B >= 4 && b.A+b.B <= 60)
}

func BenchmarkPool(b *testing.B) {
	_, all := bred(rand.New(rand.NewPCG(1, 1)), 12, .75, .05, .02)
	for b.Loop() {
		Pool(all)
	}
}
