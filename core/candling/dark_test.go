package candling_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"metrogon/core/candling"
)

// A hen's egg loses about 12 % in 18 days, two thirds of a percent a day [common
// practice]: 2.7 % in four days.
func TestDarkShellsAreJudgedByTheirAirCell(t *testing.T) {
	const perDay = 12. / 18
	for _, c := range []struct {
		before, now, days float64
		says              candling.Growth
	}{
		{4, 6.7, 4, candling.Grows},
		{4, 6, 4, candling.Grows},
		{4, 5.1, 4, candling.Slow},
		{4, 4.2, 4, candling.Stands},
		{4, 3, 4, candling.Stands},
		{4, 6.7, 1, candling.TooSoon},
		{4, 4, 0, candling.TooSoon},
	} {
		assert.Equal(
			t, c.says, candling.Growing(c.before, c.now, c.days, perDay), "from %g to %g %% in %g days", c.before,
			c.now,
			c.days,
		)
	}
}
