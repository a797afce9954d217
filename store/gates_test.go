package store

import (
	"context"
	"sync"
	"sync/atomic"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Four farms that ask for all they can get keep a fifth waiting for one turn at most; no farm has more than its share,
// and no class more than its connections.
func TestFarmsTakeTurns(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		var g gates
		var inside, most, ofOne atomic.Int64
		var crowd sync.WaitGroup
		for farm := range int64(4) {
			var mine atomic.Int64
			for range 50 {
				crowd.Go(func() {
					leave, err := g.Enter(t.Context(), farm, false)
					if err != nil {
						return // told to come back
					}
					most.Store(max(most.Load(), inside.Add(1)))
					ofOne.Store(max(ofOne.Load(), mine.Add(1)))
					time.Sleep(300 * time.Millisecond) // of a clock that only this test has
					mine.Add(-1)
					inside.Add(-1)
					leave()
				})
			}
		}
		synctest.Wait()
		for range 5 {
			began := time.Now()
			leave, err := g.Enter(t.Context(), 5, false)
			require.NoError(t, err)
			assert.LessOrEqual(t, time.Since(began), 300*time.Millisecond)
			leave()
		}
		crowd.Wait()
		assert.EqualValues(t, rules[Pages].conns, most.Load())
		assert.EqualValues(t, rules[Pages].share, ofOne.Load())
		assert.Empty(t, g.turns[Pages].farms, "lanes in which nobody is are taken down")
		assert.Zero(t, g.turns[Pages].used)
		assert.Empty(t, g.turns[Pages].order)
	})
}

// Files and background work of others leave pages their connections; a farm has one file at a time.
func TestFilesLeavePagesTheirWay(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		var g gates
		files := As(t.Context(), Files)
		for farm := range int64(rules[Files].conns) {
			_, err := g.Enter(files, farm, false)
			require.NoError(t, err)
		}
		began := time.Now()
		_, err := g.Enter(files, 9, false)
		assert.ErrorIs(t, err, ErrBusy)
		assert.Equal(t, rules[Files].patience, time.Since(began))
		began = time.Now()
		_, err = g.Enter(t.Context(), 9, false)
		require.NoError(t, err)
		assert.Zero(t, time.Since(began))
	})
}

// One writer a farm; who gives up is not served, and keeps nobody.
func TestWritersWaitForOneAnother(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		var g gates
		first, err := g.Enter(t.Context(), 1, true)
		require.NoError(t, err)
		short, enough := context.WithTimeout(t.Context(), time.Second)
		defer enough()
		_, err = g.Enter(short, 1, true)
		assert.ErrorIs(t, err, context.DeadlineExceeded)
		other, err := g.Enter(t.Context(), 2, true)
		require.NoError(t, err, "another farm's writer")
		reader, err := g.Enter(t.Context(), 1, false)
		require.NoError(t, err, "and a reader")
		first()
		second, err := g.Enter(t.Context(), 1, true)
		require.NoError(t, err)
		for _, leave := range []func(){second, other, reader} {
			leave()
		}
		assert.Empty(t, g.writers)
		assert.Zero(t, g.turns[Pages].used)
	})
}
