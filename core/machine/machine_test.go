package machine_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/machine"
)

func steps(t *testing.T, kind machine.ID, byHand bool) (ids []string) {
	k, err := machine.Find(string(kind))
	require.NoError(t, err)
	for _, s := range k.Ready(byHand) {
		ids = append(ids, s.ID)
	}
	return
}

func TestEveryKindOfMachineHasItsOwnList(t *testing.T) {
	assert.Equal(t, []string{"clean", "place", "outlet", "water", "floor", "turner", "warm", "thermometers"},
		steps(t, machine.Cabinet, false))
	assert.NotContains(t, steps(t, machine.StillAir, true), "turner")
	assert.Contains(t, steps(t, machine.StillAir, false), "turner", "the list itself is not changed")
	assert.NotContains(t, steps(t, machine.Hatcher, false), "turner", "nothing turns in a hatcher")
	assert.Equal(t, []string{"nest"}, steps(t, machine.BroodyHen, false))
	assert.Equal(t, []string{"clean", "substrate", "warm", "thermometers"}, steps(t, machine.ReptileBox, false))
	for _, k := range machine.Kinds() {
		assert.NotEmpty(t, k.Ready(true), "%s would be ready at once", k.Name)
	}
}

func TestWhatIsNotKnownIsAnError(t *testing.T) {
	_, err := machine.Find("toaster")
	assert.ErrorContains(t, err, `"toaster" is no kind of machine`)
	k, err := machine.Find("cabinet")
	require.NoError(t, err)
	for _, id := range []string{"refillwater", "turner ", "", "WATER"} {
		_, err = k.Step(id, false)
		assert.ErrorContains(t, err, "is no step of making ready: Cabinet setter", id)
	}
	_, err = k.Step("turner", true)
	assert.Error(t, err, "one that is turned by hand has no turner")
	s, err := k.Step("clean", false)
	require.NoError(t, err, "the first")
	assert.Equal(t, "clean", s.ID)
	s, err = k.Step("water", false)
	require.NoError(t, err)
	assert.Equal(t, "Water channels filled", s.Title)
}

func TestWhatAMachineIsFor(t *testing.T) {
	for _, k := range machine.Kinds() {
		id := string(k.ID)
		assert.True(t, k.Sets || k.Hatches, "%s is for something", id)
		assert.Equal(t, k.ID == machine.Hatcher, machine.HatchesOnly(id), id)
		assert.Equal(t, k.ID == machine.StillAir, machine.WithoutFan(id), id)
	}
	assert.False(t, machine.HatchesOnly("tardis"))
	assert.False(t, machine.WithoutFan("tardis"))
}
