package candling_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"metrogon/core/candling"
)

// A hen's egg loses about 12 % in 18 days, two thirds of a percent a day [common
// practice]: 2.7 % in four days. Whatever its air cell does, no egg is called dead by it.
func TestAnAirCellTellsOfWaterAlone(t *testing.T) {
	const perDay = 12. / 18
	for _, c := range []struct {
		before, now, days float64
		says              candling.Water
	}{
		{4, 6.7, 4, candling.Loses},
		{4, 5.2, 4, candling.Loses},
		{4, 4.2, 4, candling.LosesFew},
		{4, 3, 4, candling.LosesFew},
		{4, 6.7, 1, candling.TooSoon},
		{4, 4, 0, candling.TooSoon},
	} {
		says := candling.Losing(c.before, c.now, c.days, perDay)
		assert.Equal(t, c.says, says, "from %g to %g %% in %g days", c.before, c.now, c.days)
		for _, verdict := range []string{"out", "dead", "quit", "alive"} {
			assert.NotContains(t, string(says), verdict)
		}
	}
	assert.Contains(t, candling.DarkShell, "counts as unknown")
}
