package main

import (
	"encoding/json"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func calc(t *testing.T, name, in string) map[string]any {
	t.Helper()
	for _, k := range calculators {
		if k.name == name {
			out, err := k.run(t.Context(), []byte(in))
			require.NoError(t, err, in)
			text, err := json.Marshal(out)
			require.NoError(t, err)
			var m map[string]any
			require.NoError(t, json.Unmarshal(text, &m))
			return m
		}
	}
	t.Fatalf("no calculator %s", name)
	return nil
}

// Computed with PsychroLib 2.5. Tolerances: 0.1 RH point, 0.05 °C, 0.1 % of a
// pressure.
func TestHumidityAgainstPsychroLib(t *testing.T) {
	for _, c := range []struct {
		in                        string
		rh, wet, dew, vapour, sat float64
	}{
		{
			`{"dry_bulb_c":37.6,"pressure_kpa":101.325,"wet_bulb_c":30}`, 57.825063202538, 30, 27.864488724863,
			3.7524417378384, 6.4892998468416,
		},
		{`{"dry_bulb_c":37.5,"rh_pct":55}`, 55, 29.314406498942, 26.916188776283, 3.5497942778487, 6.4541714160886},
		{
			`{"dry_bulb_c":37.7,"dew_point_c":26.5}`, 53.090070145685, 29.071337888441, 26.5, 3.4639112758767,
			6.5245935188469,
		},
		{
			`{"dry_bulb_c":37.5,"altitude_m":1500,"wet_bulb_c":29.5}`, 57.249547986035, 29.5, 27.60023380545,
			3.6949839619546, 6.4541714160886,
		},
		{`{"dry_bulb_c":18,"rh_pct":75}`, 75, 15.222831431889, 13.506948768645, 1.5482187292025, 2.0642916389367},
	} {
		out := calc(t, "humidity", c.in)
		assert.InDelta(t, c.rh, out["rh_pct"], 0.1, c.in)
		assert.InDelta(t, c.wet, out["wet_bulb_c"], 0.05, c.in)
		assert.InDelta(t, c.dew, out["dew_point_c"], 0.05, c.in)
		assert.InEpsilon(t, c.vapour, out["vapour_pressure_kpa"], 1e-3, c.in)
		assert.InEpsilon(t, c.sat, out["saturation_kpa"], 1e-3, c.in)
	}
}

// Computed with R 4.2.2.
func TestRatesAndSetCountAgainstR(t *testing.T) {
	out := calc(
		t, "rates",
		`{"groups":[{"name":"A","set":41,"hatched":23},{"name":"B","set":120,"fertile":120,
			"hatched":90},{"name":"C","set":12,"fertile":0,"hatched":0}]}`,
	)
	groups := out["groups"].([]any)
	a, b, c := groups[0].(map[string]any), groups[1].(map[string]any), groups[2].(map[string]any)
	assert.InDelta(t, 41.040527222106, a["hatch_of_set"].(map[string]any)["low_pct"], 1e-6)
	assert.InDelta(t, 70.10986826345, a["hatch_of_set"].(map[string]any)["high_pct"], 1e-6)
	assert.NotContains(t, a, "fertility", "a group that was never candled gets hatch of set only")
	assert.InDelta(t, 81.89017834319, b["hatch_of_fertile"].(map[string]any)["high_pct"], 1e-6)
	assert.InDelta(t, 24.249400665524, c["fertility"].(map[string]any)["high_pct"], 1e-6)

	// Beta-binomial by maximum likelihood in R: a 1.77, b 1.75. Weighing all readings draws pens up to
	// five points more together.
	pooled := calc(t, "rates", `{"groups":[{"name":"A","set":12,"hatched":5},{"name":"B","set":15,"hatched":12},
		{"name":"C","set":14,"hatched":3},{"name":"D","set":20,"hatched":18},{"name":"E","set":24,"hatched":9},
		{"name":"F","set":10,"hatched":2}]}`)
	prior := pooled["prior"].(map[string]any)["hatch_of_set"].(map[string]any)
	assert.InDelta(t, prior["a"], prior["b"], .5)
	assert.InDelta(t, 25, prior["sd_points"], 8, "√(1.77 · 1.75 / (3.52² · 4.52)) = 0.23")
	for i, want := range []float64{
		.43621994927131, .74351568732793, .27227469348376, .84055442531456, .39135778272812, .27886448564588,
	} {
		rate := pooled["groups"].([]any)[i].(map[string]any)["hatch_of_set"].(map[string]any)
		assert.InDelta(t, 100*want, rate["pooled_pct"], 5.5, "group %d", i)
	}

	for _, c := range []struct {
		in        string
		eggs      float64
		at, fewer float64
	}{
		{`{"wanted":12,"confidence_pct":80,"a":23.5,"b":18.5}`, 26, 82.814760179462, 78.711302948737},
		{`{"wanted":6,"confidence_pct":50,"set":12,"hatched":7}`, 10, 56.283950805664, 45.097351074219},
		{`{"wanted":20,"confidence_pct":95,"set":120,"hatched":90}`, 33, 96.120720209936, 93.986880798287},
		{`{"wanted":1,"confidence_pct":90,"a":4.5,"b":5.5}`, 5, 90.987723214286, 86.71875},
		{`{"wanted":10,"confidence_pct":90,"a":23.5,"b":18.5}`, 24, 90.082042405472, 87.203675304499},
	} {
		out := calc(t, "setcount", c.in)
		assert.Equal(t, c.eggs, out["eggs"], c.in)
		assert.InDelta(t, c.at, out["prob_pct"], 1e-7, c.in)
		assert.InDelta(t, c.fewer, out["prob_one_fewer_pct"], 1e-7, c.in)
	}
}

// Instants from the IANA time zone data: the chicken's day 21 is elapsed time,
// chores keep the wall clock.
func TestScheduleAgainstIANA(t *testing.T) {
	for _, c := range []struct{ set, zone, hatch, clearOut string }{
		{"2027-03-20T09:00:00Z", "Europe/London", "2027-04-10T10:00:00+01:00", "2027-04-12T09:00:00+01:00"},
		{"2026-10-20T18:30:00-05:00", "America/Chicago", "2026-11-10T17:30:00-06:00", "2026-11-12T18:30:00-06:00"},
		{"2026-09-20T07:15:00+10:00", "Australia/Sydney", "2026-10-11T08:15:00+11:00", "2026-10-13T07:15:00+11:00"},
		{"2028-02-08T20:00:00+05:30", "Asia/Kolkata", "2028-02-29T20:00:00+05:30", "2028-03-02T20:00:00+05:30"},
	} {
		out := calc(t, "schedule", `{"species":"chicken","set_at":"`+c.set+`","zone":"`+c.zone+`","count_from":1}`)
		at := map[string]string{}
		for _, m := range out["milestones"].([]any) {
			m := m.(map[string]any)
			at[m["kind"].(string)] = m["at"].(string)
		}
		same := func(want, got string) {
			w, err := time.Parse(time.RFC3339, want)
			require.NoError(t, err)
			g, err := time.Parse(time.RFC3339, got)
			require.NoError(t, err)
			assert.True(t, w.Equal(g) && want == got, "%s: want %s, got %s", c.zone, want, got)
		}
		same(c.hatch, at["hatch"])
		same(c.clearOut, at["clear-out"]) // hatch to day 22, and one more
	}
}

// After Yassin et al. 2008 and Fasenko 2007, from memory: see core/storage.
func TestStorageAgainstTheCurve(t *testing.T) {
	out := calc(t, "storage", `{"species":"chicken","ages_days":[1,5,7,9,12,14,20]}`)
	for i, want := range [][3]float64{
		{1, 1, 1}, {.9925, .97, 1}, {.985, .95, 1}, {.965, .91, .99}, {.9275, .835, .97}, {.9, .78, .955},
		{.75, .54, .88333},
	} {
		assert.InDelta(t, want[0], out["relative"].([]any)[i], 1e-4)
		assert.InDelta(t, want[1], out["low"].([]any)[i], 1e-4)
		assert.InDelta(t, want[2], out["high"].([]any)[i], 1e-4)
	}
	assert.NotContains(t, out, "blend", "without own eggs there is none")
	own := calc(
		t, "storage",
		`{"species":"chicken","ages_days":[1,7],"own":[{"age_days":1,"set":400,"hatched":320},{"age_days":7,
			"set":400,"hatched":200}]}`,
	)
	assert.Less(t, own["relative"].([]any)[1], .70)
	assert.InDelta(t, 100*400./440, own["blend"].([]any)[1].(map[string]any)["own_share_pct"], 1e-9)
}

// R 4.2.2 with saturation pressures of PsychroLib 2.5.0.
func TestMoistureAgainstR(t *testing.T) {
	two := calc(
		t, "moisture",
		`{"fresh_mass_g":62.4,"weighings":[{"day":0,"mass_g":62.4},{"day":10,"mass_g":58.1}],"air_temp_c":37.6,
			"rh_pct":50,"target_loss_pct":12,"target_day":18}`,
	)
	assert.InDelta(t, 132.52585337362, two["g_mg_day_kpa"], .005)
	known := calc(
		t, "moisture",
		`{"fresh_mass_g":62.4,"weighings":[{"day":9,"mass_g":58.9}],"air_temp_c":37.6,"rh":[{"from_day":0,
			"to_day":9,"rh_pct":50}],"target_loss_pct":13,"target_day":18,"g_mg_day_kpa":120}`,
	)
	assert.InDelta(t, 34.193665400609, known["required_rh_pct"], .01)
	assert.Equal(t, true, known["attainable"])
	none := calc(
		t, "moisture",
		`{"length_mm":57,"breadth_mm":42,"weighings":[],"air_temp_c":37.5,"rh_pct":52,"target_loss_pct":12,
			"target_day":18,"g_mg_day_kpa":125}`,
	)
	assert.InDelta(t, 11.61750854896*60/55.100304, none["projected_loss_pct"], .001)
}

func TestExamplesWork(t *testing.T) {
	for _, k := range calculators {
		_, err := k.run(t.Context(), []byte(k.example))
		assert.NoError(t, err, k.name)
	}
}

func TestMistakesNameTheField(t *testing.T) {
	for _, c := range []struct{ name, in, says string }{
		{"humidity", ``, "input: nothing"},
		{"humidity", `[1]`, "input: a array is given"},
		{"humidity", `{"dry_bulb_c":37} {}`, "more than one"},
		{"humidity", `{"dry_bulb":37}`, `unknown field "dry_bulb"`},
		{"humidity", `{"dry_bulb_c":"hot","rh_pct":5}`, "dry_bulb_c: a string is given"},
		{"humidity", `{"rh_pct":50}`, "dry_bulb_c: missing"},
		{"humidity", `{"dry_bulb_c":37,"rh_pct":50,"dew_point_c":4}`, "exactly one"},
		{"humidity", `{"dry_bulb_c":37,"rh_pct":500}`, "rh_pct: 500"},
		{"humidity", `{"dry_bulb_c":37,"rh_pct":50,"altitude_m":99999}`, "altitude_m: 99999"},
		{"humidity", `{"dry_bulb_c":1e300,"rh_pct":50}`, "dry_bulb_c"},
		{"schedule", `{"species":"phoenix","set_at":"2027-03-01T18:30:00Z","zone":"UTC"}`, `species: "phoenix"`},
		{"schedule", `{"species":"duck","set_at":"tomorrow","zone":"UTC"}`, `set_at: "tomorrow"`},
		{"schedule", `{"species":"duck","set_at":"9999-03-01T18:30:00Z","zone":"UTC"}`, "set_at"},
		{"schedule", `{"species":"duck","set_at":"2027-03-01T18:30:00Z","zone":"Moon"}`, `zone: "Moon"`},
		{"schedule", `{"species":"duck","set_at":"2027-03-01T18:30:00Z","zone":"UTC","count_from":2}`, "count_from: 2"},
		{
			"schedule", `{"species":"duck","set_at":"2027-03-01T18:30:00Z","zone":"UTC","storage_days":-1}`,
			"storage_days: -1",
		},
		{"schedule", `{"species":"duck","set_at":"2027-03-01T18:30:00Z","zone":"UTC","bantam":true}`, "bantam"},
		{
			"schedule",
			`{"species":"duck","set_at":"2027-03-01T18:30:00Z","zone":"UTC","overrides":{"lockdown":1000000}}`,
			"overrides.lockdown",
		},
		{
			"schedule", `{"species":"leopard-gecko","set_at":"2027-03-01T18:30:00Z","zone":"UTC","temp_c":90}`,
			"temp_c: 90",
		},
		{"moisture", `{}`, "air_temp_c: missing"},
		{"moisture", `{"air_temp_c":37.5,"target_loss_pct":12,"target_day":18,"rh_pct":50}`, "fresh_mass_g: missing"},
		{
			"moisture", `{"air_temp_c":37.5,"target_loss_pct":12,"target_day":18,"rh_pct":50,"length_mm":5}`,
			"it may be both",
		},
		{
			"moisture", `{"air_temp_c":37.5,"target_loss_pct":12,"target_day":18,"rh_pct":500,"fresh_mass_g":60}`,
			"rh_pct: 500",
		},
		{
			"moisture", `{"air_temp_c":37.5,"target_loss_pct":12,"target_day":18,"rh_pct":50,"fresh_mass_g":60}`,
			"weighings: one after",
		},
		{
			"moisture",
			`{"air_temp_c":37.5,"target_loss_pct":12,"target_day":18,"rh_pct":50,"fresh_mass_g":60,
				"weighings":[{"day":3,"mass_g":90}]}`,
			"weighings[0].mass_g: 90 is more",
		},
		{"plan", `{"days": 1000000}`, "min_batch: missing"},
		{"plan", strings.Replace(planExample, `"days": 60`, `"days": 1000000`, 1), "days: 1e+06 is not possible"},
		{"plan", strings.Replace(planExample, `"eggs": 7`, `"eggs": -7`, 1), "sources[0].supply[1].eggs: -7"},
		{
			"plan", strings.Replace(planExample, `"sources": ["barred"]`, `"sources": ["ghost"]`, 1),
			`orders[0].sources[0]: "ghost" is not known`,
		},
		{"plan", strings.Replace(planExample, `"yield": 0.7`, `"yield": NaN`, 1), "invalid character"},
		{"storage", `{"species":"chicken"}`, "ages_days: none"},
		{"storage", `{"species":"chicken","ages_days":[1,-2]}`, "ages_days[1]: -2"},
		{
			"storage", `{"species":"chicken","ages_days":[1],"own":[{"age_days":1,"set":3,"hatched":4}]}`,
			"own[0].hatched: 4",
		},
		{
			"storage", `{"species":"chicken","ages_days":[1],"own":[{"age_days":99,"set":3,"hatched":1}]}`,
			"own[0].age_days: 99",
		},
		{"storage", `{"species":"phoenix","ages_days":[1]}`, "species"},
		{"rates", `{"groups":[]}`, "groups: none"},
		{"rates", `{"groups":[{"set":5,"hatched":6}]}`, "groups[0].hatched: 6"},
		{"rates", `{"groups":[{"set":5,"fertile":9,"hatched":2}]}`, "groups[0].fertile: 9"},
		{"rates", `{"groups":[{"set":-5,"hatched":0}]}`, "groups[0].set: -5"},
		{"rates", `{"groups":[{"set":5.5,"hatched":0}]}`, "set: a number 5.5 is given"},
		{"setcount", `{"wanted":0,"confidence_pct":90,"a":1,"b":1}`, "wanted: 0"},
		{"setcount", `{"wanted":5,"confidence_pct":100,"a":1,"b":1}`, "confidence_pct: 100"},
		{"setcount", `{"wanted":5,"confidence_pct":90,"a":1}`, "a with b, or set with hatched"},
		{"setcount", `{"wanted":5,"confidence_pct":90,"a":0,"b":1}`, "a: 0"},
		{"setcount", `{"wanted":5,"confidence_pct":90,"set":3,"hatched":4}`, "hatched: 4"},
		{"setcount", `{"wanted":100000,"confidence_pct":99,"set":30,"hatched":4}`, "wanted: more than"},
	} {
		for _, k := range calculators {
			if k.name == c.name {
				_, err := k.run(t.Context(), []byte(c.in))
				assert.ErrorContains(t, err, c.says, "%s %s", c.name, c.in)
			}
		}
	}
}

// Whatever is typed, a calculator answers or says in a line what is wrong.
func FuzzCalc(f *testing.F) {
	for _, k := range calculators {
		if k.name != "plan" { // that has a target of its own
			f.Add(k.name, k.example)
			f.Add(k.name, "{}")
			f.Add(k.name, strings.ReplaceAll(k.example, "1", "-1e308"))
		}
	}
	f.Fuzz(func(t *testing.T, name, in string) {
		for _, k := range calculators {
			if k.name != name || name == "plan" {
				continue
			}
			out, err := k.run(t.Context(), []byte(in))
			if err != nil {
				assert.NotContains(t, err.Error(), "\n")
				continue
			}
			_, err = json.Marshal(out)
			assert.NoError(t, err, "%s: %s", name, in)
		}
	})
}
