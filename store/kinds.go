package store

import "context"

const (
	figures = `
		select species, figure, at, low, high, days, source
		from own_figures
		where farm_id = $1
		order by species, figure`
	methods = `
		select species, school, hand_turns, washing, mistings, cool_min, late_mist
		from methods
		where farm_id = $1`
)

// Figure is a farm's own value of a species' figure.
type Figure struct {
	Species, Figure string
	At, Low, High   float64
	Days            []int
	Source          string // where the farm has it from
}

// SetFigures replaces a species' own figures.
func (tx *Tx) SetFigures(ctx context.Context, species string, all []Figure) error {
	if _, err := tx.Exec(
		ctx, `delete from own_figures where farm_id = $1 and species = $2`, tx.FarmID, species,
	); err != nil {
		return err
	}
	for _, f := range all {
		if f.Days == nil {
			f.Days = []int{}
		}
		if _, err := tx.Exec(ctx, `
			insert into own_figures (farm_id, species, figure, at, low, high, days, source)
			values ($1, $2, $3, $4, $5, $6, $7, $8)`,
			tx.FarmID, species, f.Figure, f.At, f.Low, f.High, f.Days, f.Source); err != nil {
			return err
		}
	}
	return nil
}

// Method is a farm's way with one species.
type Method struct {
	Species, School   string
	HandTurns         int
	Washing           string
	Mistings, CoolMin int
	LateMist          string
}

// SetMethod keeps a choice.
func (tx *Tx) SetMethod(ctx context.Context, m Method) error {
	_, err := tx.Exec(ctx, `
		insert into methods (farm_id, species, school, hand_turns, washing, mistings, cool_min, late_mist)
		values ($1, $2, $3, $4, $5, $6, $7, $8)
		on conflict (farm_id, species) do update set school = $3, hand_turns = $4, washing = $5,
			mistings = $6, cool_min = $7, late_mist = $8`,
		tx.FarmID, m.Species, m.School, m.HandTurns, m.Washing, m.Mistings, m.CoolMin, m.LateMist)
	return err
}
