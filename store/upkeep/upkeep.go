package upkeep

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"metrogon/store"
	"metrogon/store/breeders"
	"metrogon/store/brood"
	"metrogon/store/hatch"
	"metrogon/store/outage"
	"metrogon/store/probes"
	"metrogon/store/remind"
	"metrogon/store/season"
	"metrogon/store/stock"
	"metrogon/store/weigh"
)

// Stored counts the eggs in a place; PlaceID nil is no place in particular.
type Stored struct {
	PlaceID *int64
	Eggs    int
	Oldest  time.Time
	Resting int // of them, shipped eggs that are not to be moved yet
}

// Upkeep is what was done, and where eggs wait: the ground of daily chores.
type Upkeep struct {
	Care        []store.Care // of open batches, since a moment, in order
	Last        []store.Care // when each thing was done last to a machine or place
	Emptied     []Emptied
	Done        []store.ChoreDone    // of batches in the machines
	Places      []stock.StoragePlace // by name, those in use first
	Stored      []Stored
	Tests       []breeders.TestDue // fertility tests that are not ended
	Lists       []remind.Handover  // for whoever looks after the farm, that are not over
	Water       []weigh.WaterEvent // what was last done to the water, machine by machine, the oldest first
	Tilted      []Tilted           // since that moment
	Swaps       []store.Swap       // of batches in machines
	Changes     []weigh.Response   // what was changed in machines, the newest of each
	Opened      []Emptied          // when each machine with eggs that turn was last opened, in the last three days
	Cuts        []outage.Outage    // that are not over, or ended in the last three days
	Chilled     []outage.OutageBatch
	NextTimes   []hatch.NextTime // that stand
	Supplies    []stock.Supply
	Instruments []probes.Instrument
	Checks      []probes.InstrumentCheck
	Broods      []brood.Brood    // with young left
	Heats       []brood.Heat     // the newest of each brooder
	Brooders    []season.Brooder // in use
	Alarms      []probes.Alarm
	Rings       []probes.AlarmRing // that are not over
	Incidents   []probes.Incident  // of the last two weeks, of which nobody said anything
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
func (tx Tx) Upkeep(ctx context.Context, since, now time.Time) (u Upkeep, err error) {
	q := &pgx.Batch{}
	store.Ask(q, &u.Care, `
		select c.kind, c.batch_id, c.machine_id, c.place_id, c.at
		from care c
		join batches b on b.farm_id = $1 and b.id = c.batch_id
		where c.farm_id = $1 and b.closed_at is null and c.at >= $2
		order by c.at`, tx.FarmID, since)
	store.Ask(q, &u.Last, `
		select kind, null::bigint as batch_id, machine_id, place_id, max(at) as at
		from care
		where farm_id = $1 and batch_id is null
		group by kind, machine_id, place_id`, tx.FarmID)
	store.Ask(q, &u.Emptied, emptied, tx.FarmID)
	store.Ask(q, &u.Done, `
		select batch_id, kind, day
		from chores_done c
		where farm_id = $1 and exists (
			select
			from batches b
			where b.farm_id = $1 and b.id = c.batch_id and b.closed_at is null
		)`, tx.FarmID)
	store.Ask(q, &u.Places, `
		select id, name, temp_c, rh_pct, until_on, warm_h
		from places
		where farm_id = $1
		order by until_on is not null, name`, tx.FarmID)
	store.Ask(q, &u.Stored, `
		select c.place_id, count(*) as eggs, min(e.laid_on) as oldest,
			count(*) filter (where c.ready_at > $2) as resting
		from eggs e
		join collections c on c.farm_id = $1 and c.id = e.collection_id
		where e.farm_id = $1 and `+stock.InStore+`
		group by c.place_id`, tx.FarmID, now)
	store.Ask(q, &u.Lists, remind.HandoverSQL+`
		h.withdrawn_at is null and h.to_on >= $2::timestamptz::date - 1
		order by h.id`, tx.FarmID, now)
	store.Ask(q, &u.Tests, breeders.TestsDue, tx.FarmID)
	store.Ask(q, &u.Water, weigh.WaterLog, tx.FarmID)
	store.Ask(q, &u.Tilted, `
		select place_id, count(*)::int as times
		from care
		where farm_id = $1 and place_id is not null and at >= $2
		group by place_id`, tx.FarmID, since)
	store.Ask(q, &u.Swaps, store.Swaps, tx.FarmID)
	store.Ask(q, &u.Cuts, outage.Cuts, tx.FarmID, now.AddDate(0, 0, -3))
	store.Ask(q, &u.Chilled, outage.Chilled, tx.FarmID)
	store.Ask(q, &u.NextTimes, hatch.NextTimes, tx.FarmID)
	store.Ask(q, &u.Supplies, stock.Supplies, tx.FarmID)
	store.Ask(q, &u.Broods, brood.LivingBroods, tx.FarmID)
	store.Ask(q, &u.Instruments, probes.Instruments, tx.FarmID)
	store.Ask(q, &u.Checks, probes.InstrumentChecks, tx.FarmID)
	store.Ask(q, &u.Heats, brood.Heats, tx.FarmID)
	store.Ask(q, &u.Brooders, season.Brooders, tx.FarmID, since)
	store.Ask(q, &u.Changes, weigh.NewestResponses, tx.FarmID)
	store.Ask(q, &u.Opened, opened, tx.FarmID, now)
	store.Ask(q, &u.Alarms, probes.Alarms, tx.FarmID)
	store.Ask(q, &u.Rings, probes.RingColumns+`
		where r.farm_id = $1 and r.ended_at is null
		order by r.rang_at`, tx.FarmID)
	store.Ask(q, &u.Incidents, probes.IncidentColumns+`
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
