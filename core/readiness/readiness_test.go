package readiness_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"metrogon/core/readiness"
)

var now = time.Date(2027, 3, 1, 18, 0, 0, 0, time.UTC)

func ids(steps []readiness.Step) (all []string) {
	for _, s := range steps {
		all = append(all, s.ID)
	}
	return
}

func TestEveryKindOfMachineHasItsOwnList(t *testing.T) {
	assert.Equal(t, []string{"clean", "place", "outlet", "water", "floor", "turner", "warm", "thermometers"}, ids(readiness.Steps("cabinet", false)))
	assert.NotContains(t, ids(readiness.Steps("still-air", true)), "turner")
	assert.NotContains(t, ids(readiness.Steps("hatcher", false)), "turner", "nothing turns in a hatcher")
	assert.Equal(t, []string{"nest"}, ids(readiness.Steps("broody-hen", false)))
	assert.Equal(t, []string{"clean", "substrate", "warm", "thermometers"}, ids(readiness.Steps("reptile-box", false)))
}

func TestAMachineIsReadyWhenAllIsTickedAndWarmLongEnough(t *testing.T) {
	judge := func(ticked map[string]time.Time, emptied time.Time, running bool) readiness.State {
		return readiness.Judge("cabinet", false, ticked, emptied, running, 24*time.Hour, now)
	}
	all := map[string]time.Time{}
	for _, s := range readiness.Steps("cabinet", false) {
		all[s.ID] = now.Add(-25 * time.Hour)
	}
	emptied := now.Add(-48 * time.Hour)
	assert.True(t, judge(all, emptied, false).Ready)
	assert.Empty(t, judge(all, emptied, false).Why())

	all["warm"] = now.Add(-20 * time.Hour)
	assert.Equal(t, "warm for 20 of 24 hours", judge(all, emptied, false).Why())
	delete(all, "clean")
	assert.Equal(t, "not ticked: cleaned and sanitized; warm for 20 of 24 hours", judge(all, emptied, false).Why())
	assert.Equal(t, "not ticked: cleaned and sanitized and 7 more steps", judge(all, now.Add(-time.Hour), false).Why(), "ticks from before the last hatch do not count")
	assert.True(t, judge(nil, emptied, true).Ready, "eggs stand in it: it runs")
}
