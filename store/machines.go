package store

import (
	"context"
	"time"
)

const (
	machines = `
		select id, name, kind, counter_from, counter_started_at, until_on, by_hand, clean_days, water_ml, school,
			turn_minutes, turn_angle, turn_stops, told_rh_pct, told_rh_at,
			(
				select a.temp_c from machine_air a
				where a.farm_id = $1 and a.machine_id = m.id and a.temp_c is not null
				order by a.at desc, a.id desc limit 1
			) as set_temp_c,
			(
				select a.rh_pct from machine_air a
				where a.farm_id = $1 and a.machine_id = m.id and a.rh_pct is not null
				order by a.at desc, a.id desc limit 1
			) as set_rh_pct,
			(
				select max(a.at) from machine_air a
				where a.farm_id = $1 and a.machine_id = m.id and a.rh_pct is not null
			) as set_rh_at
		from machines m
		where farm_id = $1
		order by until_on is not null, name`
	rooms = `
		select machine_id, species, setting, hatching, per_place
		from machine_room
		where farm_id = $1
		order by machine_id, species`
)

// Machine is a place that keeps eggs warm; a broody hen is one.
type Machine struct {
	ID               int64
	Name, Kind       string
	CounterFrom      int
	CounterStartedAt *time.Time
	UntilOn          *time.Time
	ByHand           bool   // it has no turner
	CleanDays        int    // that it stands empty after a hatch
	WaterML          int    // water that it holds; 0: not known
	School           string // of humidity, for what is set in it; "": as its kind's
	TurnMinutes      int    // between turns of its turner; 0: not known
	TurnAngle        int    // of its turner, degrees from side to side; 0: not known
	TurnStops        bool   // its turner stops when it is opened

	SetTempC, SetRHPct *float64   // what it was set to last; nil: nobody wrote it down
	SetRHAt            *time.Time // when, for the humidity
	// The humidity that its checked probes told over the last day, and until when.
	ToldRHPct *float64   `json:",omitempty"`
	ToldRHAt  *time.Time `json:",omitempty"`
}

// Room is how many eggs of one species a machine holds when full of them alone,
// and how many lie in one place of its trays.
type Room struct {
	MachineID         int64
	Species           string
	Setting, Hatching int
	PerPlace          int
}

// DropMachine forgets a machine in which nothing was ever set.
func (tx *Tx) DropMachine(ctx context.Context, id int64) error {
	for _, table := range []string{
		"care", "trays", "machine_room", "machine_air", "machine_water", "notes", "outage_machines", "machine_readings",
		"alarms", "incidents", "boxes",
	} {
		if _, err := tx.Exec(
			ctx, `delete from `+table+` where farm_id = $1 and machine_id = $2`, tx.FarmID, id,
		); err != nil {
			return err
		}
	}
	for _, table := range []string{"instruments", "instrument_stays"} { // which lie in no machine from now on
		if _, err := tx.Exec(
			ctx, `update `+table+` set machine_id = null where farm_id = $1 and machine_id = $2`, tx.FarmID, id,
		); err != nil {
			return err
		}
	}
	_, err := tx.Exec(ctx, `delete from machines where farm_id = $1 and id = $2`, tx.FarmID, id)
	return err
}

// SaveMachine makes a machine (ID 0) or changes one with what it holds, and
// returns its id.
func (tx *Tx) SaveMachine(ctx context.Context, m Machine, rooms []Room) (id int64, err error) {
	if m.ID == 0 {
		id, err = Value[int64](ctx, tx, `
			insert into machines (farm_id, name, kind, counter_from, counter_started_at,
				until_on, by_hand, clean_days, water_ml, school, turn_minutes, turn_angle, turn_stops)
			values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13)
			returning id`,
			tx.FarmID, m.Name, m.Kind, m.CounterFrom, m.CounterStartedAt, m.UntilOn, m.ByHand, m.CleanDays, m.WaterML,
			m.School, m.TurnMinutes, m.TurnAngle, m.TurnStops)
	} else {
		id, err = Value[int64](ctx, tx, `
			update machines
			set name = $2, kind = $3, counter_from = $4, counter_started_at = $5, until_on = $6,
				by_hand = $8, clean_days = $9, water_ml = $10, school = $11, turn_minutes = $12, turn_angle = $13,
				turn_stops = $14
			where farm_id = $7 and id = $1
			returning id`,
			m.ID, m.Name, m.Kind, m.CounterFrom, m.CounterStartedAt, m.UntilOn, tx.FarmID, m.ByHand, m.CleanDays,
			m.WaterML, m.School, m.TurnMinutes, m.TurnAngle, m.TurnStops)
	}
	if err != nil {
		return 0, err
	}
	if _, err := tx.Exec(
		ctx, `delete from machine_room where farm_id = $1 and machine_id = $2`, tx.FarmID, id,
	); err != nil {
		return 0, err
	}
	for _, r := range rooms {
		if _, err := tx.Exec(ctx, `
			insert into machine_room (farm_id, machine_id, species, setting, hatching,
				per_place)
			values ($1, $2, $3, $4, $5, $6)`,
			tx.FarmID, id, r.Species, r.Setting, r.Hatching, max(1, r.PerPlace)); err != nil {
			return 0, err
		}
	}
	return id, nil
}

// StartCounter notes when a machine's day counter was started, or that it is not running.
func (tx *Tx) StartCounter(ctx context.Context, machineID int64, at *time.Time) error {
	_, err := tx.Exec(
		ctx, `update machines set counter_started_at = $3 where farm_id = $1 and id = $2`, tx.FarmID, machineID, at,
	)
	return err
}

// Closure is days on which a machine takes no eggs; ToOn nil: until further notice.
type Closure struct {
	ID        int64
	MachineID int64
	FromOn    time.Time
	ToOn      *time.Time
	Why       string
}

// Closures are those that were not over on a date.
const Closures = `
	select id, machine_id, from_on, to_on, why
	from closures
	where farm_id = $1 and (to_on is null or to_on >= $2)
	order by from_on, id`
