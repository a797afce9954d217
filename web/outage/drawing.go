package outage

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"metrogon/farm"
	"metrogon/farm/outage"
)

// curves is the temperature of the eggs by hour, on a plot of 100 × 200.
type curves struct {
	Lines  []line // that differ
	of     []int  // the line of each batch
	Levels []level
	Ticks  []tick
	Dots   []dot
	BackX  float64 // where the power came back; 0: it is away
	BackAt string
}

type line struct {
	Points string
	Class  string
	Says   string
}

type level struct {
	Y     float64
	Label string
	Class string
}

type tick struct {
	X     string
	Label string
}

type dot struct {
	X    string
	Y    float64
	Says string
}

// Of is the line of a batch.
func (c curves) Of(batch int) line { return c.Lines[c.of[batch]] }

const high = 200.0 // of the plot

// patterns tell the lines of batches apart.
var patterns = []string{"one", "two", "three", "four"}

// draw puts the curves of a cut on one scale.
func draw(p outage.Page, m *farm.Member) (c curves) {
	end, low := p.Hours(), 20.0
	for _, b := range p.Batches {
		end = max(end, b.Curve[len(b.Curve)-1].H)
		low = min(low, b.LowestC)
	}
	end, low = max(end, 0.5), math.Floor(low/5)*5
	const top = 40.0
	x := func(h float64) float64 { return 100 * h / end }
	y := func(t float64) float64 { return high * (top - t) / (top - low) }
	percent := func(v float64) string { return fmt.Sprintf("%.2f%%", v) }
	for t := low; t <= top; t += 5 {
		c.Levels = append(c.Levels, level{y(t), m.Units().Degrees(t), ""})
	}
	c.Levels = append(c.Levels, level{y(20), "", "stops"}, level{y(27), "", "harms"})
	step := 1.0
	for _, s := range []float64{1, 2, 3, 6, 12, 24, 48} {
		if step = s; end/s <= 8 {
			break
		}
	}
	for h := 0.0; h <= end+1e-9; h += step {
		c.Ticks = append(c.Ticks, tick{percent(x(h)), fmt.Sprintf("%.0f h", h)})
	}
	for _, b := range p.Batches {
		var points strings.Builder
		every := max(1, len(b.Curve)/200)
		for j, q := range b.Curve {
			if j%every == 0 || j == len(b.Curve)-1 {
				fmt.Fprintf(&points, "%.2f,%.1f ", x(q.H), y(q.EggC))
			}
		}
		at := slices.IndexFunc(c.Lines, func(l line) bool { return l.Points == points.String() })
		if at < 0 { // eggs in one machine cool alike
			at = len(c.Lines)
			c.Lines = append(c.Lines, line{points.String(), patterns[at%len(patterns)], b.Batch.Stands().Name})
		}
		c.of = append(c.of, at)
	}
	for _, on := range p.Machines {
		for _, r := range on.Readings {
			h := r.At.Sub(p.FromAt).Hours()
			c.Dots = append(c.Dots, dot{percent(x(h)), y(r.EggC), fmt.Sprintf("%s, %s: %s", on.Name, m.Hours(r.At),
				m.Units().Temp(r.EggC))})
		}
	}
	if p.ToAt != nil {
		c.BackX, c.BackAt = x(p.Hours()), percent(x(p.Hours()))
	}
	return c
}
