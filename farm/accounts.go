package farm

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"net/mail"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/alexedwards/argon2id"

	"metrogon/core/calendar"
	"metrogon/core/candling"
	"metrogon/store"
)

// ErrWrong says that address and password do not go together.
var ErrWrong = errors.New("address or password is wrong")

// ErrWait says that too many wrong passwords were tried.
var ErrWait = errors.New("too many wrong tries; wait a quarter of an hour")

// Five failures for one address within a quarter of an hour close the door.
const (
	triesAllowed = 5
	triesWindow  = 15 * time.Minute
)

// a hash to compare with when there is no such person, so that the answer
// takes as long
var nobody, _ = argon2id.CreateHash("nobody", argon2id.DefaultParams)

// SignIn checks an address and a password and returns the person's id.
func (b *Books) SignIn(ctx context.Context, email, password string) (int64, error) {
	if len(email) > 200 || len(password) > 200 || !utf8.ValidString(email) || strings.ContainsRune(email, 0) {
		return 0, ErrWrong
	}
	digest := sha256.Sum256([]byte(strings.ToLower(strings.TrimSpace(email))))
	who := hex.EncodeToString(digest[:])
	failed, err := b.db.FailedSignIns(ctx, who, b.Now().Add(-triesWindow))
	if err != nil {
		return 0, err
	}
	if failed >= triesAllowed {
		return 0, ErrWait
	}
	p, err := b.db.PersonByEmail(ctx, strings.TrimSpace(email))
	if err != nil && !errors.Is(err, store.ErrNone) {
		return 0, err
	}
	hash := p.PasswordHash
	if hash == "" {
		hash = nobody
	}
	if ok, err := argon2id.ComparePasswordAndHash(password, hash); err != nil || !ok || p.ID == 0 {
		return 0, errors.Join(ErrWrong, b.db.NoteFailedSignIn(ctx, who, b.Now()))
	}
	return p.ID, nil
}

// Member finds who a signed-in person is and on which farm.
func (b *Books) Member(ctx context.Context, personID int64) (*Member, error) {
	m, err := b.db.MemberByPerson(ctx, personID)
	if err != nil {
		return nil, err
	}
	return member(m)
}

// Owner finds a farm's first owner by the farm's name: for commands.
func (b *Books) Owner(ctx context.Context, farmName string) (*Member, error) {
	f, err := b.db.FarmByName(ctx, farmName)
	if err != nil {
		return nil, err
	}
	people, err := b.db.People(ctx, f.ID)
	if err != nil || len(people) == 0 {
		return nil, errors.Join(err, ErrNone)
	}
	return member(people[0])
}

// Populated tells whether anybody has an account yet.
func (b *Books) Populated(ctx context.Context) (bool, error) { return b.db.Populated(ctx) }

// NewFarm is what the first-run set-up asks.
type NewFarm struct{ Farm, Zone, Name, Email, Password string }

func (p *Problems) account(name, email, password string) store.Person {
	name = p.name("name", "Your name", name, 80, true)
	email = p.name("email", "The e-mail address", email, 200, true)
	if a, err := mail.ParseAddress(email); email != "" && (err != nil || a.Address != email) {
		p.add("email", "%q is no e-mail address; it may look like anna@example.org.", email)
	}
	hash := p.password(password)
	return store.Person{Email: email, Name: name, PasswordHash: hash}
}

func (p *Problems) password(password string) string {
	if n := len(password); n < 10 || n > 200 {
		p.add("password", "The password has %d characters; it may have 10 to 200.", n)
		return ""
	}
	hash, err := argon2id.CreateHash(password, argon2id.DefaultParams)
	if err != nil {
		p.add("password", "This password cannot be kept: %v.", err)
	}
	return hash
}

func (p *Problems) zone(zone string) {
	if _, err := time.LoadLocation(zone); err != nil || zone == "" || zone == "Local" {
		p.add("zone", "%q is no time zone; it may look like Europe/Vienna.", zone)
	}
}

// SetUp makes a farm with its owner. firstRun refuses with ErrNone where
// anybody has an account already.
func (b *Books) SetUp(ctx context.Context, n NewFarm, firstRun bool) (personID int64, err error) {
	var p Problems
	n.Farm = p.name("farm", "The farm's name", n.Farm, 80, true)
	p.zone(n.Zone)
	owner := p.account(n.Name, n.Email, n.Password)
	if err := p.err(); err != nil {
		return 0, err
	}
	_, personID, err = b.db.AddFarm(ctx, store.Farm{Name: n.Farm, Zone: n.Zone}, owner, b.Now(), firstRun)
	return personID, taken(err, "email", "That e-mail address has an account already.")
}

// AddPerson gives somebody an account on the member's farm.
func (b *Books) AddPerson(ctx context.Context, m *Member, name, email, password, role string) error {
	if !m.Owner() {
		return errOwner
	}
	var p Problems
	person := p.account(name, email, password)
	if role != "owner" && role != "helper" {
		p.add("role", "%q is no role; it may be owner or helper.", role)
	}
	if err := p.err(); err != nil {
		return err
	}
	_, err := b.db.AddPerson(ctx, m.FarmID, person, role)
	return taken(err, "email", "That e-mail address has an account already.")
}

// SetPassword replaces the password of the account with this address.
func (b *Books) SetPassword(ctx context.Context, email, password string) error {
	var p Problems
	hash := p.password(password)
	if err := p.err(); err != nil {
		return err
	}
	person, err := b.db.PersonByEmail(ctx, email)
	if err != nil {
		return err
	}
	return b.db.SetPassword(ctx, person.ID, hash)
}

var errOwner = problem("", "Only an owner of the farm may change this.")

// SaveUnits keeps how the member reads figures.
func (b *Books) SaveUnits(ctx context.Context, m *Member, temperature string, clock, countFrom int) error {
	var p Problems
	if temperature != "C" && temperature != "F" {
		p.add("temperature", "%q is no unit; it may be C or F.", temperature)
	}
	if clock != 12 && clock != 24 {
		p.add("clock", "The clock has %d hours; it may have 12 or 24.", clock)
	}
	p.count("count_from", "The number of the set day", countFrom, 0, 1)
	if err := p.err(); err != nil {
		return err
	}
	return b.db.SetUnits(ctx, m.PersonID, temperature, clock, countFrom)
}

// Rules are the farm's name, zone and hour of chores, for how many hours a machine
// runs empty before eggs go in and shipped eggs rest, and which calls take an egg
// out.
type Rules struct {
	Name, Zone, ChoreAt  string
	WarmHours, RestHours int
	Out                  []candling.Call
}

// SaveFarm keeps the farm's rules.
func (b *Books) SaveFarm(ctx context.Context, m *Member, key string, r Rules) (Done, error) {
	return b.act(ctx, m, key, func(tx *store.Tx) (Done, error) {
		if !m.Owner() {
			return Done{}, errOwner
		}
		var p Problems
		r.Name = p.name("farm", "The farm's name", r.Name, 80, true)
		p.zone(r.Zone)
		if _, err := calendar.ParseWallTime(r.ChoreAt); err != nil {
			p.add("chore_at", "%v.", err)
		}
		p.count("warm_hours", "The warm-up in hours", r.WarmHours, 0, 168)
		p.count("rest_hours", "The rest of shipped eggs in hours", r.RestHours, LeastRest, MostRest)
		out := []string{}
		for _, c := range candling.Outs {
			if slices.Contains(r.Out, c) {
				out = append(out, string(c))
			}
		}
		if err := p.err(); err != nil {
			return Done{}, err
		}
		if err := tx.SaveFarm(ctx, store.Farm{Name: r.Name, Zone: r.Zone, ChoreAt: r.ChoreAt, WarmHours: r.WarmHours, RestHours: r.RestHours, OutCalls: out}); err != nil {
			return Done{}, err
		}
		return b.wrote(ctx, tx, m, 0, nil, "Changed the farm's settings.")
	})
}

// People lists who is on the member's farm.
func (b *Books) People(ctx context.Context, m *Member) ([]Person, error) {
	return b.db.People(ctx, m.FarmID)
}
