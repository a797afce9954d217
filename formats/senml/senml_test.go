package senml_test

import (
	"bytes"
	"math"
	"strings"
	"testing"
	"time"

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

// What lies beyond all time is cut to its end, and does not come round from the other side.
func TestMomentsBeyondAllTime(t *testing.T) {
	now := time.Date(2027, 4, 14, 12, 0, 0, 0, time.UTC)
	for _, c := range []struct {
		at    float64
		after bool
	}{{1e300, true}, {-1e300, false}, {1e12, true}, {-1e12, false}} {
		assert.Equal(t, c.after, senml.Record{Time: &c.at}.Moment(now).After(now), "%g", c.at)
	}
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

// The example of RFC 8428, section 6, with what this program reads of it: a pack in CBOR, written by hand from the
// table of labels.
func TestCBOR(t *testing.T) {
	pack, err := senml.ReadCBOR(bytes.NewReader([]byte{
		0x82,                                                                            // two records
		0xa4, 0x21, 0x62, 'p', ':', 0x22, 0x1a, 0x6b, 0xbf, 0x5c, 0x38, 0x00, 0x61, 't', // bn p:, bt 1807703096, n t
		0x02, 0xf9, 0x50, 0xb0, // v 37.5
		0xa3, 0x00, 0x61, 'h', 0x01, 0x63, '%', 'R', 'H', 0x02, 0x18, 0x34, // n h, u %RH, v 52
	}))
	require.NoError(t, err)
	require.Len(t, pack, 2)
	assert.Equal(t, "p:t", pack[0].Name)
	assert.Equal(t, 37.5, *pack[0].Value)
	assert.Equal(t, time.Unix(1807703096, 0), pack[1].Moment(time.Now()), "the base time holds for the second")
	c, rh, err := pack[1].Air()
	require.NoError(t, err)
	assert.Nil(t, c)
	assert.Equal(t, 52., *rh)
	_, _, err = pack[0].Air()
	assert.ErrorContains(t, err, "it may be Cel, K or %RH")

	cell, at := 311.65, -30.
	written, err := senml.WriteCBOR([]senml.Record{{Name: "t", Unit: "K", Value: &cell, Time: &at}})
	require.NoError(t, err)
	back, err := senml.ReadCBOR(bytes.NewReader(written))
	require.NoError(t, err)
	c, _, err = back[0].Air()
	require.NoError(t, err)
	assert.InDelta(t, 38.5, *c, 1e-9)
	noon := time.Date(2027, 4, 14, 12, 0, 0, 0, time.UTC)
	assert.Equal(t, noon.Add(-30*time.Second), back[0].Moment(noon), "half a minute ago")
	_, err = senml.ReadCBOR(strings.NewReader("[{}]"))
	assert.ErrorContains(t, err, "no SenML pack in CBOR")
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
