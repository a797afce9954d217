package probes

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"metrogon/store"
	"metrogon/store/people"
)

// Alarm is what a farm wants to be woken for.
type Alarm struct {
	ID        int64
	MachineID *int64 // nil: each machine
	Phase     string // any, turning, lockdown, empty
	What      string // as core/climate names it
	Bound     float64
	DelayMin  int
	Wakes     bool // through quiet hours
	EndedAt   *time.Time
}

// AlarmRing is an alarm that rang.
type AlarmRing struct {
	ID, AlarmID, MachineID, InstrumentID int64
	Level                                string // of an alarm by kind
	BeganAt, RangAt                      time.Time
	EndedAt                              *time.Time
	Worst                                float64
	SeenAt                               *time.Time
	SeenBy                               string
}

// Incident is what was found in the readings.
type Incident struct {
	ID, MachineID, InstrumentID int64
	Kind                        string // power or lid
	FromAt                      time.Time
	ToAt                        *time.Time // nil: it goes on
	LowC                        float64
	Said                        *string // so or not
}

// Alarms selects a farm’s alarms that stand.
const Alarms = `
	select id, machine_id, phase, what, bound, delay_min, wakes, ended_at
	from alarms
	where farm_id = $1 and ended_at is null
	order by machine_id nulls first, what, id`

// RingColumns are those of an AlarmRing, with where they come from.
const RingColumns = `
	select r.id, r.alarm_id, r.machine_id, r.instrument_id, r.level, r.began_at, r.rang_at, r.ended_at, r.worst, r.seen_at,
		coalesce(p.name, '') as seen_by
	from alarm_rings r
	left join people p on p.id = r.person_id`

// IncidentColumns are those of an Incident, with where they come from.
const IncidentColumns = `
	select id, machine_id, instrument_id, kind, from_at, to_at, low_c, said
	from incidents`

// Watched is what a farm’s alarms look at.
type Watched struct {
	Alarms    []Alarm
	Open      []AlarmRing
	Incidents []Incident // since a moment
	Probes    []Probe
	Stays     []InstrumentStay
	Gauges    Gauges
	Warm      []WarmPlace
}

// WarmPlace is a place of which a probe told that it was too warm.
type WarmPlace struct{ ID int64 }

// Watched reads it in one round trip.
func (tx Tx) Watched(ctx context.Context, since time.Time) (w Watched, err error) {
	q := &pgx.Batch{}
	store.Ask(q, &w.Alarms, Alarms, tx.FarmID)
	store.Ask(q, &w.Open, RingColumns+`
		where r.farm_id = $1 and r.ended_at is null`, tx.FarmID)
	store.Ask(q, &w.Incidents, IncidentColumns+`
		where farm_id = $1 and (to_at is null or to_at >= $2)
		order by from_at desc`, tx.FarmID, since)
	store.Ask(q, &w.Probes, probes, tx.FarmID)
	store.Ask(q, &w.Stays, InstrumentStays, tx.FarmID)
	store.Ask(q, &w.Gauges.Instruments, Instruments, tx.FarmID)
	store.Ask(q, &w.Gauges.Checks, InstrumentChecks, tx.FarmID)
	store.Ask(q, &w.Warm, `select id from places where farm_id = $1 and warm_h > 0`, tx.FarmID)
	return w, tx.SendBatch(ctx, q).Close()
}

// Alarmed is what a farm’s page of alarms shows.
type Alarmed struct {
	Alarms []Alarm
	Rings  []AlarmRing // the newest first
}

// Alarmed reads it: the newest rings.
func (tx Tx) Alarmed(ctx context.Context, most int) (a Alarmed, err error) {
	q := &pgx.Batch{}
	store.Ask(q, &a.Alarms, Alarms, tx.FarmID)
	store.Ask(q, &a.Rings, RingColumns+`
		where r.farm_id = $1
		order by r.ended_at is null desc, r.rang_at desc
		limit $2`, tx.FarmID, most)
	return a, tx.SendBatch(ctx, q).Close()
}

// SaveAlarm makes an alarm (ID 0) or changes one, and returns its id.
func (tx Tx) SaveAlarm(ctx context.Context, a Alarm) (int64, error) {
	if a.ID == 0 {
		return store.Value[int64](ctx, tx, `
			insert into alarms (farm_id, machine_id, phase, what, bound, delay_min, wakes)
			values ($1, $2, $3, $4, $5, $6, $7)
			returning id`, tx.FarmID, a.MachineID, a.Phase, a.What, a.Bound, a.DelayMin, a.Wakes)
	}
	return store.Value[int64](ctx, tx, `
		update alarms
		set machine_id = $3, phase = $4, what = $5, bound = $6, delay_min = $7, wakes = $8, ended_at = $9
		where farm_id = $1 and id = $2
		returning id`, tx.FarmID, a.ID, a.MachineID, a.Phase, a.What, a.Bound, a.DelayMin, a.Wakes, a.EndedAt)
}

// DropAlarm forgets one with what it rang.
func (tx Tx) DropAlarm(ctx context.Context, id int64) error {
	_, err := tx.Exec(ctx, `delete from alarms where farm_id = $1 and id = $2`, tx.FarmID, id)
	return err
}

// AddRing keeps that an alarm rings; one that rings already rings once.
func (tx Tx) AddRing(ctx context.Context, r AlarmRing) (fresh bool, err error) {
	done, err := tx.Exec(ctx, `
		insert into alarm_rings (
			farm_id, alarm_id, machine_id, instrument_id, level, began_at, rang_at, ended_at, worst
		)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9)
		on conflict do nothing`,
		tx.FarmID, r.AlarmID, r.MachineID, r.InstrumentID, r.Level, r.BeganAt, r.RangAt, r.EndedAt, r.Worst)
	return done.RowsAffected() > 0, err
}

// SetRing says how bad it became, and when it ended.
func (tx Tx) SetRing(ctx context.Context, id int64, worst float64, ended *time.Time) error {
	_, err := tx.Exec(ctx, `
		update alarm_rings set worst = $3, ended_at = $4 where farm_id = $1 and id = $2`, tx.FarmID, id, worst, ended)
	return err
}

// SeeRing keeps who saw that an alarm rang, and with it all that rings in that machine; the first who did stays.
func (tx Tx) SeeRing(ctx context.Context, id int64, at time.Time, personID int64) error {
	done, err := tx.Exec(ctx, `
		update alarm_rings
		set seen_at = coalesce(seen_at, $3), person_id = case when seen_at is null then $4 else person_id end
		where farm_id = $1 and (id = $2 or ended_at is null and machine_id = (
			select machine_id from alarm_rings where farm_id = $1 and id = $2
		))`, tx.FarmID, id, at, personID)
	if err == nil && done.RowsAffected() == 0 {
		return store.ErrNone
	}
	return err
}

// PutIncident keeps what was found by an instrument, or how it went on.
func (tx Tx) PutIncident(ctx context.Context, i Incident) error {
	_, err := tx.Exec(ctx, `
		insert into incidents (farm_id, machine_id, instrument_id, kind, from_at, to_at, low_c, said)
		values ($1, $2, $3, $4, $5, $6, $7, $8)
		on conflict (farm_id, instrument_id, from_at) do update
		set to_at = excluded.to_at, low_c = excluded.low_c, kind = excluded.kind`,
		tx.FarmID, i.MachineID, i.InstrumentID, i.Kind, i.FromAt, i.ToAt, i.LowC, i.Said)
	return err
}

// Incident finds one.
func (tx Tx) Incident(ctx context.Context, id int64) (Incident, error) {
	return store.One[Incident](ctx, tx, IncidentColumns+` where farm_id = $1 and id = $2`, tx.FarmID, id)
}

// SayIncident keeps what somebody said of one; nil takes it back.
func (tx Tx) SayIncident(ctx context.Context, id int64, said *string) error {
	_, err := tx.Exec(ctx, `update incidents set said = $3 where farm_id = $1 and id = $2`, tx.FarmID, id, said)
	return err
}

// Probed lists the farms that have a probe.
func (db DB) Probed(ctx context.Context) ([]int64, error) {
	return store.IDs(ctx, db.Door, `select distinct farm_id from probes order by 1`)
}

// Held is what readings tell of a batch; nil: nobody knows.
type Held struct {
	BatchID                         int64
	OffsetC, OffsetSure, OffsetDays *float64
	SwingC, LockRHPct               *float64
}

// SetHeld keeps it.
func (tx Tx) SetHeld(ctx context.Context, h Held) error {
	_, err := tx.Exec(ctx, `
		update batches set offset_c = $3, offset_sure = $4, offset_days = $5, swing_c = $6, lock_rh_pct = $7
		where farm_id = $1 and id = $2`,
		tx.FarmID, h.BatchID, h.OffsetC, h.OffsetSure, h.OffsetDays, h.SwingC, h.LockRHPct)
	return err
}

// SetToldRH keeps which humidity a machine’s probes told over the last day; nil: none did.
func (tx Tx) SetToldRH(ctx context.Context, machineID int64, rhPct *float64, at time.Time) error {
	_, err := tx.Exec(ctx, `
		update machines set told_rh_pct = $3, told_rh_at = case when $3::float8 is not null then $4::timestamptz end
		where farm_id = $1 and id = $2`, tx.FarmID, machineID, rhPct, at)
	return err
}

// Keeper finds an owner of a farm, for what is looked at when nobody is there.
func (db DB) Keeper(ctx context.Context, farmID int64) (people.Member, error) {
	return store.One[people.Member](
		ctx, db.Door, people.MemberSQL+`m.farm_id = $1 and m.role = 'owner' order by p.id limit 1`, farmID,
	)
}
