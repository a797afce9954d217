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
	for name, err := range map[string]error{
		"pens": second(y.Flock.SavePen(y.Context(), tobin, key(), farm.Pen{
			Name: "X", Species: "chicken", FromOn: start,
		})),
		"settings": second(y.People.SaveFarm(y.Context(), tobin, key(), people.Rules{
			Name: "X", Zone: "UTC", ChoreAt: "07:00", WarmHours: 24, RestHours: 24,
		})),
		"people": y.People.AddPerson(y.Context(), tobin, "B", "b@b.example", "a-long-password", "owner"),
	} {
		assert.ErrorContains(t, err, "Only an owner", name)
	}
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
