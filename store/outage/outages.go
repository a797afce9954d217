package outage

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"metrogon/store"
)

// Outage is a power cut.
type Outage struct {
	ID     int64
	FromAt time.Time
	ToAt   *time.Time // nil: the power is still away
	RoomC  float64    // around the machines, °C
}

// OutageMachine is a machine that it took.
type OutageMachine struct {
	MachineID int64
	Box       string
}

// OutageReading is what eggs in a machine were read at meanwhile.
type OutageReading struct {
	ID, MachineID int64
	At            time.Time
	EggC          float64
}

// OutageBatch is what it did to a batch.
type OutageBatch struct {
	OutageID, BatchID, MachineID int64
	Eggs                         int
	Hours                        float64 // that it was away from the batch
	LateH                        float64
	Risk                         string
	LookOn                       time.Time // when a look by the lamp tells who lives
}

// Stood is where an open batch stood at a moment, and until when.
type Stood struct {
	BatchID, MachineID int64
	ToAt               *time.Time
}

const outageColumns = `id, from_at, to_at, room_c`

// Cuts are those that are not over, or ended lately.
const Cuts = `
	select ` + outageColumns + `
	from outages
	where farm_id = $1 and (to_at is null or to_at > $2)
	order by from_at desc, id desc`

// Chilled are open batches that cold did some harm or more.
const Chilled = `
	select o.outage_id, o.batch_id, o.machine_id, o.eggs, o.hours, o.late_h, o.risk, o.look_on
	from outage_batches o
	join batches b on b.farm_id = $1 and b.id = o.batch_id and b.closed_at is null
	where o.farm_id = $1 and o.risk <> 'low'
	order by o.look_on, o.batch_id`

// AddOutage keeps one with its machines and returns its id.
func (tx Tx) AddOutage(ctx context.Context, o Outage, on []OutageMachine, personID int64) (int64, error) {
	machines, boxes := make([]int64, len(on)), make([]string, len(on))
	for i, x := range on {
		machines[i], boxes[i] = x.MachineID, x.Box
	}
	return store.Value[int64](ctx, tx, `
		with o as (
			insert into outages (farm_id, from_at, to_at, room_c, person_id)
			values ($1, $2, $3, $4, nullif($5::bigint, 0))
			returning id
		), m as (
			insert into outage_machines (farm_id, outage_id, machine_id, box)
			select $1, o.id, x.machine_id, x.box
			from o, unnest($6::bigint[], $7::text[]) x (machine_id, box)
		)
		select id from o`, tx.FarmID, o.FromAt, o.ToAt, o.RoomC, personID, machines, boxes)
}

// EndOutage says when the power was back; nil takes that back.
func (tx Tx) EndOutage(ctx context.Context, id int64, at *time.Time) error {
	_, err := tx.Exec(ctx, `update outages set to_at = $3 where farm_id = $1 and id = $2`, tx.FarmID, id, at)
	return err
}

// DropOutage forgets one.
func (tx Tx) DropOutage(ctx context.Context, id int64) error {
	_, err := tx.Exec(ctx, `delete from outages where farm_id = $1 and id = $2`, tx.FarmID, id)
	return err
}

// AddOutageReading keeps what eggs were read at; where that moment was read before, the later entry counts.
func (tx Tx) AddOutageReading(ctx context.Context, outageID int64, r OutageReading) (int64, error) {
	return store.Value[int64](ctx, tx, `
		insert into outage_readings (farm_id, outage_id, machine_id, at, egg_c)
		values ($1, $2, $3, $4, $5)
		on conflict (farm_id, outage_id, machine_id, at) do update
		set egg_c = excluded.egg_c
		returning id`, tx.FarmID, outageID, r.MachineID, r.At, r.EggC)
}

// DropOutageReading forgets one.
func (tx Tx) DropOutageReading(ctx context.Context, id int64) error {
	_, err := tx.Exec(ctx, `delete from outage_readings where farm_id = $1 and id = $2`, tx.FarmID, id)
	return err
}

// Chill keeps what an outage did to a batch, and sets it back by that.
func (tx Tx) Chill(ctx context.Context, o OutageBatch) error {
	_, err := tx.Exec(ctx, `
		with kept as (
			insert into outage_batches (farm_id, outage_id, batch_id, machine_id, eggs, hours, late_h, risk, look_on)
			values ($1, $2, $3, $4, $5, $6, $7, $8, $9)
			returning batch_id, late_h
		)
		update batches
		set late_h = least(240, batches.late_h + kept.late_h)
		from kept
		where farm_id = $1 and id = kept.batch_id`,
		tx.FarmID, o.OutageID, o.BatchID, o.MachineID, o.Eggs, o.Hours, o.LateH, o.Risk, o.LookOn)
	return err
}

// Unchill takes back what an outage did to all batches.
func (tx Tx) Unchill(ctx context.Context, outageID int64) error {
	_, err := tx.Exec(ctx, `
		with gone as (
			delete from outage_batches
			where farm_id = $1 and outage_id = $2
			returning batch_id, late_h
		)
		update batches
		set late_h = greatest(0, batches.late_h - gone.late_h)
		from gone
		where farm_id = $1 and id = gone.batch_id`, tx.FarmID, outageID)
	return err
}

// Outages lists them, the newest first.
func (tx Tx) Outages(ctx context.Context, most int) ([]Outage, error) {
	return store.List[Outage](ctx, tx, `
		select `+outageColumns+`
		from outages
		where farm_id = $1
		order by from_at desc, id desc
		limit $2`, tx.FarmID, most)
}

// OneOutage is an outage with all that belongs to it.
type OneOutage struct {
	Outage
	Machines []OutageMachine
	Readings []OutageReading // in order of time
	Batches  []OutageBatch   // once it is over
	Stood    []Stood         // open batches that stood in its machines when it began
}

// Outage reads one; it has the id 0 where there is none.
func (tx Tx) Outage(ctx context.Context, id int64) (o OneOutage, err error) {
	var one []Outage
	q := &pgx.Batch{}
	store.Ask(q, &one, `select `+outageColumns+` from outages where farm_id = $1 and id = $2`, tx.FarmID, id)
	store.Ask(q, &o.Machines, `
		select machine_id, box
		from outage_machines
		where farm_id = $1 and outage_id = $2
		order by machine_id`, tx.FarmID, id)
	store.Ask(q, &o.Readings, `
		select id, machine_id, at, egg_c
		from outage_readings
		where farm_id = $1 and outage_id = $2
		order by at, id`, tx.FarmID, id)
	store.Ask(q, &o.Batches, `
		select outage_id, batch_id, machine_id, eggs, hours, late_h, risk, look_on
		from outage_batches
		where farm_id = $1 and outage_id = $2
		order by batch_id`, tx.FarmID, id)
	store.Ask(q, &o.Stood, `
		select b.id as batch_id, s.machine_id, case
				when b.split_at > o.from_at then least(s.to_at, b.split_at) -- it was still in the batch that it left
				else s.to_at
			end as to_at
		from outages o
		join batches b on b.farm_id = $1 and b.set_at <= o.from_at and b.closed_at is null
		cross join lateral legs_of($1, case when b.split_at > o.from_at then b.split_from else b.id end) s
		join outage_machines m on m.farm_id = $1 and m.outage_id = o.id and m.machine_id = s.machine_id
		where o.farm_id = $1 and o.id = $2 and s.from_at <= o.from_at and (s.to_at is null or s.to_at > o.from_at)
		order by b.id`, tx.FarmID, id)
	if err = tx.SendBatch(ctx, q).Close(); err == nil && len(one) > 0 {
		o.Outage = one[0]
	}
	return o, err
}

// OutagesOf is what power cuts did to a batch.
const OutagesOf = `
	select outage_id, batch_id, machine_id, eggs, hours, late_h, risk, look_on
	from outage_batches
	where farm_id = $1 and batch_id = $2
	order by outage_id`

// CutIn is a cut of a machine, with what eggs in it were read at.
type CutIn struct {
	Outage
	MachineID int64
	Box       string
	Readings  []OutageReading `db:"-"`
}

// CutsSince are those that were not over at a moment, once for each machine that they took, the oldest first.
const CutsSince = `
	select ` + outageColumns + `, m.machine_id, m.box
	from outages o
	join outage_machines m on m.farm_id = $1 and m.outage_id = o.id
	where o.farm_id = $1 and (o.to_at is null or o.to_at > $2)
	order by o.from_at, m.machine_id`

// CutReadingsSince are what eggs were read at from a moment on.
const CutReadingsSince = `
	select id, machine_id, at, egg_c
	from outage_readings
	where farm_id = $1 and at >= $2
	order by at, id`

// CutsOf are those of a machine in a span of time.
const CutsOf = `
	select ` + outageColumns + `
	from outages o
	where farm_id = $1 and (to_at is null or to_at > $3) and from_at < $4 and exists (
		select from outage_machines m where m.farm_id = $1 and m.outage_id = o.id and m.machine_id = $2
	)
	order by from_at`
