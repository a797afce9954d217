package laying

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"gonum.org/v1/gonum/stat/distuv"
	"pgregory.net/rapid"
)

// By hand: 14 days of mean 81/14 = 5.786. Hens lay at most one egg a day: v0 = 5.786 · (1 − 5.786/8) = 1.601. Seen
// are the variance 0.489 and, of neighbours, −0.190, over 7 days 0.489 − 2 · 0.190 · 6/7 = 0.163: V7 = (12 ·
// 1.601 + 13 · 0.163)/25 = 0.853; likewise V14 = 0.839. SD² = 7 · 0.853 + 49 · 0.839/14 + (0.04 · 40.5)² =
// 11.53.
func TestForecastByHand(t *testing.T) {
	f := Of(Record{5, 6, 5, 7, 6, 5, 6, 6, 5, 6, 7, 5, 6, 6}, 8)
	assert.InDelta(t, 81./14, f.PerDay, 1e-9)
	assert.InDelta(t, 11.53, f.variance(7), .01)
	eggs, low, high := f.Over(7)
	assert.InDelta(t, 40.5, eggs, 1e-9)
	assert.Equal(t, [2]int{35, 46}, [2]int{low, high}, "40.5 ± (1.645 · 3.40 + ½), to whole eggs within")

	assert.Equal(t, Forecast{}, Of(nil, 8), "nothing is known")
	assert.Zero(t, Of(append(Record{5, 5}, make(Record, Days)...), 8).PerDay, "what nobody saw for two weeks is none")
	_, _, high = Of(Record{7, 8, 8, 7, 8, 8, 8, 8, 7, 8}, 8).Over(10)
	assert.LessOrEqual(t, high, 80, "one egg a hen and day")
	every := Of(Record{0, 10, 0, 10, 0, 10, 0, 10, 0, 10, 0, 10, 0, 10}, 0)
	_, low, high = every.Over(14)
	assert.Less(t, high-low, 60, "gathered every other day, the days differ and the weeks do not")
}

func TestWholeEggsAddUp(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		f := Forecast{PerDay: rapid.Float64Range(0, 40).Draw(t, "per day")}
		days := rapid.IntRange(1, 300).Draw(t, "days")
		sum := 0
		for d := 1; d <= days; d++ {
			sum += f.On(d)
		}
		assert.InDelta(t, float64(days)*f.PerDay, float64(sum), 1)
		assert.LessOrEqual(t, float64(sum), float64(days)*f.PerDay+1e-6, "never more than is expected")
	})
}

func TestSpansHoldWhatTheySay(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		hens := rapid.IntRange(0, 30).Draw(t, "hens")
		r := Record(rapid.SliceOfN(rapid.IntRange(0, max(hens, 12)), 1, Seen).Draw(t, "record"))
		days := rapid.IntRange(1, 60).Draw(t, "days")
		eggs, low, high := Of(r, hens).Over(days)
		assert.LessOrEqual(t, float64(low)-1, eggs)
		assert.GreaterOrEqual(t, float64(high)+1, eggs)
		assert.False(t, math.IsNaN(eggs))
	})
}

// hens of whom each lays with her own chance; the flock's level moves from week to week by a share.
func hens(n, days int, rate, level float64, dice *rand.Rand) (r Record) {
	week := 1.0
	for d := range days {
		if d%7 == 0 {
			week = 1 + level*dice.NormFloat64()
		}
		p := min(max(rate*week, 0), 1)
		r = append(r, int(distuv.Binomial{N: float64(n), P: p, Src: dice}.Rand()))
	}
	return r
}

// Nine times in ten, simulated on 3,000 pens a cell.
func TestNineInTenHolds(t *testing.T) {
	for name, c := range map[string]struct {
		hens, seen, ahead int
		rate, level       float64
		least, most       float64
	}{
		"eight hens, two weeks, a week ahead":         {8, 14, 7, .7, 0, .88, .96},
		"eight hens, four weeks, three weeks ahead":   {8, 28, 21, .7, 0, .88, .98},
		"three hens, two weeks, three days ahead":     {3, 14, 3, .6, 0, .88, .98},
		"twenty hens whose level moves by 4 in 100":   {20, 28, 14, .7, .04, .84, .95},
		"twenty hens whose level moves by 10 in 100":  {20, 28, 14, .7, .10, .74, .95},
		"forty hens, seen for a week, a week ahead":   {40, 7, 7, .8, .03, .86, .98},
		"eight hens in their prime, two weeks, a day": {8, 14, 1, .9, 0, .88, 1},
	} {
		dice := rand.New(rand.NewPCG(7, uint64(c.hens*1000+c.seen*10+c.ahead)))
		held, runs := 0, 3000
		for range runs {
			all := hens(c.hens, c.seen+c.ahead, c.rate, c.level, dice)
			laid := 0
			for _, eggs := range all[c.seen:] {
				laid += eggs
			}
			if _, low, high := Of(all[:c.seen], c.hens).Over(c.ahead); low <= laid && laid <= high {
				held++
			}
		}
		share := float64(held) / float64(runs)
		assert.True(t, share >= c.least && share <= c.most, "%s: %.3f", name, share)
	}
}
