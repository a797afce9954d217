package remind

import (
	"fmt"
	"testing"
	"time"
	_ "time/tzdata"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestQuietHoursEnd(t *testing.T) {
	place, err := time.LoadLocation("Europe/London")
	require.NoError(t, err)
	at := func(clock string) time.Time {
		on, err := time.ParseInLocation("2006-01-02 15:04", "2027-03-02 "+clock, place)
		require.NoError(t, err)
		return on
	}
	for _, c := range []struct{ from, to, now, end string }{
		{"22:00", "06:00", "21:59", "21:59"},
		{"22:00", "06:00", "22:00", "30:00"},
		{"22:00", "06:00", "03:10", "06:00"},
		{"22:00", "06:00", "06:00", "06:00"},
		{"13:00", "15:00", "14:00", "15:00"},
		{"12:00", "12:00", "12:00", "12:00"}, // none at all
		{"00:00", "23:59", "10:00", "23:59"}, // nearly always, which once took for ever
		{"23:59", "23:58", "23:58", "23:58"},
	} {
		want := c.end
		plus := time.Duration(0)
		if want == "30:00" {
			want, plus = "06:00", 24*time.Hour
		}
		end := quietEnd(at(c.now), place, Wish{QuietFrom: c.from, QuietTo: c.to})
		assert.WithinDuration(t, at(want).Add(plus), end, 0, "%v", c)
	}
}

// Whatever the hours and the zone: it ends, soon enough, and where it ends it is not quiet any more.
func TestQuietHoursAlwaysEnd(t *testing.T) {
	zones := []string{"Europe/London", "America/St_Johns", "Pacific/Apia", "Australia/Lord_Howe", "Africa/Cairo"}
	rapid.Check(t, func(t *rapid.T) {
		place, err := time.LoadLocation(rapid.SampledFrom(zones).Draw(t, "zone"))
		require.NoError(t, err)
		clock := func(name string) string {
			m := rapid.IntRange(0, 24*60-1).Draw(t, name)
			return fmt.Sprintf("%02d:%02d", m/60, m%60)
		}
		w := Wish{QuietFrom: clock("from"), QuietTo: clock("to")}
		now := time.Date(2027, 1, 1, 0, rapid.IntRange(0, 365*24*60).Draw(t, "minute"), 0, 0, time.UTC)
		end := quietEnd(now, place, w)
		assert.False(t, end.Before(now))
		assert.LessOrEqual(t, end.Sub(now), 26*time.Hour)
		// But for the night on which the clock is changed, it is over then.
		if _, before := end.Add(-26 * time.Hour).In(place).Zone(); true {
			_, after := end.Add(26 * time.Hour).In(place).Zone()
			if before == after {
				assert.Equal(t, end, quietEnd(end, place, w), "%s from %s to %s", now.In(place), w.QuietFrom, w.QuietTo)
			}
		}
	})
}
