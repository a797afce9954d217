package main

import (
	"fmt"
	"math"
	"strings"

	"metrogon/core/rates"
)

const (
	ink, teal, lamp = "#20292b", "#14535a", "#b85c00"
	sheet           = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 640 %d" font-family="sans-serif" ` +
		`font-size="13" fill="` + ink + `"><rect width="640" height="%d" fill="#fffdf7"/>`
)

// young draws how many young come of forty eggs of three pens: where each egg hatches for
// itself, and where eggs that are set together have a good or a bad batch together.
func young() string {
	lots := []rates.Lot{
		{Eggs: 18, Belief: rates.Beta{A: 62, B: 20}}, {Eggs: 12, Belief: rates.Beta{A: 30, B: 22}},
		{Eggs: 10, Belief: rates.Beta{A: 7, B: 3}},
	}
	var b strings.Builder
	fmt.Fprintf(&b, sheet, 240, 240)
	x := func(n float64) float64 { return 40 + n*14 }
	for n := 0; n <= 40; n += 5 {
		fmt.Fprintf(&b, `<text x="%.0f" y="212" text-anchor="middle">%d</text>`, x(float64(n)), n)
	}
	b.WriteString(`<text x="320" y="232" text-anchor="middle">young of forty eggs</text>`)
	for i, c := range []struct {
		rho    float64
		colour string
		dash   string
	}{{0, ink, "5 4"}, {0.05, teal, ""}} {
		y := rates.Expect(lots, c.rho, true)
		var path strings.Builder
		for n, p := range y.At {
			fmt.Fprintf(&path, "%c%.1f %.1f", map[bool]byte{true: 'M', false: 'L'}[n == 0], x(float64(n)), 190-p*1150)
		}
		fmt.Fprintf(&b, `<path d="%s" fill="none" stroke="%s" stroke-width="2" stroke-dasharray="%s"/>`,
			path.String(), c.colour, c.dash)
		fmt.Fprintf(&b, `<text x="48" y="%d" fill="%s">correlation %g: 9 times in 10 from %d to %d</text>`,
			28+20*i, c.colour, c.rho, y.Quantile(.05), y.Quantile(.95))
	}
	return b.String() + "</svg>\n"
}

// spread draws twelve batches of one pen, and two ranges of its rate: as if all eggs were
// independent, and as the batches allow.
func spread() string {
	hatched := []float64{14, 8, 12, 15, 9, 13, 6, 14, 11, 15, 9, 12}
	batches := make([]rates.Count, len(hatched))
	for i, k := range hatched {
		batches[i] = rates.Count{K: k, N: 18}
	}
	of := rates.SpreadOf([][]rates.Count{batches})
	var b strings.Builder
	fmt.Fprintf(&b, sheet, 250, 250)
	x := func(share float64) float64 { return 40 + 560*share }
	for p := 0; p <= 100; p += 25 {
		fmt.Fprintf(&b, `<line x1="%.0f" x2="%.0f" y1="20" y2="200" stroke="#d9cfbc"/>`+
			`<text x="%.0f" y="218" text-anchor="middle">%d</text>`, x(float64(p)/100), x(float64(p)/100),
			x(float64(p)/100), p)
	}
	b.WriteString(`<text x="320" y="240" text-anchor="middle">hatched of set, %</text>`)
	for i, c := range batches {
		fmt.Fprintf(&b, `<circle cx="%.1f" cy="%d" r="4" fill="none" stroke="%s" stroke-width="1.5"/>`,
			x(c.K/c.N), 30+8*i, ink)
	}
	for i, r := range []struct {
		name, colour string
		rates.Spread
	}{{"as if every egg were for itself", lamp, rates.Spread{}}, {"as the batches allow", teal, of}} {
		in, y := r.Worth(batches).Wilson(0.95), 150+30*i
		fmt.Fprintf(&b, `<line x1="%.1f" x2="%.1f" y1="%d" y2="%d" stroke="%s" stroke-width="8"/>`,
			x(in.Low), x(in.High), y, y, r.colour)
		fmt.Fprintf(&b, `<text x="48" y="%d" fill="%s">%s: %.0f–%.0f %%</text>`, y+5, r.colour, r.name,
			math.Round(100*in.Low), math.Round(100*in.High))
	}
	return b.String() + "</svg>\n"
}
