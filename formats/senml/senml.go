// Package senml reads and writes measured values as SenML in JSON (RFC 8428), as
// far as instruments on a farm use it: base name, name, unit and value.
package senml

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
)

// MediaType of a pack.
const MediaType = "application/senml+json"

// Record is one measured value.
type Record struct {
	BaseName string   `json:"bn,omitempty"`
	BaseUnit string   `json:"bu,omitempty"`
	Name     string   `json:"n,omitempty"`
	Unit     string   `json:"u,omitempty"`
	Value    *float64 `json:"v,omitempty"`
}

// MaxBytes that Read takes.
const MaxBytes = 1 << 16

// Read reads a pack and resolves base names and units. Errors name what is wrong.
func Read(r io.Reader) ([]Record, error) {
	var pack []Record
	if err := json.NewDecoder(io.LimitReader(r, MaxBytes)).Decode(&pack); err != nil {
		return nil, errors.New(`this is no SenML pack; it may look like [{"n":"mass","u":"g","v":612.4}]`)
	}
	base, unit := "", ""
	for i := range pack {
		if pack[i].BaseName != "" {
			base = pack[i].BaseName
		}
		if pack[i].BaseUnit != "" {
			unit = pack[i].BaseUnit
		}
		pack[i].Name = base + pack[i].Name
		if pack[i].Unit == "" {
			pack[i].Unit = unit
		}
		if pack[i].Value == nil {
			return nil, fmt.Errorf("record %d has no value v", i+1)
		}
	}
	if len(pack) == 0 {
		return nil, errors.New("the pack is empty")
	}
	return pack, nil
}

// Grams gives a record's value as a mass in g; its unit may be g or kg.
func (r Record) Grams() (float64, error) {
	switch r.Unit {
	case "g":
		return *r.Value, nil
	case "kg":
		return *r.Value * 1000, nil
	}
	return 0, fmt.Errorf("the unit u is %q; it may be g or kg", r.Unit)
}
