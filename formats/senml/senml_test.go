package senml_test

import (
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/formats/senml"
)

// After the examples of RFC 8428, section 5.1, with masses.
func TestPacks(t *testing.T) {
	pack, err := senml.Read(
		strings.NewReader(
			`[{"bn":"urn:dev:ow:10e2073a01080063:","bu":"kg","v":1.2034},{"n":"tray","u":"g","v":612.5}]`,
		),
	)
	require.NoError(t, err)
	require.Len(t, pack, 2)
	assert.Equal(t, "urn:dev:ow:10e2073a01080063:tray", pack[1].Name)
	for i, grams := range []float64{1203.4, 612.5} {
		g, err := pack[i].Grams()
		require.NoError(t, err)
		assert.InDelta(t, grams, g, 1e-9)
	}
	for text, says := range map[string]string{
		`{}`: "no SenML pack", `[]`: "empty", `[{"n":"x","u":"g"}]`: "record 1 has no value", `[`: "no SenML pack",
	} {
		_, err := senml.Read(strings.NewReader(text))
		assert.ErrorContains(t, err, says, text)
	}
	v := 1.0
	_, err = senml.Record{Unit: "lb", Value: &v}.Grams()
	assert.ErrorContains(t, err, "it may be g or kg")
}

func FuzzPack(f *testing.F) {
	for _, pack := range []string{
		`[{"n":"mass","u":"g","v":612.4}]`, `[{"bn":"s:","bu":"kg","bt":1807704000,"v":1,"t":-5},{"v":2}]`, `[]`,
		`[null]`, `{`, `[{"v":1e999}]`,
	} {
		f.Add(pack)
	}
	f.Fuzz(func(t *testing.T, text string) {
		pack, err := senml.Read(strings.NewReader(text))
		if err != nil {
			return
		}
		for _, r := range pack {
			if r.Value == nil {
				t.Errorf("a record without a value of %q", text)
			}
			if g, err := r.Grams(); err == nil && math.IsNaN(g) {
				t.Errorf("%v g of %q", g, text)
			}
			r.Timed()
		}
	})
}

// Times as RFC 8428 adds them up: the base time holds for the records after it.
func TestTimes(t *testing.T) {
	pack, err := senml.Read(
		strings.NewReader(
			`[{"n":"a","v":1},{"bt":1807704000,"n":"b","v":2},{"n":"c","v":3,"t":10},{"bt":-5,"n":"d","v":4}]`,
		),
	)
	require.NoError(t, err)
	assert.False(t, pack[0].Timed(), "nothing is said of when")
	assert.Equal(t, 1807704000., *pack[1].Time)
	assert.Equal(t, 1807704010., *pack[2].Time)
	assert.True(t, pack[2].Timed())
	assert.False(t, pack[3].Timed(), "five seconds ago is said anew each time")
}
