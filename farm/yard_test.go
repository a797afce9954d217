package farm_test

import (
	"context"
	"errors"
	"slices"
	"strings"
	"testing"
	"time"
	_ "time/tzdata"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/farm"
	"metrogon/farm/chores"
	"metrogon/farm/hatch"
	"metrogon/farm/incubate"
	"metrogon/farm/journal"
	"metrogon/farm/people"
	"metrogon/farm/services"
	"metrogon/farm/snapshot"
	"metrogon/farm/stock"
	"metrogon/store"
	"metrogon/store/breeders"
	"metrogon/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }

// yard is a farm with a clock that the test moves.
type yard struct {
	*testing.T
	*services.Services
	owner *store.DB // of the tables
	m     *farm.Member
	now   time.Time
}

var start = time.Date(2027, 3, 1, 18, 0, 0, 0, time.UTC) // a Monday

func newYard(t *testing.T) *yard {
	t.Parallel()
	y := &yard{T: t, now: start}
	db := storetest.Open(t, nil)
	y.owner = storetest.Owner(t, db)
	y.Services = services.New(db, func() time.Time { return y.now })
	y.m = y.settle("Wickfold", "anna@wickfold.example")
	t.Cleanup(func() {
		// Whatever a test did, and took back.
		n, err := breeders.Of(y.owner).Miscounted(context.WithoutCancel(t.Context()))
		assert.NoError(t, err)
		assert.Zero(t, n, "the sums are not what the eggs say")
		if t.Failed() {
			return
		}
		ctx := context.WithoutCancel(t.Context())
		known, err := y.Flock.Pens(ctx, y.m)
		assert.NoError(t, err)
		fresh, err := services.New(db, func() time.Time { return y.now }).Flock.Pens(ctx, y.m)
		assert.NoError(t, err)
		assert.Equal(t, fresh, known, "what is remembered is not what the eggs say")
	})
	return y
}

func (y *yard) settle(name, email string) *farm.Member {
	id, err := y.People.SetUp(
		y.Context(),
		people.NewFarm{Farm: name, Zone: "Europe/London", Name: "Anna Wick", Email: email, Password: "a-long-password"},
		false,
	)
	require.NoError(y, err)
	m, err := y.People.Member(y.Context(), id)
	require.NoError(y, err)
	return m
}

// joined is somebody else on the farm.
func (y *yard) joined(name, role string) *farm.Member {
	y.Helper()
	email := strings.ToLower(name) + "@wickfold.example"
	require.NoError(y, y.People.AddPerson(y.Context(), y.m, name, email, "a-long-password", role))
	in, err := y.People.SignIn(y.Context(), people.Attempt{Email: email, Password: "a-long-password"})
	require.NoError(y, err)
	m, err := y.People.Member(y.Context(), in.PersonID)
	require.NoError(y, err)
	return m
}

// must gives what worked, and stops the test where it did not.
func must[T any](v T, err error) T {
	if err != nil {
		panic(err)
	}
	return v
}

func key() string { return farm.NewKey() }

// by is a request of a member whom nobody asks anything; asked is one who is asked about what is hardly so.
func by(m *farm.Member) farm.Request { return farm.NewRequest(m) }

func asked(m *farm.Member) farm.Request {
	req := by(m)
	req.Sure = false
	return req
}

func (y *yard) pen(name, species string) int64 {
	_, err := y.Flock.SavePen(y.Context(), by(y.m), snapshot.Pen{
		Name: name, Species: species, Females: 8, Males: 1, FromOn: y.now.AddDate(-1, 0, 0),
	})
	require.NoError(y, err)
	pens, err := y.Flock.Pens(y.Context(), y.m)
	require.NoError(y, err)
	for _, p := range pens {
		if p.Name == name {
			return p.ID
		}
	}
	y.Fatalf("the pen %s was not made", name)
	return 0
}

func (y *yard) machine(name, kind, species string, setting, hatching int) int64 {
	_, err := y.Machines.SaveMachine(
		y.Context(), by(y.m), snapshot.Machine{Name: name, Kind: kind, CleanDays: 1},
		[]snapshot.Room{{Species: species, Setting: setting, Hatching: hatching}},
	)
	require.NoError(y, err)
	all, err := y.Machines.List(y.Context(), y.m)
	require.NoError(y, err)
	for _, x := range all {
		if x.Name == name {
			return x.ID
		}
	}
	y.Fatalf("the machine %s was not made", name)
	return 0
}

func day(back int) time.Time { return time.Date(2027, 3, 1-back, 0, 0, 0, 0, time.UTC) }

func (y *yard) collect(pen int64, back, eggs, rejected int) farm.Done {
	done, err := y.Stock.Collect(y.Context(), by(y.m), stock.Collected{
		PenID: pen, LaidOn: day(back), Eggs: eggs, Rejected: rejected,
	})
	require.NoError(y, err)
	return done
}

func (y *yard) set(s incubate.Setting) int64 {
	s.SetAt = y.now
	done, err := y.Incubate.Set(y.Context(), by(y.m), s)
	require.NoError(y, err)
	return done.Of(journal.Batch)
}

func (y *yard) batch(id int64) incubate.Page {
	b, err := y.Incubate.Batch(y.Context(), y.m, id)
	require.NoError(y, err)
	return b
}

// nos finds eggs by their numbers in a batch.
func nos(b incubate.Page, numbers ...int) (ids []int64) {
	for _, p := range b.Pens {
		for _, e := range p.Eggs {
			for _, n := range numbers {
				if e.No == n {
					ids = append(ids, e.ID)
				}
			}
		}
	}
	return
}

func (y *yard) inStore() int {
	room, err := y.Stock.EggRoom(y.Context(), y.m)
	require.NoError(y, err)
	return room.Eggs
}

// chores are those of some kinds that are due now.
func (y *yard) chores(kinds ...string) (all []chores.Chore) {
	today, err := y.Today.Page(y.Context(), y.m)
	require.NoError(y, err)
	for _, c := range today.Due {
		if slices.Contains(kinds, c.Kind) {
			all = append(all, c)
		}
	}
	return all
}

func (y *yard) room() snapshot.EggRoom {
	room, err := y.Stock.EggRoom(y.Context(), y.m)
	require.NoError(y, err)
	return room
}

func (y *yard) gather(c stock.Collected) (string, error) {
	if c.LaidOn.IsZero() {
		c.LaidOn = day(0)
	}
	done, err := y.Stock.Collect(y.Context(), by(y.m), c)
	return done.Said, err
}

// proven is a pen of which enough is known: half of its eggs hatch.
func (y *yard) proven(name string, machine int64) int64 {
	pen := y.pen(name, "chicken")
	y.collect(pen, 0, 40, 0)
	id := y.set(incubate.Setting{
		Species: "chicken", SetterID: machine, HatcherID: machine,
		Picks: []incubate.Pick{{PenID: pen, LaidOn: day(0), Eggs: 40}},
	})
	now := y.now
	y.now = y.now.AddDate(0, 0, 22)
	_, err := y.Hatch.Hatched(y.Context(), by(y.m), id, hatch.Young{ByPen: map[int64]int{pen: 20}})
	require.NoError(y, err)
	_, err = y.Hatch.Close(y.Context(), by(y.m), id, time.Time{})
	require.NoError(y, err)
	y.now = now
	return pen
}

func (y *yard) trays(batch int64) snapshot.TrayPage {
	page, err := y.Incubate.Trays(y.Context(), y.m, batch)
	require.NoError(y, err)
	return page
}

// incubating sets so many eggs of one pen; where days of storage are named, so many
// of each.
func (y *yard) incubating(eggs int, ages ...int) int64 {
	y.Helper()
	pen, box := y.pen("Barred", "chicken"), y.machine("Cabinet", "all-in-one", "chicken", 40, 40)
	s := incubate.Setting{Species: "chicken", SetterID: box}
	for _, age := range append(ages, 0)[:max(len(ages), 1)] {
		y.collect(pen, age, eggs, 0)
		s.Picks = append(s.Picks, incubate.Pick{PenID: pen, LaidOn: day(age), Eggs: eggs})
	}
	return y.set(s)
}

var errBroken = errors.New("the database is broken")
