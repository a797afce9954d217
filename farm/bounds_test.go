package farm_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/farm"
	"metrogon/farm/incubate"
	"metrogon/farm/stock"
)

// Ten thousand eggs that came in just now, on a farm whose tables PostgreSQL knows
// nothing of yet, are set in about a second. The bound is ten times that: the machine
// may be busy, but what once took 425 s is found.
func TestTenThousandEggsAreSetAtOnce(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	pen, box := y.pen("Barred", "chicken"), y.machine("Box", "all-in-one", "chicken", 20000, 20000)
	s := incubate.Setting{Species: "chicken", SetterID: box, HatcherID: box, SetAt: y.now}
	for back := range 5 {
		y.collect(pen, back, 2000, 0)
		s.Picks = append(s.Picks, incubate.Pick{PenID: pen, LaidOn: day(back), Eggs: 2000})
	}
	began := time.Now()
	_, err := y.Incubate.Set(ctx, by(y.m), s)
	require.NoError(t, err)
	took := time.Since(began)
	t.Logf("10,000 eggs set in %v", took)
	assert.Less(t, took, 10*time.Second)
	assert.Zero(t, y.inStore())
}

func TestTheSameCodeAQuarterOfAMillionTimes(t *testing.T) {
	y := newYard(t)
	id := y.incubating(10)
	_, err := y.Incubate.MoveEggs(
		y.Context(), by(y.m), id, incubate.Move{Marks: strings.Fields(strings.Repeat("AAA ", 250_000))},
	)
	assert.ErrorContains(t, err, "The number of eggs moved at once is 250000; it may be 0 to 2000.")
}

func TestOneFarmDoesNotBlockTheOthers(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	pen := y.pen("Barred", "chicken")
	b := y.settle("Elsewhere", "bo@elsewhere.example")
	conn := y.hold(1) // a slow writer of farm A, in another program
	began := make(chan struct{}, 40)
	said := make(chan error, 40)
	for i := range 40 {
		go func() {
			began <- struct{}{}
			_, err := y.Stock.Collect(ctx, by(y.m), stock.Collected{PenID: pen, LaidOn: day(0), Eggs: 1 + i})
			said <- err
		}()
	}
	for range 40 {
		<-began
	}
	for range 5 {
		at := time.Now()
		_, err := y.Today.Page(ctx, b)
		require.NoError(t, err)
		assert.Less(t, time.Since(at), 2*time.Second, "B waits for A")
	}
	conn()
	busy := 0
	for range 40 {
		if err := <-said; err != nil {
			assert.True(t, farm.Unavailable(err), "%v", err)
			busy++
		}
	}
	t.Logf("%d of 40 were told to come back", busy)
	assert.Less(t, busy, 40)
}

// hold keeps a farm's writers waiting until what is returned is called.
func (y *yard) hold(farmID int64) func() {
	conn, err := y.owner.Pool.Acquire(y.Context())
	require.NoError(y, err)
	_, err = conn.Exec(y.Context(), fmt.Sprintf(`select pg_advisory_lock(728, %d)`, farmID))
	require.NoError(y, err)
	return func() {
		_, err := conn.Exec(y.Context(), `select pg_advisory_unlock_all()`)
		assert.NoError(y, err)
		conn.Release()
	}
}

func TestALongWaitIsToldAsSuch(t *testing.T) {
	y := newYard(t)
	pen := y.pen("Barred", "chicken")
	release := y.hold(1)
	defer release()
	_, err := y.Stock.Collect(y.Context(), by(y.m), stock.Collected{PenID: pen, LaidOn: day(0), Eggs: 1})
	require.Error(t, err)
	assert.True(t, farm.Unavailable(err), "%v", err)
	_, typed := farm.AsProblems(err)
	assert.False(t, typed)
}
