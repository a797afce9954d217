package regress_test

import (
	"encoding/json"
	"math"
	"math/rand/v2"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/rates/regress"
)

type egg struct {
	Hatched float64 `json:"hatched"`
	Storage float64 `json:"storage_days"`
	Shipped float64 `json:"shipped"`
	Machine string  `json:"machine"`
}

// ninety made-up eggs, of which R was asked
func ninety(t *testing.T) (d regress.Data) {
	text, err := os.ReadFile("testdata/ninety.json")
	require.NoError(t, err)
	var eggs []egg
	require.NoError(t, json.Unmarshal(text, &eggs))
	var storage, shipped []float64
	var machine []string
	for _, e := range eggs {
		d.K, d.N = append(d.K, e.Hatched), append(d.N, 1)
		storage, shipped = append(storage, e.Storage), append(shipped, e.Shipped)
		machine = append(machine, e.Machine)
	}
	d.Factors = []regress.Factor{
		{Name: "storage_days", Numbers: storage}, {Name: "shipped", Numbers: shipped},
		{Name: "machine", Levels: machine},
	}
	return d
}

// Computed with R 4.2.2: glm(hatched ~ storage_days + shipped + machine, family = binomial).
func TestLogisticAgainstR(t *testing.T) {
	fit, err := regress.Logistic(ninety(t))
	require.NoError(t, err)
	for i, c := range []struct {
		name               string
		estimate, error, p float64
	}{
		{"(intercept)", 3.7511039329834, 0.82056082121818, 4.8449847273234e-06},
		{"storage_days", -0.25087565339827, 0.069419038471006, 0.00030158871259789},
		{"shipped", -1.5428068669068, 0.56396816762734, 0.0062261448267321},
		{"machine=B", -0.64699775502074, 0.56861144705275, 0.2551807575076},
	} {
		got := fit.Coefficients[i]
		assert.Equal(t, c.name, got.Name)
		assert.InEpsilon(t, c.estimate, got.Estimate, 1e-9, c.name)
		assert.InEpsilon(t, c.error, got.StdError, 1e-9, c.name)
		assert.InDelta(t, c.p, got.P(), 1e-10, c.name)
	}
	assert.InEpsilon(t, -42.983867863659, fit.LogLikelihood, 1e-10)
	assert.Empty(t, fit.Separated)
}

// Eggs that are alike may be one row or many; each egg a cluster of its own is White's sandwich.
func TestRowsMayBeJoined(t *testing.T) {
	one := regress.Data{
		K: []float64{6, 3, 8, 4}, N: []float64{10, 9, 12, 11}, Cluster: []int64{1, 1, 2, 2},
		Factors: []regress.Factor{{Name: "pen", Levels: []string{"a", "b", "a", "b"}}},
	}
	var many regress.Data
	many.Factors = []regress.Factor{{Name: "pen"}}
	for i := range one.N {
		for e := range int(one.N[i]) {
			many.K, many.N = append(many.K, map[bool]float64{true: 1}[e < int(one.K[i])]), append(many.N, 1)
			many.Cluster = append(many.Cluster, one.Cluster[i])
			many.Factors[0].Levels = append(many.Factors[0].Levels, one.Factors[0].Levels[i])
		}
	}
	a, err := regress.Logistic(one)
	require.NoError(t, err)
	b, err := regress.Logistic(many)
	require.NoError(t, err)
	for i := range a.Coefficients {
		assert.InDelta(t, a.Coefficients[i].Estimate, b.Coefficients[i].Estimate, 1e-9)
		assert.InDelta(t, a.Coefficients[i].StdError, b.Coefficients[i].StdError, 1e-9)
	}
	// By hand: 14 of 22 against 7 of 20.
	assert.InDelta(t, math.Log(7./13)-math.Log(14./8), a.Coefficients[1].Estimate, 1e-9)
	assert.Equal(t, 2, a.Clusters)
}

// Two batches of one pen, without any factor: the score of a batch is its young less what was
// expected, and the sandwich can be reckoned by hand.
func TestClustersByHand(t *testing.T) {
	fit, err := regress.Logistic(regress.Data{
		K: []float64{9, 5, 7}, N: []float64{10, 10, 10}, Cluster: []int64{1, 2, 3},
	})
	require.NoError(t, err)
	// p = 0.7; information 30 · 0.21 = 6.3; scores 2, −2, 0; CR1: 3/2 · 8 / 6.3².
	assert.InDelta(t, math.Log(7./3), fit.Coefficients[0].Estimate, 1e-9)
	assert.InDelta(t, math.Sqrt(12)/6.3, fit.Coefficients[0].StdError, 1e-9)
}

func TestWhatSeparatesIsNamed(t *testing.T) {
	// Of machine C no egg hatched; the rest is 6 of 10 against 4 of 10, by hand.
	d := regress.Data{
		K: []float64{6, 4, 0}, N: []float64{10, 10, 8},
		Factors: []regress.Factor{{Name: "machine", Levels: []string{"A", "B", "C"}}},
	}
	fit, err := regress.Logistic(d)
	require.NoError(t, err)
	assert.Equal(t, []string{"machine"}, fit.Separated)
	assert.InDelta(t, math.Log(4./6)-math.Log(6./4), fit.Coefficients[1].Estimate, 1e-6, "B is known")
	assert.False(t, fit.Coefficients[2].Known(), "C is not: %v", fit.Coefficients[2])
	assert.InDelta(t, 6*math.Log(.6)+4*math.Log(.4)+4*math.Log(.4)+6*math.Log(.6), fit.LogLikelihood, 1e-4)

	// Where the level compared with is the one of which all hatched, none of the others is known.
	d.K = []float64{10, 4, 3}
	fit, err = regress.Logistic(d)
	require.NoError(t, err)
	assert.Equal(t, []string{"machine"}, fit.Separated)
	for _, c := range fit.Coefficients {
		assert.False(t, c.Known(), "%s: %v", c.Name, c.Estimate)
	}

	// All eggs set before the fifth day hatched, none after.
	line := regress.Data{Factors: []regress.Factor{{Name: "age"}}}
	for age := range 10 {
		line.K, line.N = append(line.K, map[bool]float64{true: 1}[age < 5]), append(line.N, 1)
		line.Factors[0].Numbers = append(line.Factors[0].Numbers, float64(age))
	}
	fit, err = regress.Logistic(line)
	require.NoError(t, err)
	assert.Equal(t, []string{"age"}, fit.Separated)
	assert.False(t, fit.Coefficients[1].Known())
}

func TestWhatSaysTheSameTwiceIsLeftOut(t *testing.T) {
	d := ninety(t)
	twice := make([]float64, len(d.N))
	for i, x := range d.Factors[0].Numbers {
		twice[i] = 2*x + 1
	}
	plain, err := regress.Logistic(d)
	require.NoError(t, err)
	d.Factors = append(d.Factors, regress.Factor{Name: "again", Numbers: twice})
	fit, err := regress.Logistic(d)
	require.NoError(t, err)
	assert.Equal(t, []string{"again"}, fit.Aliased)
	assert.False(t, fit.Coefficients[4].Known())
	assert.InDelta(t, plain.Coefficients[1].Estimate, fit.Coefficients[1].Estimate, 1e-9)
	assert.Empty(t, fit.Separated)
}

// Years are as good a number as days: what is added to all of them changes the intercept alone.
func TestNumbersMayBeLarge(t *testing.T) {
	d := ninety(t)
	plain, err := regress.Logistic(d)
	require.NoError(t, err)
	far := make([]float64, len(d.N))
	for i, x := range d.Factors[0].Numbers {
		far[i] = 1e9 + x
	}
	d.Factors[0].Numbers = far
	fit, err := regress.Logistic(d)
	require.NoError(t, err)
	for i := 1; i < 4; i++ {
		assert.InEpsilon(t, plain.Coefficients[i].Estimate, fit.Coefficients[i].Estimate, 1e-6)
		assert.InEpsilon(t, plain.Coefficients[i].StdError, fit.Coefficients[i].StdError, 1e-6)
	}
	assert.Empty(t, fit.Separated)
}

func TestNothingToFit(t *testing.T) {
	for _, d := range []regress.Data{{}, {K: []float64{0}, N: []float64{4}}, {K: []float64{4}, N: []float64{4}}} {
		_, err := regress.Logistic(d)
		assert.ErrorIs(t, err, regress.ErrTooLittle)
	}
}

// Strong effects and few eggs: what does not separate is estimated, however far out.
func TestStrongEffectsAreNoSeparation(t *testing.T) {
	fit, err := regress.Logistic(regress.Data{
		K: []float64{1, 399}, N: []float64{400, 400},
		Factors: []regress.Factor{{Name: "washed", Levels: []string{"a", "b"}}},
	})
	require.NoError(t, err)
	assert.Empty(t, fit.Separated)
	assert.InDelta(t, 2*math.Log(399), fit.Coefficients[1].Estimate, 1e-6)
}

// A pen's rate against another's is the change itself, and its interval that of two shares.
func TestChangeByHand(t *testing.T) {
	d := regress.Data{
		K: []float64{30, 20}, N: []float64{40, 50}, Factors: []regress.Factor{{Name: "pen", Levels: []string{"a", "b"}}},
	}
	fit, err := regress.Logistic(d)
	require.NoError(t, err)
	got := fit.Change(d, 0, regress.Value{Level: "b"}, regress.Value{Level: "a"})
	assert.InDelta(t, .75-.4, got.By, 1e-9)
	half := 1.959964 * math.Sqrt(.75*.25/40+.4*.6/50)
	assert.InDelta(t, .35-half, got.Low, 1e-6)
	assert.InDelta(t, .35+half, got.High, 1e-6)

	ages := ninety(t)
	fit, err = regress.Logistic(ages)
	require.NoError(t, err)
	younger := fit.Change(ages, 0, regress.Value{Number: 9}, regress.Value{Number: 4})
	assert.True(t, younger.Known() && younger.Low > 0 && younger.High < 1, "%v", younger)
	assert.InDelta(t, -younger.By, fit.Change(ages, 0, regress.Value{Number: 4}, regress.Value{Number: 9}).By, 1e-12)
}

// sixty thousand eggs with eight factors, each a row
func many(n int) regress.Data {
	dice := rand.New(rand.NewPCG(5, 6))
	d := regress.Data{K: make([]float64, n), N: make([]float64, n), Cluster: make([]int64, n)}
	numbers := [3][]float64{make([]float64, n), make([]float64, n), make([]float64, n)}
	levels := [5][]string{}
	for i := range levels {
		levels[i] = make([]string, n)
	}
	for i := range n {
		d.N[i], d.Cluster[i] = 1, int64(i/40)
		eta := 1.2
		for j := range numbers {
			numbers[j][i] = float64(dice.IntN(10))
			eta -= .05 * numbers[j][i]
		}
		for j := range levels {
			levels[j][i] = string(rune('a' + dice.IntN(3+j)))
		}
		if dice.Float64() < 1/(1+math.Exp(-eta)) {
			d.K[i] = 1
		}
	}
	for j := range numbers {
		d.Factors = append(d.Factors, regress.Factor{Name: string(rune('n' + j)), Numbers: numbers[j]})
	}
	for j := range levels {
		d.Factors = append(d.Factors, regress.Factor{Name: string(rune('t' + j)), Levels: levels[j]})
	}
	return d
}

func BenchmarkSixtyThousandEggs(b *testing.B) {
	d := many(60_000)
	for b.Loop() {
		if _, err := regress.Logistic(d); err != nil {
			b.Fatal(err)
		}
	}
}
