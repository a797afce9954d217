package breeding_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"metrogon/core/breeding"
)

func gene(t *testing.T, kind, id string) breeding.Gene {
	for _, g := range breeding.Genes(kind) {
		if g.ID == id {
			return g
		}
	}
	t.Fatalf("no gene %s of %s", id, kind)
	return breeding.Gene{}
}

func TestCrossesByHand(t *testing.T) {
	for _, c := range []struct {
		kind, gene      string
		sire, dam       breeding.Copies
		sons, daughters string
		sexes           bool
	}{
		{"chicken", "blue-shell", breeding.Two, breeding.None, "all", "all", false},
		{"chicken", "blue-shell", breeding.One, breeding.None, "50 in 100", "50 in 100", false},
		{"chicken", "blue-shell", breeding.One, breeding.One, "75 in 100", "75 in 100", false},
		{"chicken", "blue-shell", breeding.Shows, breeding.None, "50 to 100 in 100", "50 to 100 in 100", false},
		// Two spotted quail that both carry blue: a quarter of the daughters lay blue.
		{"coturnix-quail", "quail-blue-shell", breeding.One, breeding.One, "75 in 100", "75 in 100", false},
		{"coturnix-quail", "quail-blue-shell", breeding.None, breeding.None, "none", "none", false},
		// The classic crosses by which chicks are sexed; the other way round they tell nothing.
		{"chicken", "barring", breeding.None, breeding.One, "all", "none", true},
		{"chicken", "barring", breeding.Two, breeding.None, "all", "all", false},
		{"chicken", "silver", breeding.None, breeding.One, "all", "none", true},
		{"chicken", "silver", breeding.One, breeding.One, "all", "50 in 100", false},
		{"chicken", "slow-feathering", breeding.None, breeding.One, "all", "none", true},
		{"muscovy-duck", "duck-brown", breeding.None, breeding.One, "all", "none", true},
		{"chicken", "silver", breeding.None, breeding.Unknown, "0 to 100 in 100", "none", false},
	} {
		got, err := gene(t, c.kind, c.gene).Cross(c.sire, c.dam)
		require.NoError(t, err)
		assert.Equal(t, c.sons, got.Sons.String(), "%s: sons of %s × %s", c.gene, c.sire, c.dam)
		assert.Equal(t, c.daughters, got.Daughters.String(), "%s: daughters of %s × %s", c.gene, c.sire, c.dam)
		assert.Equal(t, c.sexes, got.Sexes, "%s: sexes of %s × %s", c.gene, c.sire, c.dam)
	}
	_, err := gene(t, "chicken", "silver").Cross(breeding.None, breeding.Two)
	assert.EqualError(t, err, `the dam: "two" copies of Silver and gold are not possible`)
}

func TestEveryGeneSaysWhereItIsFrom(t *testing.T) {
	for _, kind := range []string{"chicken", "duck", "muscovy-duck", "coturnix-quail"} {
		for _, g := range breeding.Genes(kind) {
			assert.NotEmpty(t, g.Mark, g.ID)
			assert.NotEmpty(t, g.Rule, g.ID)
			assert.True(t, g.With != "" && g.Without != "", g.ID)
		}
	}
	assert.Empty(t, breeding.Genes("goose"), "where nothing simple is known nothing is offered")
}

func TestEvenByHand(t *testing.T) {
	// Ten eggs: she who has none yet gets the most, as far as her eggs go.
	assert.Equal(t, []int{2, 5, 3}, breeding.Even([]breeding.Dam{
		{Young: 3, Eggs: 9, Rate: .5}, {Young: 0, Eggs: 5, Rate: .5}, {Young: 2, Eggs: 9, Rate: .5},
	}, 10))
	assert.Equal(t, []int{2, 0}, breeding.Even([]breeding.Dam{{Eggs: 2, Rate: .5}, {Eggs: 9}}, 10), "what there is")
}

// No dam that gets an egg has more young for it than one who could have had it.
func TestEvenIsEven(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		dams := rapid.SliceOfN(rapid.Custom(func(t *rapid.T) breeding.Dam {
			return breeding.Dam{
				Young: float64(rapid.IntRange(0, 9).Draw(t, "young")), Eggs: rapid.IntRange(0, 12).Draw(t, "eggs"),
				Rate: float64(rapid.IntRange(2, 9).Draw(t, "rate")) / 10,
			}
		}), 1, 6).Draw(t, "dams")
		set := breeding.Even(dams, rapid.IntRange(0, 40).Draw(t, "eggs"))
		for i, a := range dams {
			assert.LessOrEqual(t, set[i], a.Eggs)
			for j, b := range dams {
				if set[i] > 0 && set[j] < b.Eggs {
					before := a.Young + a.Rate*float64(set[i]-1)
					assert.LessOrEqual(t, before, b.Young+b.Rate*float64(set[j])+1e-9, "%d and %d", i, j)
				}
			}
		}
	})
}

// Eggs of each generation 2 g heavier where parents' were 4 g above the mean: half came through.
func TestRealisedByHand(t *testing.T) {
	var all []breeding.Generation
	for g := range 4 {
		mean := 60 + 2*float64(g)
		all = append(all, breeding.GenerationOf(
			[]float64{mean - 4, mean - 4, mean - 4, mean + 4, mean + 4, mean + 4}, []bool{false, false, false, true, true, true},
		))
	}
	assert.Equal(t, breeding.Generation{Birds: 6, Mean: 60, SD: all[0].SD, Parents: 3, Selected: 64}, all[0])
	assert.InDelta(t, 4.3818, all[0].SD, 1e-4)
	h, e, ok := breeding.Realised(all)
	assert.True(t, ok)
	assert.InDelta(t, .5, h, 1e-12)
	assert.InDelta(t, 0, e, 1e-9)
	_, _, ok = breeding.Realised(all[:2])
	assert.False(t, ok, "two generations say nothing")
	_, _, ok = breeding.Realised([]breeding.Generation{
		{Birds: 2, Mean: 60, Parents: 1, Selected: 64}, {Birds: 2, Mean: 66, Parents: 1, Selected: 70}, {Birds: 2, Mean: 74},
	})
	assert.False(t, ok, "two birds a generation say nothing")
	all[2].Mean += 15
	_, _, ok = breeding.Realised(all)
	assert.False(t, ok, "it may as well be anything")
}
