package reptile_test

import (
	"math"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"metrogon/core/reptile"
)

// What the page of a clutch works out: curves, what if, and four goals, over 250 days of hours.
func BenchmarkAClutchPage(b *testing.B) {
	c := reptile.Course{Kind: kind(b, "panther-chameleon"), LaidAt: laid, Readings: read(func(d float64) float64 {
		return 26 + math.Sin(2*math.Pi*d)
	}, 180, time.Hour)}
	for b.Loop() {
		now, c := after(180), c.Until(after(180))
		_, err := c.Forecast(now, reptile.Sure{Widen: true})
		require.NoError(b, err)
		c.Curves(now, reptile.Sure{Widen: true})
		for _, goal := range reptile.Goals {
			c.Steer(now, goal, reptile.Sure{Widen: true})
		}
	}
}
