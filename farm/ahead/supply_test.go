package ahead

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

// A parcel's eggs are as old as the planner takes them to be: from when they have rested. What is planned with them is
// there when it is looked for.
func TestEggsOfAParcelAgeFromTheirRest(t *testing.T) {
	const pen = 1
	on := time.Date(2027, 4, 10, 0, 0, 0, 0, time.UTC)
	supply := func() Supply {
		return Supply{pen: {
			{On: on, Day: -12, Ready: 2, Eggs: 6, known: true},
			{On: on.AddDate(0, 0, 12), Day: 0, Ready: 0, Eggs: 4, known: true},
		}}
	}
	for day, free := range map[int]int{0: 4, 1: 4, 2: 10, 10: 10, 11: 6, 12: 6, 13: 0} {
		assert.Equal(t, free, supply().Free(pen, day, 10), "on day %d", day)
		taken := 0
		for _, e := range supply().Take(pen, day, 10, 20, nil) {
			taken += e.Eggs
		}
		assert.Equal(t, free, taken, "as many are taken on day %d", day)
	}
}
