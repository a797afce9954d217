package remind

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"metrogon/store"
)

// Feed is a person's own calendar of a farm.
type Feed struct {
	PersonID  int64
	Scope     string // all, mine, machine
	MachineID *int64
	AlarmMin  int // before a chore; -1: no alarm
	MadeAt    time.Time
}

// SaveFeed keeps a person's calendar; digest is of the secret in its address, nil if that stays.
func (tx Tx) SaveFeed(ctx context.Context, f Feed, digest []byte) error {
	_, err := tx.Exec(ctx, `
		insert into feeds (farm_id, person_id, digest, scope, machine_id, alarm_min, made_at)
		values ($1, $2, coalesce($3, ''::bytea), $4, $5, $6, $7)
		on conflict (farm_id, person_id) do update
			set digest = coalesce($3, feeds.digest), scope = $4, machine_id = $5, alarm_min = $6`,
		tx.FarmID, f.PersonID, digest, f.Scope, f.MachineID, f.AlarmMin, f.MadeAt)
	return err
}

// Feed finds a person's calendar.
func (tx Tx) Feed(ctx context.Context, personID int64) (Feed, error) {
	return store.One[Feed](ctx, tx, `
		select person_id, scope, machine_id, alarm_min, made_at from feeds
		where farm_id = $1 and person_id = $2`, tx.FarmID, personID)
}

// DropFeed ends a person's calendar.
func (tx Tx) DropFeed(ctx context.Context, personID int64) error {
	_, err := tx.Exec(ctx, `delete from feeds where farm_id = $1 and person_id = $2`, tx.FarmID, personID)
	return err
}

// FeedOf is whose calendar an address is.
type FeedOf struct{ FarmID, PersonID int64 }

// FeedOf finds whose calendar an address is.
func (db DB) FeedOf(ctx context.Context, digest []byte) (FeedOf, error) {
	return store.One[FeedOf](ctx, db.Door, `select farm_id, person_id from feeds where digest = $1`, digest)
}

// LastChange is the newest line of the farm's journal: its number, and when it was written.
type LastChange struct {
	ID int64
	At time.Time
}

// LastChange tells when the farm changed last; ErrNone on a farm where nothing was done.
func (tx Tx) LastChange(ctx context.Context) (LastChange, error) {
	return store.One[LastChange](
		ctx, tx, `select id, at from journal where farm_id = $1 order by id desc limit 1`, tx.FarmID,
	)
}

// SetBy lists the batches that a person set.
func (tx Tx) SetBy(ctx context.Context, personID int64) ([]int64, error) {
	return tx.IDs(ctx, `
		select distinct b.id
		from batches b
		join lateral (
			select person_id from journal j
			where j.farm_id = $1 and j.batch_id = b.id
			order by j.id
			limit 1
		) first on first.person_id = $2
		where b.farm_id = $1 and b.closed_at is null`, tx.FarmID, personID)
}

// Wish is of what a person is reminded on a farm, when, and how.
type Wish struct {
	FarmID, PersonID   int64
	Kinds              []string // of chores; none: all
	Evening            bool     // before
	HourBefore         bool
	Late               bool
	ByMail, ByPush     bool
	QuietFrom, QuietTo string // "22:00": nothing is sent between
}

const wish = `
	select farm_id, person_id, kinds, evening, hour_before, late, by_mail, by_push,
		to_char(quiet_from, 'HH24:MI') as quiet_from, to_char(quiet_to, 'HH24:MI') as quiet_to
	from reminder_wishes
	where `

// SaveWish keeps of what a person wants to be reminded.
func (tx Tx) SaveWish(ctx context.Context, w Wish) error {
	_, err := tx.Exec(ctx, `
		insert into reminder_wishes (
			farm_id, person_id, kinds, evening, hour_before, late, by_mail, by_push, quiet_from, quiet_to
		)
		values ($1, $2, coalesce($3::text[], '{}'), $4, $5, $6, $7, $8, $9::text::time, $10::text::time)
		on conflict (farm_id, person_id) do update
			set kinds = excluded.kinds, evening = $4, hour_before = $5, late = $6, by_mail = $7, by_push = $8,
				quiet_from = excluded.quiet_from, quiet_to = excluded.quiet_to`,
		tx.FarmID, w.PersonID, w.Kinds, w.Evening, w.HourBefore, w.Late, w.ByMail, w.ByPush, w.QuietFrom, w.QuietTo)
	return err
}

// Wish gives of what a person wants to be reminded; ErrNone if nothing was said.
func (tx Tx) Wish(ctx context.Context, personID int64) (Wish, error) {
	return store.One[Wish](ctx, tx, wish+`farm_id = $1 and person_id = $2`, tx.FarmID, personID)
}

// WishesOf lists those of a farm to which something is sent.
func (db DB) WishesOf(ctx context.Context, farmID int64) ([]Wish, error) {
	return store.List[Wish](ctx, db.Door, wish+`farm_id = $1 and (by_mail or by_push) order by person_id`, farmID)
}

// WishingFarms lists the farms where something is sent to somebody.
func (db DB) WishingFarms(ctx context.Context) ([]int64, error) {
	return store.IDs(
		ctx, db.Door, `select distinct farm_id from reminder_wishes where by_mail or by_push order by farm_id`,
	)
}

// NotYet gives those of the items of which a person was not reminded yet, and keeps that they were now.
func (tx Tx) NotYet(ctx context.Context, personID int64, items []string, at time.Time) (fresh []string, err error) {
	rows, err := tx.Query(ctx, `
		insert into reminded (farm_id, person_id, item, at)
		select $1, $2, item, $4 from unnest($3::text[]) item
		on conflict do nothing
		returning item`, tx.FarmID, personID, items, at)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

// ForgetReminded forgets of what somebody was reminded before a moment.
func (tx Tx) ForgetReminded(ctx context.Context, before time.Time) error {
	_, err := tx.Exec(ctx, `delete from reminded where farm_id = $1 and at < $2`, tx.FarmID, before)
	return err
}

// PushPlace is where a person's browser takes messages.
type PushPlace struct{ Endpoint, P256dh, Auth string }

// SavePush keeps where a person's browser takes messages; of more than most the oldest are forgotten.
func (db DB) SavePush(ctx context.Context, personID int64, p PushPlace, at time.Time, most int) error {
	return pgx.BeginFunc(ctx, db.Door, func(tx pgx.Tx) error {
		_, err := tx.Exec(ctx, `
			insert into push_places (person_id, endpoint, p256dh, auth, made_at) values ($1, $2, $3, $4, $5)
			on conflict (endpoint) do update set person_id = $1, p256dh = $3, auth = $4, made_at = $5`,
			personID, p.Endpoint, p.P256dh, p.Auth, at)
		if err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `
			delete from push_places
			where person_id = $1 and endpoint not in (
				select endpoint from push_places where person_id = $1 order by made_at desc, endpoint limit $2
			)`, personID, most)
		return err
	})
}

// PushPlaces lists where a person's browsers take messages.
func (db DB) PushPlaces(ctx context.Context, personID int64) ([]PushPlace, error) {
	return store.List[PushPlace](ctx, db.Door, `
		select endpoint, p256dh, auth from push_places where person_id = $1 order by made_at desc, endpoint`, personID)
}

// DropPush forgets where a browser took messages.
func (db DB) DropPush(ctx context.Context, endpoint string) error {
	_, err := db.Door.Exec(ctx, `delete from push_places where endpoint = $1`, endpoint)
	return err
}
