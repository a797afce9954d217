package outcome_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"metrogon/core/outcome"
)

// Six young counted of a pen of which six eggs were 12 days old and six fresh.
func TestSixOfTwelveIsNeitherTheOldNorTheFresh(t *testing.T) {
	group := outcome.Group{Eggs: 12, Counted: 12, Young: 6}
	for _, name := range []string{"old", "fresh"} {
		p := outcome.Part{Eggs: 6, Counted: 6, Of: group}
		set, hatched, out := p.Known()
		assert.Equal(t, [3]int{0, 0, 6}, [3]int{set, hatched, out}, "%s: nothing is known of them alone", name)
		share, variance := p.Share()
		assert.InDelta(t, 3, share, 1e-12, name)
		assert.InDelta(t, 6*.25*6./11, variance, 1e-12, "hypergeometric, by hand")
	}
	whole := outcome.Part{Eggs: 12, Counted: 12, Of: group}
	set, hatched, out := whole.Known()
	assert.Equal(t, [3]int{12, 6, 0}, [3]int{set, hatched, out}, "a count is exact where all its eggs are of one age")
	share, variance := whole.Share()
	assert.Equal(t, [2]float64{6, 0}, [2]float64{share, variance})
}

// Two clears were taken out of ten eggs, and of the eight left all hatched.
func TestTheClearAreNotCountedWithoutTheHatched(t *testing.T) {
	group := outcome.Group{Eggs: 10, Counted: 8, Young: 8}
	old := outcome.Part{Eggs: 5, Counted: 3, Of: group}
	set, hatched, out := old.Known()
	assert.Equal(
		t, [3]int{0, 0, 5}, [3]int{set, hatched, out}, "else the two clears alone would be the old eggs' record",
	)
	share, variance := old.Share()
	assert.Equal(t, [2]float64{3, 0}, [2]float64{share, variance}, "all that were left hatched")
	all := outcome.Part{Eggs: 10, Counted: 8, Of: group}
	set, hatched, out = all.Known()
	assert.Equal(t, [3]int{10, 8, 0}, [3]int{set, hatched, out})
	seen := outcome.Part{Eggs: 5, Hatched: 2}
	set, hatched, out = seen.Known()
	assert.Equal(t, [3]int{5, 2, 0}, [3]int{set, hatched, out}, "eggs seen one by one need no group")
}

func TestHatchOfFertileOfAGroup(t *testing.T) {
	for _, c := range []struct {
		name                   string
		fertile, unknown       int
		wantYoung, wantFertile int
	}{
		{"all called", 9, 0, 6, 9},
		{"half dark shells: who hatched of the known ones is not known", 6, 5, 0, 0},
		{"one unsure of nine: six young, of the eight 5.3", 8, 1, 5, 8},
		{"two taken for clear hatched", 4, 0, 6, 6},
		{"just a third unknown: still told", 4, 2, 4, 4},
		{"all that are known as fertile, and no more", 12, 0, 6, 12},
		{"a share of half an egg is rounded up: 6 × 9/12 = 4.5", 9, 3, 5, 9},
	} {
		young, of := outcome.Group{Eggs: 12, Counted: 12, Young: 6}.OfFertile(c.fertile, c.unknown)
		assert.Equal(t, [2]int{c.wantYoung, c.wantFertile}, [2]int{young, of}, c.name)
	}
}

func TestSharesAddUpToTheCount(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		sizes := rapid.SliceOfN(rapid.IntRange(0, 30), 1, 6).Draw(t, "sizes")
		g := outcome.Group{}
		for _, n := range sizes {
			g.Eggs += n
			g.Counted += n
		}
		if g.Eggs == 0 {
			return
		}
		g.Young = rapid.IntRange(0, g.Counted).Draw(t, "young")
		sum := 0.0
		for _, n := range sizes {
			share, variance := outcome.Part{Eggs: n, Counted: n, Of: g}.Share()
			if variance < 0 {
				t.Fatalf("variance %g", variance)
			}
			sum += share
		}
		if diff := sum - float64(g.Young); diff > 1e-9 || diff < -1e-9 {
			t.Fatalf("%g of %d young", sum, g.Young)
		}
	})
}

// The variance, by drawing eggs out of a group at random.
func TestTheVarianceHoldsInSimulation(t *testing.T) {
	dice := rand.New(rand.NewPCG(1, 2))
	p := outcome.Part{Eggs: 5, Counted: 5, Of: outcome.Group{Eggs: 14, Counted: 14, Young: 9}}
	const rounds = 40_000
	sum, squares := 0.0, 0.0
	for range rounds {
		hatched := 0.0
		for _, i := range dice.Perm(14)[:5] {
			if i < 9 {
				hatched++
			}
		}
		sum += hatched
		squares += hatched * hatched
	}
	mean := sum / rounds
	share, variance := p.Share()
	require.InDelta(t, mean, share, .02)
	require.InDelta(t, squares/rounds-mean*mean, variance, .02)
}

// Two ages, of which the old hatch half as well, counted by pen batch after batch:
// what is known stays right, whatever was counted, since who is left out depends on
// how it was written down and not on how it went.
func TestWhatIsKnownIsNotBent(t *testing.T) {
	dice := rand.New(rand.NewPCG(3, 4))
	var set, hatched [2]float64 // fresh, old
	for round := range 4000 {
		var eggs, young [2]int
		eggs[round%2] += 6
		if round%4 > 1 { // a mixed batch
			eggs[1-round%2] += 6
		}
		for age, rate := range []float64{.8, .4} {
			for range eggs[age] {
				if dice.Float64() < rate {
					young[age]++
				}
			}
		}
		n, k := eggs[0]+eggs[1], young[0]+young[1]
		for age := range 2 {
			if eggs[age] == 0 {
				continue
			}
			p := outcome.Part{Eggs: eggs[age], Counted: eggs[age], Of: outcome.Group{Eggs: n, Counted: n, Young: k}}
			s, h, _ := p.Known()
			set[age], hatched[age] = set[age]+float64(s), hatched[age]+float64(h)
		}
	}
	assert.InDelta(t, .8, hatched[0]/set[0], .02)
	assert.InDelta(t, .4, hatched[1]/set[1], .02)
}

func TestAGroupOfOneEgg(t *testing.T) {
	share, variance := outcome.Part{Eggs: 1, Counted: 1, Of: outcome.Group{Eggs: 1, Counted: 1, Young: 1}}.Share()
	assert.Equal(t, [2]float64{1, 0}, [2]float64{share, variance})
	share, variance = outcome.Part{Eggs: 3, Hatched: 1, Of: outcome.Group{Eggs: 5}}.Share()
	assert.Equal(t, [2]float64{1, 0}, [2]float64{share, variance}, "nothing was counted")
}
