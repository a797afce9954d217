package probes

import (
	"fmt"
	"math"
	"time"

	"metrogon/farm"
	"metrogon/farm/probes"
)

// plot is what the chart draws, in the reader’s units; times are seconds since 1970.
type plot struct {
	Unit   string  `json:"unit"`
	Zone   string  `json:"zone"`
	Clock  bool    `json:"clock12"`
	From   int64   `json:"from"`
	To     int64   `json:"to"`
	Curves []curve `json:"curves"`
	Wants  []want  `json:"wants"`
	Marks  []mark  `json:"marks"`
}

type curve struct {
	Name   string     `json:"name"`
	ByHand bool       `json:"byHand"`
	At     []int64    `json:"at"`
	Temp   []*float64 `json:"temp"`
	RH     []*float64 `json:"rh"`
}

type want struct {
	Code   string  `json:"code"`
	From   int64   `json:"from"`
	To     int64   `json:"to"`
	Locked bool    `json:"locked"`
	Low    float64 `json:"low"`
	Top    float64 `json:"top"`
	RHLow  float64 `json:"rhLow"`
	RHTop  float64 `json:"rhTop"`
}

type mark struct {
	At   int64  `json:"at"`
	To   int64  `json:"to"`
	Kind string `json:"kind"`
	Says string `json:"says"`
}

// wantedC is how far either way of what the eggs want is drawn as right.
const wantedC = 0.5

func plotOf(c probes.Course, m *farm.Member) plot {
	p := plot{
		Unit: m.Units().TempUnit(), Zone: m.Place.String(), Clock: m.Clock == 12, From: c.From.Unix(), To: c.To.Unix(),
		Curves: []curve{}, Wants: []want{}, Marks: []mark{},
	}
	unit := func(celsius float64) float64 { return *inUnit(&celsius, m) }
	for _, x := range c.Curves {
		p.Curves = append(p.Curves, lineOf(x, c.Step, m))
	}
	for _, w := range c.Wants {
		p.Wants = append(p.Wants, want{
			Code: w.Code, From: w.From.Unix(), To: w.To.Unix(), Locked: w.Locked, Low: unit(w.TempC - wantedC),
			Top: unit(w.TempC + wantedC), RHLow: w.RHFrom, RHTop: w.RHTo,
		})
	}
	for _, x := range c.Marks {
		p.Marks = append(p.Marks, mark{x.At.Unix(), x.To.Unix(), x.Kind, fmt.Sprintf("%s: %s", m.Moment(x.At), x.Says)})
	}
	return p
}

// lineOf is a curve with a gap wherever nothing was told for three of its usual distances.
func lineOf(x probes.Curve, step time.Duration, m *farm.Member) curve {
	l := curve{Name: x.Instrument.Name, ByHand: x.ByHand, At: []int64{}}
	gap := gapOf(x, step)
	for i, p := range x.Points {
		if i > 0 && !x.ByHand && p.At.Sub(x.Points[i-1].At) > gap {
			l.add(p.At.Add(-step), nil, nil)
		}
		l.add(p.At, rounded(inUnit(p.TempC, m), 100), rounded(p.RHPct, 10))
	}
	return l
}

func (l *curve) add(at time.Time, temp, rh *float64) {
	l.At, l.Temp, l.RH = append(l.At, at.Unix()), append(l.Temp, temp), append(l.RH, rh)
}

func rounded(v *float64, by float64) *float64 {
	if v == nil {
		return nil
	}
	r := math.Round(*v*by) / by
	return &r
}

// gapOf is three times the distance that is usual between the points of a curve.
func gapOf(x probes.Curve, step time.Duration) time.Duration {
	if len(x.Points) < 3 {
		return 3 * step
	}
	counts := map[time.Duration]int{}
	usual := step
	for i := 1; i < len(x.Points); i++ {
		d := x.Points[i].At.Sub(x.Points[i-1].At)
		if counts[d]++; counts[d] > counts[usual] {
			usual = d
		}
	}
	return 3 * max(step, usual)
}

// row is a line of the table behind the chart.
type row struct {
	At              time.Time
	Whole           bool // a day, not an hour
	Name            string
	Low, Mean, Top  float64
	HasTemp, HasRH  bool
	RH              float64
	temps, moist, n float64
}

const mostRows = 60

// rowsOf sums the first curve by hours, or, over more than two days, by days; the newest first.
func rowsOf(c probes.Course, m *farm.Member) (rows []row) {
	whole := c.To.Sub(c.From) > 2*day
	for _, x := range c.Curves {
		if x.ByHand && len(c.Curves) > 1 {
			continue
		}
		for i := len(x.Points) - 1; i >= 0; i-- {
			p := x.Points[i]
			at := p.At.In(m.Place).Truncate(time.Hour)
			if whole {
				local := p.At.In(m.Place)
				at = time.Date(local.Year(), local.Month(), local.Day(), 0, 0, 0, 0, m.Place)
			}
			if n := len(rows); n == 0 || !rows[n-1].At.Equal(at) || rows[n-1].Name != x.Instrument.Name {
				if n == mostRows {
					return rows
				}
				rows = append(rows, row{At: at, Whole: whole, Name: x.Instrument.Name, Low: math.Inf(1), Top: math.Inf(-1)})
			}
			rows[len(rows)-1].add(p)
		}
	}
	return rows
}

func (r *row) add(p probes.Point) {
	if p.TempC != nil {
		r.HasTemp = true
		low, top := *p.TempC, *p.TempC
		if p.LowC != nil {
			low, top = *p.LowC, *p.TopC
		}
		r.Low, r.Top = math.Min(r.Low, low), math.Max(r.Top, top)
		r.temps, r.n = r.temps+*p.TempC, r.n+1
		r.Mean = r.temps / r.n
	}
	if p.RHPct != nil {
		r.moist, r.HasRH = r.moist+1, true
		r.RH += (*p.RHPct - r.RH) / r.moist
	}
}
