package store

import (
	"context"
	"time"
)

// Tray is places for eggs in a machine.
type Tray struct {
	ID          int64
	MachineID   int64
	Name        string
	TrayRows    int
	TrayColumns int
	Warm, Cool  []int
	UntilOn     *time.Time
}

// Trays lists a machine's trays in use, in the order in which they were made.
func (tx *Tx) Trays(ctx context.Context, machineID int64) ([]Tray, error) {
	return List[Tray](ctx, tx, `
		select id, machine_id, name, tray_rows, tray_columns, warm, cool, until_on
		from trays
		where farm_id = $1 and machine_id = $2 and until_on is null
		order by id`, tx.FarmID, machineID)
}

// SaveTray makes a tray (ID 0) or changes one.
func (tx *Tx) SaveTray(ctx context.Context, t Tray) (int64, error) {
	if t.Warm == nil {
		t.Warm = []int{}
	}
	if t.Cool == nil {
		t.Cool = []int{}
	}
	if t.ID == 0 {
		return Value[int64](ctx, tx, `
			insert into trays (farm_id, machine_id, name, tray_rows, tray_columns, warm, cool)
			values ($1, $2, $3, $4, $5, $6, $7)
			returning id`,
			tx.FarmID, t.MachineID, t.Name, t.TrayRows, t.TrayColumns, t.Warm, t.Cool)
	}
	return Value[int64](ctx, tx, `
		update trays
		set name = $3, tray_rows = $4, tray_columns = $5, warm = $6, cool = $7, until_on = $8
		where farm_id = $1 and id = $2
		returning id`,
		tx.FarmID, t.ID, t.Name, t.TrayRows, t.TrayColumns, t.Warm, t.Cool, t.UntilOn)
}

// TrayEgg is a living egg that lies in a tray.
type TrayEgg struct {
	ID, BatchID, PenID int64
	Species            string
	Mark               *string
	No                 int
	TrayID             int64
	Place              int
}

// TrayEggs lists the living eggs in a machine's trays; those of a batch that has
// moved on to its hatcher lie there no more.
func (tx *Tx) TrayEggs(ctx context.Context, machineID int64) ([]TrayEgg, error) {
	return List[TrayEgg](ctx, tx, `
		select e.id, e.batch_id, e.pen_id, b.species, e.mark, e.no, e.tray_id, e.place
		from eggs e
		join trays t on t.farm_id = $1 and t.id = e.tray_id
		join batches b on b.farm_id = $1 and b.id = e.batch_id
		where e.farm_id = $1 and t.machine_id = $2 and e.fate is null and b.closed_at is null
			and case when b.locked_at is null then b.setter_id else b.hatcher_id end = t.machine_id
		order by e.tray_id, e.place, e.id`, tx.FarmID, machineID)
}

// Placement is where an egg lies; TrayID nil: nowhere yet.
type Placement struct {
	EggID  int64
	TrayID *int64
	Place  *int
}

// PlaceEggs puts eggs into their places.
func (tx *Tx) PlaceEggs(ctx context.Context, all []Placement) error {
	eggs, trays, places := make([]int64, len(all)), make([]*int64, len(all)), make([]*int, len(all))
	for i, l := range all {
		eggs[i], trays[i], places[i] = l.EggID, l.TrayID, l.Place
	}
	_, err := tx.Exec(ctx, `
		update eggs
		set tray_id = l.tray_id, place = l.place
		from unnest($2::bigint[], $3::bigint[], $4::int[]) l (id, tray_id, place)
		where eggs.farm_id = $1 and eggs.id = l.id`, tx.FarmID, eggs, trays, places)
	return err
}
