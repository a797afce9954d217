package climate

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

func TestHowLongToWaitAfterAChange(t *testing.T) {
	minutes := func(all ...int) (took []time.Duration) {
		for _, m := range all {
			took = append(took, time.Duration(m)*time.Minute)
		}
		return took
	}
	for _, c := range []struct {
		took []time.Duration
		want int
		why  string
	}{
		{nil, 40, "nothing is known of the machine"},
		{minutes(25, 25), 40, "twice is not enough"},
		{minutes(60, 25, 30), 30, "the middle one"},
		{minutes(5, 5, 5), 20, "nobody reads a hygrometer sooner"},
		{minutes(300, 600, 900), 90, "it was looked at late, not slow"},
	} {
		assert.Equal(t, time.Duration(c.want)*time.Minute, Wait(c.took), c.why)
	}
}
