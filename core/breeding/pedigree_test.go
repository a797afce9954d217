package breeding_test

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/breeding"
)

type parents = map[string]breeding.Parents[string]

func pedigree(t *testing.T, of parents) *breeding.Pedigree[string] {
	var birds []string
	seen := map[string]bool{"": true}
	for b, p := range of {
		for _, x := range []string{b, p.Sire, p.Dam} {
			if !seen[x] {
				birds, seen[x] = append(birds, x), true
			}
		}
	}
	p, err := breeding.NewPedigree(birds, of)
	require.NoError(t, err)
	return p
}

// Worked by hand with Wright's paths: F = Σ ½^(n+1)·(1 + F of the common ancestor).
func TestInbreedingByHand(t *testing.T) {
	full := parents{"b": {"s", "d"}, "c": {"s", "d"}, "x": {"b", "c"}}
	p := pedigree(t, full)
	assert.Equal(t, .25, p.Inbreeding("x"), "of full brother and sister")
	assert.Equal(t, .25, p.Mating("s", "b"), "father and daughter")
	assert.Zero(t, p.Inbreeding("b"))

	half := parents{"b": {"s", "d1"}, "c": {"s", "d2"}, "x": {"b", "c"}}
	assert.Equal(t, .125, pedigree(t, half).Inbreeding("x"), "of half brother and sister")

	cousins := parents{"b": {"s", "d"}, "c": {"s", "d"}, "e": {"b", "y"}, "f": {"z", "c"}, "x": {"e", "f"}}
	assert.Equal(t, .0625, pedigree(t, cousins).Inbreeding("x"), "of first cousins")

	twice := parents{"b": {"s", "d"}, "c": {"s", "d"}, "e": {"b", "c"}, "f": {"b", "c"}, "x": {"e", "f"}}
	assert.Equal(t, .375, pedigree(t, twice).Inbreeding("x"), "brother and sister, twice running: 3/8")
}

// Generations of full-sib mating: F(t+1) = (1 + 2·F(t) + F(t−1))/4, from memory of Wright 1921,
// Systems of Mating II, Genetics 6: 0, .25, .375, .5, .594, .672, .734.
func TestBrotherAndSisterForGenerations(t *testing.T) {
	of := parents{}
	for g := 1; g <= 7; g++ {
		before := breeding.Parents[string]{Sire: fmt.Sprintf("m%d", g-1), Dam: fmt.Sprintf("f%d", g-1)}
		of[fmt.Sprintf("m%d", g)], of[fmt.Sprintf("f%d", g)] = before, before
	}
	p := pedigree(t, of)
	for i, f := range []float64{0, .25, .375, .5, .59375, .671875, .734375} {
		assert.Equal(t, f, p.Inbreeding(fmt.Sprintf("m%d", i+1)), "generation %d", i+1)
	}
}

// Roan Gauntlet, a Shorthorn bull: the worked example of Wright 1922 (Coefficients of inbreeding and
// relationship), from memory of the paper: his sire and dam both go back to Champion of England; the
// coefficient there is .1406 from Champion of England and Lord Raglan, taken as not inbred.
func TestAPublishedPedigree(t *testing.T) {
	p := pedigree(t, parents{
		"Roan Gauntlet":         {"Royal Duke of Gloster", "Princess Royal"},
		"Royal Duke of Gloster": {"Grand Duke of Gloster", "Mimulus"},
		"Mimulus":               {"Champion of England", "Mistletoe"},
		"Mistletoe":             {"Lord Raglan", ""},
		"Grand Duke of Gloster": {"Champion of England", ""},
		"Princess Royal":        {"Champion of England", "Carmine"},
		"Carmine":               {"Lord Raglan", ""},
	})
	assert.InDelta(t, .1406, p.Inbreeding("Roan Gauntlet"), .00005)
	var common []string
	for _, a := range p.Common("Royal Duke of Gloster", "Princess Royal") {
		common = append(common, a.Bird)
	}
	assert.Equal(t, []string{"Champion of England", "Lord Raglan"}, common)
}

// Genes dropped through a made-up flock meet in one bird as often as the coefficient says.
func TestInbreedingIsTheChanceThatGenesMeet(t *testing.T) {
	dice := rand.New(rand.NewPCG(3, 4))
	const birds, drops = 24, 60_000
	of := map[int]breeding.Parents[int]{}
	ids := []int{1, 2, 3, 4}
	for b := 5; b <= birds; b++ {
		of[b] = breeding.Parents[int]{Sire: 1 + dice.IntN(b-1), Dam: 1 + dice.IntN(b-1)}
		ids = append(ids, b)
	}
	p, err := breeding.NewPedigree(ids, of)
	require.NoError(t, err)
	met := map[int]int{}
	for range drops {
		genes := map[int][2]int{}
		for _, b := range ids {
			if b <= 4 {
				genes[b] = [2]int{2 * b, 2*b + 1}
				continue
			}
			genes[b] = [2]int{genes[of[b].Sire][dice.IntN(2)], genes[of[b].Dam][dice.IntN(2)]}
			if genes[b][0] == genes[b][1] {
				met[b]++
			}
		}
	}
	for _, b := range ids[4:] {
		assert.InDelta(t, p.Inbreeding(b), float64(met[b])/drops, .009, "bird %d", b)
	}
}

func TestCirclesAndStrangersAreErrors(t *testing.T) {
	_, err := breeding.NewPedigree([]string{"a", "b"}, parents{"a": {"b", ""}, "b": {"", "a"}})
	assert.EqualError(t, err, "a descends from itself; a parent may be any bird hatched before")
	_, err = breeding.NewPedigree([]string{"a"}, parents{"a": {"ghost", ""}})
	assert.EqualError(t, err, "ghost, a parent of a, is not known; it may be one of the birds or none")
	_, err = breeding.NewPedigree([]string{"a", "a"}, parents{})
	assert.EqualError(t, err, "a is there twice; every bird may be there once")
}
