package people

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"metrogon/store"
)

// Invitation asks somebody onto a farm.
type Invitation struct {
	FarmID      int64
	ID          int64
	FarmName    string
	Name        string // of who is asked
	Role        string
	By          string // who asks
	MadeAt      time.Time
	UntilAt     time.Time
	TakenAt     *time.Time
	WithdrawnAt *time.Time
}

const invitation = `
	select i.farm_id, i.id, f.name as farm_name, i.name, i.role, p.name as by, i.made_at, i.until_at, i.taken_at,
		i.withdrawn_at
	from invitations i
	join farms f on f.id = i.farm_id
	join people p on p.id = i.made_by
	where `

// Invite keeps an invitation under the digest of its link.
func (db DB) Invite(
	ctx context.Context, i Invitation, by int64, digest []byte, record func(*store.Tx, int64) error,
) (id int64, err error) {
	err = db.withRecord(ctx, i.FarmID, func(tx pgx.Tx) error {
		id, err = store.Value[int64](ctx, tx, `
			insert into invitations (farm_id, digest, name, role, made_by, made_at, until_at)
			values ($1, $2, $3, $4, $5, $6, $7) returning id`,
			i.FarmID, digest, i.Name, i.Role, by, i.MadeAt, i.UntilAt)
		return err
	}, func(tx *store.Tx) error { return record(tx, id) })
	return id, err
}

// Invitation finds the one of a link.
func (db DB) Invitation(ctx context.Context, digest []byte) (Invitation, error) {
	return store.One[Invitation](ctx, db.Door, invitation+`i.digest = $1`, digest)
}

// Invitations lists a farm's open ones.
func (db DB) Invitations(ctx context.Context, farmID int64, now time.Time) ([]Invitation, error) {
	return store.List[Invitation](ctx, db.Door, invitation+`
		i.farm_id = $1 and i.taken_at is null and i.withdrawn_at is null and i.until_at > $2
		order by i.made_at`, farmID, now)
}

// Withdraw ends an open invitation; ErrNone if there is none such.
func (db DB) Withdraw(ctx context.Context, farmID, id int64, at time.Time, record func(*store.Tx) error) error {
	return db.withRecord(ctx, farmID, func(tx pgx.Tx) error {
		return store.Hit(tx.Exec(ctx, `
			update invitations set withdrawn_at = $3
			where farm_id = $1 and id = $2 and taken_at is null and withdrawn_at is null`, farmID, id, at))
	}, record)
}

// Join takes an open invitation: for somebody with an account, or, personID being 0, for one who
// gets it now. ErrNone: it was taken, withdrawn or ran out.
func (db DB) Join(
	ctx context.Context, digest []byte, personID int64, p Person, at time.Time, record func(*store.Tx, int64) error,
) (int64, error) {
	in, err := db.Invitation(ctx, digest)
	if err != nil {
		return 0, err
	}
	err = db.withRecord(ctx, in.FarmID, func(tx pgx.Tx) error {
		if personID != 0 {
			// What an owner of one farm may do for somebody ends with a second one.
			if err := voidLinks(ctx, tx, personID); err != nil {
				return err
			}
		} else {
			personID, err = store.Value[int64](ctx, tx,
				`insert into people (email, name, password_hash) values ($1, $2, $3) returning id`,
				p.Email, p.Name, p.PasswordHash)
			if err != nil {
				return err
			}
		}
		err := store.Hit(tx.Exec(ctx, `
			update invitations set taken_by = $2, taken_at = $3
			where digest = $1 and taken_at is null and withdrawn_at is null and until_at > $3`, digest, personID, at))
		if err != nil {
			return err
		}
		// whoever is on the farm already keeps his role; whoever was there once is again
		_, err = tx.Exec(ctx, `
			insert into memberships (farm_id, person_id, role) values ($1, $2, $3)
			on conflict (farm_id, person_id) do update set role = excluded.role, ended_at = null
				where memberships.ended_at is not null`, in.FarmID, personID, in.Role)
		return err
	}, func(tx *store.Tx) error { return record(tx, personID) })
	return personID, err
}

// SetRole changes what somebody may do on a farm. ErrNone: nobody such is on it, or nobody would be
// left to own it.
func (db DB) SetRole(ctx context.Context, farmID, personID int64, role string, record func(*store.Tx) error) error {
	return db.withRecord(ctx, farmID, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `select pg_advisory_xact_lock(730, $1::int)`, int32(farmID)); err != nil {
			return err
		}
		return store.Hit(tx.Exec(ctx, `
			update memberships m set role = $3
			where farm_id = $1 and person_id = $2 and ended_at is null
				and ($3 = 'owner' or exists (
					select from memberships o
					where o.farm_id = $1 and o.person_id <> $2 and o.role = 'owner' and o.ended_at is null
				))`, farmID, personID, role))
	}, record)
}

// PasswordLink keeps a link by which a person types a new password, made by an owner of a farm, under its digest.
func (db DB) PasswordLink(ctx context.Context, farmID, personID int64, digest []byte, at, until time.Time) error {
	_, err := db.Door.Exec(ctx, `
		insert into password_links (digest, by_farm, person_id, made_at, until_at) values ($1, $2, $3, $4, $5)`,
		digest, farmID, personID, at, until)
	return err
}

// voidLinks ends a person's links for a new password, and keeps others from being used until the transaction ends.
func voidLinks(ctx context.Context, tx pgx.Tx, personID int64) error {
	if _, err := tx.Exec(ctx, `select from people where id = $1 for update`, personID); err != nil {
		return err
	}
	_, err := tx.Exec(ctx, `delete from password_links where person_id = $1`, personID)
	return err
}

// openLink finds an unused link $1 at the moment $2, of somebody who is on the farm of who made it and on no other.
const openLink = `
	select l.person_id from password_links l
	where l.digest = $1 and l.used_at is null and l.until_at > $2
		and exists (
			select from memberships m where m.farm_id = l.by_farm and m.person_id = l.person_id and m.ended_at is null
		)
		and not exists (
			select from memberships m where m.farm_id <> l.by_farm and m.person_id = l.person_id and m.ended_at is null
		)`

// PersonOfLink finds whose password an unused link changes.
func (db DB) PersonOfLink(ctx context.Context, digest []byte, now time.Time) (Person, error) {
	return store.One[Person](ctx, db.Door, `select `+personColumns+` from people where id = (`+openLink+`)`, digest, now)
}

// UseLink replaces the password of whom a link is for, once, and ends all sessions of theirs.
func (db DB) UseLink(
	ctx context.Context, digest []byte, hash string, now time.Time,
) (personID int64, epoch int, err error) {
	err = pgx.BeginFunc(ctx, db.Door, func(tx pgx.Tx) error {
		// Whoever joins a farm meanwhile is waited for, and then looked at.
		_, err := tx.Exec(ctx, `
			select from people where id = (select person_id from password_links where digest = $1) for update`, digest)
		if err != nil {
			return err
		}
		if personID, err = store.Value[int64](ctx, tx, openLink, digest, now); err != nil {
			return err
		}
		if err := store.Hit(tx.Exec(ctx, `
			update password_links set used_at = $2 where digest = $1 and used_at is null`, digest, now)); err != nil {
			return err
		}
		epoch, err = store.Value[int](ctx, tx, `
			with signed_out as (`+signOut+`)
			update people set password_hash = $2, epoch = epoch + 1
			where id = $1 returning epoch`, personID, hash)
		return err
	})
	return personID, epoch, err
}

// SignedIn is a device on which somebody is signed in.
type SignedIn struct {
	ID         string
	Device     string // as the browser names itself
	At, SeenAt time.Time
}

// NoteSignIn keeps that somebody signed in on a device.
func (db DB) NoteSignIn(ctx context.Context, personID int64, s SignedIn) error {
	_, err := db.Door.Exec(ctx, `
		insert into signed_in (id, person_id, device, at, seen_at) values ($1, $2, $3, $4, $4)`,
		s.ID, personID, s.Device, s.At)
	return err
}

// NoteSeen keeps when a device was used last.
func (db DB) NoteSeen(ctx context.Context, id string, at time.Time) error {
	_, err := db.Door.Exec(ctx, `update signed_in set seen_at = $2 where id = $1`, id, at)
	return err
}

// SignedIns lists where a person is signed in, the one used last first.
func (db DB) SignedIns(ctx context.Context, personID int64, since time.Time) ([]SignedIn, error) {
	return store.List[SignedIn](ctx, db.Door, `
		select id, device, at, seen_at from signed_in
		where person_id = $1 and ended_at is null and at > $2
		order by seen_at desc limit 50`, personID, since)
}

// EndSignIn ends a person's session on one device.
func (db DB) EndSignIn(ctx context.Context, personID int64, id string, at time.Time) error {
	return store.Hit(db.Door.Exec(ctx, `
		update signed_in set ended_at = $3
		where person_id = $1 and id = $2 and ended_at is null`, personID, id, at))
}

// MembershipsOf lists the farms on which a person is.
func (db DB) MembershipsOf(ctx context.Context, personID int64) ([]Member, error) {
	return store.List[Member](ctx, db.Door, MemberSQL+`p.id = $1 order by f.name, f.id`, personID)
}

// ForgetPerson ends all memberships of a person and wipes name, address, password and devices out.
// ErrNone: a farm would be left without an owner.
func (db DB) ForgetPerson(ctx context.Context, personID int64, at time.Time) error {
	return pgx.BeginFunc(ctx, db.Door, func(tx pgx.Tx) error {
		last, err := store.Value[bool](ctx, tx, `
			select exists (
				select from memberships m
				where m.person_id = $1 and m.role = 'owner' and m.ended_at is null
					and not exists (
						select from memberships o
						where o.farm_id = m.farm_id and o.person_id <> $1 and o.role = 'owner' and o.ended_at is null
					)
			)`, personID)
		if err != nil {
			return err
		}
		if last {
			return store.ErrNone
		}
		var b pgx.Batch
		b.Queue(`update memberships set ended_at = $2 where person_id = $1 and ended_at is null`, personID, at)
		b.Queue(`update signed_in set device = '', ended_at = coalesce(ended_at, $2) where person_id = $1`, personID, at)
		b.Queue(`delete from push_places where person_id = $1`, personID)
		b.Queue(`
			update people
			set name = 'somebody who left', email = 'gone-' || id, password_hash = '', epoch = epoch + 1
			where id = $1`, personID)
		return tx.SendBatch(ctx, &b).Close()
	})
}
