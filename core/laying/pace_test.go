package laying

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"gonum.org/v1/gonum/stat/distuv"
)

// days are so many of a pen that lays so many a day, the oldest first.
func days(n int, mean float64, dice *rand.Rand) (r Record) {
	for range n {
		r = append(r, int(distuv.Poisson{Lambda: mean, Src: dice}.Rand()))
	}
	return r
}

func TestEggsPerHenAndDay(t *testing.T) {
	var steady Record
	for range Lately + Usual {
		steady = append(steady, 6)
	}
	p, ok := PaceOf(steady, 10)
	assert.True(t, ok)
	assert.Equal(t, 42, p.Week)
	assert.InDelta(t, .6, p.Now, 1e-9)
	assert.InDelta(t, .6, p.Before, 1e-9)
	assert.False(t, p.Fell)
	for i := Usual; i < len(steady); i++ {
		steady[i] = 3
	}
	p, _ = PaceOf(steady, 10)
	assert.InDelta(t, .3, p.Now, 1e-9)
	assert.True(t, p.Fell, "half of before")
	p, _ = PaceOf(steady, 0)
	assert.True(t, math.IsNaN(p.Now) && p.Fell, "how many hens there are nobody said")
	for i := Usual; i < len(steady); i++ {
		steady[i] = 0
	}
	_, ok = PaceOf(steady, 10)
	assert.False(t, ok, "a week in which nobody wrote anything down is no drop")
	_, ok = PaceOf(steady[:10], 10)
	assert.False(t, ok)
}

// Simulated on 4,000 pens each: who lays as ever is hardly ever said to have fallen, also where every second
// day is not collected or days differ by twice what counts do; who lays half is mostly seen within the week.
func TestADropIsToldAndNotInvented(t *testing.T) {
	dice := rand.New(rand.NewPCG(11, 3))
	const pens = 4000
	told := func(make func() Record) (share float64) {
		for range pens {
			if p, _ := PaceOf(make(), 10); p.Fell {
				share += 1. / pens
			}
		}
		return share
	}
	for name, mean := range map[string]float64{"four a day": 4, "eight a day": 8} {
		assert.Less(t, told(func() Record { return days(Lately+Usual, mean, dice) }), .02, name)
	}
	assert.Less(t, told(func() (r Record) {
		for i, n := range days(Lately+Usual, 12, dice) {
			r = append(r, n*(i%2))
		}
		return r
	}), .02, "every second day")
	assert.Less(t, told(func() (r Record) {
		for range Lately + Usual {
			r = append(r, days(1, 6*distuv.Gamma{Alpha: 6, Beta: 6, Src: dice}.Rand(), dice)...)
		}
		return r
	}), .02, "days that differ more than counts do")
	half := func(mean float64) float64 {
		return told(func() Record { return append(days(Usual, mean, dice), days(Lately, mean/2, dice)...) })
	}
	assert.Greater(t, half(8), .85, "eight a day, then four")
	assert.Greater(t, half(4), .5, "four a day, then two: so few eggs tell it later")
}
