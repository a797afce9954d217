package work

import (
	"context"
	"errors"
	"log/slog"
	"sync/atomic"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/farm/services"
	"metrogon/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }

// A worker that ends or panics is started again, and all are joined.
func TestWorkersAreStartedAgainAndJoined(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		s := &supervisor{log: slog.New(slog.DiscardHandler), pause: time.Second}
		ctx, stop := context.WithCancel(t.Context())
		var began atomic.Int64
		s.run(ctx, "weak", func(ctx context.Context) error {
			switch began.Add(1) {
			case 1:
				return errors.New("it broke")
			case 2:
				panic("it broke worse")
			}
			<-ctx.Done()
			return ctx.Err()
		})
		time.Sleep(3 * time.Second) // of a clock that only this test has
		assert.EqualValues(t, 3, began.Load())
		stop()
		assert.NoError(t, s.join(time.Second))

		ctx, stop = context.WithCancel(t.Context())
		s.run(ctx, "deaf", func(context.Context) error { time.Sleep(time.Minute); return nil })
		synctest.Wait()
		stop()
		assert.ErrorIs(t, s.join(2*time.Second), errAway, "the end does not wait for ever")
		s.all.Wait()
	})
}

// The queue's leader asks for rounds, they are done, and it is kept that they came round; one that does not is named.
func TestRoundsComeRound(t *testing.T) {
	db := storetest.Open(t, nil)
	crew := &Crew{All: services.New(db, time.Now), Log: slog.New(slog.DiscardHandler)}
	ctx, stop := context.WithCancel(t.Context())
	home := make(chan error, 1)
	go func() { home <- crew.Run(ctx) }()
	want := 0
	for _, r := range crew.rounds() {
		if r.do != nil {
			want++
		}
	}
	require.Eventually(t, func() bool {
		did, err := db.Rounds(t.Context())
		return err == nil && len(did) == want
	}, 30*time.Second, 20*time.Millisecond)
	stop()
	require.NoError(t, <-home)

	dog := &watchdog{db: db, rounds: crew.rounds(), began: time.Now().Add(-time.Minute)}
	late, err := dog.late(t.Context(), time.Now())
	require.NoError(t, err)
	assert.Empty(t, late)
	hours := time.Now().Add(5 * time.Hour)
	late, err = dog.late(t.Context(), hours)
	require.NoError(t, err)
	names := map[string]bool{}
	for _, r := range late {
		names[r.Name] = true
	}
	assert.True(t, names["alarms"] && names["reminders"], "%v", names)
	assert.False(t, names["old readings"], "once a day is enough")
	assert.False(t, names["backup"], "which is not this process's")
	late, err = dog.late(t.Context(), hours.Add(time.Minute))
	require.NoError(t, err)
	assert.Empty(t, late, "it does not bark on and on")
}

// A push service that does not answer is left alone, longer each time; a farm has a few messages on their way.
func TestASlowServiceDelaysNoOtherFarm(t *testing.T) {
	w, now := &pinger{}, time.Now()
	assert.Zero(t, w.begin(1, "slow.example", now))
	assert.Zero(t, w.begin(1, "slow.example", now))
	assert.Positive(t, w.begin(1, "slow.example", now), "a third of one farm waits")
	assert.Zero(t, w.begin(2, "quick.example", now), "another's does not")
	w.end(1, "slow.example", now, true)
	assert.Greater(t, w.begin(1, "slow.example", now), 20*time.Second)
	assert.Positive(t, w.begin(2, "slow.example", now), "whosever message it is")
	assert.Zero(t, w.begin(1, "quick.example", now))
	w.end(1, "slow.example", now, true)
	assert.Greater(t, w.begin(3, "slow.example", now), 40*time.Second)
	assert.Zero(t, w.begin(3, "slow.example", now.Add(41*time.Second)))
	w.end(3, "slow.example", now.Add(42*time.Second), false)
	assert.Zero(t, w.begin(3, "slow.example", now.Add(43*time.Second)), "it answers again")
}
