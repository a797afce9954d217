package senml

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
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
