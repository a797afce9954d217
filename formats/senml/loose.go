package senml

import (
	"bytes"
	"encoding/json"
	"errors"
	"math"
	"strconv"
	"strings"
)

// Loose reads what a probe publishes: a pack in JSON or CBOR, a bare number of °C, or an object with numbers named
// temperature and humidity, in °C and %.
func Loose(body []byte) ([]Record, error) {
	text := bytes.TrimSpace(body)
	switch {
	case len(text) == 0 || len(body) > MaxBytes:
		return nil, errors.New("the message is empty or too long")
	case text[0] == '[':
		return Read(bytes.NewReader(text))
	case text[0] == '{':
		return object(text)
	case text[0] >= 0x80 && text[0] <= 0x9f: // an array in CBOR
		return ReadCBOR(bytes.NewReader(body))
	}
	v, err := strconv.ParseFloat(string(text), 64)
	if err != nil || math.IsNaN(v) || math.IsInf(v, 0) {
		return nil, errors.New("the message is no SenML pack, no object and no number")
	}
	return []Record{{Unit: "Cel", Value: &v}}, nil
}

// names are what an object calls what it measured.
var names = []struct {
	unit string
	as   []string
}{
	{"Cel", []string{"temperature", "temp", "temperature_c", "temp_c", "t"}},
	{"%RH", []string{"humidity", "relative_humidity", "rh", "hum", "h"}},
}

func object(text []byte) (pack []Record, err error) {
	var fields map[string]any
	if err := json.Unmarshal(text, &fields); err != nil {
		return nil, errors.New("the message is no object in JSON")
	}
	for _, n := range names {
		for _, as := range n.as {
			for name, field := range fields {
				if v, ok := field.(float64); ok && strings.EqualFold(name, as) {
					pack = append(pack, Record{Unit: n.unit, Value: &v})
				}
			}
			if len(pack) > 0 && pack[len(pack)-1].Unit == n.unit {
				break
			}
		}
	}
	if len(pack) == 0 {
		return nil, errors.New("the object has neither temperature nor humidity")
	}
	return pack, nil
}
