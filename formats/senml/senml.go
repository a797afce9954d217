// Package senml reads and writes measured values as SenML in JSON (RFC 8428), as
// far as instruments on a farm use it: base name, name, unit, value and time.
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
	BaseTime *float64 `json:"bt,omitempty"` // s since 1970, or, below 2²⁸, before or after now
	Time     *float64 `json:"t,omitempty"`  // added to the base time
}

// Timed tells that a record says when it was measured, and not only how long ago:
// such a pack is never the same twice.
func (r Record) Timed() bool {
	const absolute = 1 << 28
	return r.Time != nil && *r.Time >= absolute
}

// MaxBytes that Read takes.
const MaxBytes = 1 << 16

// Read reads a pack and resolves base names and units. Errors name what is wrong.
func Read(r io.Reader) ([]Record, error) {
	var pack []Record
	if err := json.NewDecoder(io.LimitReader(r, MaxBytes)).Decode(&pack); err != nil {
		return nil, errors.New(`this is no SenML pack; it may look like [{"n":"mass","u":"g","v":612.4}]`)
	}
	return resolve(pack)
}

// resolve puts base names, units and times into the records that they hold for.
func resolve(pack []Record) ([]Record, error) {
	base, unit, at := "", "", 0.0
	for i := range pack {
		if pack[i].BaseName != "" {
			base = pack[i].BaseName
		}
		if pack[i].BaseUnit != "" {
			unit = pack[i].BaseUnit
		}
		if pack[i].BaseTime != nil {
			at = *pack[i].BaseTime
		}
		if pack[i].Time != nil || at != 0 {
			when := at
			if pack[i].Time != nil {
				when += *pack[i].Time
			}
			pack[i].Time = &when
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
