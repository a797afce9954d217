package diagnosis

import (
	"bytes"
	"cmp"
	_ "embed"
	"fmt"
	"math"
	"slices"
	"sync"

	"github.com/pelletier/go-toml/v2"

	"metrogon/core/species"
)

//go:embed causes.toml
var causeFile []byte

//go:embed signs.toml
var signFile []byte

// cause is one as the data file has it.
type cause struct {
	ID     string             `toml:"id"`
	Name   string             `toml:"name"`
	Before float64            `toml:"before"`
	Kills  map[string]float64 `toml:"kills"`
	Try    []string           `toml:"try"`
	species.Origin
}

// sign is one fact, and what it says of the causes.
type sign struct {
	Fact  string                  `toml:"fact"`
	Says  string                  `toml:"says"`
	Less  string                  `toml:"less"` // below and above 0, which is as it should be
	More  string                  `toml:"more"`
	Yes   string                  `toml:"yes"`
	No    string                  `toml:"no"`
	Times map[string][][2]float64 `toml:"times"`
	species.Origin
}

type knowledge struct {
	Usual  map[string]float64
	Causes []cause
	Signs  []sign
}

var read = sync.OnceValues(func() (k knowledge, err error) {
	var causes struct {
		Usual map[string]any `toml:"usual"`
		Cause []cause        `toml:"cause"`
	}
	var signs struct {
		Sign []sign `toml:"sign"`
	}
	if err := toml.NewDecoder(bytes.NewReader(causeFile)).DisallowUnknownFields().Decode(&causes); err != nil {
		return k, err
	}
	if err := toml.NewDecoder(bytes.NewReader(signFile)).DisallowUnknownFields().Decode(&signs); err != nil {
		return k, err
	}
	k = knowledge{Usual: map[string]float64{}, Causes: causes.Cause, Signs: signs.Sign}
	for name, x := range causes.Usual {
		if share, ok := x.(float64); ok {
			k.Usual[name] = share
		}
	}
	return k, nil
})

func data() knowledge {
	k, err := read()
	if err != nil {
		panic(err) // a broken data file cannot pass the tests
	}
	return k
}

// IDs lists the causes.
func IDs() (all []string) {
	for _, c := range data().Causes {
		all = append(all, c.ID)
	}
	return all
}

// told is what a sign says of a cause.
type told struct {
	log float64
	Evidence
}

// sorted gives what the known facts say of a cause, what says most first.
func sorted(signs []sign, id string, values map[string]value) (all []told) {
	for _, s := range signs {
		x, known := values[s.Fact]
		points, speaks := s.Times[id]
		if known && speaks {
			all = append(all, told{at(points, x.weighed), Evidence{s.Fact, x.said, s.text(x.said)}})
		}
	}
	slices.SortStableFunc(all, func(a, b told) int { return cmp.Compare(math.Abs(b.log), math.Abs(a.log)) })
	return all
}

// at is the logarithm of a sign's line at a value.
func at(points [][2]float64, x float64) float64 {
	if x <= points[0][0] {
		return math.Log(points[0][1])
	}
	for i, p := range points[1:] {
		if q := points[i]; x < p[0] {
			return math.Log(q[1]) + (math.Log(p[1])-math.Log(q[1]))*(x-q[0])/(p[0]-q[0])
		}
	}
	return math.Log(points[len(points)-1][1])
}

func (s sign) text(x float64) string {
	switch {
	case s.Says != "":
		return fmt.Sprintf(s.Says, x)
	case s.Less != "" && x < 0:
		return fmt.Sprintf(s.Less, -x)
	case s.More != "":
		return fmt.Sprintf(s.More, x)
	case x > 0:
		return s.Yes
	}
	return s.No
}

// open lists facts that nobody knows and that could make a cause three times likelier.
func open(signs []sign, id string, values map[string]value) (all []string) {
	for _, s := range signs {
		if _, known := values[s.Fact]; known {
			continue
		}
		for _, p := range s.Times[id] {
			if p[1] >= 3 {
				all = append(all, factNames[s.Fact])
				break
			}
		}
	}
	return all
}

// factNames are what somebody may note.
var factNames = map[string]string{
	"temp_offset_c": "temperature at egg height", "temp_swing_c": "how the temperature swings",
	"loss_over_points": "water lost (weigh a tray)", "rh_lockdown_pct": "humidity in lockdown",
	"lid_opened_min": "openings in lockdown", "storage_days": "days in store",
	"storage_temp_c": "temperature of the store", "shipped": "whether they were shipped",
	"turning_gap_h": "the longest time without a turn", "turns_per_day": "turns a day",
	"point_up": "eggs pointed end up", "hatch_late_days": "when the first was out",
	"hatch_span_h": "how long the hatch took", "weak": "weak young", "bloody_navels": "navels",
	"splayed": "legs", "sticky": "sticky young", "females_per_male": "females to a male",
	"days_since_male": "when the male came in", "young_layers": "the layers’ age",
	"washed_cold": "how they were washed", "outage_h": "power cuts",
}
