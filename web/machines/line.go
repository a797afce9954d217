package machines

import (
	"fmt"
	"math"
	"strings"
	"time"

	"metrogon/farm"
	"metrogon/farm/gauges"
)

// lineOf is the temperature of a machine over the last days, on a plot of 100 × 140.
type lineOf struct {
	Path        string // broken where nobody read for long
	Band, Wide  float64
	Levels      []mark
	Ticks       []at
	Dots        []spot
	From, Until time.Time
}

type mark struct {
	Y     float64
	Label string
}

type at struct{ X, Label string }

type spot struct {
	X    string
	Y    float64
	Says string
}

// What is drawn: so many days, broken where longer nobody read; the band is half a degree either way.
const (
	daysDrawn = 14
	gapH      = 36
	bandC     = 0.5
	lineHigh  = 140.0
)

// Line draws what instruments told of the machine; nil where that is less than three readings.
func (d data) Line(m *farm.Member, now time.Time) *lineOf {
	var reads []gauges.Read
	for i := len(d.Reads.Reads) - 1; i >= 0; i-- { // the oldest first
		r := d.Reads.Reads[i]
		if r.By != "" && r.TempC != nil && now.Sub(r.At) < daysDrawn*24*time.Hour {
			reads = append(reads, r)
		}
	}
	if len(reads) < 3 {
		return nil
	}
	l := &lineOf{From: reads[0].At, Until: now}
	low, top := *reads[0].TempC, *reads[0].TempC
	for _, r := range reads {
		low, top = math.Min(low, *r.TempC), math.Max(top, *r.TempC)
	}
	if want := d.Reads.WantedC; want != nil {
		low, top = math.Min(low, *want-bandC), math.Max(top, *want+bandC)
	}
	low, top = math.Floor(low-0.2), math.Ceil(top+0.2)
	y := func(c float64) float64 { return lineHigh * (top - c) / (top - low) }
	all := l.Until.Sub(l.From).Hours()
	x := func(t time.Time) float64 { return 100 * t.Sub(l.From).Hours() / math.Max(all, 1) }
	var path strings.Builder
	for i, r := range reads {
		letter := "L"
		if i == 0 || r.At.Sub(reads[i-1].At).Hours() > gapH {
			letter = "M"
		}
		fmt.Fprintf(&path, "%s%.2f %.1f", letter, x(r.At), y(*r.TempC))
		l.Dots = append(l.Dots, spot{fmt.Sprintf("%.2f%%", x(r.At)), y(*r.TempC), m.Moment(r.At) + ": " +
			m.Units().Temp(*r.TempC)})
	}
	l.Path = path.String()
	if want := d.Reads.WantedC; want != nil {
		l.Band, l.Wide = y(*want+bandC), y(*want-bandC)-y(*want+bandC)
	}
	for c := low; c <= top; c++ {
		l.Levels = append(l.Levels, mark{y(c), m.Units().Degrees(c)})
	}
	step := max(1, int(all/24)/6)
	for day := m.Date(l.From).AddDate(0, 0, 1); ; day = day.AddDate(0, 0, step) {
		midnight := time.Date(day.Year(), day.Month(), day.Day(), 0, 0, 0, 0, m.Place)
		if midnight.After(now) {
			break
		}
		l.Ticks = append(l.Ticks, at{fmt.Sprintf("%.2f%%", x(midnight)), day.Format("2 Jan")})
	}
	return l
}
