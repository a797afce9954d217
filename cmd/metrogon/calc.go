package main

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"os"

	"metrogon/core/air"
	"metrogon/core/calendar"
	"metrogon/core/moisture"
	"metrogon/core/season/solve"
	"metrogon/core/species"
	"metrogon/core/storage"
)

type calcCmd struct {
	Name    string `arg:"" optional:"" help:"Calculator; none lists them."`
	Example bool   `help:"Print an input that works."`
}

// calculator turns one JSON object into one value, or says which field is wrong.
type calculator struct {
	name, says, example string
	run                 func(ctx context.Context, in []byte) (any, error)
}

var calculators = []calculator{
	{
		"compare", "whether groups of eggs differ by more than chance",
		`{"groups": [{"name": "Cabinet", "batches": [{"batch": "C-07", "n": 24, "k": 18},
			{"batch": "C-09", "n": 20, "k": 15}]},
			{"name": "Tabletop", "batches": [{"batch": "C-08", "n": 18, "k": 11}, {"batch": "C-09", "n": 20, "k": 13}]}]}`,
		calcCompare,
	},
	{
		"diagnose", "why eggs did not hatch: causes in order, with what speaks for and against each",
		`{"species": "chicken", "set": 48, "clear": 6, "early": 2, "middle": 1, "late": 11, "pipped_inside": 4,
			"pipped_dead": 2, "malpositioned": 0, "contaminated": 0, "cracked": 0, "hatched": 22, "not_opened": 0,
			"loss_pct": 8.1, "rh_lockdown_pct": 70, "shipped": false, "sticky": 4, "temp_offset_c": null}`,
		calcDiagnose,
	},
	{
		"fertility", "what calls, hatch and opening tell of the fertility of one pen's eggs in one batch",
		`{"done": true, "eggs": [{"calls": ["live"], "hatched": true}, {"calls": ["clear"], "removed": true},
			{"calls": ["unseen"], "hatched": true}, {"calls": ["unseen"], "hatched": false}]}`,
		calcFertility,
	},
	{
		"humidity", "moist air from dry bulb and one of wet bulb, relative humidity, dew point",
		`{"dry_bulb_c": 37.5, "wet_bulb_c": 29.4, "altitude_m": 350}`, calcHumidity,
	},
	{
		"laying", "what a pen will lay, from what it laid; or which of several pens lay less than they did",
		`{"record": [5, 6, 5, 7, 6, 5, 6, 6, 5, 6, 7, 5, 6, 6], "hens": 8, "days": 7}`, calcLaying,
	},
	{
		"moisture", "water lost from weighings, and the humidity that lands on the target",
		`{"fresh_mass_g": 62.4, "weighings": [{"day": 0, "mass_g": 62.4}, {"day": 9, "mass_g": 58.9}],
			"air_temp_c": 37.6, "rh_pct": 48, "target_loss_pct": 13, "target_day": 18}`,
		calcMoisture,
	},
	{
		"outage", "how cold eggs got while the power was away, how late they will be, what to do",
		`{"species": "chicken", "day": 14, "eggs": 36, "box": "cabinet", "room_c": 16, "hours": 7}`, calcOutage,
	},
	{
		"pedigree", "how inbred birds are, and the young of matings would be",
		`{"birds": [{"id": "Alder", "sire": null, "dam": null}, {"id": "Hazel", "sire": null, "dam": null},
			{"id": "Rowan", "sire": "Alder", "dam": "Hazel"}, {"id": "Sorrel", "sire": "Alder", "dam": "Hazel"}],
			"matings": [{"sire": "Rowan", "dam": "Sorrel"}]}`,
		calcPedigree,
	},
	{
		"plan", "a season of settings from promises, pens and machines, with a bound on how good any plan can be",
		planExample, calcPlan,
	},
	{
		"rates", "fertility and hatch of groups of eggs, with intervals",
		`{"groups": [{"name": "Pen A", "set": 41, "fertile": 33, "hatched": 23}, {"name": "Pen B", "batches":
			[{"set": 12, "fertile": 9, "hatched": 6}, {"set": 15, "fertile": 14, "hatched": 12}]}]}`, calcRates,
	},
	{
		"hatch", "a hatch as it goes: what is expected when, which eggs are late, what to do",
		`{"species": "chicken", "set_at": "2027-03-01T18:00:00Z", "zone": "Europe/London", "now": "2027-03-22T14:00:00Z",
			"eggs": 23, "events": [{"egg": 4, "kind": "pip", "at": "2027-03-21T20:30:00Z"},
			{"egg": 9, "kind": "pip", "at": "2027-03-21T23:00:00Z"}, {"kind": "out", "at": "2027-03-22T11:00:00Z", "n": 3}]}`,
		calcHatch,
	},
	{
		"regress", "what moves hatch: logistic regression over eggs",
		`{"on": ["days", "machine"], "cluster": "batch", "rows": [
			{"hatched": 1, "days": 2, "machine": "A", "batch": "C-07"},
			{"hatched": 1, "days": 3, "machine": "B", "batch": "C-08"},
			{"hatched": 0, "days": 9, "machine": "A", "batch": "C-07"},
			{"hatched": 1, "days": 8, "machine": "A", "batch": "C-07"},
			{"hatched": 0, "days": 4, "machine": "B", "batch": "C-08"},
			{"hatched": 0, "days": 11, "machine": "B", "batch": "C-09"},
			{"hatched": 1, "days": 1, "machine": "A", "batch": "C-09"},
			{"hatched": 1, "days": 5, "machine": "B", "batch": "C-09"}]}`,
		calcRegress,
	},
	{
		"reptile", "a clutch by its temperatures: what has developed, the hatch, the share of females", reptileExample,
		calcReptile,
	},
	{
		"schedule", "the milestones of a batch",
		`{"species": "chicken", "set_at": "2027-03-01T18:30:00Z", "zone": "Europe/London", "count_from": 0,
			"storage_days": 6}`,
		calcSchedule,
	},
	{
		"storage", "what waiting costs stored eggs, blended with a farm's own",
		`{"species": "chicken", "ages_days": [1, 7, 10], "own": [{"age_days": 1, "set": 60, "hatched": 48},
			{"age_days": 8, "set": 40, "hatched": 25}]}`,
		calcStorage,
	},
	{
		"setcount", "how many eggs to set for so many young",
		`{"wanted": 12, "confidence_pct": 90, "set": 41, "hatched": 23, "rho": 0.02}`, calcSetCount,
	},
	{
		"young", "how many young come of lots of eggs, and with what chance at least so many",
		`{"lots": [{"eggs": 18, "a": 62, "b": 20}, {"eggs": 12, "a": 30, "b": 22}], "ask": [15, 20]}`, calcYoung,
	},
}

func (c *calcCmd) Run(ctx context.Context) error {
	if c.Name == "" {
		for _, k := range calculators {
			fmt.Printf("%-10s %s\n", k.name, k.says)
		}
		return nil
	}
	for _, k := range calculators {
		if k.name != c.Name {
			continue
		}
		if c.Example {
			fmt.Println(k.example)
			return nil
		}
		in, err := io.ReadAll(io.LimitReader(os.Stdin, 64<<20))
		if err != nil {
			return err
		}
		out, err := k.run(ctx, in)
		if err != nil {
			return wrong{err}
		}
		text, err := json.Marshal(out)
		if err != nil {
			return err
		}
		fmt.Printf("%s\n", text)
		return nil
	}
	return wrong{fmt.Errorf("calculator: %q is not known; `metrogon calc` lists them", c.Name)}
}

// strict decodes one JSON object, no more; an error names the field.
func strict(in []byte, into any) error {
	d := json.NewDecoder(bytes.NewReader(in))
	d.DisallowUnknownFields()
	err := d.Decode(into)
	var mistyped *json.UnmarshalTypeError
	switch {
	case errors.As(err, &mistyped):
		if mistyped.Field == "" {
			return fmt.Errorf("input: a %s is given; it may be one JSON object", mistyped.Value)
		}
		return fmt.Errorf("%s: a %s is given; it may be a %s", mistyped.Field, mistyped.Value, mistyped.Type)
	case err == io.EOF:
		return errors.New("input: nothing is given; it may be one JSON object")
	case err != nil:
		return fmt.Errorf("input: %v", err)
	}
	if _, err := d.Token(); err != io.EOF {
		return errors.New("input: more than one JSON object is given; it may be one")
	}
	return nil
}

// planExample is one pen, one machine and one promise.
const planExample = `{"days": 60, "min_batch": 6, "egg_cost": 0.1, "setting_cost": 1,
	"species": [{"id": "chicken", "lockdown": 18, "pull": 22, "max_age": 7,
	"age_factor": [1, 1, 1, 1, 1, 0.99, 0.98, 0.96], "brood_places": 1, "brood_days": 28}],
	"sources": [{"id": "barred", "species": "chicken", "yield": 0.7, "kept": 0.88, "supply": [{"laid": 1,
	"eggs": 6}, {"laid": 3, "eggs": 7}, {"laid": 5, "eggs": 6}]}], "machines": [{"id": "cabinet",
	"set": {"chicken": 40}, "hatch": {"chicken": 30}, "clean_days": 1, "closed": []}], "brooder_places": 40,
	"away": [{"from": 12, "to": 14, "not": ["set", "lockdown", "pull"]}], "orders": [{"id": "market",
	"sources": ["barred"], "young": 12, "pull_from": 26, "pull_to": 32, "value": 3}], "seconds": 1}`

func calcPlan(ctx context.Context, in []byte) (any, error) {
	r, err := solve.ReadRequest(in)
	if err != nil {
		return nil, err
	}
	return r.Work(ctx, nil)
}

func between(field string, v, least, most float64) error {
	if !(v >= least && v <= most) {
		return fmt.Errorf("%s: %v is not possible; it may be %v to %v", field, v, least, most)
	}
	return nil
}

// pressureOf reads the pressure of the air, in kPa, given as it is or by the altitude.
func pressureOf(kPa, altitudeM *float64) (float64, error) {
	switch {
	case kPa != nil && altitudeM != nil:
		return 0, errors.New("altitude_m: given beside pressure_kpa; it may be one of them")
	case kPa != nil:
		return *kPa, nil
	case altitudeM != nil:
		return air.PressureAt(*altitudeM), between("altitude_m", *altitudeM, -500, 9000)
	}
	return air.StandardPressure, nil
}

func calcHumidity(ctx context.Context, in []byte) (any, error) {
	var q struct {
		DryBulbC    *float64 `json:"dry_bulb_c"`
		WetBulbC    *float64 `json:"wet_bulb_c"`
		RHPct       *float64 `json:"rh_pct"`
		DewPointC   *float64 `json:"dew_point_c"`
		PressureKPa *float64 `json:"pressure_kpa"`
		AltitudeM   *float64 `json:"altitude_m"`
	}
	if err := strict(in, &q); err != nil {
		return nil, err
	}
	if q.DryBulbC == nil {
		return nil, errors.New("dry_bulb_c: missing; it may be -50 to 100")
	}
	pressure, err := pressureOf(q.PressureKPa, q.AltitudeM)
	if err != nil {
		return nil, err
	}
	ways := []struct {
		x    *float64
		from func(dry, x, pressure float64) (air.State, error)
	}{{q.WetBulbC, air.FromWetBulb}, {q.RHPct, air.FromRH}, {q.DewPointC, air.FromDewPoint}}
	var given []int
	for i, w := range ways {
		if w.x != nil {
			given = append(given, i)
		}
	}
	if len(given) != 1 {
		return nil, fmt.Errorf("wet_bulb_c, rh_pct, dew_point_c: %d are given; it may be exactly one", len(given))
	}
	way := ways[given[0]]
	return way.from(*q.DryBulbC, *way.x, pressure)
}

type scheduleInput struct {
	Species     string             `json:"species"`
	SetAt       string             `json:"set_at"`
	Zone        string             `json:"zone"`
	CountFrom   int                `json:"count_from"`
	StorageDays float64            `json:"storage_days"`
	Bantam      bool               `json:"bantam"`
	TempC       *float64           `json:"temp_c"` // reptiles
	TempOffsetC float64            `json:"temp_offset_c"`
	OffsetDays  float64            `json:"offset_days"`
	ChoreAt     string             `json:"chore_at"` // hour of chores; default the hour of setting
	Overrides   calendar.Overrides `json:"overrides"`
}

func calcSchedule(ctx context.Context, in []byte) (any, error) {
	var q scheduleInput
	if err := strict(in, &q); err != nil {
		return nil, err
	}
	b := calendar.Batch{
		Counting: calendar.Counting(q.CountFrom), StorageDays: q.StorageDays, Bantam: q.Bantam, Overrides: q.Overrides,
	}
	var err error
	if b.Species, err = species.Find(q.Species); err != nil {
		return nil, err
	}
	if b.SetAt, err = momentOf("set_at", q.SetAt); err != nil {
		return nil, err
	}
	if b.Zone, err = zoneOf(q.Zone); err != nil {
		return nil, err
	}
	if q.CountFrom != 0 && q.CountFrom != 1 {
		return nil, fmt.Errorf("count_from: %d is no way of counting; it may be 0 or 1", q.CountFrom)
	}
	if q.ChoreAt != "" {
		hour, err := calendar.ParseWallTime(q.ChoreAt)
		if err != nil {
			return nil, fmt.Errorf("chore_at: %w", err)
		}
		b.ChoreAt = &hour
	}
	b.TempC, b.OffsetC, b.OffsetDays = b.Species.TemperatureC.At, q.TempOffsetC, q.OffsetDays
	if q.TempC != nil && !b.Species.IsReptile() {
		return nil, fmt.Errorf("temp_c: %g for a bird; say by how much its machine was too warm as temp_offset_c", *q.TempC)
	}
	if q.TempC != nil {
		b.TempC = *q.TempC
	}
	milestones, err := calendar.Schedule(b)
	if err != nil {
		return nil, err
	}
	out := map[string]any{"milestones": milestones}
	if warnings := b.Warnings(); warnings != nil {
		out["warnings"] = warnings
	}
	if b.Extrapolated() {
		out["extrapolated"] = true
	}
	return out, nil
}

func calcStorage(ctx context.Context, in []byte) (any, error) {
	var q struct {
		Species  string    `json:"species"`
		AgesDays []float64 `json:"ages_days"`
		Own      []struct {
			AgeDays float64 `json:"age_days"`
			Set     int     `json:"set"`
			Hatched int     `json:"hatched"`
		} `json:"own"`
	}
	if err := strict(in, &q); err != nil {
		return nil, err
	}
	kind, err := species.Find(q.Species)
	if err != nil {
		return nil, err
	}
	if len(q.AgesDays) == 0 {
		return nil, errors.New("ages_days: none is given; it may be a list of ages, 0 to 60")
	}
	for i, age := range q.AgesDays {
		if err := between(fmt.Sprintf("ages_days[%d]", i), age, 0, 60); err != nil {
			return nil, err
		}
	}
	var own []storage.Own
	for i, o := range q.Own {
		at := fmt.Sprintf("own[%d].", i)
		if err := cmp.Or(
			between(at+"age_days", o.AgeDays, 0, 60), between(at+"set", float64(o.Set), 0, 1e7),
			between(at+"hatched", float64(o.Hatched), 0, float64(o.Set)),
		); err != nil {
			return nil, err
		}
		own = append(own, storage.Own{AgeDays: o.AgeDays, Set: o.Set, Hatched: o.Hatched})
	}
	curve := storage.Blend(kind, own)
	type weight struct {
		AgeDays   float64 `json:"age_days"`
		Eggs      float64 `json:"own_eggs"` // as many as count at that age
		Share     float64 `json:"own_share_pct"`
		Published float64 `json:"published"`
	}
	out := struct {
		Relative []float64 `json:"relative"` // 1: as a fresh egg
		Low      []float64 `json:"low"`
		High     []float64 `json:"high"`
		OwnEggs  int       `json:"own_eggs"`
		Blend    []weight  `json:"blend,omitempty"`
	}{OwnEggs: curve.Eggs}
	for _, age := range q.AgesDays {
		low, high := curve.Bounds(age)
		out.Relative = append(out.Relative, curve.Relative(age))
		out.Low, out.High = append(out.Low, low), append(out.High, high)
		if curve.Eggs > 0 {
			share, eggs := curve.Weight(age)
			out.Blend = append(out.Blend, weight{age, eggs, 100 * share, storage.Relative(kind, age)})
		}
	}
	return out, nil
}

type moistureInput struct {
	FreshMassG *float64 `json:"fresh_mass_g"`
	LengthMM   *float64 `json:"length_mm"`
	BreadthMM  *float64 `json:"breadth_mm"`
	Weighings  []struct {
		Day      float64   `json:"day"`
		MassG    float64   `json:"mass_g"`
		Eggs     int       `json:"eggs"`
		RemovedG []float64 `json:"removed_g"`
	} `json:"weighings"`
	AirTempC *float64 `json:"air_temp_c"`
	EggTempC *float64 `json:"egg_temp_c"`
	RHPct    *float64 `json:"rh_pct"`
	RH       []struct {
		FromDay float64 `json:"from_day"`
		ToDay   float64 `json:"to_day"`
		RHPct   float64 `json:"rh_pct"`
	} `json:"rh"`
	TargetLossPct *float64 `json:"target_loss_pct"`
	TargetDay     *float64 `json:"target_day"`
	AltitudeM     float64  `json:"altitude_m"`
	G             *float64 `json:"g_mg_day_kpa"` // at sea level
	ScaleStepG    float64  `json:"scale_step_g"`
	EggsWeighed   int      `json:"eggs_weighed"`
}

func calcMoisture(ctx context.Context, in []byte) (any, error) {
	var q moistureInput
	if err := strict(in, &q); err != nil {
		return nil, err
	}
	l := moisture.Lot{AltitudeM: q.AltitudeM}
	for _, read := range []func(*moisture.Lot) error{q.needed, q.fresh, q.humidity} {
		if err := read(&l); err != nil {
			return nil, err
		}
	}
	for _, w := range q.Weighings {
		l.Weighings = append(
			l.Weighings, moisture.Weighing{Day: w.Day, MassG: w.MassG, Eggs: w.Eggs, RemovedG: w.RemovedG},
		)
		if err := between("weighings.eggs", float64(w.Eggs), 0, 1e5); err != nil {
			return nil, err
		}
	}
	l.ScaleStepG, l.EggsWeighed = q.ScaleStepG, q.EggsWeighed
	if err := cmp.Or(
		between("scale_step_g", q.ScaleStepG, 0, 1000), between("eggs_weighed", float64(q.EggsWeighed), 0, 1e5),
	); err != nil {
		return nil, err
	}
	if q.G != nil {
		if err := between("g_mg_day_kpa", *q.G, 0.1, 20000); err != nil {
			return nil, err
		}
		l.KnownG = *q.G
	}
	o, err := moisture.Work(l)
	if err != nil {
		return nil, err
	}
	return moistureOutput(o), nil
}

// needed reads what has to be given.
func (q moistureInput) needed(l *moisture.Lot) error {
	for _, need := range []struct {
		field string
		v     *float64
		into  *float64
	}{
		{"air_temp_c", q.AirTempC, &l.AirTempC}, {"target_loss_pct", q.TargetLossPct, &l.TargetPct},
		{"target_day", q.TargetDay, &l.TargetDay},
	} {
		if need.v == nil {
			return fmt.Errorf("%s: missing; it may be a number", need.field)
		}
		*need.into = *need.v
	}
	l.EggTempC = l.AirTempC
	if q.EggTempC != nil {
		l.EggTempC = *q.EggTempC
	}
	return nil
}

// fresh reads the fresh egg, weighed or measured.
func (q moistureInput) fresh(l *moisture.Lot) error {
	switch {
	case (q.LengthMM == nil) != (q.BreadthMM == nil):
		return errors.New("breadth_mm, length_mm: one is given; it may be both or neither")
	case q.LengthMM != nil:
		if err := cmp.Or(
			between("length_mm", *q.LengthMM, 5, 250), between("breadth_mm", *q.BreadthMM, 4, 200),
		); err != nil {
			return err
		}
		l.FreshMassG = moisture.FreshMass(*q.LengthMM, *q.BreadthMM)
		l.VolumeCM3 = moisture.Volume(*q.LengthMM, *q.BreadthMM)
	}
	switch {
	case q.FreshMassG != nil:
		l.FreshMassG = *q.FreshMassG
	case q.LengthMM == nil:
		return errors.New("fresh_mass_g: missing; it may be a mass in g, or length_mm and breadth_mm are given")
	}
	return nil
}

// humidity reads what was held so far, at once or in periods.
func (q moistureInput) humidity(l *moisture.Lot) error {
	switch {
	case q.RHPct != nil && len(q.RH) > 0:
		return errors.New("rh: given beside rh_pct; it may be one of them")
	case q.RHPct != nil:
		if err := between("rh_pct", *q.RHPct, 0, 100); err != nil {
			return err
		}
		l.RH = []moisture.Period{{FromDay: 0, ToDay: calendar.MaxDays, RHPct: *q.RHPct}}
	}
	for _, p := range q.RH {
		l.RH = append(l.RH, moisture.Period{FromDay: p.FromDay, ToDay: p.ToDay, RHPct: p.RHPct})
	}
	return nil
}

func moistureOutput(o moisture.Outlook) any {
	out := struct {
		G            float64  `json:"g_mg_day_kpa"`
		GLow         float64  `json:"g_low"`
		GHigh        float64  `json:"g_high"`
		GSeaLevel    float64  `json:"g_sea_level_mg_day_kpa"`
		LossPct      float64  `json:"loss_pct"`
		ProjectedPct float64  `json:"projected_loss_pct"`
		RequiredRH   *float64 `json:"required_rh_pct"`
		Attainable   bool     `json:"attainable"`
		BestRH       *float64 `json:"best_rh_pct"`
		BestLoss     *float64 `json:"best_loss_pct"`
		AirCell      float64  `json:"air_cell_volume_cm3"`
		RequiredLow  *float64 `json:"required_rh_low_pct"`
		RequiredHigh *float64 `json:"required_rh_high_pct"`
		AgainDay     *float64 `json:"weigh_again_day,omitempty"`
		AgainWithin  *float64 `json:"known_within_points,omitempty"`
		GExpected    float64  `json:"g_expected_mg_day_kpa"`
		Hygrometer   bool     `json:"check_hygrometer,omitempty"`
		Why          string   `json:"why,omitempty"` // there is no advice
	}{
		G: o.G, GLow: o.GLow, GHigh: o.GHigh, GSeaLevel: o.GSeaLevel, LossPct: o.LossPct, ProjectedPct: o.ProjectedPct,
		Attainable: o.Attainable, AirCell: o.AirCellCM3,
	}
	if o.NoLoss {
		out.Why = "no loss to be seen yet: weigh again after two or three days"
		return out
	}
	out.RequiredRH, out.BestRH, out.BestLoss = &o.RequiredRHPct, &o.BestRHPct, &o.BestLossPct
	out.RequiredLow, out.RequiredHigh = &o.RequiredLow, &o.RequiredHigh
	out.GExpected, out.Hygrometer = o.GExpected, o.CheckHygrometer
	if !o.Sure {
		out.Why = "the weighings do not carry an advice yet"
		if o.AgainDay > 0 {
			out.AgainDay, out.AgainWithin = &o.AgainDay, &o.AgainWithin
			out.Why = fmt.Sprintf("weigh again on day %.0f: it will be known within ±%.0f points then", o.AgainDay,
				math.Ceil(o.AgainWithin))
		}
	}
	return out
}
