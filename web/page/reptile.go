package page

import (
	"fmt"
	"math"
	"math/rand/v2"
	"net/http"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"metrogon/core/reptile"
	"metrogon/core/species"
)

// LyingEgg is a reptile's egg as it lies in its box, top up, drawn on 100 × 70.
type LyingEgg struct {
	Says   string
	Class  string // of what fills it: fresh, glow, dark, pale, rotten
	Shell  string // its outline
	Inside string // a smaller outline, of what is dark in it
	Veins  []string
	Window string
	Dents  []string
	Drops  []Spot
	Mould  []Spot
	Reek   []string
	MarkY  float64 // of the pencil mark on its top
	Hard   bool
	// Defs names the gradient of this drawing, since several stand on a page.
	Defs string
}

// slender is how much longer than high eggs of the kinds are; other soft ones 1.6, hard ones 1.25 [common practice].
var slender = map[string]float64{
	"corn-snake": 2, "king-snake": 2.1, "rat-snake": 2.1, "ball-python": 1.6, "carpet-python": 1.5, "leopard-gecko": 1.8,
	"crested-gecko": 1.9, "bearded-dragon": 1.6, "giant-day-gecko": 1.15, "hermanns-tortoise": 1.3,
	"sulcata-tortoise": 1.1, "red-eared-slider": 1.65,
}

// DrawLying draws an egg of a kind as these signs and its stage make it look; without signs as a live one does then.
func DrawLying(p *species.Profile, signs []reptile.Sign, grown float64, seed uint64) LyingEgg {
	dice := rand.New(rand.NewPCG(seed, 17))
	long, ok := slender[strings.Split(p.ID, "~")[0]]
	if !ok {
		long = map[bool]float64{true: 1.25, false: 1.6}[p.Shell.Type == species.Hard]
	}
	rx := math.Min(44, 24*long)
	ry := rx / long
	e := LyingEgg{Class: "fresh", MarkY: 40 - ry, Hard: p.Shell.Type == species.Hard, Defs: fmt.Sprintf("lie-%d", seed)}
	has := func(s reptile.Sign) bool { return slices.Contains(signs, s) }
	names := make([]string, len(signs))
	for i, s := range signs {
		names[i] = reptile.NameOf(s)
	}
	e.Says = strings.Join(names, ", ")
	caved := has(reptile.Caved)
	e.Shell = lying(rx, ry, has(reptile.Dented), caved)
	switch {
	case caved && (has(reptile.Mouldy) || has(reptile.Smelly) || has(reptile.Pale)):
		e.Class = "rotten"
	case has(reptile.Pale):
		e.Class = "pale"
	case has(reptile.Opaque), len(signs) == 0 && grown >= 0.6:
		e.Class, e.Inside = "dark", lying(rx*0.86, ry*0.82, has(reptile.Dented), false)
	case has(reptile.Veins), len(signs) == 0 && grown >= 0.12:
		e.Class, e.Veins = "glow", veins(dice, rx, ry, grown)
	}
	if has(reptile.Windowed) {
		e.Window = fmt.Sprintf("M%.1f %.1fq8 -5 16 0q4 6 -2 9q-8 3 -14 -1q-4 -4 0 -8z", 50-rx*0.45, 40-ry*0.55)
	}
	if has(reptile.Dented) || caved {
		e.Dents = []string{
			fmt.Sprintf("M%.1f %.1fq%.1f 7 %.1f 1", 50-rx*0.3, 40-ry*0.55, rx*0.28, rx*0.6),
			fmt.Sprintf("M%.1f %.1fq%.1f 4 %.1f 0", 50-rx*0.5, 40-ry*0.1, rx*0.2, rx*0.42),
		}
	}
	if has(reptile.Sweating) {
		for range 9 {
			x, y := within(dice, rx, ry)
			e.Drops = append(e.Drops, Spot{x, y, 1.4 + dice.Float64()})
		}
	}
	if has(reptile.Mouldy) {
		cx, cy := within(dice, rx*0.6, ry*0.5)
		for range 22 {
			e.Mould = append(e.Mould, Spot{cx + 7*dice.NormFloat64(), cy + 4*dice.NormFloat64(), 0.8 + 1.6*dice.Float64()})
		}
	}
	if has(reptile.Smelly) {
		for i := range 3 {
			e.Reek = append(e.Reek, fmt.Sprintf("M%d 14q3 -3 0 -6q-3 -3 0 -6", 40+10*i))
		}
	}
	if e.Says == "" {
		e.Says = "as it is expected to look"
	}
	return e
}

// lying is an egg lying on its side: whole, with a dent in its top, or caved in.
func lying(rx, ry float64, dented, caved bool) string {
	left, right, top, bottom := 50-rx, 50+rx, 40-ry, 40+ry
	under := fmt.Sprintf("C%.1f %.1f %.1f %.1f 50 %.1fC%.1f %.1f %.1f %.1f %.1f 40z",
		right, 40+ry*0.6, 50+rx*0.6, bottom, bottom, 50-rx*0.6, bottom, left, 40+ry*0.6, left)
	switch {
	case caved:
		return fmt.Sprintf("M%.1f 40C%.1f %.1f %.1f %.1f %.1f %.1fQ50 %.1f %.1f %.1fC%.1f %.1f %.1f %.1f %.1f 40", left,
			left, 40-ry*0.5, 50-rx*0.8, top+ry*0.3, 50-rx*0.55, top+ry*0.35, 40+ry*0.45, 50+rx*0.5, top+ry*0.3,
			50+rx*0.8, top+ry*0.3, right, 40-ry*0.5, right) + under
	case dented:
		return fmt.Sprintf("M%.1f 40C%.1f %.1f %.1f %.1f %.1f %.1fQ%.1f %.1f %.1f %.1fC%.1f %.1f %.1f %.1f %.1f 40", left,
			left, 40-ry*0.6, 50-rx*0.6, top, 50-rx*0.25, top+1, 50.0, top+ry*0.42, 50+rx*0.3, top+1,
			50+rx*0.65, top, right, 40-ry*0.6, right) + under
	}
	return fmt.Sprintf("M%.1f 40C%.1f %.1f %.1f %.1f 50 %.1fC%.1f %.1f %.1f %.1f %.1f 40", left,
		left, 40-ry*0.6, 50-rx*0.6, top, top, 50+rx*0.6, top, right, 40-ry*0.6, right) + under
}

// within is a point inside an egg.
func within(dice *rand.Rand, rx, ry float64) (x, y float64) {
	r, a := math.Sqrt(dice.Float64())*0.78, 2*math.Pi*dice.Float64()
	return 50 + rx*r*math.Cos(a), 40 + ry*r*math.Sin(a)
}

// veins run out from a spot under the top, the farther the more has grown.
func veins(dice *rand.Rand, rx, ry, grown float64) (all []string) {
	reach := math.Min(0.85, 0.3+grown)
	x, y := 50.0, 40-ry*0.45
	for i := range 7 {
		a := math.Pi * (0.05 + 0.9*float64(i)/6)
		ex, ey := x+rx*reach*math.Cos(a), y+ry*1.2*reach*math.Sin(a)
		bend := 3 * dice.NormFloat64()
		all = append(all, fmt.Sprintf("M%.1f %.1fQ%.1f %.1f %.1f %.1f", x, y, (x+ex)/2+bend, (y+ey)/2-bend, ex, ey))
	}
	return all
}

// ToClutch goes to the page of a clutch, which has what a page of a batch of birds' eggs would show.
func ToClutch(c *echo.Context, batchID int64) error {
	return c.Redirect(http.StatusSeeOther, fmt.Sprintf("/clutches/%d", batchID))
}
