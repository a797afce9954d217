package reptile

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/climate"
	"metrogon/core/species"
	"metrogon/core/units"
)

func kinds(t *testing.T, ids ...string) (all []*species.Profile) {
	for _, id := range ids {
		p, err := species.Find(id)
		require.NoError(t, err)
		all = append(all, p)
	}
	return all
}

// Of two kinds on a shelf the highest slow and cold counts, and the lowest of the others; hot is reached as far
// below as the thermometer may be off. By hand from the profiles: leopard gecko 24/24 15/12 33/4 34/1 36, corn snake
// 23/24 12/24 30/4 31/1 34.
func TestAShelfIsGuardedForTheTenderest(t *testing.T) {
	by := map[string]Level{}
	for _, l := range Guard(kinds(t, "leopard-gecko", "corn-snake"), 0.3) {
		by[l.ID] = l
	}
	for id, want := range map[string]struct {
		c, h  float64
		wakes bool
	}{
		SlowLevel: {24, 24, false}, ColdLevel: {15, 12, false}, WarmLevel: {30, 4, false}, HotLevel: {30.7, 1, true},
		AtOnceLevel: {33.7, 1. / 60, true},
	} {
		assert.InDelta(t, want.c, by[id].Alarm.Bound, 1e-9, id)
		assert.InDelta(t, want.h, by[id].Alarm.Delay.Hours(), 1e-9, id)
		assert.Equal(t, want.wakes, by[id].Wakes, id)
		assert.NotEmpty(t, Says(id))
	}
	assert.Empty(t, Guard(nil, 0.3), "an empty box has nothing to lose")
}

// Every kind has limits that leave what is usual for it alone, and a farm's own kind without them too.
func TestNoUsualTemperatureRings(t *testing.T) {
	for _, p := range species.All() {
		if !p.IsReptile() {
			continue
		}
		own := *p
		own.Limits = species.Limits{}
		for _, k := range []*species.Profile{p, &own} {
			l := k.Bears()
			assert.Less(t, l.ColdC, l.SlowC, p.ID)
			assert.LessOrEqual(t, l.SlowC, p.TemperatureC.From, p.ID)
			assert.GreaterOrEqual(t, l.HotC, p.TemperatureC.To, p.ID)
			assert.Less(t, l.HotC, l.AtOnceC, p.ID)
		}
	}
}

// A cut by hand: a foam incubator with 300 g in its box, UA 1 W/K and (3000 + 960) J/K, has a time constant of 1.1 h;
// after six hours in a room of 18 °C eggs of 28 °C are at 18.04.
func TestAPowerCutInAReptilesBox(t *testing.T) {
	gecko := kinds(t, "leopard-gecko")[0]
	c := Cut{Kind: gecko, PlanC: 28, RoomC: 18, Hours: 6, ContentG: 300, Box: climate.Foam}
	assert.InDelta(t, 1.1, c.tau(), 1e-9)
	assert.InDelta(t, 18.04, c.At(6), 0.01)
	x := c.Chill(units.Reader{})
	assert.Equal(t, climate.LowRisk, x.Risk, "cold slows them, and hardly harms")
	assert.Greater(t, x.DelayH, 4.)
	assert.Less(t, x.DelayH, 8., "no longer than it lasted, with the way back")
	c.RoomC, c.Hours = 10, 14
	assert.Equal(t, climate.SomeRisk, c.Chill(units.Reader{}).Risk, "below 15 °C for 12 hours and more")
	c.Hours = 30
	assert.Equal(t, climate.HighRisk, c.Chill(units.Reader{}).Risk)
	c.RoomC, c.Hours = 38, 12
	assert.Equal(t, climate.HighRisk, c.Chill(units.Reader{}).Risk, "a hot room")
	c.Readings = []climate.CurvePoint{{H: 11, EggC: 25}}
	assert.InDelta(t, 25, c.At(11), 1e-9, "what was read counts")

	short := Cut{Kind: gecko, PlanC: 28, RoomC: 18, Hours: 0.25, ContentG: 300, Box: climate.CabinetBox}
	assert.Less(t, short.Chill(units.Reader{}).DelayH, 0.3)
}
