package main

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Computed with R 4.2.2: fisher.test; P(p1 > p2) with Jeffreys priors is 0.954, drawn towards one another less.
func TestCompareAgainstR(t *testing.T) {
	out := calc(t, "compare", `{"groups":[{"name":"a","n":24,"k":18},{"name":"b","n":24,"k":11}]}`)
	assert.InDelta(t, 0.075345500143111, out["p_value"], 1e-10)
	assert.Equal(t, "likely", out["verdict"])
	assert.Nil(t, out["batch_p_value"])
	out = calc(t, "compare", `{"groups":[{"name":"a","n":41,"k":23},{"name":"b","n":40,"k":15}]}`)
	best := out["prob_best"].([]any)[0].(map[string]any)
	assert.Equal(t, "a", best["name"])
	assert.Greater(t, best["p"], .65)
	assert.Less(t, best["p"], .954)
	out = calc(t, "compare", `{"groups":[{"name":"a","n":20,"k":14},{"name":"b","n":20,"k":9},
		{"name":"c","n":24,"k":18}]}`)
	assert.InDelta(t, 0.09597944057472, out["p_value"], 1e-10)
	assert.Nil(t, out["more_eggs_each"], "of two groups alone")
}

// Computed with R 4.2.2: glm(hatched ~ storage_days + shipped + machine, family = binomial).
func TestRegressAgainstR(t *testing.T) {
	rows, err := os.ReadFile("../../core/rates/regress/testdata/ninety.json")
	require.NoError(t, err)
	out := calc(t, "regress", fmt.Sprintf(`{"on":["storage_days","shipped","machine"],"rows":%s}`, rows))
	last := out["coefficients"].([]any)[3].(map[string]any)
	assert.Equal(t, "machine=B", last["name"])
	assert.InEpsilon(t, -0.64699775502074, last["estimate"], 1e-9)
	assert.InEpsilon(t, 0.56861144705275, last["std_error"], 1e-9)
	assert.InEpsilon(t, 0.52361532, last["odds_ratio"], 1e-6)
	assert.EqualValues(t, 90, out["rows"])
	assert.Equal(t, false, out["separated"])

	out = calc(t, "regress", `{"on":["m"],"rows":[{"hatched":1,"m":"A"},{"hatched":0,"m":"A"},{"hatched":0,"m":"B"}]}`)
	assert.Equal(t, true, out["separated"])
	assert.Equal(t, []any{"m"}, out["separated_by"])
	assert.Nil(t, out["coefficients"].([]any)[1].(map[string]any)["estimate"], "no huge number")
}

func TestMistakesAboutBreeders(t *testing.T) {
	for _, c := range []struct{ name, in, says string }{
		{"compare", `{"groups":[{"n":5,"k":1}]}`, "groups: 1 are given"},
		{"compare", `{"groups":[{"n":5,"k":6},{"n":5,"k":1}]}`, "groups[0].k: 6"},
		{"compare", `{"groups":[{"n":5},{"n":5,"k":1}]}`, "groups[0]: n and k are missing"},
		{"compare", `{"groups":[{"n":5,"k":1},{"batches":[{"n":5,"k":1}]}]}`, "groups[1].batches[0].batch: nothing"},
		{"compare", `{"groups":[{"n":5,"k":1,"batches":[]},{"n":5,"k":1}]}`, "groups[0]: n, k beside batches"},
		{"regress", `{"rows":[]}`, "rows: none"},
		{"regress", `{"rows":[{"hatched":2}]}`, "rows[0].hatched: 2"},
		{"regress", `{"rows":[{"hatched":1}]}`, "rows: there must be eggs that hatched"},
		{"regress", `{"rows":[{"hatched":1,"a":1},{"hatched":0,"a":"x"}],"on":["a"]}`, `rows[1].a: "x" is given`},
		{"regress", `{"rows":[{"hatched":1},{"hatched":0}],"on":["a"]}`, "rows[0].a: nothing is given"},
		{"regress", `{"rows":[{"hatched":1},{"hatched":0}],"on":["hatched"]}`, "on[0]"},
		{"regress", `{"rows":[{"hatched":1},{"hatched":0}],"cluster":"b"}`, "rows[0].b: nothing"},
		{"pedigree", `{"birds":[{"id":"a","sire":"ghost"}]}`, "birds: ghost, a parent of a, is not known"},
		{"pedigree", `{"birds":[{"id":"a","sire":"a"}]}`, "birds: a descends from itself"},
		{"pedigree", `{"birds":[{"id":""}]}`, "birds[0].id"},
		{"pedigree", `{"birds":[{"id":"a"}],"matings":[{"sire":"a","dam":"b"}]}`, `matings[0]: "b" is not known`},
	} {
		for _, k := range calculators {
			if k.name != c.name {
				continue
			}
			_, err := k.run(t.Context(), []byte(c.in))
			require.Error(t, err, c.in)
			assert.True(t, strings.HasPrefix(err.Error(), c.says), "%s: %v", c.in, err)
		}
	}
}
