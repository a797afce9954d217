package people

import (
	"context"
	"errors"
	"fmt"
	"net/mail"
	"slices"
	"strconv"
	"strings"

	"metrogon/core/calendar"
	"metrogon/core/candling"
	"metrogon/core/species"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
	rows "metrogon/store/people"
)

// Member finds who a person is, on the first of their farms.
func (b *Service) Member(ctx context.Context, personID int64) (*farm.Member, error) {
	return b.Signed(ctx, SignedIn{PersonID: personID})
}

// SignedIn is what a session holds.
type SignedIn struct {
	PersonID int64
	FarmID   int64  // on which they are at work; 0: the first
	ID       string // of the sign-in on this device; "" for none
}

// Signed finds who is signed in and on which farm. ErrNone: on none any more, or the sign-in was
// ended.
func (b *Service) Signed(ctx context.Context, in SignedIn) (*farm.Member, error) {
	m, err := rows.Of(b.DB).MemberByPerson(ctx, in.PersonID, in.FarmID, in.ID)
	if err != nil {
		return nil, err
	}
	return farm.NewMember(m)
}

// Owner finds a farm's first owner by the farm's name, or by its number written as #7: for commands. Of several
// farms of one name none is guessed.
func (b *Service) Owner(ctx context.Context, named string) (*farm.Member, error) {
	id, err := strconv.ParseInt(strings.TrimPrefix(named, "#"), 10, 64)
	if !strings.HasPrefix(named, "#") || err != nil {
		all, err := rows.Of(b.DB).FarmsByName(ctx, named)
		if err != nil {
			return nil, err
		}
		switch len(all) {
		case 0:
			return nil, farm.ErrNone
		case 1:
			id = all[0].ID
		default:
			var numbers []string
			for _, f := range all {
				numbers = append(numbers, fmt.Sprintf("#%d", f.ID))
			}
			return nil, farm.Problemf(
				"farm", "%d farms are named %q; give the number of one instead: %s.", len(all), named, strings.Join(numbers, ", "),
			)
		}
	}
	people, err := rows.Of(b.DB).People(ctx, id)
	if err != nil {
		return nil, err
	}
	i := slices.IndexFunc(people, func(p rows.Member) bool { return p.Role == farm.OwnerRole })
	if i < 0 {
		return nil, farm.ErrNone
	}
	return farm.NewMember(people[i])
}

// Populated tells whether anybody has an account yet.
func (b *Service) Populated(ctx context.Context) (bool, error) { return rows.Of(b.DB).Populated(ctx) }

// NewFarm is what the first-run set-up asks.
type NewFarm struct {
	Farm, Zone, Name, Email, Password string

	Units Units    // how the owner reads figures; zero: the usual ones
	Kinds []string // species that the farm keeps
}

// SetUp makes a farm with its owner. firstRun refuses with ErrNone where
// anybody has an account already.
func (b *Service) SetUp(ctx context.Context, n NewFarm, firstRun bool) (personID int64, err error) {
	if firstRun {
		some, err := rows.Of(b.DB).Populated(ctx)
		if err != nil {
			return 0, err
		}
		if some {
			return 0, farm.ErrNone
		}
	}
	var p farm.Problems
	n.Farm = p.Name("farm", "The farm's name", n.Farm, 80, true)
	p.Zone(n.Zone)
	owner := person(&p, n.Name, n.Email)
	if n.Units != (Units{}) {
		n.Units.check(&p)
		n.Units.onto(&owner)
	}
	for _, id := range n.Kinds {
		if _, err := species.Find(id); err != nil {
			p.Addf("kinds", "%v.", err)
		}
	}
	checkPassword(&p, n.Password, n.Name, n.Email, n.Farm)
	if err := p.Err(); err != nil {
		return 0, err
	}
	if owner.PasswordHash, err = b.hashing.hash(ctx, n.Password); err != nil {
		return 0, err
	}
	fresh := rows.Farm{Name: n.Farm, Zone: n.Zone, Kinds: n.Kinds}
	_, personID, err = rows.Of(b.DB).AddFarm(ctx, fresh, owner, b.Now(), firstRun)
	return personID, farm.Taken(err, "email", "That e-mail address has an account already.")
}

func person(p *farm.Problems, name, email string) rows.Person {
	name = p.Name("name", "Your name", name, 80, true)
	email = p.Name("email", "The e-mail address", email, 200, true)
	if a, err := mail.ParseAddress(email); email != "" && (err != nil || a.Address != email) {
		p.Addf("email", "%q is no e-mail address; it may look like anna@example.org.", email)
	}
	return rows.Person{Email: email, Name: name}
}

// AddPerson gives somebody an account on the member's farm.
func (b *Service) AddPerson(ctx context.Context, m *farm.Member, name, email, password, role string) error {
	if err := m.Refuse(farm.Owning); err != nil {
		return err
	}
	var p farm.Problems
	person := person(&p, name, email)
	checkPassword(&p, password, name, email, m.FarmName)
	p.Role(role)
	if err := p.Err(); err != nil {
		return err
	}
	var err error
	if person.PasswordHash, err = b.hashing.hash(ctx, password); err != nil {
		return err
	}
	_, err = rows.Of(b.DB).AddPerson(ctx, m.FarmID, person, role, func(tx *store.Tx, id int64) error {
		_, err := journal.Record(
			ctx, b.In(tx, farm.NewRequest(m)), journal.On(journal.Person, id), nil,
			"Made an account for %s, %s.", person.Name, role,
		)
		return err
	})
	return farm.Taken(err, "email", "That e-mail address has an account already.")
}

// RemovePerson takes somebody off the member's farm and ends their sessions; what
// they did stays in the journal under their name.
func (b *Service) RemovePerson(ctx context.Context, m *farm.Member, personID int64) error {
	if err := m.Refuse(farm.Owning); err != nil {
		return err
	}
	people, err := rows.Of(b.DB).People(ctx, m.FarmID)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(people, func(p snapshot.Person) bool { return p.PersonID == personID })
	if i < 0 {
		return farm.Problemf("person", "Nobody such is on the farm, or not any more.")
	}
	person := people[i]
	err = rows.Of(b.DB).EndMembership(ctx, m.FarmID, personID, b.Now(), func(tx *store.Tx) error {
		_, err := journal.Record(
			ctx, b.In(tx, farm.NewRequest(m)), journal.On(journal.Person, personID), nil,
			"%s is no longer on the farm.", person.Name,
		)
		return err
	})
	if errors.Is(err, farm.ErrNone) {
		return farm.Problemf("person", "A farm needs an owner; make somebody else one first.")
	}
	return err
}

// SetPassword replaces the password of the account with this address and ends its
// sessions.
func (b *Service) SetPassword(ctx context.Context, email, password string) error {
	person, err := rows.Of(b.DB).PersonByEmail(ctx, email)
	if err != nil {
		return err
	}
	_, err = b.setPassword(ctx, person, password, "")
	return err
}

func (b *Service) setPassword(
	ctx context.Context, person rows.Person, password, farmName string,
) (epoch int, err error) {
	var p farm.Problems
	checkPassword(&p, password, person.Name, person.Email, farmName)
	if err := p.Err(); err != nil {
		return 0, err
	}
	hash, err := b.hashing.hash(ctx, password)
	if err != nil {
		return 0, err
	}
	return rows.Of(b.DB).SetPassword(ctx, person.ID, hash)
}

// ChangePassword replaces the member's own password, if the one before is known.
// Every session of theirs ends but the one that is given the epoch returned.
func (b *Service) ChangePassword(ctx context.Context, m *farm.Member, before, password string) (epoch int, err error) {
	person, err := rows.Of(b.DB).PersonByID(ctx, m.PersonID)
	if err != nil {
		return 0, err
	}
	wait, err := rows.Of(b.DB).TakeTry(ctx, tryOf("own", person.Email, 5), b.Now())
	if err != nil {
		return 0, err
	}
	if wait > 0 {
		return 0, farm.Problemf("before", "%s", ErrWait{wait}.Error())
	}
	right, err := b.hashing.compare(ctx, before, person.PasswordHash)
	if err != nil {
		return 0, err
	}
	if !right {
		return 0, farm.Problemf("before", "That is not your password until now.")
	}
	if err := rows.Of(b.DB).ForgetTries(ctx, []string{tryOf("own", person.Email, 5).Who}, b.Now()); err != nil {
		return 0, err
	}
	return b.setPassword(ctx, person, password, m.FarmName)
}

// SignOutEverywhere ends every session of the member.
func (b *Service) SignOutEverywhere(ctx context.Context, m *farm.Member) error {
	_, err := rows.Of(b.DB).EndSessions(ctx, m.PersonID)
	return err
}

// Units are how a person reads figures.
type Units struct {
	Temperature string // C or F
	Mass        string // g or oz
	Clock       int    // 12 or 24 h
	CountFrom   int    // the number of the set day
}

// SaveUnits keeps how the member reads figures.
func (b *Service) SaveUnits(ctx context.Context, m *farm.Member, u Units) error {
	var p farm.Problems
	if u.check(&p); p != nil {
		return p
	}
	person := rows.Person{ID: m.PersonID}
	u.onto(&person)
	return rows.Of(b.DB).SetUnits(ctx, person)
}

func (u Units) onto(p *rows.Person) {
	p.Temperature, p.Mass, p.Clock, p.CountFrom = u.Temperature, u.Mass, u.Clock, u.CountFrom
}

func (u Units) check(p *farm.Problems) {
	if u.Temperature != "C" && u.Temperature != "F" {
		p.Addf("temperature", "%q is no unit; it may be C or F.", u.Temperature)
	}
	if u.Mass != "g" && u.Mass != "oz" {
		p.Addf("mass", "%q is no unit; it may be g or oz.", u.Mass)
	}
	if u.Clock != 12 && u.Clock != 24 {
		p.Addf("clock", "The clock has %d hours; it may have 12 or 24.", u.Clock)
	}
	p.Count("count_from", "The number of the set day", u.CountFrom, 0, 1)
}

// Rules are the farm's name, zone and hour of chores, for how many hours a machine
// runs empty before eggs go in and shipped eggs rest, how high it lies, and which calls
// take an egg out.
type Rules struct {
	Name, Zone, ChoreAt  string
	WarmHours, RestHours int
	Tilts                int // of eggs in store, a day
	DryHours             int // that washed eggs dry before they may be set
	AltitudeM            int // above the sea
	Out                  []candling.Call
}

// SaveFarm keeps the farm's rules.
func (b *Service) SaveFarm(ctx context.Context, req farm.Request, r Rules) (farm.Done, error) {
	return b.Act(ctx, req, farm.Owning, func(tx *farm.Tx) (farm.Done, error) {
		var p farm.Problems
		r.Name = p.Name("farm", "The farm's name", r.Name, 80, true)
		p.Zone(r.Zone)
		if _, err := calendar.ParseWallTime(r.ChoreAt); err != nil {
			p.Addf("chore_at", "%v.", err)
		}
		p.Count("warm_hours", "The warm-up in hours", r.WarmHours, 0, 168)
		p.Count("rest_hours", "The rest of shipped eggs in hours", r.RestHours, snapshot.LeastRest, snapshot.MostRest)
		p.Count("tilts", "The tiltings a day", r.Tilts, 0, 6)
		p.Count("dry_hours", "The hours of drying", r.DryHours, 0, 48)
		p.Count("altitude", "The altitude in metres", r.AltitudeM, -400, 5000)
		out := []string{}
		for _, c := range candling.Outs {
			if slices.Contains(r.Out, c) {
				out = append(out, string(c))
			}
		}
		if err := p.Err(); err != nil {
			return farm.Done{}, err
		}
		if err := rows.On(tx).SaveFarm(
			ctx,
			rows.Farm{
				Name: r.Name, Zone: r.Zone, ChoreAt: r.ChoreAt, WarmHours: r.WarmHours, RestHours: r.RestHours,
				OutCalls: out, AltitudeM: r.AltitudeM, Tilts: r.Tilts, DryHours: r.DryHours,
			},
		); err != nil {
			return farm.Done{}, err
		}
		return journal.Record(ctx, tx, nil, nil, "Changed the farm's settings.")
	})
}

// People lists who is on the member's farm.
func (b *Service) People(ctx context.Context, m *farm.Member) ([]snapshot.Person, error) {
	return rows.Of(b.DB).People(ctx, m.FarmID)
}
