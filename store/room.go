package store

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"
)

// StoragePlace is where eggs wait.
type StoragePlace struct {
	ID      int64
	Name    string
	TempC   *float64 // read last
	RHPct   *float64
	UntilOn *time.Time
	WarmH   *float64 // of the last 48 hours it was so warm that germs begin to grow, by its probe
}

// TellPlace keeps what the probe of a place told: its mean of the last day in °C and %, and for how many of the last
// 48 hours it was too warm. What it did not tell, or is not sure of, is nil and stays as it was.
func (tx *Tx) TellPlace(ctx context.Context, id int64, tempC, rhPct *float64, warmH float64) error {
	_, err := tx.Exec(ctx, `
		update places set temp_c = coalesce($3, temp_c), rh_pct = coalesce($4, rh_pct), warm_h = $5
		where farm_id = $1 and id = $2`, tx.FarmID, id, tempC, rhPct, warmH)
	return err
}

// SaveStoragePlace makes one (ID 0) or changes it, and returns its id.
func (tx *Tx) SaveStoragePlace(ctx context.Context, p StoragePlace) (int64, error) {
	if p.ID == 0 {
		return value[int64](ctx, tx, `
			insert into places (farm_id, name, temp_c, rh_pct, until_on)
			values ($1, $2, $3, $4, $5)
			returning id`, tx.FarmID, p.Name, p.TempC, p.RHPct, p.UntilOn)
	}
	return value[int64](ctx, tx, `
		update places
		set name = $3, temp_c = $4, rh_pct = $5, until_on = $6
		where farm_id = $1 and id = $2
		returning id`, tx.FarmID, p.ID, p.Name, p.TempC, p.RHPct, p.UntilOn)
}

// Stored counts the eggs in a place; PlaceID nil is no place in particular.
type Stored struct {
	PlaceID *int64
	Eggs    int
	Oldest  time.Time
	Resting int // of them, shipped eggs that are not to be moved yet
}

// Parcel is eggs ordered from a supplier.
type Parcel struct {
	ID               int64
	PenID            int64 // the supplier's
	Ordered          int
	OrderedOn        time.Time
	Sent, Broken     *int
	Loose, Displaced *int // air cells
	ArrivedAt        *time.Time
	ReadyAt          *time.Time
	LaidOn           *time.Time
	Note             string
	CollectionID     *int64
	ExpectedOn       *time.Time
	SetterID         *int64 // that is to be warm for it
	Stored, Set      int    // of its eggs, in store and set so far
}

// Parcels lists the newest, those on their way first.
func (tx *Tx) Parcels(ctx context.Context, most int) ([]Parcel, error) {
	return list[Parcel](
		ctx, tx, parcels+` where p.farm_id = $1 order by p.arrived_at is not null, p.id desc limit $2`, tx.FarmID, most,
	)
}

const parcels = `
	select p.id, p.pen_id, p.ordered, p.ordered_on, p.sent, p.broken, p.loose, p.displaced,
		p.arrived_at, c.ready_at, c.laid_on, p.note, p.collection_id, p.expected_on, p.setter_id,
		(
			select count(*)
			from eggs e
			where e.farm_id = $1 and e.collection_id = c.id and ` + inStore + `
		)::int as stored,
		(
			select count(*)
			from eggs e
			where e.farm_id = $1 and e.collection_id = c.id and e.batch_id is not null
		)::int as set
	from parcels p
	left join collections c on c.farm_id = $1 and c.id = p.collection_id`

// Parcel finds one.
func (tx *Tx) Parcel(ctx context.Context, id int64) (Parcel, error) {
	return one[Parcel](ctx, tx, parcels+` where p.farm_id = $1 and p.id = $2`, tx.FarmID, id)
}

// AddParcel notes an order.
func (tx *Tx) AddParcel(ctx context.Context, p Parcel) (int64, error) {
	return value[int64](ctx, tx, `
		insert into parcels (farm_id, pen_id, ordered, ordered_on, note, expected_on, setter_id)
		values ($1, $2, $3, $4, $5, $6, $7)
		returning id`, tx.FarmID, p.PenID, p.Ordered, p.OrderedOn, p.Note, p.ExpectedOn, p.SetterID)
}

// DropParcel forgets an order.
func (tx *Tx) DropParcel(ctx context.Context, id int64) error {
	_, err := tx.Exec(ctx, `delete from parcels where farm_id = $1 and id = $2`, tx.FarmID, id)
	return err
}

// SaveParcel keeps what came, or, with nothing in it, that it is on its way.
func (tx *Tx) SaveParcel(ctx context.Context, p Parcel) error {
	_, err := tx.Exec(ctx, `
		update parcels
		set sent = $3, broken = $4, loose = $5, displaced = $6, arrived_at = $7, note = $8,
			collection_id = $9, expected_on = $10, setter_id = $11
		where farm_id = $1 and id = $2`,
		tx.FarmID, p.ID, p.Sent, p.Broken, p.Loose, p.Displaced, p.ArrivedAt, p.Note, p.CollectionID, p.ExpectedOn,
		p.SetterID)
	return err
}

// Figure is a farm's own value of a species' figure.
type Figure struct {
	Species, Figure string
	At, Low, High   float64
	Days            []int
	Source          string // where the farm has it from
}

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
	return list[Tray](ctx, tx, `
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
		return value[int64](ctx, tx, `
			insert into trays (farm_id, machine_id, name, tray_rows, tray_columns, warm, cool)
			values ($1, $2, $3, $4, $5, $6, $7)
			returning id`,
			tx.FarmID, t.MachineID, t.Name, t.TrayRows, t.TrayColumns, t.Warm, t.Cool)
	}
	return value[int64](ctx, tx, `
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
	return list[TrayEgg](ctx, tx, `
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

// Care is something done again and again to one batch, machine or storage place.
type Care struct {
	Kind                        string
	BatchID, MachineID, PlaceID *int64
	At                          time.Time
}

// AddCare notes it and returns its id.
func (tx *Tx) AddCare(ctx context.Context, c Care, personID int64) (int64, error) {
	return value[int64](ctx, tx, `
		insert into care (farm_id, at, person_id, kind, batch_id, machine_id, place_id)
		values ($1, $2, nullif($3::bigint, 0), $4, $5, $6, $7)
		returning id`,
		tx.FarmID, c.At, personID, c.Kind, c.BatchID, c.MachineID, c.PlaceID)
}

// DropCare takes notes back.
func (tx *Tx) DropCare(ctx context.Context, ids []int64) error {
	_, err := tx.Exec(ctx, `delete from care where farm_id = $1 and id = any ($2)`, tx.FarmID, ids)
	return err
}

// Upkeep is what was done, and where eggs wait: the ground of daily chores.
type Upkeep struct {
	Care        []Care // of open batches, since a moment, in order
	Last        []Care // when each thing was done last to a machine or place
	Emptied     []Emptied
	Done        []ChoreDone    // of batches in the machines
	Places      []StoragePlace // by name, those in use first
	Stored      []Stored
	Tests       []TestDue    // fertility tests that are not ended
	Lists       []Handover   // for whoever looks after the farm, that are not over
	Water       []WaterEvent // what was last done to the water, machine by machine, the oldest first
	Tilted      []Tilted     // since that moment
	Swaps       []Swap       // of batches in machines
	Changes     []Response   // what was changed in machines, the newest of each
	Opened      []Emptied    // when each machine with eggs that turn was last opened, in the last three days
	Cuts        []Outage     // that are not over, or ended in the last three days
	Chilled     []OutageBatch
	NextTimes   []NextTime // that stand
	Supplies    []Supply
	Instruments []Instrument
	Checks      []InstrumentCheck
	Broods      []Brood   // with young left
	Heats       []Heat    // the newest of each brooder
	Brooders    []Brooder // in use
	Alarms      []Alarm
	Rings       []AlarmRing // that are not over
	Incidents   []Incident  // of the last two weeks, of which nobody said anything
}

// Tilted is how often the eggs in a place were tilted.
type Tilted struct {
	PlaceID int64
	Times   int
}

// Emptied is when a machine was last emptied.
type Emptied struct {
	MachineID int64
	At        time.Time
}

// Upkeep reads it in one round trip, as it stands now.
func (tx *Tx) Upkeep(ctx context.Context, since, now time.Time) (u Upkeep, err error) {
	q := &pgx.Batch{}
	ask(q, &u.Care, `
		select c.kind, c.batch_id, c.machine_id, c.place_id, c.at
		from care c
		join batches b on b.farm_id = $1 and b.id = c.batch_id
		where c.farm_id = $1 and b.closed_at is null and c.at >= $2
		order by c.at`, tx.FarmID, since)
	ask(q, &u.Last, `
		select kind, null::bigint as batch_id, machine_id, place_id, max(at) as at
		from care
		where farm_id = $1 and batch_id is null
		group by kind, machine_id, place_id`, tx.FarmID)
	ask(q, &u.Emptied, emptied, tx.FarmID)
	ask(q, &u.Done, `
		select batch_id, kind, day
		from chores_done c
		where farm_id = $1 and exists (
			select
			from batches b
			where b.farm_id = $1 and b.id = c.batch_id and b.closed_at is null
		)`, tx.FarmID)
	ask(q, &u.Places, `
		select id, name, temp_c, rh_pct, until_on, warm_h
		from places
		where farm_id = $1
		order by until_on is not null, name`, tx.FarmID)
	ask(q, &u.Stored, `
		select c.place_id, count(*) as eggs, min(e.laid_on) as oldest,
			count(*) filter (where c.ready_at > $2) as resting
		from eggs e
		join collections c on c.farm_id = $1 and c.id = e.collection_id
		where e.farm_id = $1 and `+inStore+`
		group by c.place_id`, tx.FarmID, now)
	ask(q, &u.Lists, handover+`h.withdrawn_at is null and h.to_on >= $2::timestamptz::date - 1 order by h.id`,
		tx.FarmID, now)
	ask(q, &u.Tests, testsDue, tx.FarmID)
	ask(q, &u.Water, waterLog, tx.FarmID)
	ask(q, &u.Tilted, `
		select place_id, count(*)::int as times
		from care
		where farm_id = $1 and place_id is not null and at >= $2
		group by place_id`, tx.FarmID, since)
	ask(q, &u.Swaps, swaps, tx.FarmID)
	ask(q, &u.Cuts, cuts, tx.FarmID, now.AddDate(0, 0, -3))
	ask(q, &u.Chilled, chilled, tx.FarmID)
	ask(q, &u.NextTimes, nextTimes, tx.FarmID)
	ask(q, &u.Supplies, supplies, tx.FarmID)
	ask(q, &u.Broods, livingBroods, tx.FarmID)
	ask(q, &u.Instruments, instruments, tx.FarmID)
	ask(q, &u.Checks, instrumentChecks, tx.FarmID)
	ask(q, &u.Heats, heats, tx.FarmID)
	ask(q, &u.Brooders, brooders, tx.FarmID, since)
	ask(q, &u.Changes, newestResponses, tx.FarmID)
	ask(q, &u.Opened, opened, tx.FarmID, now)
	ask(q, &u.Alarms, alarms, tx.FarmID)
	ask(q, &u.Rings, ringColumns+`
		where r.farm_id = $1 and r.ended_at is null
		order by r.rang_at`, tx.FarmID)
	ask(q, &u.Incidents, incidentColumns+`
		where farm_id = $1 and said is null and from_at > $2::timestamptz - interval '14 days'
		order by from_at desc
		limit 6`, tx.FarmID, now)
	return u, tx.SendBatch(ctx, q).Close()
}

// emptied tells when each machine was emptied last.
const emptied = `
	select machine_id, at
	from (
		select m.id as machine_id, greatest(
			(
				select max(case when hatcher_id <> setter_id then coalesce(locked_at, closed_at) else closed_at end)
				from batches
				where farm_id = $1 and setter_id = m.id
			),
			(select max(closed_at) from batches where farm_id = $1 and hatcher_id = m.id),
			(select max(at) from moves where farm_id = $1 and from_id = m.id)
		) as at
		from machines m
		where m.farm_id = $1
	) e
	where at is not null`

// opened tells when each machine was opened last while eggs turned in it: to candle, weigh, mist or cool
// them, or to bring eggs in or out.
const opened = `
	select machine_id, max(at) as at
	from (
		select b.setter_id as machine_id, o.at
		from batches b
		cross join lateral (
			select at from candlings n where n.farm_id = $1 and n.batch_id = b.id
			union all
			select at from weighings x where x.farm_id = $1 and x.batch_id = b.id
			union all
			select at from care c where c.farm_id = $1 and c.batch_id = b.id and kind in ('mist', 'cool')
		) o
		where b.farm_id = $1 and b.closed_at is null and b.locked_at is null
		union all
		select from_id, at from moves where farm_id = $1
		union all
		select to_id, at from moves where farm_id = $1
		union all
		select setter_id, split_at from batches where farm_id = $1 and split_at is not null
		union all
		select machine_id, at from lid_openings where farm_id = $1
	) o
	where at > $2::timestamptz - interval '3 days'
	group by machine_id`

// LogEntry is a line of a log.
type LogEntry struct {
	At   time.Time
	Kind string
	Who  string
}

// CareLog lists the newest that was done to a batch or storage place; the other is 0.
func (tx *Tx) CareLog(ctx context.Context, batchID, placeID int64, most int) ([]LogEntry, error) {
	return list[LogEntry](ctx, tx, careLog, tx.FarmID, batchID, placeID, most)
}

const careLog = `
	select c.at, c.kind, coalesce(p.name, 'the program') as who
	from care c
	left join people p on p.id = c.person_id
	where c.farm_id = $1 and (c.batch_id = $2 or c.place_id = $3)
	order by c.at desc, c.id desc
	limit $4`
