package laying

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestEggsPerHenAndDay(t *testing.T) {
	var steady Record
	for range Looked {
		steady = append(steady, 6)
	}
	p, ok := PaceOf(steady, 10)
	assert.True(t, ok)
	assert.Equal(t, 42, p.Week)
	assert.InDelta(t, .6, p.Now, 1e-9)
	assert.InDelta(t, .6, p.Before, 1e-9)
	p, _ = PaceOf(steady, 0)
	assert.True(t, math.IsNaN(p.Now), "how many hens there are nobody said")
	for i := Looked - Lately; i < Looked; i++ {
		steady[i] = 0
	}
	_, ok = PaceOf(steady, 10)
	assert.False(t, ok, "a week in which nobody wrote anything down is no drop")
	_, ok = PaceOf(steady[:10], 10)
	assert.False(t, ok)
}

// flock is a farm's pens that lay as ever, but for what changes in the last days.
func flock(pens int, dice *rand.Rand, factor func(pen, ago int) float64) (all []Pen) {
	for p := range pens {
		r := Record{}
		for d := range Looked {
			r = append(r, hens(10, 1, .7*factor(p, Looked-1-d), 0, dice)...)
		}
		all = append(all, Pen{Hens: 10, Record: r})
	}
	return all
}

// Of 2,000 farms each.
func TestADropIsToldAndNotInvented(t *testing.T) {
	dice := rand.New(rand.NewPCG(11, 3))
	told := func(pens int, factor func(pen, ago int) float64) (first, any float64) {
		const farms = 2000
		for range farms {
			fell := Fell(flock(pens, dice, factor))
			one := false
			for _, f := range fell {
				one = one || f
			}
			if fell[0] {
				first += 1. / farms
			}
			if one {
				any += 1. / farms
			}
		}
		return first, any
	}
	steady := func(int, int) float64 { return 1 }
	for _, pens := range []int{1, 2, 4, 8} {
		_, any := told(pens, steady)
		assert.Less(t, any, .01, "%d pens that lay as ever", pens)
	}
	cold := func(_, ago int) float64 { return map[bool]float64{true: .55, false: 1}[ago < 8] }
	_, any := told(4, cold)
	assert.Less(t, any, .02, "a cold week takes from all pens alike: nobody's fault")
	half := func(pen, ago int) float64 { return map[bool]float64{true: .4, false: 1}[pen == 0 && ago < 8] }
	first, _ := told(4, half)
	assert.Greater(t, first, .85, "one of four lays less than half")
	first, _ = told(1, half)
	assert.Less(t, first, .5, "a pen alone has only its own weeks to compare with: less than half may be a cold week")
	first, _ = told(1, func(_, ago int) float64 { return map[bool]float64{true: .25, false: 1}[ago < 8] })
	assert.Greater(t, first, .9, "a quarter is no cold week")
	since := func(pen, ago int) float64 { return map[bool]float64{true: .4, false: 1}[pen == 0 && ago < 3] }
	first, _ = told(4, since)
	assert.Less(t, first, .05, "three days are not a week")
}

func TestAShortRecordIsLookedAtToday(t *testing.T) {
	pens := []Pen{{Hens: 10, Record: nil}, {Hens: 10, Record: nil}, {Hens: 10, Record: nil}}
	for i := range pens {
		for range Lately + Usual {
			pens[i].Record = append(pens[i].Record, 7)
		}
	}
	for i := Usual; i < Usual+Lately; i++ {
		pens[0].Record[i] = 2
	}
	assert.Equal(t, []bool{true, false, false}, Fell(pens))
	assert.Equal(t, []bool{false, false}, Fell([]Pen{{Hens: 10, Record: Record{1, 2}}, pens[1]}))
}
