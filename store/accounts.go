package store

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"
)

// Person signs in, and sees figures in the units picked.
type Person struct {
	ID           int64
	Email, Name  string
	PasswordHash string
	Temperature  string // C or F
	Clock        int    // 12 or 24 h
	CountFrom    int    // the number of the set day
}

// Farm is one holding.
type Farm struct {
	ID      int64
	Name    string
	Zone    string // IANA
	ChoreAt string // "07:00": the hour of chores

	WarmHours, RestHours int      // 0: the usual ones
	OutCalls             []string // eggs called so are taken out; of a new farm the usual ones
}

// Member is a person on a farm.
type Member struct {
	PersonID         int64
	Name, Email      string
	Temperature      string
	Clock, CountFrom int
	FarmID           int64
	FarmName, Zone   string
	ChoreAt          string
	WarmHours        int // that a machine runs before eggs go in
	RestHours        int // that shipped eggs rest
	OutCalls         []string
	Role             string
}

// Populated tells whether anybody has an account yet.
func (db *DB) Populated(ctx context.Context) (bool, error) {
	return value[bool](ctx, db.Pool, `select exists (select from people)`)
}

// PersonByEmail finds an account, whatever the case of the address.
func (db *DB) PersonByEmail(ctx context.Context, email string) (Person, error) {
	return one[Person](ctx, db.Pool, `select id, email, name, password_hash, temperature, clock, count_from from people where lower(email) = lower($1)`, email)
}

// MemberByPerson finds the farm of a person; of several the first.
func (db *DB) MemberByPerson(ctx context.Context, personID int64) (Member, error) {
	return one[Member](ctx, db.Pool, `
		select p.id as person_id, p.name, p.email, p.temperature, p.clock, p.count_from,
			f.id as farm_id, f.name as farm_name, f.zone, to_char(f.chore_at, 'HH24:MI') as chore_at, f.warm_hours, f.rest_hours, f.out_calls, m.role
		from people p join memberships m on m.person_id = p.id join farms f on f.id = m.farm_id
		where p.id = $1 order by m.farm_id limit 1`, personID)
}

// FarmByName finds a farm by its name.
func (db *DB) FarmByName(ctx context.Context, name string) (Farm, error) {
	return one[Farm](ctx, db.Pool, `select id, name, zone, to_char(chore_at, 'HH24:MI') as chore_at, warm_hours, rest_hours, out_calls from farms where name = $1 order by id limit 1`, name)
}

// AddFarm makes a farm and its owner in one step. onlyFirst refuses with
// ErrNone when anybody has an account already.
func (db *DB) AddFarm(ctx context.Context, f Farm, p Person, at time.Time, onlyFirst bool) (farmID, personID int64, err error) {
	err = pgx.BeginFunc(ctx, db.Pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `select pg_advisory_xact_lock(729)`); err != nil {
			return err
		}
		if some, err := value[bool](ctx, tx, `select exists (select from people)`); err != nil || (some && onlyFirst) {
			if err == nil {
				err = ErrNone
			}
			return err
		}
		if farmID, err = value[int64](ctx, tx, `insert into farms (name, zone, created_at) values ($1, $2, $3) returning id`, f.Name, f.Zone, at); err != nil {
			return err
		}
		personID, err = addPerson(ctx, tx, farmID, p, "owner")
		return err
	})
	return
}

// DropFarm forgets a farm with all its records and people.
func (db *DB) DropFarm(ctx context.Context, farmID int64) error {
	return pgx.BeginFunc(ctx, db.Pool, func(tx pgx.Tx) error {
		for _, table := range []string{"weighings", "care", "calls", "candlings", "chores_done", "eggs", "trays", "parcels", "collections", "places", "batches", "own_figures", "methods", "machine_room", "machines", "pens", "journal", "requests"} {
			if _, err := tx.Exec(ctx, `delete from `+table+` where farm_id = $1`, farmID); err != nil {
				return err
			}
		}
		_, err := tx.Exec(ctx, `with gone as (delete from memberships where farm_id = $1 returning person_id) select 1 from gone`, farmID)
		if err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `delete from people p where not exists (select from memberships m where m.person_id = p.id)`); err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `delete from farms where id = $1`, farmID)
		return err
	})
}

// AddPerson makes an account on a farm.
func (db *DB) AddPerson(ctx context.Context, farmID int64, p Person, role string) (id int64, err error) {
	err = pgx.BeginFunc(ctx, db.Pool, func(tx pgx.Tx) error {
		id, err = addPerson(ctx, tx, farmID, p, role)
		return err
	})
	return
}

func addPerson(ctx context.Context, tx pgx.Tx, farmID int64, p Person, role string) (int64, error) {
	id, err := value[int64](ctx, tx, `insert into people (email, name, password_hash) values ($1, $2, $3) returning id`, p.Email, p.Name, p.PasswordHash)
	if err != nil {
		return 0, err
	}
	_, err = tx.Exec(ctx, `insert into memberships (farm_id, person_id, role) values ($1, $2, $3)`, farmID, id, role)
	return id, err
}

// SetPassword replaces a person's password.
func (db *DB) SetPassword(ctx context.Context, personID int64, hash string) error {
	_, err := db.Pool.Exec(ctx, `update people set password_hash = $2 where id = $1`, personID, hash)
	return err
}

// SetUnits keeps how a person reads figures.
func (db *DB) SetUnits(ctx context.Context, personID int64, temperature string, clock, countFrom int) error {
	_, err := db.Pool.Exec(ctx, `update people set temperature = $2, clock = $3, count_from = $4 where id = $1`, personID, temperature, clock, countFrom)
	return err
}

// People lists who belongs to a farm.
func (db *DB) People(ctx context.Context, farmID int64) ([]Member, error) {
	return list[Member](ctx, db.Pool, `
		select p.id as person_id, p.name, p.email, p.temperature, p.clock, p.count_from,
			f.id as farm_id, f.name as farm_name, f.zone, to_char(f.chore_at, 'HH24:MI') as chore_at, f.warm_hours, f.rest_hours, f.out_calls, m.role
		from people p join memberships m on m.person_id = p.id join farms f on f.id = m.farm_id
		where f.id = $1 order by m.role desc, p.name`, farmID)
}

// FailedSignIns counts failures for this digest since a moment.
func (db *DB) FailedSignIns(ctx context.Context, who string, since time.Time) (int, error) {
	return value[int](ctx, db.Pool, `select count(*) from failed_sign_ins where who = $1 and at > $2`, who, since)
}

// NoteFailedSignIn keeps a failure, and forgets those of the day before.
func (db *DB) NoteFailedSignIn(ctx context.Context, who string, at time.Time) error {
	_, err := db.Pool.Exec(ctx, `with old as (delete from failed_sign_ins where at < $2::timestamptz - interval '1 day') insert into failed_sign_ins values ($1, $2)`, who, at)
	return err
}

// SaveFarm changes a farm's name, zone, hour of chores and usual waiting times.
func (tx *Tx) SaveFarm(ctx context.Context, f Farm) error {
	_, err := tx.Exec(ctx, `update farms set name = $2, zone = $3, chore_at = $4::text::time, warm_hours = $5, rest_hours = $6, out_calls = $7 where id = $1`,
		tx.FarmID, f.Name, f.Zone, f.ChoreAt, f.WarmHours, f.RestHours, f.OutCalls)
	return err
}
