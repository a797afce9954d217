package say

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"metrogon/farm"
)

// A date of another year names it, on the farm's clock: the year turns there at its own midnight.
func TestADateOfAnotherYearNamesIt(t *testing.T) {
	place, err := time.LoadLocation("Pacific/Auckland")
	assert.NoError(t, err)
	r := Reader{Member: &farm.Member{Place: place}, Now: time.Date(2026, 12, 31, 12, 0, 0, 0, time.UTC)}
	assert.Equal(t, "Fri 1 Jan", r.Day(r.Now), "already the new year there")
	assert.Equal(t, "Wed 1 Sep", r.Date(time.Date(2027, 9, 1, 0, 0, 0, 0, time.UTC)))
	assert.Equal(t, "Tue 1 Sep 2026", r.Date(time.Date(2026, 9, 1, 0, 0, 0, 0, time.UTC)))
	assert.Equal(t, "Sat 1 Jan 2028, 00:59", r.Moment(time.Date(2027, 12, 31, 11, 59, 0, 0, time.UTC)))
	assert.Equal(t, "Fri 1 Jan", Reader{Member: r.Member}.Day(r.Now), "nobody knows the year")
}
