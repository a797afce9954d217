package people

import (
	"context"
	"errors"
	"time"

	"github.com/jackc/pgx/v5"

	"metrogon/store"
)

// Person signs in, and sees figures in the units picked.
type Person struct {
	ID           int64
	Email, Name  string
	PasswordHash string
	Temperature  string // C or F
	Mass         string // g or oz
	Clock        int    // 12 or 24 h
	CountFrom    int    // the number of the set day
	Epoch        int    // sessions of an earlier one have ended
}

// Farm is one holding.
type Farm struct {
	ID      int64
	Name    string
	Zone    string // IANA
	ChoreAt string // "07:00": the hour of chores

	WarmHours, RestHours int      // 0: the usual ones
	Tilts, DryHours      int      // a day, of eggs in store; after washing
	AltitudeM            int      // above the sea
	OutCalls             []string // eggs called so are taken out; of a new farm the usual ones
	Kinds                []string // that it said it keeps, when it began
	OwnKinds             []string // of its own, by species.OwnID
}

// Member is a person on a farm.
type Member struct {
	PersonID         int64
	Name, Email      string
	Temperature      string
	Mass             string
	Clock, CountFrom int
	Epoch            int
	FarmID           int64
	FarmName, Zone   string
	ChoreAt          string
	WarmHours        int // that a machine runs before eggs go in
	RestHours        int // that shipped eggs rest
	Tilts            int // of eggs in store, a day
	DryHours         int // that washed eggs dry before they may be set
	AltitudeM        int // of the farm, above the sea
	OutCalls         []string
	Kinds            []string // that the farm said it keeps, when it began
	OwnKinds         []string // of the farm's own, by species.OwnID
	Role             string
	Farms            int  // that the person is on
	Demo             bool // a farm to look around on
	Reptiles         bool // it has an incubator with shelves for their boxes
	Birds            bool // it has a machine for birds' eggs
}

const (
	personColumns = `id, email, name, password_hash, temperature, mass, clock, count_from, epoch`
	farmColumns   = `id, name, zone, to_char(chore_at, 'HH24:MI') as chore_at,
		warm_hours, rest_hours, tilts, dry_hours, altitude_m, out_calls, kinds, own_kinds`

	MemberSQL = `
		select p.id as person_id, p.name, p.email, p.temperature, p.mass, p.clock, p.count_from, p.epoch,
			f.id as farm_id, f.name as farm_name, f.zone, to_char(f.chore_at, 'HH24:MI') as chore_at,
			f.warm_hours, f.rest_hours, f.tilts, f.dry_hours, f.altitude_m, f.out_calls, f.kinds, f.own_kinds, f.demo, m.role,
			has_reptiles(f.id) as reptiles, has_birds(f.id) as birds,
			(select count(*)::int from memberships o where o.person_id = p.id and o.ended_at is null) as farms
		from people p
		join memberships m on m.person_id = p.id and m.ended_at is null
		join farms f on f.id = m.farm_id
		where `
)

// Populated tells whether anybody has an account yet.
func (db DB) Populated(ctx context.Context) (bool, error) {
	return store.Value[bool](ctx, db.Door, `select exists (select from people)`)
}

// PersonByEmail finds an account, whatever the case of the address.
func (db DB) PersonByEmail(ctx context.Context, email string) (Person, error) {
	return store.One[Person](ctx, db.Door, `select `+personColumns+` from people where lower(email) = lower($1)`, email)
}

// PersonByID finds an account.
func (db DB) PersonByID(ctx context.Context, id int64) (Person, error) {
	return store.One[Person](ctx, db.Door, `select `+personColumns+` from people where id = $1`, id)
}

// MemberByPerson finds a person on a farm, or on the first of theirs where it is none of them;
// and, where a sign-in is named, only while that one holds.
func (db DB) MemberByPerson(ctx context.Context, personID, farmID int64, signedIn string) (Member, error) {
	return store.One[Member](ctx, db.Door, MemberSQL+`p.id = $1
		and ($3 = '' or exists (select from signed_in s where s.id = $3 and s.person_id = p.id and s.ended_at is null))
		order by m.farm_id = $2 desc, m.farm_id limit 1`, personID, farmID, signedIn)
}

// FarmsByName finds the farms of a name, but for demo farms of those who look around, the oldest first.
func (db DB) FarmsByName(ctx context.Context, name string) ([]Farm, error) {
	return store.List[Farm](ctx, db.Door, `
		select `+farmColumns+` from farms
		where name = $1 and not demo
		order by id`, name)
}

// AddFarm makes a farm and its owner in one step. onlyFirst refuses with
// ErrNone when anybody has an account already.
func (db DB) AddFarm(
	ctx context.Context, f Farm, p Person, at time.Time, onlyFirst bool,
) (farmID, personID int64, err error) {
	err = pgx.BeginFunc(ctx, db.Door, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `select pg_advisory_xact_lock(729)`); err != nil {
			return err
		}
		some, err := store.Value[bool](ctx, tx, `select exists (select from people)`)
		if err != nil {
			return err
		}
		if some && onlyFirst {
			return store.ErrNone
		}
		farmID, err = store.Value[int64](ctx, tx, `
			insert into farms (name, zone, kinds, created_at) values ($1, $2, coalesce($3::text[], '{}'), $4)
			returning id`, f.Name, f.Zone, f.Kinds, at)
		if err != nil {
			return err
		}
		if personID, err = addPerson(ctx, tx, farmID, p, "owner"); err != nil || p.Temperature == "" {
			return err
		}
		p.ID = personID
		return setUnits(ctx, tx, p)
	})
	return
}

// AddDemo makes a farm to look around on, of somebody who has an account.
func (db DB) AddDemo(ctx context.Context, f Farm, ownerID int64, at time.Time) (farmID int64, err error) {
	err = pgx.BeginFunc(ctx, db.Door, func(tx pgx.Tx) error {
		farmID, err = store.Value[int64](ctx, tx, `
			insert into farms (name, zone, demo, created_at) values ($1, $2, true, $3) returning id`, f.Name, f.Zone, at)
		if err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `
			insert into memberships (farm_id, person_id, role) values ($1, $2, 'owner')`, farmID, ownerID)
		return err
	})
	return farmID, err
}

// DropFarm forgets a farm with all its records and people. Only the owner of the
// tables may.
func (db DB) DropFarm(ctx context.Context, farmID int64) error {
	leave, err := db.Gates.Enter(ctx, farmID, true)
	if err != nil {
		return err
	}
	defer leave()
	return pgx.BeginFunc(ctx, db.Pool, func(tx pgx.Tx) error {
		if err := store.LockFarm(ctx, tx, farmID); err != nil {
			return err
		}
		people, err := tx.Query(ctx, `delete from memberships where farm_id = $1 returning person_id`, farmID)
		if err != nil {
			return err
		}
		were, err := pgx.CollectRows(people, pgx.RowTo[int64])
		if err != nil {
			return err
		}
		var b pgx.Batch
		for _, table := range store.Tables {
			b.Queue(`delete from `+table+` where farm_id = $1`, farmID)
		}
		b.Queue(`delete from farms where id = $1`, farmID)
		for _, sql := range []string{
			`delete from push_places where person_id in (select id from gone)`,
			`delete from signed_in where person_id in (select id from gone)`,
			`delete from password_links where person_id in (select id from gone)`,
			`delete from people where id in (select id from gone)`,
		} {
			b.Queue(store.Gone+sql, were)
		}
		return tx.SendBatch(ctx, &b).Close()
	})
}

// AddPerson makes an account on a farm, and tells record in the same transaction.
func (db DB) AddPerson(
	ctx context.Context, farmID int64, p Person, role string, record func(*store.Tx, int64) error,
) (id int64, err error) {
	err = db.withRecord(ctx, farmID, func(tx pgx.Tx) error {
		id, err = addPerson(ctx, tx, farmID, p, role)
		return err
	}, func(tx *store.Tx) error { return record(tx, id) })
	return
}

// withRecord does work on accounts, and then a farm's part in the same transaction.
func (db DB) withRecord(
	ctx context.Context, farmID int64, work func(pgx.Tx) error, record func(*store.Tx) error,
) error {
	return pgx.BeginFunc(ctx, db.Door, func(tx pgx.Tx) error {
		if err := work(tx); err != nil {
			return err
		}
		if err := store.AsFarm(ctx, tx, farmID); err != nil {
			return err
		}
		return record(&store.Tx{Tx: tx, FarmID: farmID})
	})
}

func addPerson(ctx context.Context, tx pgx.Tx, farmID int64, p Person, role string) (int64, error) {
	id, err := store.Value[int64](ctx, tx,
		`insert into people (email, name, password_hash) values ($1, $2, $3) returning id`,
		p.Email, p.Name, p.PasswordHash)
	if err != nil {
		return 0, err
	}
	_, err = tx.Exec(ctx, `insert into memberships (farm_id, person_id, role) values ($1, $2, $3)`, farmID, id, role)
	return id, err
}

// EndMembership takes somebody off a farm, ends their sessions if it was their last, and tells record.
// ErrNone: nobody such is on it, or nobody would be left to own it.
func (db DB) EndMembership(
	ctx context.Context, farmID, personID int64, at time.Time, record func(*store.Tx) error,
) error {
	return db.withRecord(ctx, farmID, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `select pg_advisory_xact_lock(730, $1::int)`, int32(farmID)); err != nil {
			return err
		}
		tag, err := tx.Exec(ctx, `
			update memberships m set ended_at = $3
			where farm_id = $1 and person_id = $2 and ended_at is null
				and exists (
					select from memberships o
					where o.farm_id = $1 and o.person_id <> $2 and o.role = 'owner' and o.ended_at is null
				)`, farmID, personID, at)
		if err != nil {
			return err
		}
		if tag.RowsAffected() == 0 {
			return store.ErrNone
		}
		_, err = tx.Exec(ctx, `
			update people set epoch = epoch + 1
			where id = $1
				and not exists (select from memberships m where m.person_id = $1 and m.ended_at is null)`, personID)
		return err
	}, record)
}

// SetPassword replaces a person's password and ends all sessions of theirs.
func (db DB) SetPassword(ctx context.Context, personID int64, hash string) (epoch int, err error) {
	return store.Value[int](ctx, db.Door, `
		with signed_out as (`+signOut+`)
		update people set password_hash = $2, epoch = epoch + 1
		where id = $1 returning epoch`, personID, hash)
}

// Rehash keeps the same password under other parameters.
func (db DB) Rehash(ctx context.Context, personID int64, before, hash string) error {
	_, err := db.Door.Exec(ctx, `
		update people set password_hash = $3
		where id = $1 and password_hash = $2`, personID, before, hash)
	return err
}

const signOut = `update signed_in set ended_at = clock_timestamp() where person_id = $1 and ended_at is null`

// EndSessions ends every session of a person; a new one needs the epoch returned.
func (db DB) EndSessions(ctx context.Context, personID int64) (epoch int, err error) {
	return store.Value[int](ctx, db.Door, `
		with signed_out as (`+signOut+`)
		update people set epoch = epoch + 1 where id = $1 returning epoch`, personID)
}

// SetUnits keeps how a person reads figures.
func (db DB) SetUnits(ctx context.Context, p Person) error {
	return setUnits(ctx, db.Door, p)
}

func setUnits(ctx context.Context, on store.Execer, p Person) error {
	_, err := on.Exec(ctx, `
		update people set temperature = $2, mass = $3, clock = $4, count_from = $5
		where id = $1`, p.ID, p.Temperature, p.Mass, p.Clock, p.CountFrom)
	return err
}

// People lists who belongs to a farm.
func (db DB) People(ctx context.Context, farmID int64) ([]Member, error) {
	return store.List[Member](ctx, db.Door, MemberSQL+`f.id = $1 order by m.role desc, p.name`, farmID)
}

// Try is how often somebody may try to sign in: so many times at once, then after
// waits that grow.
type Try struct {
	Who   string // a digest
	Free  int    // tries before anybody waits
	Most  time.Duration
	Reset time.Duration // after which tries are forgotten
}

// waits is how long it takes after so many tries until another may be made: after the free ones it doubles from a
// second on.
func (t Try) waits(tries int) time.Duration {
	over := tries - t.Free
	if over < 0 {
		return 0
	}
	return min(time.Second<<min(over, 20), t.Most)
}

// tried is what is kept of tries.
type tried struct {
	Tries      int
	At, Closed time.Time
}

// TakeTry counts a try before it is made. It gives how long to wait, 0 if it may be
// made now. What lies in the future (a clock that was put back) does not count.
func (db DB) TakeTry(ctx context.Context, t Try, at time.Time) (wait time.Duration, err error) {
	err = pgx.BeginFunc(ctx, db.Door, func(tx pgx.Tx) error {
		// The row is there from here on, and locked.
		row, err := store.One[tried](ctx, tx, `
			insert into sign_in_tries (who, tries, at, closed) values ($1, 0, $2, $2)
			on conflict (who) do update set who = excluded.who
			returning tries, at, closed`, t.Who, at)
		if err != nil {
			return err
		}
		if row.At.After(at.Add(time.Minute)) || at.Sub(row.At) > t.Reset {
			row.Tries, row.Closed = 0, at
		}
		if wait = row.Closed.Sub(at); wait > 0 {
			return nil
		}
		wait = 0
		return t.keep(ctx, tx, row.Tries+1, at)
	})
	return wait, err
}

// GiveBackTry takes one try out of the count, since the right password was given.
func (db DB) GiveBackTry(ctx context.Context, t Try, at time.Time) error {
	return pgx.BeginFunc(ctx, db.Door, func(tx pgx.Tx) error {
		row, err := store.One[tried](ctx, tx, `
			select tries, at, closed from sign_in_tries where who = $1 for update`, t.Who)
		if errors.Is(err, store.ErrNone) {
			return nil
		}
		if err != nil {
			return err
		}
		return t.keep(ctx, tx, max(0, row.Tries-1), row.At)
	})
}

func (t Try) keep(ctx context.Context, tx pgx.Tx, tries int, at time.Time) error {
	_, err := tx.Exec(ctx, `
		update sign_in_tries set tries = $2, at = $3, closed = $4
		where who = $1`, t.Who, tries, at, at.Add(t.waits(tries)))
	return err
}

// ForgetTries forgets tries, since the right password was given, and those of
// everybody that are older than a day.
func (db DB) ForgetTries(ctx context.Context, who []string, at time.Time) error {
	_, err := db.Door.Exec(ctx, `
		delete from sign_in_tries
		where who = any ($1) or at < $2::timestamptz - interval '1 day'`, who, at)
	return err
}

// Secret gives what the program keeps to itself under a name; fresh is kept where
// there is none yet.
func (db DB) Secret(ctx context.Context, name string, fresh []byte) ([]byte, error) {
	if _, err := db.Door.Exec(ctx, `
		insert into secrets (name, value) values ($1, $2)
		on conflict do nothing`, name, fresh); err != nil {
		return nil, err
	}
	return store.Value[[]byte](ctx, db.Door, `select value from secrets where name = $1`, name)
}

// SaveFarm changes a farm's name, zone, hour of chores and usual waiting times.
func (tx Tx) SaveFarm(ctx context.Context, f Farm) error {
	_, err := tx.Exec(ctx, `
		update farms set name = $2, zone = $3, chore_at = $4::text::time,
			warm_hours = $5, rest_hours = $6, out_calls = $7, altitude_m = $8, tilts = $9, dry_hours = $10
		where id = $1`,
		tx.FarmID, f.Name, f.Zone, f.ChoreAt, f.WarmHours, f.RestHours, f.OutCalls, f.AltitudeM,
		f.Tilts, f.DryHours)
	return err
}

// SetOwnKinds keeps which kinds of its own the farm has.
func (tx Tx) SetOwnKinds(ctx context.Context, ids []string) error {
	_, err := tx.Exec(ctx, `update farms set own_kinds = $2 where id = $1`, tx.FarmID, ids)
	return err
}
