package season

import (
	"context"
	"encoding/json"
	"time"

	"github.com/jackc/pgx/v5"

	"metrogon/store"
	"metrogon/store/brood"
	stockrows "metrogon/store/stock"
)

// Order is what is promised to somebody. With no pens named any pen of the kind will do.
type Order struct {
	ID           int64
	Who, What    string
	Species      string
	Pens         []int64
	Count        int
	FromOn, ToOn time.Time
	SurePct      int
	Price        *float64 // of one
	Delivered    int
	Note         string
	EndedOn      *time.Time
}

// Away is days on which nobody does some of the work.
type Away struct {
	ID           int64
	FromOn, ToOn time.Time
	Actions      []string // set, lockdown, pull
	Why          string
}

// Brooder has room for so many chicks, or others of their size.
type Brooder struct {
	ID      int64
	Name    string
	Places  int
	UntilOn *time.Time
}

// Ban keeps a kind out of a machine on some set days of the next plan.
type Ban struct {
	ID           int64
	Species      string
	MachineID    int64
	FromOn, ToOn time.Time
}

// Planned is a batch that is to be set.
type Planned struct {
	ID                  int64
	Species             string
	SetterID, HatcherID int64
	SetOn               time.Time
	Pinned              bool
	Says                string
	BatchID             *int64
	DroppedAt           *time.Time
}

// PlannedEggs are those of a pen and lay day that a planned batch takes.
type PlannedEggs struct {
	PlannedID, PenID int64
	LaidOn           time.Time
	Eggs             int
}

// PlannedFor is the young that a promise gets of a planned batch.
type PlannedFor struct {
	PlannedID, OrderID int64
	Young              float64
}

const (
	orders = `
		select id, who, what, species, pens, count, from_on, to_on, sure_pct, price, delivered, note, ended_on
		from orders
		where farm_id = $1`
	planned = `
		select id, species, setter_id, hatcher_id, set_on, pinned, says, batch_id, dropped_at
		from planned
		where farm_id = $1`
	ahead = ` and batch_id is null and dropped_at is null`
)

// Season is what the planning of a farm stands on: what is to come, and what binds.
type Season struct {
	Orders   []Order // that are open, by their window
	Away     []Away  // not over yet
	Closures []store.Closure
	Brooders []Brooder // in use
	Bans     []Ban
	Ahead    []Planned // not set yet, by day
	Eggs     []PlannedEggs
	For      []PlannedFor
	Broods   []brood.Brood // of which young are left
	Housed   []brood.Housed
	Again    [][]Upset // why the plan was made again by itself that nobody has looked at yet
}

// Brooders are those in use.
const Brooders = `
	select id, name, places, until_on
	from brooders
	where farm_id = $1 and (until_on is null or until_on >= $2)
	order by name`

// Season reads it in one round trip; what was over before a date is left out.
func (tx Tx) Season(ctx context.Context, since time.Time) (s Season, err error) {
	q := &pgx.Batch{}
	store.Ask(q, &s.Orders, orders+` and ended_on is null order by from_on, id`, tx.FarmID)
	store.Ask(q, &s.Away, `
		select id, from_on, to_on, actions, why
		from away
		where farm_id = $1 and to_on >= $2
		order by from_on, id`, tx.FarmID, since)
	store.Ask(q, &s.Closures, store.Closures, tx.FarmID, since)
	store.Ask(q, &s.Brooders, Brooders, tx.FarmID, since)
	store.Ask(q, &s.Bans, `
		select id, species, machine_id, from_on, to_on
		from bans
		where farm_id = $1 and to_on >= $2
		order by from_on, id`, tx.FarmID, since)
	store.Ask(q, &s.Ahead, planned+ahead+` order by set_on, id`, tx.FarmID)
	store.Ask(q, &s.Eggs, `
		select e.planned_id, e.pen_id, e.laid_on, e.eggs
		from planned p
		join planned_eggs e on e.farm_id = $1 and e.planned_id = p.id
		where p.farm_id = $1`+ahead+`
		order by e.planned_id, e.pen_id, e.laid_on`, tx.FarmID)
	store.Ask(q, &s.For, `
		select f.planned_id, f.order_id, f.young
		from planned p
		join planned_for f on f.farm_id = $1 and f.planned_id = p.id
		where p.farm_id = $1 and p.dropped_at is null
		order by f.planned_id, f.order_id`, tx.FarmID)
	store.Ask(q, &s.Broods, brood.LivingBroods, tx.FarmID)
	store.Ask(q, &s.Housed, `
		select b.batch_id, sum(b.heads)::int as heads
		from broods b
		join batches x on x.farm_id = $1 and x.id = b.batch_id and x.closed_at is null
		where b.farm_id = $1
		group by b.batch_id`, tx.FarmID)
	var again []struct{ Because []Upset }
	store.Ask(q, &again, `
		select because
		from plans
		where farm_id = $1 and id = (
				select max(id) from plans where farm_id = $1 and what_if is null and thrown_at is null
			)
			and person_id is null and state = 'done' and taken = '{}'`, tx.FarmID)
	err = tx.SendBatch(ctx, q).Close()
	for _, a := range again {
		s.Again = append(s.Again, a.Because)
	}
	return s, err
}

// Planned finds one, set, dropped or ahead.
func (tx Tx) Planned(ctx context.Context, id int64) (Planned, error) {
	return store.One[Planned](ctx, tx, planned+` and id = $2`, tx.FarmID, id)
}

// PlannedEggs lists the eggs of one.
func (tx Tx) PlannedEggs(ctx context.Context, id int64) ([]PlannedEggs, error) {
	return store.List[PlannedEggs](ctx, tx, `
		select planned_id, pen_id, laid_on, eggs
		from planned_eggs
		where farm_id = $1 and planned_id = $2
		order by pen_id, laid_on`, tx.FarmID, id)
}

// SavePlanned makes a planned batch (ID 0) or changes one, and returns its id.
func (tx Tx) SavePlanned(ctx context.Context, p Planned) (int64, error) {
	if p.ID == 0 {
		return store.Value[int64](ctx, tx, `
			insert into planned (farm_id, species, setter_id, hatcher_id, set_on, pinned, says)
			values ($1, $2, $3, $4, $5, $6, $7)
			returning id`,
			tx.FarmID, p.Species, p.SetterID, p.HatcherID, p.SetOn, p.Pinned, p.Says)
	}
	return store.Value[int64](ctx, tx, `
		update planned
		set setter_id = $3, hatcher_id = $4, set_on = $5, pinned = $6, says = $7, batch_id = $8,
			dropped_at = $9
		where farm_id = $1 and id = $2
		returning id`,
		tx.FarmID, p.ID, p.SetterID, p.HatcherID, p.SetOn, p.Pinned, p.Says, p.BatchID, p.DroppedAt)
}

// SetPlannedEggs replaces the eggs of a planned batch.
func (tx Tx) SetPlannedEggs(ctx context.Context, id int64, all []PlannedEggs) error {
	q := &pgx.Batch{}
	q.Queue(`delete from planned_eggs where farm_id = $1 and planned_id = $2`, tx.FarmID, id)
	for _, e := range all {
		q.Queue(`
			insert into planned_eggs (farm_id, planned_id, pen_id, laid_on, eggs)
			values ($1, $2, $3, $4, $5)`, tx.FarmID, id, e.PenID, e.LaidOn, e.Eggs)
	}
	return tx.SendBatch(ctx, q).Close()
}

// SetPlannedFor replaces what promises get of a planned batch.
func (tx Tx) SetPlannedFor(ctx context.Context, id int64, all []PlannedFor) error {
	q := &pgx.Batch{}
	q.Queue(`delete from planned_for where farm_id = $1 and planned_id = $2`, tx.FarmID, id)
	for _, f := range all {
		q.Queue(`
			insert into planned_for (farm_id, planned_id, order_id, young)
			values ($1, $2, $3, $4)`, tx.FarmID, id, f.OrderID, f.Young)
	}
	return tx.SendBatch(ctx, q).Close()
}

// DropPlanned forgets planned batches as if they had never been.
func (tx Tx) DropPlanned(ctx context.Context, ids []int64) error {
	_, err := tx.Exec(ctx, `delete from planned where farm_id = $1 and id = any ($2)`, tx.FarmID, ids)
	return err
}

// Orders lists the promises that ended, the last first.
func (tx Tx) EndedOrders(ctx context.Context, most int) ([]Order, error) {
	return store.List[Order](
		ctx, tx, orders+` and ended_on is not null order by to_on desc, id desc limit $2`, tx.FarmID, most,
	)
}

// Order finds a promise.
func (tx Tx) Order(ctx context.Context, id int64) (Order, error) {
	return store.One[Order](ctx, tx, orders+` and id = $2`, tx.FarmID, id)
}

// SaveOrder makes a promise (ID 0) or changes one, and returns its id.
func (tx Tx) SaveOrder(ctx context.Context, o Order) (int64, error) {
	if o.Pens == nil {
		o.Pens = []int64{}
	}
	if o.ID == 0 {
		return store.Value[int64](ctx, tx, `
			insert into orders (farm_id, who, what, species, pens, count, from_on, to_on, sure_pct,
				price, delivered, note, ended_on)
			values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13)
			returning id`,
			tx.FarmID, o.Who, o.What, o.Species, o.Pens, o.Count, o.FromOn, o.ToOn, o.SurePct,
			o.Price, o.Delivered, o.Note, o.EndedOn)
	}
	return store.Value[int64](ctx, tx, `
		update orders
		set who = $3, what = $4, species = $5, pens = $6, count = $7, from_on = $8, to_on = $9,
			sure_pct = $10, price = $11, delivered = $12, note = $13, ended_on = $14
		where farm_id = $1 and id = $2
		returning id`,
		tx.FarmID, o.ID, o.Who, o.What, o.Species, o.Pens, o.Count, o.FromOn, o.ToOn, o.SurePct,
		o.Price, o.Delivered, o.Note, o.EndedOn)
}

// DropOrder forgets a promise for which nothing was planned yet.
func (tx Tx) DropOrder(ctx context.Context, id int64) error {
	if _, err := tx.Exec(
		ctx, `delete from planned_for where farm_id = $1 and order_id = $2`, tx.FarmID, id,
	); err != nil {
		return err
	}
	_, err := tx.Exec(ctx, `delete from orders where farm_id = $1 and id = $2`, tx.FarmID, id)
	return err
}

// SaveAway notes days away (ID 0: new ones) and returns their id.
func (tx Tx) SaveAway(ctx context.Context, a Away) (int64, error) {
	return store.Value[int64](ctx, tx, `
		insert into away (farm_id, from_on, to_on, actions, why)
		values ($1, $2, $3, $4, $5)
		returning id`, tx.FarmID, a.FromOn, a.ToOn, a.Actions, a.Why)
}

// SaveClosure notes that a machine is shut, and returns its id.
func (tx Tx) SaveClosure(ctx context.Context, c store.Closure) (int64, error) {
	return store.Value[int64](ctx, tx, `
		insert into closures (farm_id, machine_id, from_on, to_on, why)
		values ($1, $2, $3, $4, $5)
		returning id`, tx.FarmID, c.MachineID, c.FromOn, c.ToOn, c.Why)
}

// SaveBrooder makes a brooder (ID 0) or changes one, and returns its id.
func (tx Tx) SaveBrooder(ctx context.Context, b Brooder) (int64, error) {
	if b.ID == 0 {
		return store.Value[int64](ctx, tx, `
			insert into brooders (farm_id, name, places, until_on)
			values ($1, $2, $3, $4)
			returning id`, tx.FarmID, b.Name, b.Places, b.UntilOn)
	}
	return store.Value[int64](ctx, tx, `
		update brooders
		set name = $3, places = $4, until_on = $5
		where farm_id = $1 and id = $2
		returning id`, tx.FarmID, b.ID, b.Name, b.Places, b.UntilOn)
}

// SaveBan notes a ban and returns its id.
func (tx Tx) SaveBan(ctx context.Context, b Ban) (int64, error) {
	return store.Value[int64](ctx, tx, `
		insert into bans (farm_id, species, machine_id, from_on, to_on)
		values ($1, $2, $3, $4, $5)
		returning id`, tx.FarmID, b.Species, b.MachineID, b.FromOn, b.ToOn)
}

// dropped are the tables of which a row is taken out as if it had never been.
var dropped = map[string]string{
	"away":     `delete from away where farm_id = $1 and id = $2 returning id`,
	"closures": `delete from closures where farm_id = $1 and id = $2 returning id`,
	"brooders": `delete from brooders where farm_id = $1 and id = $2 returning id`,
	"bans":     `delete from bans where farm_id = $1 and id = $2 returning id`,
}

// DropOf takes a row out of the table away, closures, brooders or bans.
func (tx Tx) DropOf(ctx context.Context, table string, id int64) error {
	_, err := store.Value[int64](ctx, tx, dropped[table], tx.FarmID, id)
	return err
}

// Plan is a season plan as a job makes it.
type Plan struct {
	ID           int64
	State        string
	AskedAt      time.Time
	FromOn       time.Time
	Seconds      int
	WhatIf       json.RawMessage
	Request      json.RawMessage
	Answer       json.RawMessage
	Says         string
	Score, Bound *float64
	Steps        int64
	Taken        []int32
	ThrownAt     *time.Time
	Because      []Upset // what went otherwise than was planned when it was asked for
	Loose        []int64 // planned batches that could not stay where they were
	Alone        bool    // nobody asked for it
	MadeOf       json.RawMessage
}

// Upset is something that goes otherwise than was planned.
type Upset struct {
	What  string  `json:"what"`  // a planned batch or a promise, by kind and id
	Lacks float64 `json:"lacks"` // young
	Says  string  `json:"says"`
}

// Status is what became of it.
func (p Plan) Status() PlanState { return PlanState{p.ID, p.Taken, p.ThrownAt, p.WhatIf, p.MadeOf} }

const plans = `
	select id, state, asked_at, from_on, seconds, what_if, request, answer, says, score, bound,
		steps, taken, thrown_at, because, loose, person_id is null as alone, made_of
	from plans
	where farm_id = $1`

// AddPlan asks for a plan; nobody asks, if the person is 0.
func (tx Tx) AddPlan(ctx context.Context, p Plan, personID int64) (int64, error) {
	return store.Value[int64](ctx, tx, `
		insert into plans (farm_id, asked_at, from_on, person_id, seconds, what_if, request, because, loose, made_of,
			beat_at)
		values ($1, $2, $3, nullif($4::bigint, 0), $5, $6, $7, $8, $9, $10, now())
		returning id`,
		tx.FarmID, p.AskedAt, p.FromOn, personID, p.Seconds, p.WhatIf, p.Request, p.Because, p.Loose, p.MadeOf)
}

// LastPlan finds the newest plan of the farm as it is, thrown away or not; none is no error.
func (tx Tx) LastPlan(ctx context.Context) (all []Plan, err error) {
	return store.List[Plan](ctx, tx, plans+` and what_if is null order by id desc limit 1`, tx.FarmID)
}

// LastEntry is the id of the newest line of the journal: while it stays, nobody did anything.
func (tx Tx) LastEntry(ctx context.Context) (int64, error) {
	return store.Value[int64](ctx, tx, `select coalesce(max(id), 0) from journal where farm_id = $1`, tx.FarmID)
}

// Plan finds one.
func (tx Tx) Plan(ctx context.Context, id int64) (Plan, error) {
	return store.One[Plan](ctx, tx, plans+` and id = $2`, tx.FarmID, id)
}

// Those not thrown away: the newest of the farm as it is, and those of what-ifs that were asked
// for after it.
const openPlans = plans + ` and thrown_at is null and id >= coalesce(
		(select max(id) from plans where farm_id = $1 and what_if is null and thrown_at is null), 0
	)
	order by id`

// Scene is the eggs that there are and were laid, those of open batches with the young that were
// counted of them, and the plans.
type Scene struct {
	Stock []stockrows.Stock
	Laid  []stockrows.Stock // by day, of the days on which there were any
	Eggs  map[int64][]store.Egg
	Young map[int64][]store.Young
	Plans []Plan
}

// Scene reads it in one round trip: eggs laid from a date up to and not including another, and
// which of those in store rest at a moment.
func (tx Tx) Scene(ctx context.Context, at, from, to time.Time) (s Scene, err error) {
	type row struct {
		store.Egg
		BatchID int64
	}
	var rows []row
	var counts []store.Young
	q := &pgx.Batch{}
	store.Ask(q, &s.Stock, stockrows.StockSQL, tx.FarmID, at)
	store.Ask(q, &s.Laid, `
		select c.pen_id, c.laid_on, false as trial,
			count(e.id) filter (where not e.rejected) as eggs, 0 as resting, null::timestamptz as ready_at
		from collections c
		join eggs e on e.farm_id = $1 and e.collection_id = c.id
		where c.farm_id = $1 and c.laid_on >= $2 and c.laid_on < $3
		group by c.pen_id, c.laid_on
		order by c.pen_id, c.laid_on`, tx.FarmID, from, to)
	store.Ask(q, &rows, `
		select e.batch_id,`+store.EggColumns+`
		from batches b
		join eggs e on e.farm_id = $1 and e.batch_id = b.id
		left join calls c on c.farm_id = $1 and c.egg_id = e.id
		left join candlings s on s.farm_id = $1 and s.id = c.candling_id
		where b.farm_id = $1 and b.closed_at is null
		group by e.farm_id, e.id
		order by e.batch_id, e.no`, tx.FarmID)
	store.Ask(q, &counts, `
		select y.batch_id, y.pen_id, y.trial, sum(y.young)::int as young
		from batches b
		join young_counts y on y.farm_id = $1 and y.batch_id = b.id
		where b.farm_id = $1 and b.closed_at is null and not y.settled
		group by y.batch_id, y.pen_id, y.trial
		order by y.batch_id, y.pen_id, y.trial`, tx.FarmID)
	store.Ask(q, &s.Plans, openPlans, tx.FarmID)
	err = tx.SendBatch(ctx, q).Close()
	s.Eggs, s.Young = map[int64][]store.Egg{}, map[int64][]store.Young{}
	for _, r := range rows {
		s.Eggs[r.BatchID] = append(s.Eggs[r.BatchID], r.Egg)
	}
	for _, y := range counts {
		s.Young[y.BatchID] = append(s.Young[y.BatchID], y)
	}
	return s, err
}

// PlanState is what becomes of a plan once it is made.
type PlanState struct {
	ID       int64
	Taken    []int32 // settings that were accepted
	ThrownAt *time.Time
	WhatIf   json.RawMessage
	MadeOf   json.RawMessage
}

// SetPlanState keeps it.
func (tx Tx) SetPlanState(ctx context.Context, p PlanState) error {
	_, err := tx.Exec(ctx, `
		update plans
		set taken = $3, thrown_at = $4, what_if = $5, made_of = coalesce($6, made_of)
		where farm_id = $1 and id = $2`, tx.FarmID, p.ID, p.Taken, p.ThrownAt, p.WhatIf, p.MadeOf)
	return err
}

// A plan whose worker was not heard of for so long has none.
const alive = `beat_at >= now() - interval '15 seconds'`

// ClaimPlan begins to work on a plan that waits, or on which nobody works any more; false if
// somebody else does.
func (tx Tx) ClaimPlan(ctx context.Context, id int64) (bool, error) {
	tag, err := tx.Exec(ctx, `
		update plans
		set state = 'running', beat_at = now()
		where farm_id = $1 and id = $2 and (state = 'waiting' or state = 'running' and not `+alive+`)`, tx.FarmID, id)
	return tag.RowsAffected() > 0, err
}

// OpenPlans counts those that wait or are worked on.
func (tx Tx) OpenPlans(ctx context.Context) (int, error) {
	return store.Value[int](ctx, tx, `
		select count(*)::int from plans
		where farm_id = $1 and (state = 'waiting' or state = 'running' and `+alive+`)`, tx.FarmID)
}

// PlanInWork tells whether another plan than this is worked on.
func (tx Tx) PlanInWork(ctx context.Context, but int64) (bool, error) {
	return store.Value[bool](ctx, tx, `
		select exists (
			select from plans
			where farm_id = $1 and id <> $2 and state = 'running' and `+alive+`
		)`, tx.FarmID, but)
}

// ReleasePlan leaves a plan that is still wanted to whoever comes next.
func (tx Tx) ReleasePlan(ctx context.Context, id int64) error {
	_, err := tx.Exec(ctx, `
		update plans
		set state = 'waiting', beat_at = now()
		where farm_id = $1 and id = $2 and state = 'running'`, tx.FarmID, id)
	return err
}

// BeatPlan tells how far a plan is; false if it was called off meanwhile.
func (tx Tx) BeatPlan(ctx context.Context, id, steps int64, score float64, bound *float64) (bool, error) {
	tag, err := tx.Exec(ctx, `
		update plans
		set steps = $3, score = $4, bound = $5, beat_at = now()
		where farm_id = $1 and id = $2 and state = 'running'`, tx.FarmID, id, steps, score, bound)
	return tag.RowsAffected() > 0, err
}

// EndPlan ends the work on a plan that still runs or waits, with its answer or with why
// there is none.
func (tx Tx) EndPlan(ctx context.Context, id int64, state string, answer json.RawMessage, says string) error {
	_, err := tx.Exec(ctx, `
		update plans
		set state = $3, answer = $4, says = $5
		where farm_id = $1 and id = $2 and state in ('waiting', 'running')`, tx.FarmID, id, state, answer, says)
	return err
}

// LeftPlan is a plan of some farm on which nobody works.
type LeftPlan struct{ FarmID, ID int64 }

// LeftPlans lists, over all farms, those whose worker is gone, and those that wait for longer than this.
func (db DB) LeftPlans(ctx context.Context, overdue time.Duration) ([]LeftPlan, error) {
	return store.List[LeftPlan](ctx, db.Door, `
		select farm_id, id from plans
		where state = 'running' and not `+alive+`
			or state = 'waiting' and coalesce(beat_at < now() - $1::interval, true)
		order by id
		limit 100`, overdue)
}

// FarmsAhead lists the farms that planned settings for a date or later, or asked for a plan since.
func (db DB) FarmsAhead(ctx context.Context, since time.Time) ([]int64, error) {
	return store.IDs(ctx, db.Door, `
		select distinct farm_id
		from planned
		where set_on >= $1 and dropped_at is null
		union
		select farm_id
		from plans
		where asked_at >= $1`, since)
}

// AdoptPlan makes a what-if the farm's plan.
func (tx Tx) AdoptPlan(ctx context.Context, p Plan) error {
	_, err := tx.Exec(ctx, `
		update plans
		set what_if = null, request = $3, answer = $4, made_of = $5
		where farm_id = $1 and id = $2`, tx.FarmID, p.ID, p.Request, p.Answer, p.MadeOf)
	return err
}
