package main

import (
	"context"
	"encoding/json"
	"fmt"

	"metrogon/core/diagnosis"
	"metrogon/core/species"
)

type diagnoseInput struct {
	Species       string `json:"species"`
	Set           *int   `json:"set"`
	Clear         int    `json:"clear"`
	Early         int    `json:"early"`
	Middle        int    `json:"middle"`
	Late          int    `json:"late"`
	PippedInside  int    `json:"pipped_inside"`
	PippedDead    int    `json:"pipped_dead"`
	Malpositioned int    `json:"malpositioned"`
	Contaminated  int    `json:"contaminated"`
	Cracked       int    `json:"cracked"`
	Hatched       int    `json:"hatched"`
	NotOpened     int    `json:"not_opened"`

	TempOffsetC       *float64 `json:"temp_offset_c"`
	TempSwingC        *float64 `json:"temp_swing_c"`
	LossPct           *float64 `json:"loss_pct"`
	TargetLossPct     *float64 `json:"target_loss_pct"`
	RHLockdownPct     *float64 `json:"rh_lockdown_pct"`
	LidOpenedMin      *float64 `json:"lid_opened_min"`
	StorageDays       *float64 `json:"storage_days"`
	StorageTempC      *float64 `json:"storage_temp_c"`
	Shipped           *many    `json:"shipped"`
	TurningGapH       *float64 `json:"turning_gap_h"`
	TurnsPerDay       *float64 `json:"turns_per_day"`
	PointUp           *many    `json:"point_up"`
	HatchStartDay     *float64 `json:"hatch_start_day"`
	HatchSpanH        *float64 `json:"hatch_span_h"`
	Weak              *many    `json:"weak"`
	BloodyNavels      *many    `json:"bloody_navels"`
	Splayed           *many    `json:"splayed"`
	Sticky            *many    `json:"sticky"`
	FemalesPerMale    *float64 `json:"females_per_male"`
	DaysSinceMale     *float64 `json:"days_since_male"`
	YoungLayers       *many    `json:"young_layers"`
	WashedCold        *many    `json:"washed_cold"`
	OutageH           *float64 `json:"outage_h"`
	UsualFertilityPct *float64 `json:"usual_fertility_pct"`
	UsualHatchPct     *float64 `json:"usual_hatch_of_fertile_pct"`
}

// many is so many eggs or young, or true where nobody counted them, or false for none.
type many struct {
	n    float64
	told bool // as true or false
}

func (m *many) UnmarshalJSON(text []byte) error {
	var yes bool
	if json.Unmarshal(text, &yes) == nil {
		*m = many{told: true}
		if yes {
			m.n = 1
		}
		return nil
	}
	return json.Unmarshal(text, &m.n)
}

// Of young somebody saw with a fault, and did not count, so large a share is taken.
const someYoung = 0.2

// share turns it into a share of the eggs or young; a plain true is taken as so much.
func (m *many) share(field string, of int, yes float64) (*float64, error) {
	if m == nil {
		return nil, nil
	}
	s := m.n * yes
	if !m.told {
		if !(m.n >= 0 && m.n <= float64(of)) {
			return nil, fmt.Errorf("%s: %g is not possible; it may be true, false or 0 to %d", field, m.n, of)
		}
		s = m.n / max(1, float64(of))
	}
	return &s, nil
}

func calcDiagnose(_ context.Context, text []byte) (any, error) {
	var q diagnoseInput
	if err := strict(text, &q); err != nil {
		return nil, err
	}
	b, err := q.batch()
	if err != nil {
		return nil, err
	}
	r := b.Diagnose()
	causes := []map[string]any{}
	for _, c := range r.Causes {
		causes = append(causes, map[string]any{
			"id": c.ID, "chance_pct": c.Pct, "for": texts(c.For), "against": texts(c.Against), "try": c.Try,
		})
	}
	return map[string]any{"enough": r.Enough, "says": r.Says, "causes": causes}, nil
}

func texts(all []diagnosis.Evidence) []string {
	said := []string{}
	for _, e := range all {
		said = append(said, e.Text)
	}
	return said
}

// batch is what is to be diagnosed; an error names the field at fault.
func (q *diagnoseInput) batch() (b diagnosis.Batch, err error) {
	if b.Kind, err = species.Find(q.Species); err != nil {
		return b, err
	}
	if b.Kind.IsReptile() {
		return b, fmt.Errorf("species: causes are weighed for birds’ eggs, not for %s", b.Kind.Name)
	}
	b.Counts = diagnosis.Counts{
		Clear: q.Clear, Early: q.Early, Middle: q.Middle, Late: q.Late, PippedInside: q.PippedInside,
		PippedDead: q.PippedDead, Malpositioned: q.Malpositioned, Contaminated: q.Contaminated, Cracked: q.Cracked,
		Hatched: q.Hatched, NotOpened: q.NotOpened,
	}
	if err := q.counted(b.Set()); err != nil {
		return b, err
	}
	b.Facts = diagnosis.Facts{
		TempOffsetC: q.TempOffsetC, TempSwingC: q.TempSwingC, LossPct: q.LossPct, TargetPct: q.TargetLossPct,
		RHLockdown: q.RHLockdownPct, LidOpenedMin: q.LidOpenedMin, StorageDays: q.StorageDays,
		StorageTempC: q.StorageTempC, TurningGapH: q.TurningGapH, TurnsPerDay: q.TurnsPerDay, StartDay: q.HatchStartDay,
		SpanH: q.HatchSpanH, FemalesPerMale: q.FemalesPerMale, DaysSinceMale: q.DaysSinceMale, OutageH: q.OutageH,
		FertilityPct: q.UsualFertilityPct, HatchPct: q.UsualHatchPct,
	}
	for _, s := range []struct {
		field string
		of    int
		yes   float64
		from  *many
		to    **float64
	}{
		{"shipped", b.Set(), 1, q.Shipped, &b.Shipped}, {"point_up", b.Set(), 1, q.PointUp, &b.PointUp},
		{"young_layers", b.Set(), 1, q.YoungLayers, &b.YoungLayers},
		{"washed_cold", b.Set(), 1, q.WashedCold, &b.WashedCold},
		{"weak", b.Hatched, someYoung, q.Weak, &b.Weak}, {"splayed", b.Hatched, someYoung, q.Splayed, &b.Splayed},
		{"bloody_navels", b.Hatched, someYoung, q.BloodyNavels, &b.BloodyNavels},
		{"sticky", b.Hatched, someYoung, q.Sticky, &b.Sticky},
	} {
		if *s.to, err = s.from.share(s.field, s.of, s.yes); err != nil {
			return b, err
		}
	}
	return b, b.Check()
}

// counted checks the ends of the eggs.
func (q *diagnoseInput) counted(sum int) error {
	for _, n := range []struct {
		field string
		n     int
	}{
		{"clear", q.Clear}, {"early", q.Early}, {"middle", q.Middle}, {"late", q.Late},
		{"pipped_inside", q.PippedInside}, {"pipped_dead", q.PippedDead}, {"malpositioned", q.Malpositioned},
		{"contaminated", q.Contaminated}, {"cracked", q.Cracked}, {"hatched", q.Hatched}, {"not_opened", q.NotOpened},
	} {
		if n.n < 0 || n.n > mostEggs {
			return fmt.Errorf("%s: %d is not possible; it may be 0 to %d", n.field, n.n, mostEggs)
		}
	}
	switch {
	case q.Set == nil:
		return fmt.Errorf("set: missing; it may be 1 to %d", mostEggs)
	case *q.Set < 1 || *q.Set > mostEggs:
		return fmt.Errorf("set: %d is not possible; it may be 1 to %d", *q.Set, mostEggs)
	case *q.Set != sum:
		return fmt.Errorf("set: %d is not what the ends add up to; it may be %d", *q.Set, sum)
	}
	return nil
}

// mostEggs of one batch.
const mostEggs = 100_000
