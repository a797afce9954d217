package probes

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"metrogon/store"
)

// Instrument is a thermometer, a hygrometer or both.
type Instrument struct {
	ID            int64
	Name          string
	Thermo, Hygro bool
	MachineID     *int64 // in which it lies
	PlaceID       *int64 // where eggs wait
	Spot          string // shelf, room, store
	UntilOn       *time.Time
}

// InstrumentCheck is what an instrument showed, and what was true.
type InstrumentCheck struct {
	ID, InstrumentID int64
	Of, How          string
	At               time.Time
	Shown            float64
	Truth            float64
	Sure             float64 // the truth is known within so much
}

// MachineReading is what was read in a machine, uncorrected.
type MachineReading struct {
	ID, MachineID int64
	InstrumentID  *int64 // nil: the machine's own display
	At            time.Time
	TempC, RHPct  *float64
	Wet           bool // the humidity is told by a wet bulb
}

// Instruments selects a farm’s instruments.
const Instruments = `
	select id, name, thermo, hygro, machine_id, place_id, spot, until_on
	from instruments
	where farm_id = $1
	order by until_on is not null, name`

// InstrumentChecks selects what they showed beside the truth.
const InstrumentChecks = `
	select id, instrument_id, of, how, at, shown, truth, sure
	from instrument_checks
	where farm_id = $1
	order by at, id`

// SaveInstrument makes an instrument (ID 0) or changes one, and returns its id.
func (tx Tx) SaveInstrument(ctx context.Context, x Instrument) (int64, error) {
	if x.ID == 0 {
		return store.Value[int64](ctx, tx, `
			insert into instruments (farm_id, name, thermo, hygro, machine_id, place_id, spot, until_on)
			values ($1, $2, $3, $4, $5, $6, $7, $8)
			returning id`, tx.FarmID, x.Name, x.Thermo, x.Hygro, x.MachineID, x.PlaceID, x.Spot, x.UntilOn)
	}
	return store.Value[int64](ctx, tx, `
		update instruments
		set name = $3, thermo = $4, hygro = $5, machine_id = $6, place_id = $7, spot = $8, until_on = $9
		where farm_id = $1 and id = $2
		returning id`, tx.FarmID, x.ID, x.Name, x.Thermo, x.Hygro, x.MachineID, x.PlaceID, x.Spot, x.UntilOn)
}

// DropInstrument forgets one that was never used.
func (tx Tx) DropInstrument(ctx context.Context, id int64) error {
	_, err := tx.Exec(ctx, `delete from instruments where farm_id = $1 and id = $2`, tx.FarmID, id)
	return err
}

// AddCheck keeps a check and returns its id.
func (tx Tx) AddCheck(ctx context.Context, c InstrumentCheck, personID int64) (int64, error) {
	return store.Value[int64](ctx, tx, `
		insert into instrument_checks (farm_id, instrument_id, of, how, at, shown, truth, sure, person_id)
		values ($1, $2, $3, $4, $5, $6, $7, $8, nullif($9::bigint, 0))
		returning id`, tx.FarmID, c.InstrumentID, c.Of, c.How, c.At, c.Shown, c.Truth, c.Sure, personID)
}

// DropCheck takes one back.
func (tx Tx) DropCheck(ctx context.Context, id int64) error {
	_, err := tx.Exec(ctx, `delete from instrument_checks where farm_id = $1 and id = $2`, tx.FarmID, id)
	return err
}

// AddMachineReadings keeps readings and returns their ids.
func (tx Tx) AddMachineReadings(ctx context.Context, all []MachineReading, personID int64) (ids []int64, err error) {
	for _, r := range all {
		id, err := store.Value[int64](ctx, tx, `
			insert into machine_readings (farm_id, machine_id, instrument_id, at, temp_c, rh_pct, wet, person_id)
			values ($1, $2, $3, $4, $5, $6, $7, nullif($8::bigint, 0))
			returning id`, tx.FarmID, r.MachineID, r.InstrumentID, r.At, r.TempC, r.RHPct, r.Wet, personID)
		if err != nil {
			return nil, err
		}
		ids = append(ids, id)
	}
	return ids, nil
}

// DropMachineReadings takes some back.
func (tx Tx) DropMachineReadings(ctx context.Context, ids []int64) error {
	_, err := tx.Exec(ctx, `delete from machine_readings where farm_id = $1 and id = any ($2)`, tx.FarmID, ids)
	return err
}

// Gauges are the instruments with their checks, and what was read lately.
type Gauges struct {
	Instruments []Instrument
	Checks      []InstrumentCheck
	Readings    []MachineReading // the newest first
	Told        []Point          // what each probe told last
}

// Gauges reads them in one round trip: the newest readings of a machine since a moment (0: of all).
func (tx Tx) Gauges(ctx context.Context, machineID int64, since time.Time, most int) (g Gauges, err error) {
	q := &pgx.Batch{}
	store.Ask(q, &g.Instruments, Instruments, tx.FarmID)
	store.Ask(q, &g.Checks, InstrumentChecks, tx.FarmID)
	store.Ask(q, &g.Readings, `
		select id, machine_id, instrument_id, at, temp_c, rh_pct, wet
		from machine_readings
		where farm_id = $1 and ($2::bigint = 0 or machine_id = $2) and at >= $3
		order by at desc, id desc
		limit $4`, tx.FarmID, machineID, since, most)
	if most > 0 {
		store.Ask(q, &g.Told, lastTold, tx.FarmID, since)
	}
	return g, tx.SendBatch(ctx, q).Close()
}
