package choice

import (
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

func drawEggs(t *rapid.T) (eggs []Dealt, penOf map[int64]int64) {
	penOf = map[int64]int64{}
	for i := range rapid.IntRange(0, 120).Draw(t, "eggs") {
		e := Dealt{ID: int64(i + 1), Pen: rapid.Int64Range(1, 6).Draw(t, "pen"), Age: rapid.IntRange(0, 12).Draw(t, "age")}
		eggs, penOf[e.ID] = append(eggs, e), e.Pen
	}
	return eggs, penOf
}

func TestPartsDifferByOneEggAtMostInAllAndOfEachPen(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		eggs, penOf := drawEggs(t)
		parts := Deal(eggs, rapid.IntRange(1, 5).Draw(t, "parts"))
		least, most := math.MaxInt, 0
		least1, most1 := map[int64]int{}, map[int64]int{}
		var all []int64
		for i, part := range parts {
			all = append(all, part...)
			least, most = min(least, len(part)), max(most, len(part))
			of := map[int64]int{}
			for _, id := range part {
				of[penOf[id]]++
			}
			for pen := int64(1); pen <= 6; pen++ {
				if i == 0 {
					least1[pen] = of[pen]
				}
				least1[pen], most1[pen] = min(least1[pen], of[pen]), max(most1[pen], of[pen])
			}
		}
		slices.Sort(all)
		assert.Len(t, slices.Compact(all), len(eggs), "each egg is dealt once")
		assert.LessOrEqual(t, most-least, 1)
		for pen := range most1 {
			assert.LessOrEqual(t, most1[pen]-least1[pen], 1, "eggs of pen %d", pen)
		}
	})
}

func TestNoPartGetsTheOldEggs(t *testing.T) {
	// By hand: 12 eggs of each of four pens, one a day; dealt over three parts each has a mean age of 5.5 ± 0.5.
	var eggs []Dealt
	for pen := range 4 {
		for age := range 12 {
			eggs = append(eggs, Dealt{ID: int64(12*pen + age + 1), Pen: int64(pen), Age: age})
		}
	}
	for _, part := range Deal(eggs, 3) {
		sum := 0
		for _, id := range part {
			sum += int(id-1) % 12
		}
		assert.Len(t, part, 16)
		assert.InDelta(t, 5.5, float64(sum)/16, 0.5)
	}
}

func TestSoManyAreTakenFromEveryPen(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		eggs, penOf := drawEggs(t)
		take := rapid.IntRange(0, len(eggs)).Draw(t, "take")
		picked := Evenly(eggs, take)
		assert.Len(t, picked, take)
		of, has := map[int64]int{}, map[int64]int{}
		for _, e := range eggs {
			has[e.Pen]++
		}
		for _, id := range picked {
			of[penOf[id]]++
		}
		for pen, n := range has {
			assert.InDelta(t, float64(n*take)/float64(len(eggs)), float64(of[pen]), 1.0001, "eggs of pen %d", pen)
		}
	})
}
