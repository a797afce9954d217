package choice_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"metrogon/core/choice"
	"metrogon/core/rates"
)

var sure = rates.Beta{A: 23.5, B: 18.5} // 23 of 41 hatched

func lots() []choice.Lot {
	return []choice.Lot{
		{Pen: 1, Age: 1, Eggs: 10, Young: sure, Keeps: 1}, {Pen: 1, Age: 6, Eggs: 10, Young: sure, Keeps: 1},
		{Pen: 2, Age: 3, Eggs: 4, Young: rates.Beta{A: 30, B: 2}, Keeps: 1}, {
			Pen: 3, Age: 5, Eggs: 30, Young: sure, Keeps: 1,
		},
	}
}

func TestOrderAndPens(t *testing.T) {
	for _, c := range []struct {
		name string
		wish choice.Wish
		take []int
	}{
		{"oldest first", choice.Wish{Order: choice.Oldest, Room: 15}, []int{0, 10, 0, 5}},
		{"freshest first", choice.Wish{Order: choice.Freshest, Room: 15}, []int{10, 0, 4, 1}},
		{"best first", choice.Wish{Order: choice.Best, Room: 12}, []int{8, 0, 4, 0}},
		{"every pen, oldest first", choice.Wish{Order: choice.Oldest, EveryPen: true, Room: 15}, []int{0, 6, 4, 5}},
		{
			"all, where there is room", choice.Wish{Order: choice.Oldest, EveryPen: true, Room: 500},
			[]int{10, 10, 4, 30},
		},
		{"no room", choice.Wish{Order: choice.Oldest}, []int{0, 0, 0, 0}},
	} {
		got := choice.Choose(lots(), c.wish)
		assert.Equal(t, c.take, got.Take, c.name)
	}
}

// One pen of fresh eggs is the case of setcount; R's figures stand in its test.
func TestOnePenAgreesWithSetCount(t *testing.T) {
	for _, wanted := range []int{1, 5, 12} {
		want, err := rates.EggsFor(wanted, .9, sure, 0)
		require.NoError(t, err)
		got := choice.Choose([]choice.Lot{{Pen: 1, Eggs: 200, Young: sure, Keeps: 1}}, choice.Wish{
			Young: wanted, Certainty: .9, Order: choice.Oldest, Room: 200,
		})
		assert.Equal(t, want.Eggs, got.Eggs)
		assert.InDelta(t, want.Prob, got.Prob, 1e-9)
		assert.True(t, got.Complete)
	}
	short := choice.Choose([]choice.Lot{{Pen: 1, Eggs: 9, Young: sure, Keeps: 1}}, choice.Wish{
		Young: 12, Certainty: .9, Room: 99,
	})
	assert.Equal(t, 9, short.Eggs, "all that there are")
	assert.False(t, short.Complete)
	assert.Zero(t, short.Prob)
}

func TestNoEggTooMany(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var all []choice.Lot
		for range rapid.IntRange(1, 6).Draw(t, "lots") {
			all = append(all, choice.Lot{Pen: rapid.Int64Range(1, 3).Draw(t, "pen"),
				Age: float64(rapid.IntRange(0, 12).Draw(t, "age")), Eggs: rapid.IntRange(0, 20).Draw(t, "eggs"),
				Young: rates.Beta{A: 3, B: 2}, Keeps: rapid.Float64Range(.3, 1).Draw(t, "keeps")})
		}
		w := choice.Wish{
			Young: rapid.IntRange(1, 25).Draw(t, "young"), Certainty: .8, Order: choice.Oldest,
			EveryPen: rapid.Bool().Draw(t, "every"), Room: rapid.IntRange(0, 80).Draw(t, "room"),
		}
		c := choice.Choose(all, w)
		eggs := 0
		for i, n := range c.Take {
			if n < 0 || n > all[i].Eggs {
				t.Fatalf("%d of %d eggs", n, all[i].Eggs)
			}
			eggs += n
		}
		if eggs != c.Eggs || eggs > w.Room || c.Complete != (c.Prob >= w.Certainty) {
			t.Fatalf("%+v", c)
		}
	})
}

// A rate that may be anything: P(at least k of n) = (n + 1 − k) ÷ (n + 1).
func TestChoiceAtTheEdges(t *testing.T) {
	fair := rates.Beta{A: 1, B: 1}
	of := func(eggs int) []choice.Lot { return []choice.Lot{{Pen: 1, Eggs: eggs, Young: fair, Keeps: 1}} }
	for _, c := range []struct {
		eggs, young int
		certainty   float64
		take        int
		complete    bool
	}{
		{50, 1, .75, 3, true}, {3, 1, .75, 3, true}, {3, 1, .75 + 1e-9, 3, false}, {50, 5, .5, 9, true},
		{1, 1, .5, 1, true}, {0, 1, .5, 0, false},
	} {
		got := choice.Choose(of(c.eggs), choice.Wish{Young: c.young, Certainty: c.certainty, Room: 99})
		assert.Equal(t, []int{c.take}, got.Take, "%d of %d eggs", c.young, c.eggs)
		assert.Equal(t, c.complete, got.Complete)
	}
	// Of one pen: two fresh eggs, and two of which waiting left half, give half × 3.
	lots := []choice.Lot{{Pen: 1, Age: 9, Eggs: 2, Young: fair, Keeps: .5}, {
		Pen: 1, Age: 1, Eggs: 2, Young: fair, Keeps: 1,
	},
		{Pen: 2, Age: 5, Eggs: 2, Young: rates.Beta{A: 3, B: 1}, Keeps: .8}}
	assert.InDelta(t, 1.5, choice.Expect(lots, []int{2, 2, 0}, 0).Mean(), 1e-9)
	assert.InDelta(t, 1.5+1.2, choice.Expect(lots, []int{2, 2, 2}, 0).Mean(), 1e-9)
	assert.Equal(
		t, []int{0, 1, 2}, choice.Choose(lots, choice.Wish{Order: choice.Best, Room: 3}).Take,
		"0.6 before 0.5 before 0.25",
	)
	assert.Equal(
		t, []int{1, 0, 1}, choice.Choose(lots, choice.Wish{Order: choice.Oldest, EveryPen: true, Room: 2}).Take,
	)
}
