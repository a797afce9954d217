package climate

import (
	"fmt"
	"math"
	"slices"

	"metrogon/core/species"
)

// Box is what the eggs lie in while the power is away.
type Box string

// The boxes: eggs by themselves, a foam box, a cabinet.
const (
	Bare        Box = "bare"
	Foam        Box = "foam"
	CabinetBox  Box = "cabinet"
	warm            = 37.5 // °C to which they are warmed again
	warmAgain       = 36.0 // °C at which the outage counts as over
	stops           = 20.0 // °C below which growth stops
	hardlyHarms     = 27.0 // °C
)

// Boxes lists them.
var Boxes = []Box{Bare, Foam, CabinetBox}

// Outage is eggs that cool because the power is away, and are warmed again.
type Outage struct {
	Kind   *species.Profile
	Day    float64 // completed days of incubation
	Eggs   int
	EggG   float64  // 0: the kind's
	Beside []Beside // eggs of other batches in the same box
	Box    Box
	RoomC  float64
	StartC float64 // of the eggs
	Hours  float64 // that the power is away
	NoHeat bool    // leaves out what embryos give off
	// Readings of the eggs' own temperature, in order of time: where there are some they count, and the model goes
	// on from the last.
	Readings []CurvePoint
}

// Beside is eggs that lie in the same box, and warm it as well.
type Beside struct {
	Kind *species.Profile
	Day  float64
	Eggs int
}

// CurvePoint is the eggs' temperature so many hours after the power went.
type CurvePoint struct {
	H    float64 `json:"h"`
	EggC float64 `json:"egg_c"`
}

// Risk is how an outage is likely to end.
type Risk string

// The risks.
const (
	LowRisk  Risk = "low"
	SomeRisk Risk = "some"
	HighRisk Risk = "high"
)

// Chill is what comes of an outage.
type Chill struct {
	Curve    []CurvePoint // points two minutes apart at most, until they are warm again
	LowestC  float64
	Below20H float64
	DelayH   float64
	Risk     Risk
	Why      string
	LookDay  float64 // completed day on which a look by the lamp tells who lives
}

// Check says which field cannot be, and what it may be.
func (o Outage) Check() error {
	switch {
	case o.Kind == nil || o.Kind.IsReptile():
		return fmt.Errorf("species: an outage is reckoned for birds' eggs")
	case !(o.Day >= 0 && o.Day <= o.Kind.HatchDays.To):
		return fmt.Errorf("day: %g is not possible; it may be 0 to %g", o.Day, o.Kind.HatchDays.To)
	case o.Eggs < 1 || o.Eggs > 100000:
		return fmt.Errorf("eggs: %d is not possible; it may be 1 to 100000", o.Eggs)
	case o.EggG != 0 && !(o.EggG >= 0.5 && o.EggG <= 400):
		return fmt.Errorf("egg_g: %g is not possible; it may be 0.5 to 400", o.EggG)
	case !slices.Contains(Boxes, o.Box):
		return fmt.Errorf("box: %q is not known; it may be bare, foam or cabinet", string(o.Box))
	case !(o.RoomC >= -30 && o.RoomC <= 45):
		return fmt.Errorf("room_c: %g is not possible; it may be -30 to 45", o.RoomC)
	case !(o.StartC >= 0 && o.StartC <= 42):
		return fmt.Errorf("start_c: %g is not possible; it may be 0 to 42", o.StartC)
	case !(o.Hours >= 0 && o.Hours <= 240):
		return fmt.Errorf("hours: %g is not possible; it may be 0 to 240", o.Hours)
	}
	for i, r := range o.Readings {
		if !(r.H >= 0 && r.H <= o.Hours) || i > 0 && r.H <= o.Readings[i-1].H {
			return fmt.Errorf("readings: %g h is not possible; they come in order of time, from 0 to %g", r.H, o.Hours)
		}
		if !(r.EggC >= -5 && r.EggC <= 45) {
			return fmt.Errorf("readings: %g °C is not possible; it may be -5 to 45", r.EggC)
		}
	}
	return nil
}

func (o Outage) mass() float64 {
	if o.EggG > 0 {
		return o.EggG
	}
	return o.Kind.EggG.At
}

// inBox is how many eggs lie in the box.
func (o Outage) inBox() float64 {
	n := o.Eggs
	for _, b := range o.Beside {
		n += b.Eggs
	}
	return float64(n)
}

// tau is the time constant of cooling, h. Common practice; the shape is Newton's.
func (o Outage) tau() float64 {
	switch o.Box {
	case Foam:
		return 6 * (1 + o.inBox()/40)
	case CabinetBox:
		return 3.5 * (1 + o.inBox()/120)
	}
	return 0.095 * math.Pow(o.mass(), 0.667)
}

// heats is what embryos give off, W: from 0.6 of the hatch day on, growing with the cube of their age.
func heats(kind *species.Profile, day, massG float64, eggs int) float64 {
	hatch := kind.HatchDays.At
	if day < 0.6*hatch {
		return 0
	}
	return float64(eggs) * 0.16 * math.Pow(day/hatch, 3) * massG / 58
}

// towards is the temperature that the eggs cool to, °C: the room's, and what the heat of all in the box holds
// above it, 10 K at most and never above 37.5 °C.
func (o Outage) towards() float64 {
	if o.NoHeat {
		return o.RoomC
	}
	heat := heats(o.Kind, o.Day, o.mass(), o.Eggs)
	loses := map[Box]float64{Bare: 0.04 * float64(o.Eggs), Foam: 0.5, CabinetBox: 2}[o.Box]
	if o.Box != Bare { // bare eggs warm nobody beside them
		for _, b := range o.Beside {
			heat += heats(b.Kind, b.Day, b.Kind.EggG.At, b.Eggs)
		}
	}
	return max(o.RoomC, min(warm, o.RoomC+min(10, heat/loses)))
}

// Chill works an outage out, as far as Check lets it: Newton's cooling, and warming again with half the time
// constant until 36 °C.
func (o Outage) Chill() (c Chill) {
	const step = 1. / 60
	tau, to := o.tau(), o.towards()
	add := func(h, egg float64) {
		if n := len(c.Curve); n == 0 || h > c.Curve[n-1].H+1e-9 {
			c.Curve = append(c.Curve, CurvePoint{h, egg})
		}
	}
	from := CurvePoint{0, o.StartC}
	add(0, o.StartC)
	for _, r := range o.Readings {
		if r.H == 0 {
			c.Curve[0] = r
		}
		for h := from.H + step; h < r.H; h += step {
			add(h, from.EggC+(r.EggC-from.EggC)*(h-from.H)/(r.H-from.H))
		}
		add(r.H, r.EggC)
		from = r
	}
	cool := func(h float64) float64 { return to + (from.EggC-to)*math.Exp(-(h-from.H)/tau) }
	for h := from.H + step; h < o.Hours; h += step {
		add(h, cool(h))
	}
	end := cool(o.Hours)
	add(o.Hours, end)
	if end < warmAgain {
		last := tau / 2 * math.Log((warm-end)/(warm-warmAgain))
		for h := step; h < last; h += step {
			add(o.Hours+h, warm+(end-warm)*math.Exp(-2*h/tau))
		}
		add(o.Hours+last, warmAgain)
	}
	c.sum(o)
	return c
}

// sum takes what matters from the curve.
func (c *Chill) sum(o Outage) {
	below27 := 0.0
	c.LowestC = c.Curve[0].EggC
	for i, p := range c.Curve {
		c.LowestC = min(c.LowestC, p.EggC)
		if i == 0 {
			continue
		}
		q := c.Curve[i-1]
		c.Below20H += below(q, p, stops)
		below27 += below(q, p, hardlyHarms)
		c.DelayH += (p.H - q.H) * (lag(q.EggC) + lag(p.EggC)) / 2
	}
	c.LookDay = math.Ceil(o.Day + 4)
	c.judge(o, below27)
}

// lag is by how much of its usual pace growth falls behind at a temperature, 0 to 1.
func lag(egg float64) float64 { return min(1, max(0, (warm-egg)/(warm-stops))) }

// below is how long the line between two points lies below a temperature, h.
func below(a, b CurvePoint, limit float64) float64 {
	switch {
	case a.EggC >= limit && b.EggC >= limit:
		return 0
	case a.EggC < limit && b.EggC < limit:
		return b.H - a.H
	}
	crosses := (limit - a.EggC) / (b.EggC - a.EggC)
	if a.EggC < limit {
		return crosses * (b.H - a.H)
	}
	return (1 - crosses) * (b.H - a.H)
}

// judge tells the risk: early embryos stand cold better than late ones [common practice].
func (c *Chill) judge(o Outage, below27 float64) {
	late := o.Day >= o.Kind.HatchDays.At/2
	harmless, deadly, who := 6.0, 36.0, "early embryos stand cold better than late ones"
	if late {
		harmless, deadly, who = 3, 18, "after mid-term they bear cold less"
	}
	switch {
	case c.LowestC >= hardlyHarms || below27 < harmless:
		c.Risk = LowRisk
		c.Why = fmt.Sprintf("at the lowest %.1f °C, %.1f h below 27 °C: hardly any harm", c.LowestC, below27)
	case c.Below20H > deadly:
		c.Risk = HighRisk
		c.Why = fmt.Sprintf("%.1f h below 20 °C; %s", c.Below20H, who)
	default:
		c.Risk = SomeRisk
		c.Why = fmt.Sprintf("%.1f h below 27 °C, of them %.1f h below 20 °C; %s", below27, c.Below20H, who)
	}
}

// Do lists what is done while the power is away and afterwards [common practice].
func (o Outage) Do(c Chill) (do []string) {
	do = []string{
		"Leave it shut: each opening costs more than an hour of waiting.",
		"Wrap it in blankets, sides and top; leave the vents free.",
		"Bottles of warm water, not hot, beside the eggs if it lasts for hours; never on them.",
	}
	if o.Day >= 0.6*o.Kind.HatchDays.At {
		do = append(do, "Vents open: so late they need air more than warmth.")
	}
	return append(do,
		"No candle, gas or charcoal in a closed room: fire, and carbon monoxide.",
		"Throw nothing away yet: look by the lamp some days later, and give them longer at the hatch.")
}
