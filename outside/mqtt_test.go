package outside

import (
	"bytes"
	"io"
	"net"
	"net/url"
	"testing"
	"testing/iotest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// A broker is reached where its address says, with name and password; nowhere that only looks like it.
func TestABrokerIsReachedWhereItsAddressSays(t *testing.T) {
	for given, want := range map[string]string{
		"mqtt://mqtt.farm.example":         "mqtt.farm.example:1883",
		"mqtt://mqtt.farm.example:1999":    "mqtt.farm.example:1999",
		"tcp://broker.example:1":           "broker.example:1",
		"mqtts://mqtts.mqtt.farm.example":  "mqtts.mqtt.farm.example:8883",
		"ssl://[2001:db8::1]:99":           "[2001:db8::1]:99",
		"mqtts://a.example:8884/mqtt/mqtt": "a.example:8884",
	} {
		at, err := url.Parse(given)
		require.NoError(t, err)
		address, over := addressOf(at)
		assert.Equal(t, want, address, given)
		assert.Equal(t, at.Scheme != "mqtt" && at.Scheme != "tcp", over, given)
	}
	private, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer private.Close()
	_, err = dialBroker(&url.URL{Scheme: "mqtt", Host: private.Addr().String()}, false)
	assert.ErrorContains(t, err, "own network")
}

type feed struct {
	net.Conn
	io.Reader
}

func (f feed) Read(p []byte) (int, error) { return f.Reader.Read(p) }

// packet is one of MQTT with so many bytes in it.
func packet(size int) []byte {
	out := []byte{0x30}
	for n := size; ; {
		b := byte(n & 0x7f)
		if n >>= 7; n == 0 {
			return append(append(out, b), make([]byte, size)...)
		}
		out = append(out, b|0x80)
	}
}

// However a stream is cut, short messages come through as they are, and a long one ends it before it is read.
func TestLongMessagesAreRefusedBeforeTheyAreRead(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var stream []byte
		for range rapid.IntRange(0, 4).Draw(t, "packets") {
			stream = append(stream, packet(rapid.SampledFrom([]int{0, 1, 127, 128, 16384, mostMessage}).Draw(t, "size"))...)
		}
		short := len(stream)
		long := rapid.Bool().Draw(t, "long")
		if long {
			stream = append(stream, packet(mostMessage+1)...)
		}
		var in io.Reader = bytes.NewReader(stream)
		if rapid.Bool().Draw(t, "bytewise") {
			in = iotest.OneByteReader(in)
		}
		got, err := io.ReadAll(&measured{Conn: feed{Reader: in}})
		if !long {
			require.NoError(t, err)
			require.True(t, bytes.Equal(stream, got))
			return
		}
		require.ErrorIs(t, err, errTooLong)
		require.LessOrEqual(t, len(got), short+4)
	})
}
