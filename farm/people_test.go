package farm_test

import (
	"testing"
	"time"
	_ "time/tzdata"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/farm"
	"metrogon/farm/people"
	"metrogon/farm/stock"
)

func TestHelpersWorkButDoNotRule(t *testing.T) {
	y := newYard(t)
	pen := y.pen("Barred", "chicken")
	require.NoError(
		t, y.People.AddPerson(y.Context(), y.m, "Tobin", "tobin@wickfold.example", "a-long-password", "helper"),
	)
	in, err := y.People.SignIn(y.Context(), people.Attempt{
		Email: "Tobin@wickfold.example", Password: "a-long-password",
	})
	require.NoError(t, err)
	tobin, err := y.People.Member(y.Context(), in.PersonID)
	require.NoError(t, err)
	_, err = y.Stock.Collect(y.Context(), tobin, key(), stock.Collected{PenID: pen, LaidOn: day(0), Eggs: 3})
	require.NoError(t, err)
	keeper, reader := *tobin, *tobin
	keeper.Role, reader.Role = farm.KeeperRole, farm.ReaderRole
	penBy := func(m *farm.Member, name string) error {
		return second(y.Flock.SavePen(y.Context(), m, key(), farm.Pen{Name: name, Species: "chicken", FromOn: start}))
	}
	assert.ErrorContains(t, penBy(tobin, "X"), "This is for a keeper or an owner. A helper may do")
	assert.NoError(t, penBy(&keeper, "Y"))
	for name, err := range map[string]error{
		"settings": second(y.People.SaveFarm(y.Context(), &keeper, key(), people.Rules{
			Name: "X", Zone: "UTC", ChoreAt: "07:00", WarmHours: 24, RestHours: 24,
		})),
		"people": y.People.AddPerson(y.Context(), &keeper, "B", "b@b.example", "a-long-password", "owner"),
	} {
		assert.ErrorContains(t, err, "Only an owner", name)
	}
	_, err = y.Stock.Collect(y.Context(), &reader, key(), stock.Collected{PenID: pen, LaidOn: day(0), Eggs: 3})
	assert.ErrorContains(t, err, "You see this farm")
}

// A helper takes back what he did himself, within a day, and nothing of others.
func TestAHelperTakesBackHisOwn(t *testing.T) {
	y := newYard(t)
	pen, tobin := y.pen("Barred", "chicken"), y.joined("Tobin", farm.HelperRole)
	gathered := func(by *farm.Member) int64 {
		done, err := y.Stock.Collect(y.Context(), by, key(), stock.Collected{PenID: pen, LaidOn: day(0), Eggs: 3})
		require.NoError(t, err)
		return done.Entry
	}
	hers, his, old := gathered(y.m), gathered(tobin), gathered(tobin)
	assert.ErrorContains(t, second(y.Undo(y.Context(), tobin, key(), hers)), "what he did himself")
	assert.NoError(t, second(y.Undo(y.Context(), tobin, key(), his)))
	y.now = y.now.Add(25 * time.Hour)
	assert.ErrorContains(t, second(y.Undo(y.Context(), tobin, key(), old)), "within a day")
	assert.NoError(t, second(y.Undo(y.Context(), y.m, key(), old)))
}

// An invitation is taken once, by whom it reaches; it can be withdrawn, and runs out.
func TestInvitations(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	invite := func(name string) string {
		link, err := y.People.Invite(ctx, y.m, name, farm.HelperRole)
		require.NoError(t, err)
		return link
	}
	link := invite("Tobin")
	_, _, err := y.People.Join(ctx, link, "Tobin", "tobin@wickfold.example", "short")
	assert.ErrorContains(t, err, "has 5 characters")
	id, at, err := y.People.Join(ctx, link, "Tobin", "tobin@wickfold.example", "a-long-password")
	require.NoError(t, err)
	assert.Equal(t, y.m.FarmID, at)
	tobin, err := y.People.Member(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, farm.HelperRole, tobin.Role)
	_, _, err = y.People.Join(ctx, link, "Eve", "eve@wickfold.example", "a-long-password")
	assert.ErrorIs(t, err, farm.ErrNone, "it was taken")

	withdrawn := invite("Una")
	open, err := y.People.Invitations(ctx, y.m)
	require.NoError(t, err)
	require.Len(t, open, 1)
	require.NoError(t, y.People.Withdraw(ctx, y.m, open[0].ID))
	_, err = y.People.Invited(ctx, withdrawn)
	assert.ErrorIs(t, err, farm.ErrNone)
	late := invite("Lena")
	y.now = y.now.AddDate(0, 0, 15)
	_, _, err = y.People.Join(ctx, late, "Lena", "lena@wickfold.example", "a-long-password")
	assert.ErrorIs(t, err, farm.ErrNone, "it ran out")
	_, err = y.People.Invite(ctx, tobin, "Una", farm.OwnerRole)
	assert.ErrorContains(t, err, "Only an owner")

	// somebody with an account comes onto a second farm, and goes between them
	other := y.settle("Other fold", "bea@other.example")
	_, err = y.People.JoinSigned(ctx, other, invite("Bea"))
	require.NoError(t, err)
	bea, err := y.People.Signed(ctx, people.SignedIn{PersonID: other.PersonID, FarmID: y.m.FarmID})
	require.NoError(t, err)
	assert.Equal(t, []any{y.m.FarmID, farm.HelperRole, 2}, []any{bea.FarmID, bea.Role, bea.Farms})
	_, _, err = y.People.PasswordLink(ctx, y.m, bea.PersonID)
	assert.ErrorContains(t, err, "is on another farm as well")
	require.NoError(t, y.People.RemovePerson(ctx, y.m, bea.PersonID))
	bea, err = y.People.Signed(ctx, people.SignedIn{PersonID: other.PersonID, FarmID: y.m.FarmID})
	require.NoError(t, err)
	assert.Equal(t, other.FarmID, bea.FarmID, "she is still on her own")
}

func TestANewPasswordByLink(t *testing.T) {
	y := newYard(t)
	ctx, tobin := y.Context(), y.joined("Tobin", farm.KeeperRole)
	link, name, err := y.People.PasswordLink(ctx, y.m, tobin.PersonID)
	require.NoError(t, err)
	assert.Equal(t, "Tobin", name)
	_, _, err = y.People.NewPassword(ctx, link, "short")
	assert.ErrorContains(t, err, "has 5 characters")
	_, epoch, err := y.People.NewPassword(ctx, link, "another-long-one")
	require.NoError(t, err)
	assert.Equal(t, tobin.Epoch+1, epoch, "he is signed out where he was")
	_, _, err = y.People.NewPassword(ctx, link, "a-third-long-one")
	assert.ErrorIs(t, err, farm.ErrNone, "it works once")
	_, err = y.People.SignIn(ctx, people.Attempt{Email: tobin.Email, Password: "another-long-one"})
	assert.NoError(t, err)
}

// The last owner stays one.
func TestAFarmKeepsAnOwner(t *testing.T) {
	y := newYard(t)
	ctx, tobin := y.Context(), y.joined("Tobin", farm.KeeperRole)
	_, err := y.People.ChangeRole(ctx, y.m, y.m.PersonID, farm.ReaderRole)
	assert.ErrorContains(t, err, "A farm needs an owner")
	done, err := y.People.ChangeRole(ctx, y.m, tobin.PersonID, farm.OwnerRole)
	require.NoError(t, err)
	assert.Equal(t, "Tobin is owner now.", done.Said)
	_, err = y.People.ChangeRole(ctx, y.m, y.m.PersonID, farm.ReaderRole)
	assert.NoError(t, err)
}

func TestSignInIsThrottled(t *testing.T) {
	y := newYard(t)
	try := func(password string) error {
		return second(y.People.SignIn(y.Context(), people.Attempt{Email: "anna@wickfold.example", Password: password}))
	}
	for range 5 {
		require.ErrorIs(t, try("wrong"), people.ErrWrong)
	}
	var wait people.ErrWait
	require.ErrorAs(t, try("a-long-password"), &wait, "even the right one waits now")
	assert.LessOrEqual(t, wait.For, time.Second, "but not for long")
	y.now = y.now.Add(2 * time.Second)
	assert.NoError(t, try("a-long-password"))
	assert.ErrorIs(
		t, second(y.People.SignIn(y.Context(), people.Attempt{Email: "nobody@wickfold.example", Password: "x"})),
		people.ErrWrong,
	)
}
