package farm_test

import (
	"context"
	"sync/atomic"
	"testing"
	"time"
	_ "time/tzdata"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/candling"
	"metrogon/core/outcome"
	"metrogon/farm"
	"metrogon/farm/candle"
	"metrogon/farm/hatch"
	"metrogon/farm/incubate"
	"metrogon/farm/people"
	"metrogon/farm/services"
	"metrogon/farm/snapshot"
	"metrogon/farm/stock"
	"metrogon/farm/weigh"
	"metrogon/store/storetest"
)

// breaker fails the nth query of a use case.
type breaker struct {
	at, seen atomic.Int64
}

func (b *breaker) count(ctx context.Context, sql string) context.Context {
	if sql == "rollback" || sql == "begin" || b.at.Load() == 0 || b.seen.Add(1) != b.at.Load() {
		return ctx
	}
	ctx, cancel := context.WithCancelCause(ctx)
	cancel(errBroken)
	return ctx
}

func (b *breaker) TraceQueryStart(ctx context.Context, _ *pgx.Conn, q pgx.TraceQueryStartData) context.Context {
	return b.count(ctx, q.SQL)
}

func (b *breaker) TraceQueryEnd(context.Context, *pgx.Conn, pgx.TraceQueryEndData) {}

func (b *breaker) TraceBatchStart(ctx context.Context, _ *pgx.Conn, _ pgx.TraceBatchStartData) context.Context {
	return b.count(ctx, "batch")
}

func (b *breaker) TraceBatchQuery(context.Context, *pgx.Conn, pgx.TraceBatchQueryData) {}

func (b *breaker) TraceBatchEnd(context.Context, *pgx.Conn, pgx.TraceBatchEndData) {}

// Each query of each use case breaks once: that is an error of the machine, and never
// told as what somebody typed wrong.
func TestABrokenDatabaseIsNobodysMistake(t *testing.T) {
	t.Parallel()
	trace := &breaker{}
	y := &yard{T: t, now: start}
	y.Services = services.New(storetest.Open(t, trace), func() time.Time { return y.now })
	y.m = y.settle("Wickfold", "anna@wickfold.example")
	ctx := y.Context()
	pen, box := y.pen("Barred", "chicken"), y.machine("Box", "all-in-one", "chicken", 60, 60)
	_, err := y.Flock.SavePen(ctx, by(y.m), snapshot.Pen{
		Name: "Hollin Ridge", Species: "chicken", FromOn: day(30), Supplier: true,
	})
	require.NoError(t, err)
	known, err := y.Stock.Parcels(ctx, y.m)
	require.NoError(t, err)
	_, err = y.Stock.Order(ctx, by(y.m), snapshot.Parcel{PenID: known.Suppliers[0].ID, Ordered: 24, OrderedOn: day(5)})
	require.NoError(t, err)
	newest, err := y.Stock.Parcels(ctx, y.m)
	require.NoError(t, err)
	parcels := newest.Parcels
	_, err = y.Stock.SaveStoragePlace(ctx, by(y.m), snapshot.StoragePlace{Name: "Larder"})
	require.NoError(t, err)
	place := y.room().Places[0].ID
	entry := y.collect(pen, 0, 30, 2).Entry
	id := y.set(incubate.Setting{
		Species: "chicken", SetterID: box, HatcherID: box,
		Picks: []incubate.Pick{{PenID: pen, LaidOn: day(0), Eggs: 12}},
	})
	all, _, rejects, err := y.Stock.Baskets(ctx, y.m, 0)
	require.NoError(t, err)
	y.now = start.AddDate(0, 0, 21)
	eggs := nos(y.batch(id), 1, 2)
	s := incubate.Setting{
		Species: "chicken", SetterID: box, HatcherID: box, SetAt: y.now,
		Picks: []incubate.Pick{{PenID: pen, LaidOn: day(0), Eggs: 3}},
	}
	for name, act := range map[string]func() error{
		"today":    func() error { return second(y.Today.Page(ctx, y.m)) },
		"set page": func() error { return second(y.Incubate.Plan(ctx, y.m, s)) },
		"batch":    func() error { return second(y.Incubate.Batch(ctx, y.m, id)) },
		"pens":     func() error { return second(y.Flock.Pens(ctx, y.m)) },
		"waiting":  func() error { return second(y.Stock.Waiting(ctx, y.m, "chicken")) },
		"collect": func() error {
			return second(y.Stock.Collect(ctx, by(y.m), stock.Collected{PenID: pen, LaidOn: day(0), Eggs: 1}))
		},
		"cast out": func() error {
			return second(y.Stock.TakeOut(ctx, by(y.m), stock.Out{PenID: pen, LaidOn: day(0), Eggs: 1, Why: "eaten"}))
		},
		"set": func() error { return second(y.Incubate.Set(ctx, by(y.m), s)) },
		"candle": func() error {
			return second(y.Candle.Candle(ctx, by(y.m), id, candle.Calling{Call: candling.Live, Eggs: eggs}))
		},
		"candle rest": func() error { return second(y.Candle.CandleRest(ctx, by(y.m), id, time.Time{})) },
		"hatched": func() error {
			return second(y.Hatch.Hatched(ctx, by(y.m), id, hatch.Young{ByPen: map[int64]int{pen: 1}}))
		},
		"end": func() error {
			return second(y.Hatch.End(
				ctx, by(y.m), id, hatch.Ending{Eggs: eggs[:1], Fate: outcome.Removed, Stage: "bad"},
			))
		},
		"lockdown": func() error { return second(y.Hatch.Lockdown(ctx, by(y.m), id, 0, time.Time{})) },
		"close":    func() error { return second(y.Hatch.Close(ctx, by(y.m), id, time.Time{})) },
		"tick":     func() error { return second(y.Incubate.TickOff(ctx, by(y.m), id, "candle", 7)) },
		"undo":     func() error { return second(y.Undo(ctx, by(y.m), entry)) },
		"pen": func() error {
			return second(y.Flock.SavePen(ctx, by(y.m), snapshot.Pen{
				ID: pen, Name: "Barred", Species: "chicken", FromOn: start,
			}))
		},
		"machine": func() error {
			return second(y.Machines.SaveMachine(
				ctx, by(y.m), snapshot.Machine{Name: "Y", Kind: "hatcher"},
				[]snapshot.Room{{Species: "chicken", Hatching: 9}},
			))
		},
		"ready": func() error { return second(y.Machines.MadeReady(ctx, by(y.m), box, "clean")) },
		"tilt":  func() error { return second(y.Stock.Tilted(ctx, by(y.m), place)) },
		"move":  func() error { return second(y.Stock.MoveBaskets(ctx, by(y.m), []int64{all[0].Basket.ID}, place)) },
		"trial": func() error { return second(y.Stock.OnTrial(ctx, by(y.m), rejects[0].CollectionID, "", 1)) },
		"arrival": func() error {
			return second(y.Stock.Arrived(
				ctx, by(y.m), parcels[0].ID, stock.Arrival{Sent: 24, At: y.now, LaidOn: day(4), RestHours: 24},
			))
		},
		"weigh": func() error {
			return second(y.Weigh.Record(
				ctx, by(y.m), id,
				weigh.Weighing{Eggs: 12, MassG: 700, RHPct: 50, TempC: 37.5, At: start, Sure: true},
			))
		},
		"farm": func() error {
			return second(y.People.SaveFarm(ctx, by(y.m), people.Rules{
				Name: "X", Zone: "UTC", ChoreAt: "07:00", WarmHours: 24, RestHours: 24,
			}))
		},
		"password": func() error {
			return second(y.People.ChangePassword(ctx, y.m, "a-long-password", "quite-another-word"))
		},
		"sign in": func() error {
			return second(y.People.SignIn(ctx, people.Attempt{Email: "nobody@x.example", Password: "x"}))
		},
	} {
		broke := 0
		for n := int64(1); n < 60; n++ {
			trace.seen.Store(0)
			trace.at.Store(n)
			err := act()
			trace.at.Store(0)
			if trace.seen.Load() < n {
				break // the whole of it went through
			}
			broke++
			typed, is := farm.AsProblems(err)
			assert.False(t, is, "%s: query %d broke, and it is told as a mistake: %v", name, n, typed)
			assert.Error(t, err, "%s: query %d broke, and nothing is said", name, n)
			assert.NotErrorIs(t, err, people.ErrWrong, "%s: query %d", name, n)
		}
		assert.Greater(t, broke, 2, "%s was hardly tried", name)
	}
}
