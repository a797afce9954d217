package clutch

import (
	"context"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"

	"metrogon/store"
	"metrogon/store/hatch"
	"metrogon/store/outage"
	"metrogon/store/probes"
)

// BoxLog is what was done to a box: weighed, with the water that was given back then, or aired.
type BoxLog struct {
	ID, BoxID int64
	At        time.Time
	Kind      string
	MassG     *float64
	GaveG     float64
	Anew      bool
	Mould     int
}

// Clutch is what a batch of a reptile's eggs is besides.
type Clutch struct {
	BatchID, BoxID   int64
	DamID            *int64
	Sired            string // one, several, stored or unknown
	SireID           *int64
	LaidFrom, LaidTo time.Time
	Slugs            int
	Marked           bool
	Permit           string
}

// ClutchEgg is where an egg lies.
type ClutchEgg struct {
	EggID, BatchID, BoxID int64
	Spot, Stuck           int
}

// ClutchTemp is how warm a clutch is kept from a moment on.
type ClutchTemp struct {
	ID, BatchID int64
	FromAt      time.Time
	TempC       float64
	NightC      *float64
	NightFrom   string // 15:04
	NightH      float64
	Planned     bool // it was to come when it was written down
}

// EggSign is what was seen of an egg.
type EggSign struct {
	ID, EggID int64
	At        time.Time
	Sign      string
}

// ClutchMass is eggs of a clutch on the scale together.
type ClutchMass struct {
	ID, BatchID int64
	At          time.Time
	Eggs        int
	MassG       float64
}

// Hatchling is a young that was told apart, with its first weeks.
type Hatchling struct {
	ID, BatchID   int64
	EggID         *int64
	At            time.Time
	Sex, Band     string
	WeightG       *float64
	Signs         []string
	LeftAt        *time.Time
	ShedOn, FedOn *time.Time
	DiedAt        *time.Time
	Note          string
}

// EggCause is why an egg may not have hatched.
type EggCause struct {
	EggID int64
	Cause string
}

// ClutchRows is all that is kept of some clutches and their boxes; all in order of time.
type ClutchRows struct {
	Clutches []Clutch
	Boxes    []store.Box // and all that are in use
	Logs     []BoxLog
	Eggs     []ClutchEgg
	Temps    []ClutchTemp
	Signs    []EggSign
	Masses   []ClutchMass
	Pips     []hatch.HatchSign
	Young    []Hatchling
	Causes   []EggCause
	// What concerns more than these: open clutches in the same boxes, when eggs came into these or left them, and every
	// clutch of the farm.
	Others  []Clutch
	Changes []BoxChange
	All     []LaidClutch
}

const boxColumns = `id, machine_id, name, kind, substrate, dry_g, water_g, cols, rows, began_at, ended_at`

const clutchColumns = `
	batch_id, coalesce(box_id, 0) as box_id, dam_id, sired, sire_id, laid_from, laid_to, slugs, marked, permit`

// ClutchRows reads it in one round trip.
func (tx Tx) ClutchRows(ctx context.Context, batchIDs []int64) (r ClutchRows, err error) {
	q := &pgx.Batch{}
	store.Ask(q, &r.Clutches, `
		select `+clutchColumns+`
		from clutches
		where farm_id = $1 and batch_id = any ($2)
		order by laid_from, batch_id`, tx.FarmID, batchIDs)
	const ofBoxes = `(select box_id from clutches where farm_id = $1 and batch_id = any ($2))`
	store.Ask(q, &r.Boxes, `
		select `+boxColumns+`
		from boxes
		where farm_id = $1 and (ended_at is null or id in `+ofBoxes+`)
		order by name, id`, tx.FarmID, batchIDs)
	store.Ask(q, &r.Logs, `
		select id, box_id, at, kind, mass_g, gave_g, anew, mould
		from box_logs
		where farm_id = $1 and box_id in `+ofBoxes+`
		order by at, id`, tx.FarmID, batchIDs)
	// With those of other clutches in the same boxes.
	store.Ask(q, &r.Eggs, `
		select egg_id, batch_id, box_id, spot, stuck
		from clutch_eggs
		where farm_id = $1 and box_id in `+ofBoxes+`
		order by spot`, tx.FarmID, batchIDs)
	store.Ask(q, &r.Temps, `
		select id, batch_id, from_at, temp_c, night_c, to_char(night_from, 'HH24:MI') as night_from, night_h, planned
		from clutch_temps
		where farm_id = $1 and batch_id = any ($2)
		order by from_at, id`, tx.FarmID, batchIDs)
	store.Ask(q, &r.Signs, `
		select s.id, s.egg_id, s.at, s.sign
		from egg_signs s
		join clutch_eggs e on e.farm_id = $1 and e.egg_id = s.egg_id
		where s.farm_id = $1 and e.batch_id = any ($2)
		order by s.at, s.id`, tx.FarmID, batchIDs)
	store.Ask(q, &r.Masses, `
		select id, batch_id, at, eggs, mass_g
		from clutch_masses
		where farm_id = $1 and batch_id = any ($2)
		order by at, id`, tx.FarmID, batchIDs)
	store.Ask(q, &r.Pips, `
		select id, batch_id, pen_id, trial, egg_id, kind, n, at
		from hatch_signs
		where farm_id = $1 and batch_id = any ($2) and egg_id is not null
		order by at, id`, tx.FarmID, batchIDs)
	store.Ask(q, &r.Young, `
		select id, batch_id, egg_id, at, sex, band, weight_g, signs, left_at, shed_on, fed_on, died_at, note
		from young
		where farm_id = $1 and batch_id = any ($2)
		order by at, id`, tx.FarmID, batchIDs)
	store.Ask(q, &r.Causes, `
		select c.egg_id, c.cause
		from leftover_causes c
		join clutch_eggs e on e.farm_id = $1 and e.egg_id = c.egg_id
		where c.farm_id = $1 and e.batch_id = any ($2)`, tx.FarmID, batchIDs)
	store.Ask(q, &r.Others, openInBoxes+ofBoxes+`
		order by laid_from, batch_id`, tx.FarmID, batchIDs)
	store.Ask(q, &r.Changes, fmt.Sprintf(boxChanges, "in "+ofBoxes), tx.FarmID, batchIDs)
	store.Ask(q, &r.All, allClutches, tx.FarmID)
	return r, tx.SendBatch(ctx, q).Close()
}

const openInBoxes = `
	select ` + clutchColumns + `
	from clutches
	where farm_id = $1 and batch_id in (select id from batches where farm_id = $1 and closed_at is null)
		and box_id in `

// boxChanges is when eggs came into boxes or left them: clutches that were put in, eggs that were taken out, young that
// left.
const boxChanges = `
	select c.box_id, c.laid_to as at
	from clutches c
	where c.farm_id = $1 and c.box_id %[1]s
	union
	select e.box_id, coalesce(y.left_at, g.fate_at)
	from clutch_eggs e
	join eggs g on g.farm_id = $1 and g.id = e.egg_id and g.fate_at is not null
	left join young y on y.farm_id = $1 and y.egg_id = e.egg_id
	where e.farm_id = $1 and e.box_id %[1]s
	order by 2`

// LaidClutch is a clutch with the pen of its eggs.
type LaidClutch struct {
	Clutch
	PenID int64
}

const allClutches = `
	select ` + clutchColumns + `, coalesce(pen_id, (
			select min(e.pen_id) from eggs e where e.farm_id = $1 and e.batch_id = clutches.batch_id
		)) as pen_id
	from clutches
	where farm_id = $1
	order by laid_from, batch_id`

// AllClutches lists every clutch that the farm ever had, the oldest first.
func (tx Tx) AllClutches(ctx context.Context) ([]LaidClutch, error) {
	return store.List[LaidClutch](ctx, tx, allClutches, tx.FarmID)
}

// ClosedClutches lists clutches that are over, the newest first.
func (tx Tx) ClosedClutches(ctx context.Context, most, skip int) ([]store.Batch, error) {
	return store.List[store.Batch](ctx, tx, `select `+store.BatchColumns+`
		from batches
		where farm_id = $1 and closed_at is not null
			and id in (select batch_id from clutches where farm_id = $1)
		order by set_at desc, id desc
		limit $2 offset $3`, tx.FarmID, most, skip)
}

// ClutchTemps lists the temperatures of clutches in order of time.
func (tx Tx) ClutchTemps(ctx context.Context, batchIDs []int64) ([]ClutchTemp, error) {
	return store.List[ClutchTemp](ctx, tx, `
		select id, batch_id, from_at, temp_c, night_c, to_char(night_from, 'HH24:MI') as night_from, night_h, planned
		from clutch_temps
		where farm_id = $1 and batch_id = any ($2)
		order by from_at, id`, tx.FarmID, batchIDs)
}

// BoxRows are the boxes in use, what was done to them, and when eggs came into them or left them.
type BoxRows struct {
	Boxes   []store.Box
	Logs    []BoxLog
	Changes []BoxChange
}

func (r *BoxRows) ask(q *pgx.Batch, farmID int64) {
	store.Ask(q, &r.Boxes, `
		select `+boxColumns+` from boxes where farm_id = $1 and ended_at is null order by name, id`, farmID)
	store.Ask(q, &r.Logs, `
		select l.id, l.box_id, l.at, l.kind, l.mass_g, l.gave_g, l.anew, l.mould
		from box_logs l
		join boxes b on b.farm_id = $1 and b.id = l.box_id and b.ended_at is null
		where l.farm_id = $1
		order by l.at, l.id`, farmID)
	store.Ask(q, &r.Changes, fmt.Sprintf(
		boxChanges, "in (select id from boxes where farm_id = $1 and ended_at is null)",
	), farmID)
}

// OpenBoxes reads them.
func (tx Tx) OpenBoxes(ctx context.Context) (r BoxRows, err error) {
	q := &pgx.Batch{}
	r.ask(q, tx.FarmID)
	return r, tx.SendBatch(ctx, q).Close()
}

// ClutchWork is what chores of clutches need to know.
type ClutchWork struct {
	Seen    []ClutchSeen
	Planned []ClutchTemp // temperatures of open clutches that were planned, in order of time
	BoxRows
}

// BoxesByID finds boxes, with what was done to them and their clutches that are open.
func (tx Tx) BoxesByID(ctx context.Context, ids []int64) (boxes []store.Box, open []Clutch, err error) {
	q := &pgx.Batch{}
	store.Ask(q, &boxes, `select `+boxColumns+` from boxes where farm_id = $1 and id = any ($2)`, tx.FarmID, ids)
	store.Ask(q, &open, openInBoxes+`(select unnest($2::bigint[]))
		order by laid_from, batch_id`, tx.FarmID, ids)
	return boxes, open, tx.SendBatch(ctx, q).Close()
}

// SpotsTaken are the places of boxes in which an egg lies, or a young did not leave its shell yet.
func (tx Tx) SpotsTaken(ctx context.Context, boxIDs []int64) ([]ClutchEgg, error) {
	return store.List[ClutchEgg](ctx, tx, `
		select egg_id, batch_id, box_id, spot, stuck
		from clutch_eggs
		where farm_id = $1 and box_id = any ($2)`, tx.FarmID, boxIDs)
}

// SaveBox makes a box (ID 0) or changes one, and returns its id.
func (tx Tx) SaveBox(ctx context.Context, b store.Box) (int64, error) {
	if b.ID == 0 {
		return store.Value[int64](ctx, tx, `
			insert into boxes (
				farm_id, machine_id, name, kind, substrate, dry_g, water_g, cols, rows, began_at, ended_at
			)
			values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11)
			returning id`,
			tx.FarmID, b.MachineID, b.Name, b.Kind, b.Substrate, b.DryG, b.WaterG, b.Cols, b.Rows, b.BeganAt, b.EndedAt)
	}
	return store.Value[int64](ctx, tx, `
		update boxes
		set machine_id = $3, name = $4, kind = $5, substrate = $6, dry_g = $7, water_g = $8, cols = $9, rows = $10,
			began_at = $11, ended_at = $12
		where farm_id = $1 and id = $2
		returning id`,
		tx.FarmID, b.ID, b.MachineID, b.Name, b.Kind, b.Substrate, b.DryG, b.WaterG, b.Cols, b.Rows, b.BeganAt, b.EndedAt)
}

// AddBoxLog notes what was done to a box and returns its id.
func (tx Tx) AddBoxLog(ctx context.Context, l BoxLog, personID int64) (int64, error) {
	return store.Value[int64](ctx, tx, `
		insert into box_logs (farm_id, box_id, at, kind, mass_g, gave_g, anew, mould, person_id)
		values ($1, $2, $3, $4, $5, $6, $7, $8, nullif($9::bigint, 0))
		returning id`, tx.FarmID, l.BoxID, l.At, l.Kind, l.MassG, l.GaveG, l.Anew, l.Mould, personID)
}

// BoxLogs lists what was done to a box, and when eggs came into it or left it, in order of time.
func (tx Tx) BoxLogs(ctx context.Context, boxID int64) (logs []BoxLog, changes []time.Time, err error) {
	logs, err = store.List[BoxLog](ctx, tx, `
		select id, box_id, at, kind, mass_g, gave_g, anew, mould
		from box_logs
		where farm_id = $1 and box_id = $2
		order by at, id`, tx.FarmID, boxID)
	if err != nil {
		return nil, nil, err
	}
	moved, err := tx.BoxChanges(ctx, []int64{boxID})
	for _, c := range moved {
		changes = append(changes, c.At)
	}
	return logs, changes, err
}

// BoxChange is when eggs came into a box or left it.
type BoxChange struct {
	BoxID int64
	At    time.Time
}

// BoxChanges lists those of boxes, in order of time.
func (tx Tx) BoxChanges(ctx context.Context, boxIDs []int64) ([]BoxChange, error) {
	return store.List[BoxChange](ctx, tx, fmt.Sprintf(boxChanges, "= any ($2)"), tx.FarmID, boxIDs)
}

// AddClutch makes a batch a clutch, with the places of its eggs.
func (tx Tx) AddClutch(ctx context.Context, c LaidClutch, eggs []ClutchEgg) error {
	_, err := tx.Exec(ctx, `
		insert into clutches (
			farm_id, batch_id, box_id, dam_id, sired, sire_id, laid_from, laid_to, slugs, marked, permit, pen_id
		)
		values ($1, $2, nullif($3::bigint, 0), $4, $5, $6, $7, $8, $9, $10, $11, $12)`,
		tx.FarmID, c.BatchID, c.BoxID, c.DamID, c.Sired, c.SireID, c.LaidFrom, c.LaidTo, c.Slugs, c.Marked, c.Permit, c.PenID)
	if err != nil {
		return err
	}
	ids, spots, stuck := make([]int64, len(eggs)), make([]int, len(eggs)), make([]int, len(eggs))
	for i, e := range eggs {
		ids[i], spots[i], stuck[i] = e.EggID, e.Spot, e.Stuck
	}
	_, err = tx.Exec(ctx, `
		insert into clutch_eggs (farm_id, egg_id, batch_id, box_id, spot, stuck)
		select $1, e.id, $2, $3, e.spot, e.stuck
		from unnest($4::bigint[], $5::smallint[], $6::smallint[]) e (id, spot, stuck)`,
		tx.FarmID, c.BatchID, c.BoxID, ids, spots, stuck)
	return err
}

// AddClutchTemp keeps how warm a clutch is from a moment on, and returns its id.
func (tx Tx) AddClutchTemp(ctx context.Context, t ClutchTemp, personID int64) (int64, error) {
	return store.Value[int64](ctx, tx, `
		insert into clutch_temps (
			farm_id, batch_id, from_at, temp_c, night_c, night_from, night_h, planned, person_id
		)
		values ($1, $2, $3, $4, $5, $6::time, $7, $8, nullif($9::bigint, 0))
		returning id`, tx.FarmID, t.BatchID, t.FromAt, t.TempC, t.NightC, t.NightFrom, t.NightH, t.Planned, personID)
}

// TakeTemps forgets temperatures, and gives them back.
func (tx Tx) TakeTemps(ctx context.Context, ids []int64) ([]ClutchTemp, error) {
	return store.List[ClutchTemp](ctx, tx, `
		delete from clutch_temps
		where farm_id = $1 and id = any ($2)
		returning id, batch_id, from_at, temp_c, night_c, to_char(night_from, 'HH24:MI') as night_from, night_h, planned`,
		tx.FarmID, ids)
}

// ClutchSeen is what chores need to know of a clutch in its box.
type ClutchSeen struct {
	BatchID, BoxID int64
	LookedAt       *time.Time // last
	Pipped, Inside int        // that have not come out; young that have not left the box
	OutAt          *time.Time // the first of those
}

// ClutchWork reads it in one round trip.
func (tx Tx) ClutchWork(ctx context.Context) (r ClutchWork, err error) {
	q := &pgx.Batch{}
	store.Ask(q, &r.Seen, `
		select c.batch_id, c.box_id, (
				select max(s.at)
				from egg_signs s
				join clutch_eggs e on e.farm_id = $1 and e.egg_id = s.egg_id
				where s.farm_id = $1 and e.batch_id = c.batch_id
			) as looked_at, (
				select count(distinct h.egg_id)::int
				from hatch_signs h
				join eggs e on e.farm_id = $1 and e.id = h.egg_id and e.fate is null
				where h.farm_id = $1 and h.batch_id = c.batch_id
			) as pipped, y.inside, y.out_at
		from clutches c
		join batches b on b.farm_id = $1 and b.id = c.batch_id and b.closed_at is null
		cross join lateral (
			select count(*)::int as inside, min(at) as out_at
			from young
			where farm_id = $1 and batch_id = c.batch_id and left_at is null and died_at is null
		) y
		where c.farm_id = $1`, tx.FarmID)
	store.Ask(q, &r.Planned, `
		select id, batch_id, from_at, temp_c, night_c, to_char(night_from, 'HH24:MI') as night_from, night_h, planned
		from clutch_temps
		where farm_id = $1 and planned
			and batch_id in (select id from batches where farm_id = $1 and closed_at is null)
		order by from_at, id`, tx.FarmID)
	r.BoxRows.ask(q, tx.FarmID)
	return r, tx.SendBatch(ctx, q).Close()
}

// SetDue keeps what the temperatures of a clutch make of its days.
func (tx Tx) SetDue(ctx context.Context, b store.Batch) error {
	_, err := tx.Exec(ctx, `
		update batches
		set grown = $3, grown_at = $4, due_at = $5, due_from = $6, due_to = $7, temp_c = $8
		where farm_id = $1 and id = $2`,
		tx.FarmID, b.ID, b.Grown, b.GrownAt, b.DueAt, b.DueFrom, b.DueTo, b.TempC)
	return err
}

// AddEggSigns notes what was seen of eggs, and returns the ids of the notes.
func (tx Tx) AddEggSigns(ctx context.Context, all []EggSign, personID int64) ([]int64, error) {
	eggs, signs, at := make([]int64, len(all)), make([]string, len(all)), make([]time.Time, len(all))
	for i, s := range all {
		eggs[i], signs[i], at[i] = s.EggID, s.Sign, s.At
	}
	return tx.IDs(ctx, `
		insert into egg_signs (farm_id, egg_id, sign, at, person_id)
		select $1, egg, sign, at, nullif($5::bigint, 0)
		from unnest($2::bigint[], $3::text[], $4::timestamptz[]) s (egg, sign, at)
		returning id`, tx.FarmID, eggs, signs, at, personID)
}

// AddClutchMass keeps a weighing of eggs and returns its id.
func (tx Tx) AddClutchMass(ctx context.Context, x ClutchMass, personID int64) (int64, error) {
	return store.Value[int64](ctx, tx, `
		insert into clutch_masses (farm_id, batch_id, at, eggs, mass_g, person_id)
		values ($1, $2, $3, $4, $5, nullif($6::bigint, 0))
		returning id`, tx.FarmID, x.BatchID, x.At, x.Eggs, x.MassG, personID)
}

// SaveHatchling changes what is known of a young.
func (tx Tx) SaveHatchling(ctx context.Context, h Hatchling) error {
	_, err := tx.Exec(ctx, `
		update young
		set sex = $3, band = $4, weight_g = $5, signs = $6, left_at = $7, shed_on = $8, fed_on = $9, died_at = $10, note = $11
		where farm_id = $1 and id = $2`,
		tx.FarmID, h.ID, h.Sex, h.Band, h.WeightG, h.Signs, h.LeftAt, h.ShedOn, h.FedOn, h.DiedAt, h.Note)
	return err
}

// SetCause keeps why eggs may not have hatched; "" forgets it.
func (tx Tx) SetCause(ctx context.Context, eggs []int64, cause string) error {
	if cause == "" {
		_, err := tx.Exec(ctx, `
			delete from leftover_causes where farm_id = $1 and egg_id = any ($2)`, tx.FarmID, eggs)
		return err
	}
	_, err := tx.Exec(ctx, `
		insert into leftover_causes (farm_id, egg_id, cause)
		select $1, egg, $3 from unnest($2::bigint[]) e (egg)
		on conflict (farm_id, egg_id) do update set cause = excluded.cause`, tx.FarmID, eggs, cause)
	return err
}

// clutchRows are the tables of a clutch of which a row is taken back as if it had never been.
var clutchRows = map[string]string{
	"boxes":         `delete from boxes where farm_id = $1 and id = any ($2)`,
	"box_logs":      `delete from box_logs where farm_id = $1 and id = any ($2)`,
	"egg_signs":     `delete from egg_signs where farm_id = $1 and id = any ($2)`,
	"clutch_masses": `delete from clutch_masses where farm_id = $1 and id = any ($2)`,
}

// DropClutchRows takes rows out of the table boxes, box_logs, egg_signs or clutch_masses.
func (tx Tx) DropClutchRows(ctx context.Context, table string, ids []int64) error {
	_, err := tx.Exec(ctx, clutchRows[table], tx.FarmID, ids)
	return err
}

// MoveBox keeps on which shelf a box and its clutches stand.
func (tx Tx) MoveBox(ctx context.Context, boxID, machineID int64) error {
	_, err := tx.Exec(ctx, `
		with moved as (
			update boxes set machine_id = $3 where farm_id = $1 and id = $2
		)
		update batches
		set setter_id = $3, hatcher_id = $3
		where farm_id = $1 and closed_at is null
			and id in (select batch_id from clutches where farm_id = $1 and box_id = $2)`, tx.FarmID, boxID, machineID)
	return err
}

// WarmthRows are where a batch stood, where instruments lay, how they were checked, and what was read by hand since a
// moment.
type WarmthRows struct {
	Legs  []store.Leg
	Stays []probes.InstrumentStay
	probes.Gauges
	Cuts        []outage.CutIn
	CutReadings []outage.OutageReading
}

// WarmthRows reads them in one round trip.
func (tx Tx) WarmthRows(ctx context.Context, batchID int64, since time.Time) (r WarmthRows, err error) {
	q := &pgx.Batch{}
	store.Ask(q, &r.Legs, store.LegsOf, tx.FarmID, batchID)
	store.Ask(q, &r.Stays, probes.InstrumentStays, tx.FarmID)
	store.Ask(q, &r.Instruments, probes.Instruments, tx.FarmID)
	store.Ask(q, &r.Checks, probes.InstrumentChecks, tx.FarmID)
	store.Ask(q, &r.Readings, `
		select id, machine_id, instrument_id, at, temp_c, rh_pct, wet
		from machine_readings
		where farm_id = $1 and at >= $2 and instrument_id is not null and temp_c is not null
		order by at desc, id desc
		limit 20000`, tx.FarmID, since)
	store.Ask(q, &r.Cuts, outage.CutsSince, tx.FarmID, since)
	store.Ask(q, &r.CutReadings, outage.CutReadingsSince, tx.FarmID, since)
	return r, tx.SendBatch(ctx, q).Close()
}

// Torn counts the living eggs of a batch that stick to some that are to be taken out, and would stay.
func (tx Tx) Torn(ctx context.Context, batchID int64, out []int64) (int, error) {
	return store.Value[int](ctx, tx, `
		select count(distinct b.egg_id)::int
		from clutch_eggs a
		join clutch_eggs b on b.farm_id = $1 and b.batch_id = $2 and b.stuck = a.stuck
		join eggs e on e.farm_id = $1 and e.id = b.egg_id and e.fate is null
		where a.farm_id = $1 and a.batch_id = $2 and a.stuck > 0 and a.egg_id = any ($3) and not b.egg_id = any ($3)`,
		tx.FarmID, batchID, out)
}
