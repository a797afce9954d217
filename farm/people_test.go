package farm_test

import (
	"fmt"
	"regexp"
	"sync"
	"testing"
	"time"
	_ "time/tzdata"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/farm"
	"metrogon/farm/people"
	"metrogon/farm/snapshot"
	"metrogon/farm/stock"
	peoplerows "metrogon/store/people"
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
	_, err = y.Stock.Collect(y.Context(), by(tobin), stock.Collected{PenID: pen, LaidOn: day(0), Eggs: 3})
	require.NoError(t, err)
	keeper, reader := *tobin, *tobin
	keeper.Role, reader.Role = farm.KeeperRole, farm.ReaderRole
	penBy := func(m *farm.Member, name string) error {
		return second(y.Flock.SavePen(y.Context(), by(m), snapshot.Pen{Name: name, Species: "chicken", FromOn: start}))
	}
	assert.ErrorContains(t, penBy(tobin, "X"), "This is for a keeper or an owner. A helper may do")
	assert.NoError(t, penBy(&keeper, "Y"))
	for name, err := range map[string]error{
		"settings": second(y.People.SaveFarm(y.Context(), by(&keeper), people.Rules{
			Name: "X", Zone: "UTC", ChoreAt: "07:00", WarmHours: 24, RestHours: 24,
		})),
		"people": y.People.AddPerson(y.Context(), &keeper, "B", "b@b.example", "a-long-password", "owner"),
	} {
		assert.ErrorContains(t, err, "Only an owner", name)
	}
	_, err = y.Stock.Collect(y.Context(), by(&reader), stock.Collected{PenID: pen, LaidOn: day(0), Eggs: 3})
	assert.ErrorContains(t, err, "You see this farm")
}

// A helper takes back what he did himself, within a day, and nothing of others.
func TestAHelperTakesBackHisOwn(t *testing.T) {
	y := newYard(t)
	pen, tobin := y.pen("Barred", "chicken"), y.joined("Tobin", farm.HelperRole)
	gathered := func(m *farm.Member) int64 {
		done, err := y.Stock.Collect(y.Context(), by(m), stock.Collected{PenID: pen, LaidOn: day(0), Eggs: 3})
		require.NoError(t, err)
		return done.Entry
	}
	hers, his, old := gathered(y.m), gathered(tobin), gathered(tobin)
	assert.ErrorContains(t, second(y.Undo(y.Context(), by(tobin), hers)), "what he did himself")
	assert.NoError(t, second(y.Undo(y.Context(), by(tobin), his)))
	y.now = y.now.Add(25 * time.Hour)
	assert.ErrorContains(t, second(y.Undo(y.Context(), by(tobin), old)), "within a day")
	assert.NoError(t, second(y.Undo(y.Context(), by(y.m), old)))
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
	taken := must(y.People.Invitations(ctx, y.m))[0].ID
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
	assert.ErrorContains(t, y.People.Withdraw(ctx, y.m, taken), "It was taken or withdrawn already.")

	withdrawn := invite("Una")
	open, err := y.People.Invitations(ctx, y.m)
	require.NoError(t, err)
	require.Len(t, open, 1)
	require.NoError(t, y.People.Withdraw(ctx, y.m, open[0].ID))
	assert.ErrorContains(t, y.People.Withdraw(ctx, y.m, open[0].ID), "It was taken or withdrawn already.")
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

// A link for a new password dies with its reason: whoever made it could else come onto the person's second farm.
func TestAPasswordLinkEndsWithASecondFarm(t *testing.T) {
	y := newYard(t)
	ctx, tobin := y.Context(), y.joined("Tobin", farm.HelperRole)
	other := y.settle("Other fold", "bea@other.example")
	link, _, err := y.People.PasswordLink(ctx, y.m, tobin.PersonID)
	require.NoError(t, err)
	_, err = y.People.OfLink(ctx, link)
	require.NoError(t, err)

	ask, err := y.People.Invite(ctx, other, "Tobin", farm.OwnerRole)
	require.NoError(t, err)
	_, err = y.People.JoinSigned(ctx, tobin, ask)
	require.NoError(t, err)
	refused := func(says string) {
		t.Helper()
		_, err := y.People.OfLink(ctx, link)
		assert.ErrorIs(t, err, farm.ErrNone, says)
		_, _, err = y.People.NewPassword(ctx, link, "another-long-one")
		assert.ErrorIs(t, err, farm.ErrNone, says)
		_, err = y.People.SignIn(ctx, people.Attempt{Email: tobin.Email, Password: "a-long-password"})
		assert.NoError(t, err, "the password stayed")
	}
	refused("joining voids it")

	// one that came in between the look and the joining
	digest := farm.LinkDigest(link)
	require.NoError(
		t, peoplerows.Of(y.DB).PasswordLink(ctx, y.m.FarmID, tobin.PersonID, digest, y.now, y.now.Add(time.Hour)),
	)
	refused("using it looks again")
	require.NoError(t, y.People.RemovePerson(ctx, y.m, tobin.PersonID))
	refused("nor once he is on the other farm alone")
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

// Many people of one network sign in rightly; only wrong tries count against it.
func TestRightPasswordsAreNoWrongTries(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	for i := range 40 {
		at := people.Attempt{Email: "anna@wickfold.example", Password: "a-long-password", Network: "192.0.2.7"}
		_, err := y.People.SignIn(ctx, at)
		require.NoError(t, err, "the %dth", i+1)
	}
	wrong := func(i int) error {
		return second(y.People.SignIn(ctx, people.Attempt{
			Email: fmt.Sprintf("nobody%d@wickfold.example", i), Password: "x", Network: "192.0.2.7",
		}))
	}
	for i := range 30 {
		require.ErrorIs(t, wrong(i), people.ErrWrong, "the %dth", i+1)
	}
	var wait people.ErrWait
	require.ErrorAs(t, wrong(30), &wait, "and those do")
}

// Who has to wait takes no slot for hashing, so that wrong tries shut the door for nobody else.
func TestAThrottledCrowdLeavesTheDoorOpen(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	for i := range 31 {
		_, _ = y.People.SignIn(ctx, people.Attempt{Email: fmt.Sprint(i), Password: "x", Network: "192.0.2.7"})
	}
	began := time.Now()
	var crowd sync.WaitGroup
	for i := range 80 {
		crowd.Go(func() {
			_, err := y.People.SignIn(ctx, people.Attempt{Email: fmt.Sprint(i), Password: "x", Network: "192.0.2.7"})
			var wait people.ErrWait
			assert.ErrorAs(t, err, &wait)
		})
	}
	_, err := y.People.SignIn(ctx, people.Attempt{
		Email: "anna@wickfold.example", Password: "a-long-password", Network: "198.51.100.1",
	})
	assert.NoError(t, err)
	crowd.Wait()
	t.Logf("%v", time.Since(began))
}

// A name that two farms have fits neither: their numbers are said, and a number is enough.
func TestAFarmIsNamedByItsNumber(t *testing.T) {
	y := newYard(t)
	ids := map[int64]string{}
	for _, email := range []string{"eve@hill.example", "bo@hill.example"} {
		id := must(y.People.SetUp(y.Context(), people.NewFarm{
			Farm: "Hill", Zone: "UTC", Name: email, Email: email, Password: "three-oat-lines",
		}, false))
		ids[id] = email
	}
	_, err := y.People.Owner(y.Context(), "Hill")
	require.Error(t, err)
	numbers := regexp.MustCompile(`#\d+`).FindAllString(err.Error(), -1)
	require.Len(t, numbers, 2, err.Error())
	for _, n := range numbers {
		m := must(y.People.Owner(y.Context(), n))
		assert.Equal(t, "Hill", m.FarmName)
		assert.Contains(t, ids, m.PersonID)
	}
}
