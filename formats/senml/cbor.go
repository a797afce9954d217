package senml

import (
	"bytes"
	"encoding/json"
	"errors"
	"io"

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
