package readiness_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/machine"
	"metrogon/core/readiness"
)

var now = time.Date(2027, 3, 1, 18, 0, 0, 0, time.UTC)

func cabinet(t *testing.T) machine.Kind {
	k, err := machine.Find("cabinet")
	require.NoError(t, err)
	return k
}

func TestAMachineIsReadyWhenAllIsTickedAndWarmLongEnough(t *testing.T) {
	judge := func(ticked map[string]time.Time, emptied time.Time, running bool) readiness.State {
		return readiness.Of(cabinet(t), false, ticked, emptied, running, 24*time.Hour, now)
	}
	all := map[string]time.Time{}
	for _, s := range cabinet(t).Ready(false) {
		all[s.ID] = now.Add(-25 * time.Hour)
	}
	emptied := now.Add(-48 * time.Hour)
	assert.True(t, judge(all, emptied, false).Ready)
	assert.Empty(t, judge(all, emptied, false).Why())

	all["warm"] = now.Add(-20 * time.Hour)
	assert.Equal(t, "warm for 20 of 24 hours", judge(all, emptied, false).Why())
	delete(all, "clean")
	assert.Equal(t, "not ticked: cleaned and sanitized; warm for 20 of 24 hours", judge(all, emptied, false).Why())
	assert.Equal(
		t, "not ticked: cleaned and sanitized and 7 more steps", judge(all, now.Add(-time.Hour), false).Why(),
		"ticks from before the last hatch do not count",
	)
	assert.True(t, judge(nil, emptied, true).Ready, "eggs stand in it: it runs")

	strange := readiness.Of(machine.Kind{}, false, nil, emptied, false, time.Hour, now)
	assert.False(t, strange.Ready, "what has no steps is not ready for that")
	assert.Equal(t, "it is not known how this kind of machine is made ready", strange.Why())
}
