package candling_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"metrogon/core/candling"
)

func TestASetCanBeRepeated(t *testing.T) {
	assert.Equal(t, candling.Drills(5, 12), candling.Drills(5, 12))
	assert.NotEqual(t, candling.Drills(5, 12), candling.Drills(6, 12))
	seen := map[candling.Call]int{}
	for seed := range uint64(40) {
		for _, d := range candling.Drills(seed, 12) {
			seen[d.Truth]++
			assert.True(t, d.Day > 0 && d.Day < d.Hatch)
		}
	}
	for _, c := range []candling.Call{candling.Live, candling.Clear, candling.Ring, candling.Quit} {
		assert.Greater(t, seen[c], 20, c)
	}
}

func TestWhatACallIsWorth(t *testing.T) {
	for _, c := range []struct {
		truth, said candling.Call
		dark        bool
		want        candling.Mistake
	}{
		{candling.Live, candling.Live, false, candling.Right},
		{candling.Live, candling.Clear, false, candling.LiveThrown},
		{candling.Live, candling.Bad, false, candling.LiveThrown},
		{candling.Quit, candling.Live, false, candling.DeadKept},
		{candling.Ring, candling.Clear, false, candling.WrongName},
		{candling.Clear, candling.Unsure, false, candling.TooTimid},
		{candling.Live, candling.Unseen, true, candling.Right},
		{candling.Live, candling.Unseen, false, candling.TooTimid},
		{candling.Live, candling.Quit, true, candling.LiveThrown},
	} {
		assert.Equal(
			t, c.want, candling.Drill{Truth: c.truth, DarkShell: c.dark}.Mistaken(c.said), "%s called %s, dark %t",
			c.truth, c.said, c.dark,
		)
	}
}

func TestMissedEggsComeBack(t *testing.T) {
	set := []candling.Drill{{Truth: candling.Live}, {Truth: candling.Clear}, {Truth: candling.Ring}}
	p := candling.Run(set, []candling.Call{candling.Clear, candling.Clear, candling.Ring})
	assert.Equal(t, []int{0, 1, 3, 2}, []int{p.Next, p.Left, p.Asked, p.RightNow}, "the live one comes again")
	assert.Equal(t, 1, p.Mistakes[candling.LiveThrown])
	p = candling.Run(set, []candling.Call{candling.Clear, candling.Clear, candling.Ring, candling.Live})
	assert.Equal(t, -1, p.Next)
	rapid.Check(t, func(t *rapid.T) { // whoever is right in the end comes to the end
		set := candling.Drills(rapid.Uint64().Draw(t, "seed"), 8)
		var said []candling.Call
		for range 60 {
			p := candling.Run(set, said)
			if p.Next < 0 {
				return
			}
			call := set[p.Next].Truth
			if len(said) < 20 {
				call = rapid.SampledFrom(candling.Calls).Draw(t, "call")
			}
			said = append(said, call)
		}
		t.Fatal("it never ends")
	})
}

// A ring shows early, a quit from the middle on; an egg is practised on when there
// is something to see, and before it goes to the hatcher.
func TestAnEggIsShownWhenItsFateCanBeSeen(t *testing.T) {
	for _, d := range candling.Drills(7, 3000) {
		from, to := .27, .92 // live ones also in lockdown, when the edge of the cell dips
		switch d.Truth {
		case candling.Ring:
			from, to = .25, .45
		case candling.Quit:
			from, to = .45, .80
		}
		share := d.Day / d.Hatch
		if share < from || share > to {
			t.Fatalf("%s of %s at %.2f of its time, not %.2f to %.2f", d.Truth, d.Kind.ID, share, from, to)
		}
	}
}
