package store

import (
	"context"
	"time"
)

// Pen is a source of eggs: a male with his females, or a pair.
type Pen struct {
	ID             int64
	Name           string
	Species, Breed string
	Bantam         bool
	Females, Males int
	FromOn         time.Time
	UntilOn        *time.Time
}

// Machine is a place that keeps eggs warm; a broody hen is one.
type Machine struct {
	ID               int64
	Name, Kind       string
	CounterFrom      int
	CounterStartedAt *time.Time
	UntilOn          *time.Time
}

// Room is how many eggs of one species a machine holds when full of them alone.
type Room struct {
	MachineID         int64
	Species           string
	Setting, Hatching int
}

const penColumns = `id, name, species, breed, bantam, females, males, from_on, until_on`

// Pens lists a farm's pens by name.
func (tx *Tx) Pens(ctx context.Context) ([]Pen, error) {
	return list[Pen](ctx, tx, `select `+penColumns+` from pens where farm_id = $1 order by until_on is not null, name`, tx.FarmID)
}

// SavePen makes a pen (ID 0) or changes one, and returns its id.
func (tx *Tx) SavePen(ctx context.Context, p Pen) (int64, error) {
	if p.ID == 0 {
		return value[int64](ctx, tx, `insert into pens (farm_id, name, species, breed, bantam, females, males, from_on, until_on)
			values ($1, $2, $3, $4, $5, $6, $7, $8, $9) returning id`, tx.FarmID, p.Name, p.Species, p.Breed, p.Bantam, p.Females, p.Males, p.FromOn, p.UntilOn)
	}
	return value[int64](ctx, tx, `update pens set name = $2, species = $3, breed = $4, bantam = $5, females = $6, males = $7, from_on = $8, until_on = $9
		where farm_id = $10 and id = $1 returning id`, p.ID, p.Name, p.Species, p.Breed, p.Bantam, p.Females, p.Males, p.FromOn, p.UntilOn, tx.FarmID)
}

// PenHasEggs tells whether any egg came from a pen.
func (tx *Tx) PenHasEggs(ctx context.Context, id int64) (bool, error) {
	return value[bool](ctx, tx, `select exists (select from eggs where farm_id = $1 and pen_id = $2)`, tx.FarmID, id)
}

// Machines lists a farm's machines by name.
func (tx *Tx) Machines(ctx context.Context) ([]Machine, error) {
	return list[Machine](ctx, tx, `select id, name, kind, counter_from, counter_started_at, until_on from machines where farm_id = $1 order by until_on is not null, name`, tx.FarmID)
}

// Rooms lists what every machine holds.
func (tx *Tx) Rooms(ctx context.Context) ([]Room, error) {
	return list[Room](ctx, tx, `select machine_id, species, setting, hatching from machine_room where farm_id = $1 order by machine_id, species`, tx.FarmID)
}

// SaveMachine makes a machine (ID 0) or changes one with what it holds, and
// returns its id.
func (tx *Tx) SaveMachine(ctx context.Context, m Machine, rooms []Room) (id int64, err error) {
	if m.ID == 0 {
		id, err = value[int64](ctx, tx, `insert into machines (farm_id, name, kind, counter_from, counter_started_at, until_on) values ($1, $2, $3, $4, $5, $6) returning id`,
			tx.FarmID, m.Name, m.Kind, m.CounterFrom, m.CounterStartedAt, m.UntilOn)
	} else {
		id, err = value[int64](ctx, tx, `update machines set name = $2, kind = $3, counter_from = $4, counter_started_at = $5, until_on = $6 where farm_id = $7 and id = $1 returning id`,
			m.ID, m.Name, m.Kind, m.CounterFrom, m.CounterStartedAt, m.UntilOn, tx.FarmID)
	}
	if err != nil {
		return 0, err
	}
	if _, err := tx.Exec(ctx, `delete from machine_room where farm_id = $1 and machine_id = $2`, tx.FarmID, id); err != nil {
		return 0, err
	}
	for _, r := range rooms {
		if _, err := tx.Exec(ctx, `insert into machine_room (farm_id, machine_id, species, setting, hatching) values ($1, $2, $3, $4, $5)`,
			tx.FarmID, id, r.Species, r.Setting, r.Hatching); err != nil {
			return 0, err
		}
	}
	return id, nil
}

// StartCounter notes when a machine's day counter was started, or that it is not running.
func (tx *Tx) StartCounter(ctx context.Context, machineID int64, at *time.Time) error {
	_, err := tx.Exec(ctx, `update machines set counter_started_at = $3 where farm_id = $1 and id = $2`, tx.FarmID, machineID, at)
	return err
}
