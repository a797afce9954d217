package weigh

import (
	"context"
	"time"

	"metrogon/store"
)

// Weighing is eggs of a batch on the scale together, or an air cell that was read
// in their stead.
type Weighing struct {
	ID      int64
	BatchID int64
	TrayID  *int64
	EggID   *int64 // a single egg; neither: the whole batch
	At      time.Time
	Eggs    int
	MassG   float64 // of all; 0: a cell was read
	CellPct float64 // of the egg's volume; 0: it was weighed
	RHPct   float64 // held since the weighing before
	TempC   float64
}

// Weighings lists those of batches, in order of time; before a part left a batch, the weighings of the whole
// and of its own eggs are its own, those of a single tray are not.
func (tx Tx) Weighings(ctx context.Context, batchIDs ...int64) ([]Weighing, error) {
	return store.List[Weighing](ctx, tx, Weighings, tx.FarmID, batchIDs)
}

// Weighings selects those of batches, and of what they were parted from before they were, in order of time.
const Weighings = `
	with recursive ` + store.LineSQL + `
	select w.id, l.batch_id, w.tray_id, w.egg_id, w.at, w.eggs, coalesce(w.mass_g, 0) as mass_g,
		coalesce(w.cell_pct, 0) as cell_pct, w.rh_pct, w.temp_c
	from line l
	join weighings w on w.farm_id = $1 and w.batch_id = l.of_id and w.at < l.until_at
	where l.of_id = l.batch_id or w.tray_id is null
	order by w.at, w.id`

// AddWeighing keeps one and returns its id.
func (tx Tx) AddWeighing(ctx context.Context, w Weighing) (int64, error) {
	return store.Value[int64](ctx, tx, `
		insert into weighings (
			farm_id, batch_id, tray_id, egg_id, at, eggs, mass_g, cell_pct, rh_pct, temp_c
		)
		values ($1, $2, $3, $4, $5, $6, nullif($7::float8, 0), nullif($8::float8, 0), $9, $10)
		returning id`,
		tx.FarmID, w.BatchID, w.TrayID, w.EggID, w.At, w.Eggs, w.MassG, w.CellPct, w.RHPct, w.TempC)
}

// DropWeighing takes one back.
func (tx Tx) DropWeighing(ctx context.Context, id int64) error {
	_, err := tx.Exec(ctx, `delete from weighings where farm_id = $1 and id = $2`, tx.FarmID, id)
	return err
}

// Reading is what a scale sent once it stood still.
type Reading struct {
	ID    int64
	At    time.Time
	MassG float64
}

// ReadingAfter gives the first reading after the one with this id, or ErrNone.
func (tx Tx) ReadingAfter(ctx context.Context, id int64) (Reading, error) {
	return store.One[Reading](
		ctx, tx, `select id, at, mass_g from readings where farm_id = $1 and id > $2 order by id limit 1`, tx.FarmID,
		id,
	)
}

// LastReading gives the id of the newest; 0 if there is none.
func (tx Tx) LastReading(ctx context.Context) (int64, error) {
	return store.Value[int64](ctx, tx, `select coalesce(max(id), 0) from readings where farm_id = $1`, tx.FarmID)
}

// AddReading keeps what a scale sent, and drops what is older than a day. A pack
// that came before, by its digest, is not counted again.
func (tx Tx) AddReading(ctx context.Context, at time.Time, massG float64, pack string) error {
	_, err := tx.Exec(ctx, `delete from readings where farm_id = $1 and at < $2`, tx.FarmID, at.AddDate(0, 0, -1))
	if err != nil {
		return err
	}
	_, err = tx.Exec(ctx, `
		insert into readings (farm_id, at, mass_g, pack) values ($1, $2, $3, nullif($4, ''))
		on conflict do nothing`, tx.FarmID, at, massG, pack)
	return err
}

// ScaleKey gives the key by which the farm's scale is known; "" while there is none.
func (tx Tx) ScaleKey(ctx context.Context) (string, error) {
	return store.Value[string](ctx, tx, `select coalesce(scale_key, '') from farms where id = $1`, tx.FarmID)
}

// SetScaleKey gives the farm's scale a key; one that had another is known no more.
func (tx Tx) SetScaleKey(ctx context.Context, key string) error {
	_, err := tx.Exec(ctx, `update farms set scale_key = $2 where id = $1`, tx.FarmID, key)
	return err
}

// FarmOfScale finds the farm whose scale has this key, or ErrNone.
func (db DB) FarmOfScale(ctx context.Context, key string) (int64, error) {
	return store.Value[int64](ctx, db.Door, `select id from farms where scale_key = $1`, key)
}

// Response is what a machine's humidity did after something was changed.
type Response struct {
	ID        int64
	MachineID int64
	At        time.Time
	What      string
	FromPct   float64
	ToPct     *float64 // nil: nobody has looked yet
	Minutes   *int
}

// Responses lists a machine's newest 50, the newest first.
func (tx Tx) Responses(ctx context.Context, machineID int64) ([]Response, error) {
	return store.List[Response](ctx, tx, `
		select id, machine_id, at, what, from_pct, to_pct, minutes
		from responses
		where farm_id = $1 and machine_id = $2
		order by at desc, id desc
		limit 50`, tx.FarmID, machineID)
}

// AddResponse keeps one and returns its id.
func (tx Tx) AddResponse(ctx context.Context, r Response) (int64, error) {
	return store.Value[int64](ctx, tx, `
		insert into responses (farm_id, machine_id, at, what, from_pct, to_pct, minutes)
		values ($1, $2, $3, $4, $5, $6, $7)
		returning id`,
		tx.FarmID, r.MachineID, r.At, r.What, r.FromPct, r.ToPct, r.Minutes)
}

// NewestResponses are as many of each machine as Responses gives of one, the newest first.
const NewestResponses = `
	select id, machine_id, at, what, from_pct, to_pct, minutes
	from (
		select *, row_number() over (partition by machine_id order by at desc, id desc) as nth
		from responses
		where farm_id = $1
	) r
	where nth <= 50
	order by at desc, id desc`

// ReadResponse keeps what a change did; nil takes that back.
func (tx Tx) ReadResponse(ctx context.Context, id int64, toPct *float64, minutes *int) error {
	_, err := tx.Exec(ctx, `
		update responses
		set to_pct = $3, minutes = $4
		where farm_id = $1 and id = $2`, tx.FarmID, id, toPct, minutes)
	return err
}

// DropResponse takes one back.
func (tx Tx) DropResponse(ctx context.Context, id int64) error {
	_, err := tx.Exec(ctx, `delete from responses where farm_id = $1 and id = $2`, tx.FarmID, id)
	return err
}
