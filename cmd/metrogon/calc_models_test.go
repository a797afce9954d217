package main

import (
	_ "embed"
	"encoding/json"
	"fmt"
	"math"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Worked cases of the models, by an independent reference implementation. Tolerances: probabilities and shares 1.5
// points, hours 1 (a hatch: 2), degrees 0.15, other numbers 1 %.
//
//go:embed testdata/models.json
var models []byte

// follow are the calculators that are compared with it.
var follow = map[string]bool{"compare": true, "laying": true, "rates": true, "storage": true}

func TestModelsAgainstTheReference(t *testing.T) {
	var all struct {
		Cases []struct {
			Calc    string
			In, Out json.RawMessage
		}
	}
	require.NoError(t, json.Unmarshal(models, &all))
	compared := map[string]bool{}
	for i, c := range all.Cases {
		if !follow[c.Calc] {
			continue
		}
		compared[c.Calc] = true
		var want any
		require.NoError(t, json.Unmarshal(c.Out, &want))
		like(t, fmt.Sprintf("%s %d", c.Calc, i), "", want, calc(t, c.Calc, string(c.In)), c.Calc == "hatch")
	}
	assert.Equal(t, follow, compared)
}

// like compares what is wanted with what came out; what came out besides is nobody's.
func like(t *testing.T, path, name string, want, got any, hatch bool) {
	t.Helper()
	switch w := want.(type) {
	case map[string]any:
		g, ok := got.(map[string]any)
		if assert.True(t, ok, "%s: %v", path, got) {
			for k, v := range w {
				if k != "says" { // in ids there, in sentences here
					like(t, path+"."+k, k, v, g[k], hatch)
				}
			}
		}
	case []any:
		g, ok := got.([]any)
		if assert.True(t, ok && len(g) == len(w), "%s: %v", path, got) {
			for i := range w {
				like(t, fmt.Sprintf("%s[%d]", path, i), name, w[i], g[i], hatch)
			}
		}
	case float64:
		g, ok := got.(float64)
		assert.True(t, ok && math.Abs(w-g) <= tolerance(name, w, hatch), "%s: want %v, got %v", path, w, got)
	case string:
		at, err := time.Parse(time.RFC3339, w)
		if err != nil {
			assert.Equal(t, w, got, path)
			return
		}
		g, err := time.Parse(time.RFC3339, fmt.Sprint(got))
		hours := tolerance("_h", 0, hatch)
		assert.True(t, err == nil && math.Abs(at.Sub(g).Hours()) <= hours, "%s: want %v, got %v", path, w, got)
	default:
		assert.Equal(t, want, got, path)
	}
}

func tolerance(name string, want float64, hatch bool) float64 {
	switch {
	case strings.HasSuffix(name, "_pct"):
		return 1.5
	case name == "p" || strings.HasPrefix(name, "prob"):
		return 0.015
	case strings.HasSuffix(name, "_h") && hatch:
		return 2
	case strings.HasSuffix(name, "_h"):
		return 1
	case strings.HasSuffix(name, "_c"):
		return 0.15
	}
	return max(0.01*math.Abs(want), 1e-6)
}
