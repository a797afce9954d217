package laying

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"gonum.org/v1/gonum/stat/distuv"
	"pgregory.net/rapid"
)

func TestForecast(t *testing.T) {
	f := Of(Record{4, 5, 6, 5, 4, 6, 5, 5, 4, 6, 5, 5, 5, 5})
	assert.InDelta(t, 5, f.PerDay, 1e-9)
	assert.InDelta(t, 2.31, f.SD, .01, "counts scatter by at least the root of their mean: √(5 + 5/14)")
	eggs, low, high := f.Over(7)
	assert.InDelta(t, 35, eggs, 1e-9)
	assert.Equal(t, [2]int{23, 47}, [2]int{low, high}, "35 ± 1.645 × √(7·5 + 49·5/14)")

	assert.Equal(t, Forecast{}, Of(nil), "nothing is known")
	assert.Zero(t, Of(make(Record, Days)).PerDay, "a pen that lays nothing is expected to lay nothing")
	every := Of(Record{0, 10, 0, 10, 0, 10, 0, 10, 0, 10, 0, 10, 0, 10})
	assert.Greater(t, every.SD, 5.0, "collected every other day, days differ more than counts do")
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

// Nine times in ten has to hold for hens whose days scatter as counts do, seen for two weeks.
func TestNineInTenHolds(t *testing.T) {
	dice := rand.New(rand.NewPCG(1, 2))
	held, runs := 0, 4000
	for range runs {
		truth := 1 + 9*dice.Float64()
		day := distuv.Poisson{Lambda: truth, Src: dice}
		r := make(Record, Days)
		for i := range r {
			r[i] = int(day.Rand())
		}
		_, low, high := Of(r).Over(7)
		week := 0
		for range 7 {
			week += int(day.Rand())
		}
		if week >= low && week <= high {
			held++
		}
	}
	assert.InDelta(t, .92, float64(held)/float64(runs), .03)
}
