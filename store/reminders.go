package store

import (
	"context"
	"time"
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
func (tx *Tx) SaveFeed(ctx context.Context, f Feed, digest []byte) error {
	_, err := tx.Exec(ctx, `
		insert into feeds (farm_id, person_id, digest, scope, machine_id, alarm_min, made_at)
		values ($1, $2, coalesce($3, ''::bytea), $4, $5, $6, $7)
		on conflict (farm_id, person_id) do update
			set digest = coalesce($3, feeds.digest), scope = $4, machine_id = $5, alarm_min = $6`,
		tx.FarmID, f.PersonID, digest, f.Scope, f.MachineID, f.AlarmMin, f.MadeAt)
	return err
}

// Feed finds a person's calendar.
func (tx *Tx) Feed(ctx context.Context, personID int64) (Feed, error) {
	return one[Feed](ctx, tx, `
		select person_id, scope, machine_id, alarm_min, made_at from feeds
		where farm_id = $1 and person_id = $2`, tx.FarmID, personID)
}

// DropFeed ends a person's calendar.
func (tx *Tx) DropFeed(ctx context.Context, personID int64) error {
	_, err := tx.Exec(ctx, `delete from feeds where farm_id = $1 and person_id = $2`, tx.FarmID, personID)
	return err
}

// FeedOf is whose calendar an address is.
type FeedOf struct{ FarmID, PersonID int64 }

// FeedOf finds whose calendar an address is.
func (db *DB) FeedOf(ctx context.Context, digest []byte) (FeedOf, error) {
	return one[FeedOf](ctx, db.door, `select farm_id, person_id from feeds where digest = $1`, digest)
}

// LastChange is the newest line of the farm's journal: its number, and when it was written.
type LastChange struct {
	ID int64
	At time.Time
}

// LastChange tells when the farm changed last; ErrNone on a farm where nothing was done.
func (tx *Tx) LastChange(ctx context.Context) (LastChange, error) {
	return one[LastChange](ctx, tx, `select id, at from journal where farm_id = $1 order by id desc limit 1`, tx.FarmID)
}

// SetBy lists the batches that a person set.
func (tx *Tx) SetBy(ctx context.Context, personID int64) ([]int64, error) {
	return tx.ids(ctx, `
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
