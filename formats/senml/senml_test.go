package senml_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/formats/senml"
)

// After the examples of RFC 8428, section 5.1, with masses.
func TestPacks(t *testing.T) {
	pack, err := senml.Read(strings.NewReader(`[{"bn":"urn:dev:ow:10e2073a01080063:","bu":"kg","v":1.2034},{"n":"tray","u":"g","v":612.5}]`))
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
