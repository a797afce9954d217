package page

import (
	"cmp"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"

	"metrogon/core/candling"
	"metrogon/core/moisture"
	"metrogon/core/species"
)

// Candled is an egg as it looks over the lamp: blunt end up, in a box of
// 200 × 260. Parts that do not belong to the stage are empty.
type Candled struct {
	Shell  string // outline
	Cell   string // the air cell
	Rim    string // its edge
	Before string // its edge at an earlier look
	tilt   float64
	Ragged bool   // the edge is blurred
	Dark   string // what is too dense for the light
	Murk   bool   // the dark is murky, not alive
	Veins  []Vein
	Eye    *Spot
	Ring   *Spot
	Yolk   *Spot  // the shadow of the yolk, drifting
	Specks []Spot // of the shell
	Beak   *Spot  // its shadow in the air cell, near the end
	Says   string
	Signs  []Sign // what tells, pointed out
}

// Sign is a thing to be seen and where.
type Sign struct {
	X, Y  float64 // of the thing
	Label float64 // height of its name beside the egg
	Name  string
}

func (e *Candled) sign(x, y float64, name string) { e.Signs = append(e.Signs, Sign{x, y, 0, name}) }

// point puts the names of the signs beside the egg, from top to bottom without
// overlap.
func (e *Candled) point() {
	slices.SortFunc(e.Signs, func(a, b Sign) int { return cmp.Compare(a.Y, b.Y) })
	at := 0.0
	for i := range e.Signs {
		at = max(e.Signs[i].Y, at+30)
		e.Signs[i].Label = at
	}
}

// Vein is one branch; the further from the embryo the thinner.
type Vein struct {
	Path string
	Wide float64
}

// Spot is a round thing.
type Spot struct{ X, Y, R float64 }

// An egg in its box: centre, half width at its widest, top and bottom.
const (
	eggX, eggTop, eggBottom = 100.0, 10.0, 250.0
	eggLong                 = eggBottom - eggTop
)

// half is the half width at a height; the blunt end is up.
func half(y float64) float64 { return eggLong * moisture.HalfWidth((y-eggTop)/eggLong) }

// heightOf is where the edge of an air cell lies that takes this share of the
// volume.
func heightOf(share float64) float64 { return eggTop + eggLong*moisture.CellDepth(share) }

func outline(from, to float64) string {
	var s strings.Builder
	const steps = 36
	at := func(i int) float64 { return from + (to-from)*(1-math.Cos(math.Pi*float64(i)/steps))/2 } // closer at the ends
	for i := range steps + 1 {
		fmt.Fprintf(&s, "%c%.1f %.1f", map[bool]byte{true: 'M', false: 'L'}[i == 0], eggX-half(at(i)), at(i))
	}
	for i := steps; i >= 0; i-- {
		fmt.Fprintf(&s, "L%.1f %.1f", eggX+half(at(i)), at(i))
	}
	return s.String() + "z"
}

// DrawCandled draws what a candled egg shows on an elapsed day of a kind that
// hatches on day hatch. The seed makes each egg its own; the same seed draws the
// same egg. Calls without a look of their own draw a live egg. The figures are
// from the drawings that candling guides print [common practice].
func DrawCandled(p *species.Profile, call candling.Call, day, hatch float64, seed uint64) Candled {
	return DrawCandledCell(p, call, day, hatch, seed, 0)
}

// DrawCandledCell draws one with an air cell that takes this share of the egg's
// volume; 0 is as usual on that day.
func DrawCandledCell(p *species.Profile, call candling.Call, day, hatch float64, seed uint64, share float64) Candled {
	dice := rand.New(rand.NewPCG(seed, 99))
	grown := min(max(day/hatch, 0), 1)
	// As large as the water lost by that day makes it; a clear loses as much as a live one.
	if share <= 0 {
		share = moisture.CellAfter(p.LossPct.At * day / max(p.LockdownDay.At, 1))
	}
	cell := heightOf(share)
	tilt := 3 + 4*dice.Float64()
	if call == candling.Displaced {
		tilt = 34
	}
	e := Candled{Shell: outline(eggTop, eggBottom), tilt: tilt}
	e.Rim = "M" + e.rim(cell)
	e.Cell = fmt.Sprintf("M0 0V%.1fL%sL200 %.1fV0z", cell-tilt, e.rim(cell), cell+tilt) // clipped by the shell
	heart := Spot{eggX - 8 + 16*dice.Float64(), cell + (eggBottom-cell)*(.38+.08*dice.Float64()), 0}
	switch call {
	case candling.Clear:
		e.Yolk = &Spot{heart.X, heart.Y + 20, 42}
		e.sign(e.Yolk.X+20, e.Yolk.Y, "only the yolk’s shadow")
		e.sign(eggX+20, cell+2, "sharp edge")
		e.Says = "Lights up evenly; only the yolk’s shadow drifts."
	case candling.Ring:
		e.Ring = &Spot{heart.X, heart.Y, 30 + 14*dice.Float64()}
		e.sign(e.Ring.X+e.Ring.R, e.Ring.Y, "ring of blood")
		e.sign(e.Ring.X, e.Ring.Y, "nothing grows in it")
		e.Says = "A ring of blood, nothing growing in it."
	case candling.Quit:
		e.Murk, e.Ragged = true, true
		e.Dark = blob(dice, heart, 46+60*grown)
		e.sign(eggX+24, cell+4, "blurred edge")
		e.sign(heart.X+20, heart.Y+10, "murky, loose")
		e.sign(eggX+half(heart.Y+60)-10, heart.Y+60, "no veins at the shell")
		e.Says = "Murky and loose, no veins near the shell, a blurred air cell."
	case candling.Unseen:
		e.Dark = outline(cell, eggBottom)
		e.Says = "Nothing shows but the air cell."
	default:
		e.live(dice, heart, cell, grown)
	}
	if strings.HasSuffix(p.ID, "quail") {
		for range 46 {
			y := eggTop + 8 + (eggLong-16)*dice.Float64()
			e.Specks = append(e.Specks, Spot{eggX + half(y)*(1.9*dice.Float64()-.95), y, 1.5 + 4.5*dice.Float64()})
		}
	}
	e.point()
	return e
}

// rim is the edge of an air cell that ends at this height, as a path goes on along it.
func (e *Candled) rim(cell float64) string {
	return fmt.Sprintf(
		"%.1f %.1fQ%.1f %.1f %.1f %.1f", eggX-half(cell-e.tilt), cell-e.tilt, eggX, cell+9, eggX+half(cell+e.tilt),
		cell+e.tilt,
	)
}

// Earlier draws where the edge of the air cell was at an earlier look, when it took this
// share of the egg's volume.
func (e *Candled) Earlier(share float64) { e.Before = "M" + e.rim(heightOf(share)) }

func (e *Candled) live(dice *rand.Rand, heart Spot, cell, grown float64) {
	if grown > .12 {
		reach := min(1, (grown-.08)/.34)
		n := 5 + int(7*reach)
		for i := range n {
			angle := 2*math.Pi*float64(i)/float64(n) + .4*dice.Float64()
			e.branch(dice, heart.X, heart.Y, angle, (16+40*reach)*(.8+.4*dice.Float64()), 2.6, 3, cell)
		}
		e.Eye = &Spot{heart.X, heart.Y, 3 + 12*min(1, grown/.4)}
	}
	switch {
	case grown <= .12:
		e.Yolk = &Spot{heart.X, heart.Y + 10, 42}
		e.Eye = &Spot{heart.X, heart.Y, 3}
		e.sign(e.Eye.X, e.Eye.Y, "a dark spot")
		e.Says = "A dark spot, perhaps with the first faint veins."
	case grown < .45:
		e.sign(e.Eye.X, e.Eye.Y, "eye")
		e.sign(heart.X+30, heart.Y+34, "web of veins")
		e.sign(eggX+24, cell+3, "sharp edge")
		e.Says = "A web of veins, a dark eye that swings."
	case grown < .72:
		e.Dark = blob(dice, Spot{heart.X, heart.Y + 8, 0}, 50+70*(grown-.45))
		e.Eye = nil
		e.sign(heart.X+20, heart.Y+10, "dense, it moves")
		e.sign(eggX+half(cell+36)-18, cell+36, "veins along the shell")
		e.sign(eggX+24, cell+3, "sharp edge")
		e.Says = "Half dark and moving, veins along the shell, a sharp air cell."
	case grown >= .8:
		e.Eye, e.Veins = nil, e.Veins[:min(len(e.Veins), 8)]
		e.tilt += 14 // the edge dips to one side
		e.Rim = "M" + e.rim(cell+6)
		e.Cell = fmt.Sprintf("M0 0V%.1fL%sL200 %.1fV0z", cell+6-e.tilt, e.rim(cell+6), cell+6+e.tilt)
		e.Dark = fmt.Sprintf("M0 250V%.1fL%sL200 %.1fV250z", cell+8-e.tilt, e.rim(cell+8), cell+8+e.tilt)
		e.Beak = &Spot{eggX + 24, cell - 4, 9}
		e.sign(eggX-20, eggTop+.5*(cell-eggTop), "clear air cell")
		e.sign(e.Beak.X, e.Beak.Y, "a beak’s shadow, it moves")
		e.sign(eggX+half(cell+10)-16, cell+16, "edge dips, uneven")
		e.Says = "Dark all over; the edge of the air cell dips, a beak’s shadow moves in it."
	default:
		e.Dark = outline(cell+6, eggBottom-8)
		e.Eye, e.Veins = nil, e.Veins[:min(len(e.Veins), 14)]
		e.sign(eggX, eggTop+.5*(cell-eggTop), "clear air cell")
		e.sign(eggX+30, cell+3, "sharp edge")
		e.sign(eggX+20, (cell+eggBottom)/2, "dark, filled")
		e.Says = "Dark but for a clear air cell with a sharp edge."
	}
}

// branch grows a vein that forks.
func (e *Candled) branch(dice *rand.Rand, x, y, angle, length, wide float64, forks int, cell float64) {
	bend := angle + .5*(dice.Float64()-.5)
	tx, ty := x+length*math.Cos(bend), y+length*math.Sin(bend)
	ty = min(max(ty, cell+4), eggBottom-6)
	if room := half(ty) - 5; math.Abs(tx-eggX) > room {
		tx = eggX + math.Copysign(max(room, 0), tx-eggX)
		forks = 0 // it has reached the shell
	}
	cx, cy := (x+tx)/2+8*(dice.Float64()-.5), (y+ty)/2+8*(dice.Float64()-.5)
	e.Veins = append(e.Veins, Vein{
		fmt.Sprintf("M%.1f %.1fQ%.1f %.1f %.1f %.1f", x, y, cx, cy, tx, ty), math.Round(wide*10) / 10,
	})
	if forks == 0 || length < 10 {
		return
	}
	for _, side := range []float64{-.45, .45} {
		e.branch(dice, tx, ty, angle+side+.3*(dice.Float64()-.5), length*.68, wide*.6, forks-1, cell)
	}
}

// blob is a dense mass with an uneven edge, kept within the shell.
func blob(dice *rand.Rand, at Spot, r float64) string {
	const n = 14
	var xs, ys [n]float64
	for i := range n {
		a := 2 * math.Pi * float64(i) / n
		d := r * (.8 + .35*dice.Float64())
		y := min(max(at.Y+d*math.Sin(a), eggTop+30), eggBottom-10)
		x := at.X + d*math.Cos(a)
		if room := half(y) - 6; math.Abs(x-eggX) > room {
			x = eggX + math.Copysign(max(room, 0), x-eggX)
		}
		xs[i], ys[i] = x, y
	}
	var s strings.Builder
	for i := range n + 1 { // rounded: through the middles, bent by the corners
		j, k := i%n, (i+1)%n
		mx, my := (xs[j]+xs[k])/2, (ys[j]+ys[k])/2
		if i == 0 {
			fmt.Fprintf(&s, "M%.1f %.1f", mx, my)
		} else {
			fmt.Fprintf(&s, "Q%.1f %.1f %.1f %.1f", xs[j], ys[j], mx, my)
		}
	}
	return s.String() + "z"
}
