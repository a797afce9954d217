package hatch

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"metrogon/store"
	"metrogon/store/outage"
	"metrogon/store/probes"
	"metrogon/store/weigh"
)

// NextTime is what is to be done otherwise with the next batches of a kind.
type NextTime struct {
	ID      int64
	Species string
	Says    string
	BatchID int64 // of which it was learnt
	Code    string
	At      time.Time
}

// NextTimes selects the advice for next time that stands.
const NextTimes = `
	select n.id, n.species, n.says, n.batch_id, b.code, n.at
	from next_times n
	join batches b on b.farm_id = $1 and b.id = n.batch_id
	where n.farm_id = $1 and n.until_at is null
	order by n.at, n.id`

// AddNextTimes keeps some, but for those that stand already, and returns the ids of the new ones.
func (tx Tx) AddNextTimes(
	ctx context.Context, species string, says []string, batchID int64, at time.Time, personID int64,
) ([]int64, error) {
	return tx.IDs(ctx, `
		insert into next_times (farm_id, species, says, batch_id, at, person_id)
		select $1, $2, says, $4, $5, nullif($6::bigint, 0)
		from unnest($3::text[]) says
		on conflict do nothing
		returning id`, tx.FarmID, species, says, batchID, at, personID)
}

// DropNextTimes forgets some.
func (tx Tx) DropNextTimes(ctx context.Context, ids []int64) error {
	_, err := tx.Exec(ctx, `delete from next_times where farm_id = $1 and id = any ($2)`, tx.FarmID, ids)
	return err
}

// EndNextTime ends one that stands, nil lets it stand again; it gives what it says, "" where there is none.
func (tx Tx) EndNextTime(ctx context.Context, id int64, at *time.Time) (string, error) {
	says, err := store.List[struct{ Says string }](ctx, tx, `
		update next_times
		set until_at = $3
		where farm_id = $1 and id = $2 and (until_at is null) = ($3::timestamptz is not null)
		returning says`, tx.FarmID, id, at)
	if err != nil || len(says) == 0 {
		return "", err
	}
	return says[0].Says, nil
}

// NextTimes lists those that stand.
func (tx Tx) NextTimes(ctx context.Context) ([]NextTime, error) {
	return store.List[NextTime](ctx, tx, NextTimes, tx.FarmID)
}

// Aftermath is what is known of a batch besides its eggs.
type Aftermath struct {
	Log       store.BatchLog
	BreakOuts []BreakOut
	Outages   []outage.OutageBatch
	Turns     []store.LogEntry        // by hand, the newest first
	NextTimes []NextTime              // that stand, of all kinds
	StoreC    *float64                // mean temperature of the places where its eggs waited, where known
	SetC      *float64                // of its setter, as it was set last before lockdown, °C
	Read      []probes.MachineReading // in its setter, by instruments, while it turned there
	Checks    []probes.InstrumentCheck
	Weighings []weigh.Weighing
	LockRH    *float64 // of its hatcher, as it was set in lockdown, %
}

// Aftermath reads it in one round trip, with so many notes; until is when the batch left its setter.
func (tx Tx) Aftermath(ctx context.Context, b store.Batch, until time.Time, noted int) (a Aftermath, err error) {
	var kept, set, lock []struct{ X *float64 }
	q := &pgx.Batch{}
	a.Log.Ask(q, tx.FarmID, b, 0, noted)
	store.Ask(q, &a.BreakOuts, breakOuts, tx.FarmID, b.ID)
	store.Ask(q, &a.Outages, outage.OutagesOf, tx.FarmID, b.ID)
	store.Ask(q, &a.Turns, `
		select at, kind, '' as who
		from care
		where farm_id = $1 and batch_id = $2 and kind = 'turn'
		order by at desc`, tx.FarmID, b.ID)
	store.Ask(q, &a.NextTimes, NextTimes, tx.FarmID)
	store.Ask(q, &kept, `
		select avg(p.temp_c) as x
		from eggs e
		join collections c on c.farm_id = $1 and c.id = e.collection_id
		join places p on p.farm_id = $1 and p.id = c.place_id
		where e.farm_id = $1 and e.batch_id = $2`, tx.FarmID, b.ID)
	store.Ask(q, &set, `
		select temp_c as x
		from machine_air
		where farm_id = $1 and machine_id = $2 and temp_c is not null and at < $3
		order by at desc
		limit 1`, tx.FarmID, b.SetterID, until)
	store.Ask(q, &lock, `
		select rh_pct as x
		from machine_air
		where farm_id = $1 and machine_id = $2 and rh_pct is not null and at >= $3 and at < $3 + interval '3 days'
		order by at desc
		limit 1`, tx.FarmID, b.HatcherID, until.Add(-12*time.Hour))
	store.Ask(q, &a.Read, `
		select id, machine_id, instrument_id, at, temp_c, rh_pct, wet
		from machine_readings
		where farm_id = $1 and machine_id = $2 and instrument_id is not null and temp_c is not null
			and at >= $3 and at < $4
		order by at`, tx.FarmID, b.SetterID, b.SetAt, until)
	store.Ask(q, &a.Checks, probes.InstrumentChecks, tx.FarmID)
	store.Ask(q, &a.Weighings, weigh.Weighings, tx.FarmID, []int64{b.ID})
	err = tx.SendBatch(ctx, q).Close()
	for to, from := range map[**float64][]struct{ X *float64 }{&a.StoreC: kept, &a.SetC: set, &a.LockRH: lock} {
		if len(from) > 0 {
			*to = from[0].X
		}
	}
	return a, err
}
