package probes

import (
	"context"
	"fmt"
	"strconv"
	"time"

	"github.com/jackc/pgx/v5"

	"metrogon/store"
	"metrogon/store/outage"
	"metrogon/store/weigh"
)

// Probe is an instrument that sends by itself.
type Probe struct {
	InstrumentID int64
	Keyed        bool    // it has a key of its own
	Topic        *string // on which the farm's broker has it
	MadeAt       time.Time
}

const probes = `
	select instrument_id, digest is not null as keyed, topic, made_at
	from probes
	where farm_id = $1
	order by instrument_id`

// Probes lists the farm's.
func (tx Tx) Probes(ctx context.Context) ([]Probe, error) {
	return store.List[Probe](ctx, tx, probes, tx.FarmID)
}

// SetProbeKey lets an instrument send under a key, of which the digest is kept; one before opens nothing any more.
func (tx Tx) SetProbeKey(ctx context.Context, instrumentID int64, digest []byte, at time.Time) error {
	_, err := tx.Exec(ctx, `
		insert into probes (farm_id, instrument_id, digest, made_at) values ($1, $2, $3, $4)
		on conflict (farm_id, instrument_id) do update set digest = excluded.digest`, tx.FarmID, instrumentID, digest, at)
	return err
}

// SetProbeTopic says on which topic a broker has an instrument; "" on none.
func (tx Tx) SetProbeTopic(ctx context.Context, instrumentID int64, topic string, at time.Time) error {
	_, err := tx.Exec(ctx, `
		insert into probes (farm_id, instrument_id, topic, made_at) values ($1, $2, nullif($3, ''), $4)
		on conflict (farm_id, instrument_id) do update set topic = excluded.topic`, tx.FarmID, instrumentID, topic, at)
	return err
}

// DropProbe forgets how an instrument sends; what it told stays.
func (tx Tx) DropProbe(ctx context.Context, instrumentID int64) error {
	_, err := tx.Exec(ctx, `
		delete from probes where farm_id = $1 and instrument_id = $2`, tx.FarmID, instrumentID)
	return err
}

// Sender is which instrument of which farm sends.
type Sender struct {
	FarmID, InstrumentID int64
}

// SenderOf finds who sends under a key, or ErrNone.
func (db DB) SenderOf(ctx context.Context, digest []byte) (Sender, error) {
	return store.One[Sender](ctx, db.Door, `select farm_id, instrument_id from probes where digest = $1`, digest)
}

// Broker is from where a farm's probes are heard.
type Broker struct {
	FarmID             int64
	URL                string
	Username, Password string
}

// Broker gives the farm's, or ErrNone.
func (tx Tx) Broker(ctx context.Context) (Broker, error) {
	return store.One[Broker](ctx, tx, `
		select farm_id, url, username, password from brokers where farm_id = $1`, tx.FarmID)
}

// SaveBroker keeps the farm's broker; without a URL it is forgotten.
func (tx Tx) SaveBroker(ctx context.Context, b Broker) error {
	if b.URL == "" {
		_, err := tx.Exec(ctx, `delete from brokers where farm_id = $1`, tx.FarmID)
		return err
	}
	_, err := tx.Exec(ctx, `
		insert into brokers (farm_id, url, username, password) values ($1, $2, $3, $4)
		on conflict (farm_id) do update
		set url = excluded.url, username = excluded.username, password = excluded.password`,
		tx.FarmID, b.URL, b.Username, b.Password)
	return err
}

// Heard is an instrument on a topic of a farm's broker.
type Heard struct {
	Sender
	Topic string
}

// Brokers lists those of all farms, with what is heard from each.
func (db DB) Brokers(ctx context.Context) (all []Broker, heard []Heard, err error) {
	q := &pgx.Batch{}
	store.Ask(q, &all, `select farm_id, url, username, password from brokers order by farm_id`)
	store.Ask(q, &heard, `
		select p.farm_id, p.instrument_id, p.topic
		from probes p
		join brokers b using (farm_id)
		where p.topic is not null
		order by p.farm_id, p.topic`)
	return all, heard, db.Door.SendBatch(ctx, q).Close()
}

// stillAlone is how often it is seen whether the connection is there that keeps others out.
const stillAlone = 2 * time.Second

// Alone runs work while no other process does the same, or not at all: which is told by a number. The lock goes with
// its connection; once that is lost, another process may begin, and the work's context ends.
func (db DB) Alone(ctx context.Context, which int, work func(context.Context) error) (did bool, err error) {
	conn, err := db.Door.Acquire(ctx)
	if err != nil {
		return false, err
	}
	defer conn.Release()
	if err := conn.QueryRow(ctx, `select pg_try_advisory_lock($1)`, which).Scan(&did); err != nil || !did {
		return false, err
	}
	defer func() {
		short, enough := context.WithTimeout(context.WithoutCancel(ctx), stillAlone)
		defer enough()
		_, _ = conn.Exec(short, `select pg_advisory_unlock($1)`, which) // a broken connection has no lock
	}()
	held, lost := context.WithCancelCause(ctx)
	watched := make(chan struct{})
	go func() {
		defer close(watched)
		for {
			select {
			case <-held.Done():
				return
			case <-time.After(stillAlone):
			}
			short, enough := context.WithTimeout(held, stillAlone)
			if err := conn.Ping(short); err != nil {
				lost(fmt.Errorf("not alone any more: %w", err))
			}
			enough()
		}
	}()
	err = work(held)
	lost(nil)
	<-watched
	return true, err
}

// TellRead tells those who watch a farm's readings that some came in.
func (db DB) TellRead(ctx context.Context, farmID int64) error {
	_, err := db.Door.Exec(ctx, `select pg_notify('metrogon_read', $1)`, strconv.FormatInt(farmID, 10))
	return err
}

// MachineLog is what happened to a machine in a span of time.
type MachineLog struct {
	Batches  []store.Batch // whose eggs stood in it
	Waters   []weigh.WaterEvent
	Openings []store.LidOpening
	Readings []MachineReading // by hand, the oldest first
	Found    []Incident       // but for those that were none
	Cuts     []outage.Outage
}

// MachineLog reads it in one round trip.
func (tx Tx) MachineLog(ctx context.Context, machineID int64, from, to time.Time) (l MachineLog, err error) {
	q := &pgx.Batch{}
	store.Ask(q, &l.Batches, `select `+store.BatchColumns+`
		from batches
		where farm_id = $1 and (setter_id = $2 or hatcher_id = $2) and set_at < $4
			and set_at > $3::timestamptz - interval '400 days'
			and (closed_at is null or closed_at > $3)
		order by set_at, id
		limit 200`, tx.FarmID, machineID, from, to)
	store.Ask(q, &l.Waters, `
		select id, machine_id, at, kind, coalesce(ml, 0) as ml
		from machine_water
		where farm_id = $1 and machine_id = $2 and at >= $3 and at < $4
		order by at
		limit 500`, tx.FarmID, machineID, from, to)
	store.Ask(q, &l.Openings, `
		select id, machine_id, at, minutes, why, '' as person_name
		from lid_openings
		where farm_id = $1 and machine_id = $2 and at >= $3 and at < $4
		order by at
		limit 500`, tx.FarmID, machineID, from, to)
	store.Ask(q, &l.Readings, `
		select id, machine_id, instrument_id, at, temp_c, rh_pct, wet
		from machine_readings
		where farm_id = $1 and machine_id = $2 and instrument_id is not null and at >= $3 and at < $4
		order by at
		limit 2000`, tx.FarmID, machineID, from, to)
	store.Ask(q, &l.Found, IncidentColumns+`
		where farm_id = $1 and machine_id = $2 and said is distinct from 'not' and from_at < $4
			and (to_at is null or to_at > $3)
		order by from_at
		limit 200`, tx.FarmID, machineID, from, to)
	store.Ask(q, &l.Cuts, outage.CutsOf, tx.FarmID, machineID, from, to)
	return l, tx.SendBatch(ctx, q).Close()
}
