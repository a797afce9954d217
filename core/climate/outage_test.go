package climate

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"metrogon/core/species"
)

func hens(t interface{ Fatal(...any) }) *species.Profile {
	p, err := species.Find("chicken")
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// By hand, one bare hen's egg of 58 g: τ = 0.095 · 58^0.667 = 1.425 h. Six hours in a room of 18 °C bring it
// from 37.5 to 18 + 19.5 · e^(−6/1.425) = 18.29 °C. It falls below 20 °C after 1.425 · ln(19.5 / 2) = 3.245 h and
// is warmed above it again 0.7125 · ln((37.5 − 18.29) / 17.5) = 0.066 h after: 2.82 h in all. Warm again (36 °C)
// 0.7125 · ln(19.21 / 1.5) = 1.817 h after. The delay: cooling to 20 °C loses ∫(37.5 − T)/17.5 dt =
// (19.5 · 3.245 − 19.5 · 1.425 · (1 − 2/19.5)) / 17.5 = 2.191 h, the cold 2.821 h, and warming from 20 to 36 °C
// 17.5 · 0.7125 · (1 − 1.5/17.5) / 17.5 = 0.651 h: 5.66 h.
func TestABareEggInACoolRoom(t *testing.T) {
	o := Outage{Kind: hens(t), Day: 5, Eggs: 1, Box: Bare, RoomC: 18, StartC: 37.5, Hours: 6}
	require.NoError(t, o.Check())
	c := o.Chill()
	assert.InDelta(t, 18.29, c.LowestC, 0.02)
	assert.InDelta(t, 2.82, c.Below20H, 0.01)
	assert.InDelta(t, 5.66, c.DelayH, 0.02)
	assert.InDelta(t, 6+1.817, c.Curve[len(c.Curve)-1].H, 0.01)
	assert.Equal(t, LowRisk, c.Risk, "under six hours below 27 °C before mid-term")
}

func TestTheEmbryosOwnHeat(t *testing.T) {
	o := Outage{Kind: hens(t), Day: 18, Eggs: 60, Box: Foam, RoomC: 10, StartC: 37.5, Hours: 200}
	// By hand: P = 0.16 · (18/21)³ · 1 = 0.1008 W; 60 of them over 0.5 W/K would be 12 K, 10 K at most.
	assert.InDelta(t, 20, o.towards(), 1e-9)
	o.Eggs = 10 // 2.015 K
	assert.InDelta(t, 12.015, o.towards(), 0.01)
	o.Day = 12 // before 0.6 · 21 = 12.6
	assert.Equal(t, 10.0, o.towards())
	o.Day, o.RoomC = 20, 36
	assert.Equal(t, 37.5, o.towards(), "never above")
	o.NoHeat = true
	assert.Equal(t, 36.0, o.towards())
}

func TestTheRiskOfCold(t *testing.T) {
	for _, c := range []struct {
		day, room, hours float64
		want             Risk
	}{
		{3, 20, 2, LowRisk}, {18, 20, 2, LowRisk}, {3, 5, 20, SomeRisk}, {18, 5, 12, SomeRisk}, {18, 5, 30, HighRisk},
		{3, 5, 30, SomeRisk}, {3, 5, 60, HighRisk}, {18, 30, 40, LowRisk},
	} {
		got := Outage{Kind: hens(t), Day: c.day, Eggs: 1, Box: Bare, RoomC: c.room, StartC: 37.5, Hours: c.hours}.Chill()
		assert.Equal(t, c.want, got.Risk, "day %g, %g h at %g °C: %s", c.day, c.hours, c.room, got.Why)
	}
}

// Whatever the box: colder or longer is never better, a curve has no gap, and with readings they count.
func TestOutagesBehave(t *testing.T) {
	kind := hens(t)
	rapid.Check(t, func(t *rapid.T) {
		o := Outage{
			Kind: kind, Day: rapid.Float64Range(0, 21).Draw(t, "day"), Eggs: rapid.IntRange(1, 200).Draw(t, "eggs"),
			Box: rapid.SampledFrom(Boxes).Draw(t, "box"), RoomC: rapid.Float64Range(-10, 30).Draw(t, "room"), StartC: 37.5,
			Hours: rapid.Float64Range(0, 30).Draw(t, "hours"),
		}
		c := o.Chill()
		for i, p := range c.Curve {
			if i > 0 && (p.H-c.Curve[i-1].H > 0.05 || p.H <= c.Curve[i-1].H) {
				t.Fatalf("a gap from %g to %g h", c.Curve[i-1].H, p.H)
			}
		}
		longer, colder := o, o
		longer.Hours, colder.RoomC = o.Hours+2, o.RoomC-3
		for _, worse := range []Outage{longer, colder} {
			if w := worse.Chill(); w.DelayH < c.DelayH-1e-6 || w.LowestC > c.LowestC+1e-6 {
				t.Fatalf("%+v is milder than %+v", worse, o)
			}
		}
		if o.Hours > 1 {
			o.Readings = []CurvePoint{{0.5, 31}, {1, 25}}
			read := o.Chill()
			if math.Abs(read.Curve[45].EggC-28) > 0.2 {
				t.Fatalf("45 minutes after it reads %g °C", read.Curve[45].EggC)
			}
		}
	})
}

func TestWhatAnOutageCannotBe(t *testing.T) {
	fine := Outage{Kind: hens(t), Day: 5, Eggs: 1, Box: Bare, RoomC: 18, StartC: 37.5, Hours: 6}
	for says, change := range map[string]func(*Outage){
		"day":      func(o *Outage) { o.Day = 40 },
		"eggs":     func(o *Outage) { o.Eggs = 0 },
		"egg_g":    func(o *Outage) { o.EggG = -3 },
		"box":      func(o *Outage) { o.Box = "tent" },
		"room_c":   func(o *Outage) { o.RoomC = math.NaN() },
		"start_c":  func(o *Outage) { o.StartC = 60 },
		"hours":    func(o *Outage) { o.Hours = -1 },
		"readings": func(o *Outage) { o.Readings = []CurvePoint{{3, 30}, {2, 29}} },
		"species":  func(o *Outage) { o.Kind = nil },
	} {
		o := fine
		change(&o)
		assert.ErrorContains(t, o.Check(), says+":")
	}
}

// Eggs of other batches in the box count for how slowly it cools, and warm it by what they give off.
func TestEggsBesideKeepTheBoxWarm(t *testing.T) {
	hens := hens(t)
	o := Outage{Kind: hens, Day: 16, Eggs: 60, Box: CabinetBox, RoomC: 12, StartC: 37.5, Hours: 8}
	apart := o
	apart.Eggs, apart.Beside = 20, []Beside{{hens, 16, 40}}
	assert.InDelta(t, o.Chill().LowestC, apart.Chill().LowestC, 1e-9, "20 and 40 of one age are 60")
	young := o
	young.Eggs, young.Beside = 20, []Beside{{hens, 3, 40}}
	assert.Less(t, young.Chill().LowestC, apart.Chill().LowestC, "young ones give off nothing")
	bare := Outage{Kind: hens, Day: 16, Eggs: 20, Box: Bare, RoomC: 12, StartC: 37.5, Hours: 8}
	beside := bare
	beside.Beside = []Beside{{hens, 16, 40}}
	assert.Equal(t, bare.Chill().LowestC, beside.Chill().LowestC, "eggs that lie open warm nobody")
}
