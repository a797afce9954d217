package people

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
	rows "metrogon/store/people"
)

// Invitation asks somebody onto a farm.
type Invitation = rows.Invitation

// Device is one on which somebody is signed in.
type Device = rows.SignedIn

// How long links hold.
const (
	invitationHolds = 14 * 24 * time.Hour
	passwordHolds   = 24 * time.Hour
)

// Invite asks somebody onto the member's farm, and gives the secret of the link that is to be
// handed to them: it is shown now and never again.
func (b *Service) Invite(ctx context.Context, m *farm.Member, name, role string) (link string, err error) {
	if err := m.Refuse(farm.Owning); err != nil {
		return "", err
	}
	var p farm.Problems
	name = p.Name("name", "The name", name, 80, true)
	p.Role(role)
	if err := p.Err(); err != nil {
		return "", err
	}
	link, digest := farm.NewLink()
	now := b.Now()
	in := rows.Invitation{FarmID: m.FarmID, Name: name, Role: role, MadeAt: now, UntilAt: now.Add(invitationHolds)}
	_, err = rows.Of(b.DB).Invite(ctx, in, m.PersonID, digest, func(tx *store.Tx, _ int64) error {
		_, err := journal.Record(ctx, b.In(tx, farm.NewRequest(m)), nil, nil, "Invited %s, %s.", name, role)
		return err
	})
	return link, err
}

// Invitations lists those of the member's farm that nobody has taken yet.
func (b *Service) Invitations(ctx context.Context, m *farm.Member) ([]Invitation, error) {
	if !m.Owner() {
		return nil, nil
	}
	return rows.Of(b.DB).Invitations(ctx, m.FarmID, b.Now())
}

// Withdraw ends an invitation before it is taken.
func (b *Service) Withdraw(ctx context.Context, m *farm.Member, id int64) error {
	if err := m.Refuse(farm.Owning); err != nil {
		return err
	}
	err := rows.Of(b.DB).Withdraw(ctx, m.FarmID, id, b.Now(), func(tx *store.Tx) error {
		_, err := journal.Record(ctx, b.In(tx, farm.NewRequest(m)), nil, nil, "Withdrew an invitation.")
		return err
	})
	if errors.Is(err, farm.ErrNone) {
		return farm.Problemf("invitation", "It was taken or withdrawn already.")
	}
	return err
}

// Invited gives what a link asks to, if it still holds.
func (b *Service) Invited(ctx context.Context, link string) (Invitation, error) {
	in, err := rows.Of(b.DB).Invitation(ctx, farm.LinkDigest(link))
	if err == nil && (in.TakenAt != nil || in.WithdrawnAt != nil || !in.UntilAt.After(b.Now())) {
		return in, farm.ErrNone
	}
	return in, err
}

// Join makes an account for whoever has the link of an invitation, and puts it on the farm.
func (b *Service) Join(ctx context.Context, link, name, email, password string) (personID, farmID int64, err error) {
	in, err := b.Invited(ctx, link)
	if err != nil {
		return 0, 0, err
	}
	var p farm.Problems
	account := person(&p, name, email)
	checkPassword(&p, password, name, email, in.FarmName)
	if err := p.Err(); err != nil {
		return 0, 0, err
	}
	if account.PasswordHash, err = b.hashing.hash(ctx, password); err != nil {
		return 0, 0, err
	}
	personID, err = b.join(ctx, link, 0, account, in)
	return personID, in.FarmID, farm.Taken(
		err, "email", "That e-mail address has an account already: sign in, and open the link again.",
	)
}

// JoinSigned puts somebody who has an account on the farm of an invitation.
func (b *Service) JoinSigned(ctx context.Context, m *farm.Member, link string) (farmID int64, err error) {
	in, err := b.Invited(ctx, link)
	if err != nil {
		return 0, err
	}
	_, err = b.join(ctx, link, m.PersonID, rows.Person{Name: m.Name}, in)
	return in.FarmID, err
}

func (b *Service) join(
	ctx context.Context, link string, personID int64, p rows.Person, in rows.Invitation,
) (int64, error) {
	return rows.Of(b.DB).Join(ctx, farm.LinkDigest(link), personID, p, b.Now(), func(tx *store.Tx, id int64) error {
		about := journal.On(journal.Person, id)
		by := &farm.Member{Member: rows.Member{PersonID: id, FarmID: in.FarmID}}
		_, err := journal.Record(
			ctx, b.In(tx, farm.NewRequest(by)), about, nil, "%s came onto the farm, %s.", p.Name, in.Role,
		)
		return err
	})
}

// on finds somebody on the member's farm.
func (b *Service) on(ctx context.Context, m *farm.Member, personID int64) (snapshot.Person, error) {
	all, err := rows.Of(b.DB).People(ctx, m.FarmID)
	if err != nil {
		return snapshot.Person{}, err
	}
	i := slices.IndexFunc(all, func(p snapshot.Person) bool { return p.PersonID == personID })
	if i < 0 {
		return snapshot.Person{}, farm.Problemf("person", "Nobody such is on the farm, or not any more.")
	}
	return all[i], nil
}

// ChangeRole makes somebody on the member's farm an owner, keeper, helper or reader.
func (b *Service) ChangeRole(ctx context.Context, m *farm.Member, personID int64, role string) (farm.Done, error) {
	if err := m.Refuse(farm.Owning); err != nil {
		return farm.Done{}, err
	}
	var p farm.Problems
	if p.Role(role); p != nil {
		return farm.Done{}, p
	}
	who, err := b.on(ctx, m, personID)
	if err != nil {
		return farm.Done{}, err
	}
	done := farm.Done{Said: fmt.Sprintf("%s is %s now.", who.Name, role)}
	err = rows.Of(b.DB).SetRole(ctx, m.FarmID, personID, role, func(tx *store.Tx) error {
		_, err := journal.Record(
			ctx, b.In(tx, farm.NewRequest(m)), journal.On(journal.Person, personID), nil, "%s", done.Said,
		)
		return err
	})
	if errors.Is(err, farm.ErrNone) {
		return farm.Done{}, farm.Problemf("person", "A farm needs an owner; make somebody else one first.")
	}
	return done, err
}

// PasswordLink gives the secret of a link by which somebody on the farm types a new password. It is
// handed over by the owner, works once, for a day, and is not made for those who are on other
// farms as well: whoever has it could see those.
func (b *Service) PasswordLink(ctx context.Context, m *farm.Member, personID int64) (link, name string, err error) {
	if err := m.Refuse(farm.Owning); err != nil {
		return "", "", err
	}
	who, err := b.on(ctx, m, personID)
	if err != nil {
		return "", "", err
	}
	if who.Farms > 1 {
		return "", "", farm.Problemf(
			"person", "%s is on another farm as well; only whoever runs this server can reset that password.", who.Name,
		)
	}
	link, digest := farm.NewLink()
	now := b.Now()
	if err := rows.Of(b.DB).PasswordLink(ctx, m.FarmID, personID, digest, now, now.Add(passwordHolds)); err != nil {
		return "", "", err
	}
	err = b.Write(ctx, m, func(tx *farm.Tx) error {
		about := journal.On(journal.Person, personID)
		_, err := journal.Record(ctx, tx, about, nil, "Made a link for a new password of %s.", who.Name)
		return err
	})
	return link, who.Name, err
}

// OfLink finds whose password a link changes.
func (b *Service) OfLink(ctx context.Context, link string) (name string, err error) {
	p, err := rows.Of(b.DB).PersonOfLink(ctx, farm.LinkDigest(link), b.Now())
	return p.Name, err
}

// NewPassword replaces the password of whom a link is for.
func (b *Service) NewPassword(ctx context.Context, link, password string) (personID int64, epoch int, err error) {
	who, err := rows.Of(b.DB).PersonOfLink(ctx, farm.LinkDigest(link), b.Now())
	if err != nil {
		return 0, 0, err
	}
	var p farm.Problems
	checkPassword(&p, password, who.Name, who.Email, "")
	if err := p.Err(); err != nil {
		return 0, 0, err
	}
	hash, err := b.hashing.hash(ctx, password)
	if err != nil {
		return 0, 0, err
	}
	return rows.Of(b.DB).UseLink(ctx, farm.LinkDigest(link), hash, b.Now())
}

// Farms lists those that the member is on.
func (b *Service) Farms(ctx context.Context, m *farm.Member) ([]snapshot.Person, error) {
	return rows.Of(b.DB).MembershipsOf(ctx, m.PersonID)
}

// SessionHolds is how long a device stays signed in.
const SessionHolds = store.SessionHolds

// NoteSignIn keeps that somebody signed in on a device that names itself so, and gives the id of
// the sign-in.
func (b *Service) NoteSignIn(ctx context.Context, personID int64, device string) (string, error) {
	named := []rune(strings.ToValidUTF8(strings.ReplaceAll(device, "\x00", ""), "?"))
	in := rows.SignedIn{ID: rand.Text(), Device: string(named[:min(200, len(named))]), At: b.Now()}
	return in.ID, rows.Of(b.DB).NoteSignIn(ctx, personID, in)
}

// Seen keeps when a sign-in was used last.
func (b *Service) Seen(ctx context.Context, id string) error {
	return rows.Of(b.DB).NoteSeen(ctx, id, b.Now())
}

// SignIns lists on which devices the member is signed in.
func (b *Service) SignIns(ctx context.Context, m *farm.Member) ([]Device, error) {
	return rows.Of(b.DB).SignedIns(ctx, m.PersonID, b.Now().Add(-SessionHolds))
}

// EndSignIn signs the member out on one device.
func (b *Service) EndSignIn(ctx context.Context, m *farm.Member, id string) error {
	var p farm.Problems
	id = p.Name("device", "The device", id, 60, true)
	if p != nil {
		return p
	}
	err := rows.Of(b.DB).EndSignIn(ctx, m.PersonID, id, b.Now())
	if errors.Is(err, farm.ErrNone) {
		return farm.Problemf("device", "It is signed out already.")
	}
	return err
}

// Forget takes the member off every farm and wipes their name, address, password and devices out.
// What they did stays in the farms' journals, by nobody. email is typed as they sign in, to be sure.
func (b *Service) Forget(ctx context.Context, m *farm.Member, email string) error {
	if !strings.EqualFold(strings.TrimSpace(email), m.Email) {
		return farm.Problemf("email", "To delete your account for good, type its address: %s.", m.Email)
	}
	err := rows.Of(b.DB).ForgetPerson(ctx, m.PersonID, b.Now())
	if errors.Is(err, farm.ErrNone) {
		return farm.Problemf(
			"person", "You are the last owner of a farm: make somebody else one first, or delete the farm.",
		)
	}
	return err
}
