package senml

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"
	"time"

	"github.com/fxamacker/cbor/v2"
)

// MediaTypeCBOR of a pack in CBOR.
const MediaTypeCBOR = "application/senml+cbor"

// packed is a record with its labels in CBOR (RFC 8428, table 4).
type packed struct {
	BaseName string   `cbor:"-2,keyasint,omitempty"`
	BaseTime *float64 `cbor:"-3,keyasint,omitempty"`
	BaseUnit string   `cbor:"-4,keyasint,omitempty"`
	Name     string   `cbor:"0,keyasint,omitempty"`
	Unit     string   `cbor:"1,keyasint,omitempty"`
	Value    *float64 `cbor:"2,keyasint,omitempty"`
	Time     *float64 `cbor:"6,keyasint,omitempty"`
}

// ReadCBOR reads a pack in CBOR as Read does one in JSON.
func ReadCBOR(r io.Reader) ([]Record, error) {
	data, err := io.ReadAll(io.LimitReader(r, MaxBytes))
	if err != nil {
		return nil, err
	}
	var rows []packed
	if err := cbor.Unmarshal(data, &rows); err != nil {
		return nil, errors.New("this is no SenML pack in CBOR")
	}
	pack := make([]Record, len(rows))
	for i, p := range rows {
		pack[i] = Record{p.BaseName, p.BaseUnit, p.Name, p.Unit, p.Value, p.BaseTime, p.Time}
	}
	return resolve(pack)
}

// Write gives a pack in JSON.
func Write(pack []Record) ([]byte, error) { return json.Marshal(pack) }

// WriteCBOR gives a pack in CBOR.
func WriteCBOR(pack []Record) ([]byte, error) {
	rows := make([]packed, len(pack))
	for i, r := range pack {
		rows[i] = packed{r.BaseName, r.BaseTime, r.BaseUnit, r.Name, r.Unit, r.Value, r.Time}
	}
	var b bytes.Buffer
	err := cbor.NewEncoder(&b).Encode(rows)
	return b.Bytes(), err
}

// Moment is when a record was measured, of a pack that came in at a moment: a small time is before or after that, and
// none is that itself. Times are kept to the millisecond.
func (r Record) Moment(now time.Time) time.Time {
	switch {
	case r.Time == nil:
		return now
	case r.Timed():
		return time.UnixMilli(int64(math.Round(*r.Time * 1000)))
	}
	return now.Add(time.Duration(*r.Time * float64(time.Second)))
}

// Air gives a record’s value as a temperature in °C or a relative humidity in %; its unit may be Cel, K or %RH.
func (r Record) Air() (tempC, rhPct *float64, err error) {
	switch r.Unit {
	case "Cel":
		return r.Value, nil, nil
	case "K":
		c := *r.Value - 273.15
		return &c, nil, nil
	case "%RH":
		return nil, r.Value, nil
	}
	return nil, nil, errors.New("the unit u is \"" + r.Unit + "\"; it may be Cel, K or %RH")
}

// Measured is what an instrument told of the air at a moment.
type Measured struct {
	At           time.Time
	TempC, RHPct *float64
}

// Measure joins the records of a pack that came in at a moment by when they were measured. An error names the record
// that is none of the air.
func Measure(pack []Record, now time.Time) (all []Measured, err error) {
	for i, r := range pack {
		temp, rh, err := r.Air()
		if err != nil {
			return nil, fmt.Errorf("record %d: %w", i+1, err)
		}
		at := r.Moment(now)
		n := len(all)
		if n == 0 || !all[n-1].At.Equal(at) || temp != nil && all[n-1].TempC != nil || rh != nil && all[n-1].RHPct != nil {
			all, n = append(all, Measured{At: at}), n+1
		}
		if temp != nil {
			all[n-1].TempC = temp
		} else {
			all[n-1].RHPct = rh
		}
	}
	return all, nil
}

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
