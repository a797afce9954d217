package season

import (
	"context"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
)

// Four searches of five minutes let one of four seconds through after two stints.
func TestLongSearchesGiveWay(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		var at turns
		search := func(long time.Duration) {
			assert.NoError(t, at.take(t.Context(), func() {}))
			defer at.leave()
			for began := time.Now(); long > 0; long -= time.Second {
				time.Sleep(time.Second) // of a clock that only this test has
				if time.Since(began) >= stint && at.wanted() {
					at.leave()
					assert.NoError(t, at.take(t.Context(), func() {}))
					began = time.Now()
				}
			}
		}
		var all sync.WaitGroup
		for range 4 {
			all.Go(func() { search(5 * time.Minute) })
		}
		synctest.Wait()
		began := time.Now()
		search(4 * time.Second)
		assert.LessOrEqual(t, time.Since(began), 4*time.Second+2*stint)
		all.Wait()
		assert.Zero(t, at.working)
		assert.LessOrEqual(t, time.Since(began), 11*time.Minute, "and nothing is lost by that")
	})
}

// Who is called off while he waits keeps no turn.
func TestWhoGoesAwayKeepsNoTurn(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		var at turns
		for range searches {
			assert.NoError(t, at.take(t.Context(), nil))
		}
		alive := 0
		short, enough := context.WithTimeout(t.Context(), 10*time.Second)
		defer enough()
		assert.ErrorIs(t, at.take(short, func() { alive++ }), context.DeadlineExceeded)
		assert.Equal(t, 3, alive, "meanwhile he says that he is there")
		assert.False(t, at.wanted())
		for range searches {
			at.leave()
		}
		assert.Zero(t, at.working)
	})
}
