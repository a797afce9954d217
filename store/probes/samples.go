package probes

import (
	"context"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"metrogon/store"
)

// Sample is what a probe told at a moment, uncorrected.
type Sample struct {
	InstrumentID int64
	At           time.Time
	TempC, RHPct *float64
}

// Samples are kept exactly for at least Exact, by minutes for Minutes, by hours and days for good.
const (
	Exact   = 90 * 24 * time.Hour
	Minutes = 400 * 24 * time.Hour
)

// MonthOf is where a part of the tables of samples begins.
func MonthOf(t time.Time) time.Time {
	t = t.UTC()
	return time.Date(t.Year(), t.Month(), 1, 0, 0, 0, 0, time.UTC)
}

// taken are the columns by which samples come in.
type taken struct {
	instruments []int64
	at          []time.Time
	temp, rh    []*float64
}

func (t *taken) add(s Sample) {
	t.instruments, t.at = append(t.instruments, s.InstrumentID), append(t.at, s.At)
	t.temp, t.rh = append(t.temp, s.TempC), append(t.rh, s.RHPct)
}

// sent are samples that come in, each moment of an instrument once.
const sent = `
	with sent as (
		select instrument_id, at, max(temp_c)::real as temp_c, max(rh_pct)::real as rh_pct
		from unnest($2::bigint[], $3::timestamptz[], $4::float8[], $5::float8[]) s (instrument_id, at, temp_c, rh_pct)
		group by 1, 2
	)`

// kept puts those into the exact samples that are not there yet.
var kept = sent + `,
	news as (
		insert into samples (farm_id, instrument_id, at, temp_c, rh_pct)
		select $1, instrument_id, at, temp_c, rh_pct
		from sent
		on conflict do nothing
		returning instrument_id, at, temp_c, rh_pct
	)` + counted

// filled adds to a moment that is there what it did not tell yet: temperature and humidity may come singly.
var filled = sent + `,
	were as (
		select o.instrument_id, o.at, o.temp_c, o.rh_pct, s.temp_c as new_c, s.rh_pct as new_pct
		from sent s
		join samples o on o.farm_id = $1 and o.instrument_id = s.instrument_id and o.at = s.at
		where o.temp_c is null and s.temp_c is not null or o.rh_pct is null and s.rh_pct is not null
	),
	more as (
		update samples o
		set temp_c = coalesce(o.temp_c, w.new_c), rh_pct = coalesce(o.rh_pct, w.new_pct)
		from were w
		where o.farm_id = $1 and o.instrument_id = w.instrument_id and o.at = w.at
	),
	news as (
		select instrument_id, at, case when temp_c is null then new_c end as temp_c,
			case when rh_pct is null then new_pct end as rh_pct
		from were
	)` + counted

// counted adds what is new to the hours and days.
var counted = `,
	hours as (` + summed("sample_hours", "hour") + `),
	days as (` + summed("sample_days", "day") + `)
	select count(*) from news`

func summed(table, grain string) string {
	return `
		insert into ` + table + ` as o (farm_id, instrument_id, at, temps, temp_sum, temp_low, temp_top, rhs, rh_sum, rh_low,
			rh_top)
		select $1, instrument_id, date_trunc('` + grain + `', at), ` + sampleSums + `
		from news
		group by 2, 3
		order by 2, 3
		on conflict (farm_id, instrument_id, at) do update set
			temps = o.temps + excluded.temps,
			temp_sum = coalesce(o.temp_sum, 0) + coalesce(excluded.temp_sum, 0),
			temp_low = least(o.temp_low, excluded.temp_low),
			temp_top = greatest(o.temp_top, excluded.temp_top),
			rhs = o.rhs + excluded.rhs,
			rh_sum = coalesce(o.rh_sum, 0) + coalesce(excluded.rh_sum, 0),
			rh_low = least(o.rh_low, excluded.rh_low),
			rh_top = greatest(o.rh_top, excluded.rh_top)`
}

// sampleSums are what is kept of the samples of an hour, a day or a minute.
const sampleSums = `count(temp_c), sum(temp_c::float8), min(temp_c), max(temp_c),
			count(rh_pct), sum(rh_pct::float8), min(rh_pct), max(rh_pct)`

// keptByMinutes takes samples whose exact month has gone, where nothing of their minute is there.
var keptByMinutes = sent + `,
	minutes as (
		insert into sample_minutes
		select $1, instrument_id, date_trunc('minute', at), ` + sampleSums + `
		from sent
		group by 2, 3
		order by 2, 3
		on conflict do nothing
		returning instrument_id, at
	),
	news as (
		select s.*
		from sent s
		join minutes m on m.instrument_id = s.instrument_id and m.at = date_trunc('minute', s.at)
	)` + counted

// keptByHours takes older ones, where nothing of their hour is there.
var keptByHours = sent + `,
	news as (
		select s.*
		from sent s
		where not exists (
			select from sample_hours h
			where h.farm_id = $1 and h.instrument_id = s.instrument_id and h.at = date_trunc('hour', s.at)
		)
	)` + counted

// piece is how many exact samples are kept by one statement.
const piece = 20_000

// KeepSamples keeps what is not there yet and tells how many that are; what was sent before counts once. All
// are kept or none.
func (db DB) KeepSamples(ctx context.Context, farmID int64, all []Sample, now time.Time) (fresh int, err error) {
	by, err := db.sorted(ctx, all, now)
	if err != nil {
		return 0, err
	}
	err = db.Farm(ctx, farmID, pgx.TxOptions{}, func(tx *store.Tx) error {
		fresh = 0
		for _, sql := range []string{kept, filled, keptByMinutes, keptByHours} {
			n, err := On(tx).keep(ctx, sql, by[sql])
			if err != nil {
				return err
			}
			fresh += n
		}
		return nil
	})
	return fresh, err
}

// sorted sorts samples by how they are kept, and makes the months that they go into.
func (db DB) sorted(ctx context.Context, all []Sample, now time.Time) (map[string]*taken, error) {
	exact, minutes := MonthOf(now.Add(-Exact)), MonthOf(now.Add(-Minutes))
	ways := map[time.Time]string{}
	by := map[string]*taken{kept: {}, filled: {}, keptByMinutes: {}, keptByHours: {}}
	for _, s := range all {
		month := MonthOf(s.At)
		way, known := ways[month]
		if !known {
			there, err := db.exactMonth(ctx, month, !month.Before(exact))
			if err != nil {
				return nil, err
			}
			switch way = kept; {
			case !there && month.Before(minutes):
				way = keptByHours
			case !there:
				way = keptByMinutes
				if err := MakeMonths(ctx, db.Door, "sample_minutes", month); err != nil {
					return nil, err
				}
			}
			ways[month] = way
		}
		by[way].add(s)
		if way == kept && (s.TempC == nil) != (s.RHPct == nil) {
			by[filled].add(s)
		}
	}
	return by, nil
}

// keep runs one way of keeping over samples, in pieces where these are kept exactly.
func (tx Tx) keep(ctx context.Context, sql string, t *taken) (fresh int, err error) {
	most := max(1, len(t.at))
	if sql == kept || sql == filled {
		most = piece
	}
	for from := 0; from < len(t.at); from += most {
		to := min(from+most, len(t.at))
		n, err := store.Value[int](
			ctx, tx, sql, tx.FarmID, t.instruments[from:to], t.at[from:to], t.temp[from:to], t.rh[from:to],
		)
		if err != nil {
			return 0, err
		}
		fresh += n
	}
	return fresh, nil
}

// exactMonth tells whether a month’s exact samples are kept; those of late they are, and the part is made, by
// itself, so that it stands whatever becomes of what is kept now.
func (db DB) exactMonth(ctx context.Context, month time.Time, late bool) (bool, error) {
	if !late {
		return store.Value[bool](ctx, db.Door, `
			select to_regclass(to_char($1::timestamptz, '"samples_"YYYY_MM')) is not null`, month)
	}
	db.Months.Mu.Lock()
	defer db.Months.Mu.Unlock()
	if db.Months.There[month] {
		return true, nil
	}
	if err := MakeMonths(ctx, db.Door, "samples", month); err != nil {
		return false, err
	}
	if db.Months.There == nil {
		db.Months.There = map[time.Time]bool{}
	}
	db.Months.There[month] = true
	return true, nil
}

// MakeMonths makes the part of a table of samples that a moment falls into.
func MakeMonths(ctx context.Context, tx store.Execer, table string, at time.Time) error {
	_, err := tx.Exec(ctx, `select sample_months($1, $2, $2)`, table, at)
	return err
}

// Age sampleSums what is old and lets it go, makes room for the month to come, and tells how many months went.
func (db DB) Age(ctx context.Context, now time.Time) (int, error) {
	if err := MakeMonths(ctx, db.Door, "samples", MonthOf(now).AddDate(0, 1, 0)); err != nil {
		return 0, err
	}
	return store.Value[int](
		ctx, db.Door, `select sample_ageing($1, $2)`, MonthOf(now.Add(-Exact)), MonthOf(now.Add(-Minutes)),
	)
}

// Point is what an instrument told over a span of time.
type Point struct {
	InstrumentID int64
	At           time.Time // its beginning
	Temps        int
	TempC        *float64 // mean, uncorrected
	LowC, TopC   *float64
	RHs          int
	RHPct        *float64
	LowPct       *float64
	TopPct       *float64
}

// point are the columns of points of summed rows s, by spans of $5 seconds.
const point = `
	select instrument_id, date_bin(make_interval(secs => $5), at, '2000-01-01') as at,
		sum(temps)::int as temps, sum(temp_sum) / nullif(sum(temps), 0) as temp_c,
		min(temp_low)::float8 as low_c, max(temp_top)::float8 as top_c,
		sum(rhs)::int as rhs, sum(rh_sum) / nullif(sum(rhs), 0) as rh_pct,
		min(rh_low)::float8 as low_pct, max(rh_top)::float8 as top_pct
	from (`

const pointed = `
	) s
	group by 1, 2
	order by 2, 1`

// within is what samples of instruments lie within a span.
const within = `
		where farm_id = $1 and instrument_id = any ($2) and at >= $3 and at < $4`

const fine = point + `
		select instrument_id, at, (temp_c is not null)::int as temps, temp_c::float8 as temp_sum, temp_c as temp_low,
			temp_c as temp_top, (rh_pct is not null)::int as rhs, rh_pct::float8 as rh_sum, rh_pct as rh_low, rh_pct as rh_top
		from samples` + within + `
		union all
		select instrument_id, at, temps, temp_sum, temp_low, temp_top, rhs, rh_sum, rh_low, rh_top
		from sample_minutes` + within + pointed

const (
	hourly = point + `select * from sample_hours` + within + pointed
	daily  = point + `select * from sample_days` + within + pointed
)

// Points gives what instruments told from a moment to another, in spans of a step of at least a second, the
// oldest first; spans of which nothing is known are left out. Steps of hours come from hours, those of days from
// days of UTC.
func (tx Tx) Points(ctx context.Context, ids []int64, from, to time.Time, step time.Duration) ([]Point, error) {
	sql := fine
	switch {
	case step%(24*time.Hour) == 0:
		sql = daily
	case step%time.Hour == 0:
		sql = hourly
	}
	return store.List[Point](ctx, tx, sql, tx.FarmID, ids, from, to, step.Seconds())
}

// InstrumentStay is where an instrument lay from a moment on.
type InstrumentStay struct {
	InstrumentID int64
	MachineID    *int64
	FromAt       time.Time
}

// InstrumentStays lists where the instruments lay, the oldest first.
func (tx Tx) InstrumentStays(ctx context.Context) ([]InstrumentStay, error) {
	return store.List[InstrumentStay](ctx, tx, InstrumentStays, tx.FarmID)
}

// InstrumentStays selects where each instrument was from when to when.
const InstrumentStays = `
	select instrument_id, machine_id, from_at
	from instrument_stays
	where farm_id = $1
	order by instrument_id, from_at`

// AddInstrumentStay keeps that an instrument lies in a machine, or in none, from a moment on.
func (tx Tx) AddInstrumentStay(ctx context.Context, s InstrumentStay) error {
	_, err := tx.Exec(ctx, `
		insert into instrument_stays (farm_id, instrument_id, machine_id, from_at)
		values ($1, $2, $3, $4)
		on conflict (farm_id, instrument_id, from_at) do update set machine_id = excluded.machine_id`,
		tx.FarmID, s.InstrumentID, s.MachineID, s.FromAt)
	return err
}

// DropInstrumentStay takes back that an instrument lies somewhere from a moment on.
func (tx Tx) DropInstrumentStay(ctx context.Context, instrumentID int64, from time.Time) error {
	_, err := tx.Exec(ctx, `
		delete from instrument_stays where farm_id = $1 and instrument_id = $2 and from_at = $3`,
		tx.FarmID, instrumentID, from)
	return err
}

// LastTold tells what each probe told last, since a moment.
func (tx Tx) LastTold(ctx context.Context, since time.Time) ([]Point, error) {
	return store.List[Point](ctx, tx, lastTold, tx.FarmID, since)
}

const lastTold = `
	select p.instrument_id, s.at, (s.temp_c is not null)::int as temps, s.temp_c::float8 as temp_c,
		null::float8 as low_c, null::float8 as top_c, (s.rh_pct is not null)::int as rhs, s.rh_pct::float8 as rh_pct,
		null::float8 as low_pct, null::float8 as top_pct
	from probes p
	cross join lateral (
		select at, temp_c, rh_pct
		from samples s
		where s.farm_id = $1 and s.instrument_id = p.instrument_id and s.at >= $2
		order by at desc
		limit 1
	) s
	where p.farm_id = $1`

// SamplesThere counts at how many of the moments an instrument told something that is kept, exactly or by the minute or
// hour.
func (tx Tx) SamplesThere(ctx context.Context, instrumentID int64, at []time.Time) (int, error) {
	return store.Value[int](ctx, tx, `
		select count(*)
		from unnest($3::timestamptz[]) t (at)
		where exists (select from samples s where s.farm_id = $1 and s.instrument_id = $2 and s.at = t.at)
			or exists (
				select from sample_minutes s
				where s.farm_id = $1 and s.instrument_id = $2 and s.at = date_trunc('minute', t.at)
			)`, tx.FarmID, instrumentID, at)
}

// ForgetSamples forgets what an instrument told in a span, to the minute, and sums its hours and days anew; where only
// hours are left, those that begin in the span go.
func (tx Tx) ForgetSamples(ctx context.Context, instrumentID int64, from, to time.Time) error {
	for _, table := range []string{"samples", "sample_minutes"} {
		if _, err := tx.Exec(ctx, `
			delete from `+table+` where farm_id = $1 and instrument_id = $2 and at >= $3 and at < $4`,
			tx.FarmID, instrumentID, from, to); err != nil {
			return err
		}
	}
	for _, grain := range []string{"hour", "day"} {
		if err := tx.sumAgain(ctx, grain, instrumentID, from, to); err != nil {
			return err
		}
	}
	return nil
}

// sumAgain sums an instrument’s hours from the finest that is kept of them, and its days from its hours.
func (tx Tx) sumAgain(ctx context.Context, grain string, instrumentID int64, from, to time.Time) error {
	table := "sample_" + grain + "s"
	if _, err := tx.Exec(ctx, `
		delete from `+table+`
		where farm_id = $1 and instrument_id = $2 and at >= date_trunc('`+grain+`', $3::timestamptz) and at < $4`,
		tx.FarmID, instrumentID, from, to); err != nil {
		return err
	}
	sources := []string{
		`select at, (temp_c is not null)::int as temps, temp_c::float8 as temp_sum, temp_c as temp_low, temp_c as temp_top,
			(rh_pct is not null)::int as rhs, rh_pct::float8 as rh_sum, rh_pct as rh_low, rh_pct as rh_top
		from samples`,
		`select at, temps, temp_sum, temp_low, temp_top, rhs, rh_sum, rh_low, rh_top from sample_minutes`,
	}
	if grain == "day" {
		sources = []string{`select at, temps, temp_sum, temp_low, temp_top, rhs, rh_sum, rh_low, rh_top from sample_hours`}
	}
	where := `
		where farm_id = $1 and instrument_id = $2 and at >= date_trunc('` + grain + `', $3::timestamptz)
			and at < date_trunc('` + grain + `', $4::timestamptz) + interval '1 ` + grain + `'`
	_, err := tx.Exec(ctx, `
		insert into `+table+` (farm_id, instrument_id, at, temps, temp_sum, temp_low, temp_top, rhs, rh_sum, rh_low, rh_top)
		select $1, $2, date_trunc('`+grain+`', at), sum(temps), sum(temp_sum), min(temp_low), max(temp_top), sum(rhs),
			sum(rh_sum), min(rh_low), max(rh_top)
		from (`+strings.Join(sources, where+` union all `)+where+`) s
		group by 3
		on conflict do nothing`, tx.FarmID, instrumentID, from, to)
	return err
}
