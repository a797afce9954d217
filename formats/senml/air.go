package senml

import (
	"errors"
	"fmt"
	"math"
	"time"
)

// Times beyond these, in s, are cut to them: nothing was measured then.
const (
	farthest = 1e11 // since 1970
	nearest  = 9e9  // before now
)

// Moment is when a record was measured, of a pack that came in at a moment: a small time is before or after that, and
// none is that itself. Times are kept to the millisecond.
func (r Record) Moment(now time.Time) time.Time {
	switch {
	case r.Time == nil:
		return now
	case r.Timed():
		return time.UnixMilli(int64(math.Round(min(*r.Time, farthest) * 1000)))
	}
	return now.Add(time.Duration(max(*r.Time, -nearest) * float64(time.Second)))
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
