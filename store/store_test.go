package store_test

import (
	"context"
	"fmt"
	"slices"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/demo"
	"metrogon/store"
	"metrogon/store/breeders"
	broodrows "metrogon/store/brood"
	clutchrows "metrogon/store/clutch"
	"metrogon/store/migrations"
	"metrogon/store/people"
	"metrogon/store/probes"
	stockrows "metrogon/store/stock"
	"metrogon/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }

var noon = time.Date(2027, 4, 14, 12, 0, 0, 0, time.UTC)

func newFarm(t *testing.T, db *store.DB, name string) int64 {
	id, _, err := people.Of(db).AddFarm(
		t.Context(), people.Farm{Name: name, Zone: "UTC"},
		people.Person{Email: name + "@farm.example", Name: "Nobody", PasswordHash: "x"}, noon, false,
	)
	require.NoError(t, err)
	return id
}

// tablesOfAFarm lists the tables that carry farm_id.
func tablesOfAFarm(t *testing.T, db *store.DB) []string {
	rows, err := db.Pool.Query(
		t.Context(),
		`
			select table_name::text
			from information_schema.columns
			where column_name = 'farm_id' and table_schema = 'public' and table_name !~ '_\d{4}_\d{2}$' -- months of samples
			order by 1`,
	)
	require.NoError(t, err)
	names, err := pgx.CollectRows(rows, pgx.RowTo[string])
	require.NoError(t, err)
	return names
}

func TestTheSecondWallHidesOtherFarms(t *testing.T) {
	db := storetest.Open(t, nil)
	owner := storetest.Owner(t, db)
	require.NoError(t, demo.Load(t.Context(), owner, noon, 1))
	stranger := newFarm(t, db, "elsewhere")
	names := tablesOfAFarm(t, owner)
	assert.Len(t, names, 90, "a table more or less? see that it has its wall")
	// What the demo has none of.
	empty := []string{
		"requests", "chores_done", "young_counts", "plans", "planned_for", "bans", "invitations", "handovers",
		"handover_ticks", "feeds", "reminder_wishes", "reminded", "import_columns",
		"brokers",
	}
	for _, table := range names {
		var rows int
		require.NoError(t, owner.Pool.QueryRow(t.Context(), `select count(*) from `+table).Scan(&rows))
		if !slices.Contains(empty, table) {
			assert.Positive(t, rows, "%s is empty, so that nothing is proved", table)
		}
		require.NoError(t, db.Write(t.Context(), stranger, func(tx *store.Tx) error {
			var seen int
			require.NoError(
				t, tx.QueryRow(t.Context(), `select count(*) from `+table+` where farm_id <> $1`, stranger).Scan(&seen),
			)
			assert.Zero(t, seen, "%s shows another farm's rows", table)
			return nil
		}))
	}
	for name, sql := range map[string]string{
		"a row for another farm": `
			insert into pens (farm_id, name, species, from_on)
			select id, 'x', 'chicken', '2027-01-01'
			from (values (1)) v (id)`,
		"a change of the past":  `update journal set said = 'x'`,
		"a loss of the past":    `delete from journal`,
		"the passwords":         `select password_hash from people`,
		"the sessions":          `select * from sessions`,
		"a new member":          `insert into memberships (farm_id, person_id, role) select id, 1, 'owner' from farms`,
		"another role":          `update memberships set role = 'owner'`,
		"the program's secrets": `select * from secrets`,
		"a change of subjects":  `delete from journal_subjects`,
	} {
		err := db.Write(t.Context(), stranger, func(tx *store.Tx) error {
			_, err := tx.Exec(t.Context(), sql)
			return err
		})
		assert.Error(t, err, "%s must be refused", name)
	}
}

func TestMigrationsMoveForwardOnFilledTables(t *testing.T) {
	url := storetest.EmptyURL(t)
	steps, err := store.MigrateTo(t.Context(), storetest.Owned(url), 1)
	require.NoError(t, err)
	assert.Equal(t, 1, steps)
	db, err := store.OpenOwner(t.Context(), storetest.Owned(url))
	require.NoError(t, err)
	defer db.Close()
	_, err = db.Pool.Exec(t.Context(), `
		insert into people (email, name, password_hash) values ('a@b.example', 'Anna', 'x');
		insert into farms (name, zone, created_at) values ('Wickfold', 'UTC', now());
		insert into memberships values (1, 1, 'owner');
		insert into pens (farm_id, name, species, from_on) values (1, 'Barred', 'chicken', '2027-01-01');
		insert into machines (farm_id, name, kind) values (1, 'Cabinet', 'cabinet');
		insert into machine_room values (1, 1, 'chicken', 48, 20);
		insert into batches (farm_id, code, species, bantam, setter_id, hatcher_id, set_at, storage_days)
			values (1, 'Chicken 27-01', 'chicken', false, 1, 1, '2027-03-01T18:00Z', 3);
		insert into collections (farm_id, pen_id, laid_on) values (1, 1, '2027-02-26');
		insert into eggs (farm_id, collection_id, pen_id, laid_on, rejected, batch_id, no, fate, fate_at)
			select 1, 1, 1, '2027-02-26', n = 30,
				case when n <= 20 then 1 end, case when n <= 20 then n end,
				case when n = 1 then 'removed' end, case when n = 1 then now() end
			from generate_series(1, 30) n;
		insert into pens (farm_id, name, species, from_on) values (1, 'Opal', 'leopard-gecko', '2027-01-01');
		insert into machines (farm_id, name, kind) values (1, 'Shelf', 'reptile-box');
		insert into batches (farm_id, code, species, bantam, setter_id, hatcher_id, set_at, storage_days, temp_c)
			values (1, 'Leopard gecko 27-01', 'leopard-gecko', false, 2, 2, '2027-03-01T18:00Z', 0, 28.5);
		insert into collections (farm_id, pen_id, laid_on) values (1, 2, '2027-03-01');
		insert into eggs (farm_id, collection_id, pen_id, laid_on, batch_id, no)
			select 1, 2, 2, '2027-03-01', 2, n from generate_series(1, 2) n`)
	require.NoError(t, err)
	_, err = store.MigrateTo(t.Context(), storetest.Owned(url), 36)
	require.NoError(t, err)
	_, err = db.Pool.Exec(t.Context(), `
		insert into broods (farm_id, species, hatched_on, began_on, heads, place)
			values (1, 'chicken', '2027-03-22', '2027-03-22', 9, 'orchard run');
		insert into brood_outs (farm_id, brood_id, at, heads, why, cause)
			values (1, 1, '2027-04-02', 3, 'sold', 'Wilma Aske'), (1, 1, '2027-04-03', 1, 'died', 'chilled')`)
	require.NoError(t, err)
	_, err = store.Migrate(t.Context(), storetest.Owned(url))
	require.NoError(t, err)
	require.NoError(t, db.Write(t.Context(), 1, func(tx *store.Tx) error {
		stock, err := stockrows.On(tx).Stock(t.Context(), noon)
		require.NoError(t, err)
		require.Len(t, stock, 1)
		assert.Equal(t, 9, stock[0].Eggs)
		barn, err := tx.Setup(t.Context(), noon)
		require.NoError(t, err)
		assert.Equal(
			t, store.Room{MachineID: 1, Species: "chicken", Setting: 48, Hatching: 20, PerPlace: 1}, barn.Rooms[0],
		)
		assert.False(t, barn.Pens[0].Supplier || barn.Machines[0].ByHand)
		unmarked, err := stockrows.On(tx).Unmarked(t.Context(), noon.AddDate(-1, 0, 0))
		require.NoError(t, err)
		assert.Len(t, unmarked, 30, "every living egg waits for its code")
		tallies, err := tx.Tallies(t.Context(), []int64{1})
		require.NoError(t, err)
		assert.Equal(t, 19, tallies[1].Alive)
		facts, _, err := breeders.On(tx).Facts(t.Context())
		require.NoError(t, err)
		require.Len(t, facts, 2)
		assert.Equal(t, 20, facts[0].Eggs, "what was set is summed anew")
		clutch, err := clutchrows.On(tx).ClutchRows(t.Context(), []int64{1, 2})
		require.NoError(t, err)
		require.Len(t, clutch.Clutches, 1, "eggs of reptiles are a clutch from now on")
		assert.Equal(t, "Box of Leopard gecko 27-01", clutch.Boxes[0].Name)
		assert.Len(t, clutch.Eggs, 2, "each in its place")
		assert.Equal(t, 28.5, clutch.Temps[0].TempC)
		raising, err := broodrows.On(tx).Raising(t.Context(), noon)
		require.NoError(t, err)
		require.Len(t, raising.Outs, 2)
		died, sold := raising.Outs[0], raising.Outs[1]
		assert.Equal(t, [2]string{"", "Wilma Aske"}, [2]string{sold.Cause, sold.Buyer}, "a buyer is no cause")
		assert.Equal(t, [2]string{"chilled", ""}, [2]string{died.Cause, died.Buyer})
		return nil
	}))
	again, err := store.Migrate(t.Context(), storetest.Owned(url))
	require.NoError(t, err)
	assert.Zero(t, again, "a second run has nothing to do")
}

func TestADatabaseThatRestartsIsSurvived(t *testing.T) {
	db := storetest.Open(t, nil)
	id := newFarm(t, db, "steady")
	read := func() error {
		return db.Read(t.Context(), id, func(tx *store.Tx) error { _, err := tx.Pens(t.Context()); return err })
	}
	require.NoError(t, read())
	// What a restart does to a client: every connection is gone at once.
	_, err := db.Pool.Exec(t.Context(), `
		select pg_terminate_backend(pid) from pg_stat_activity
		where datname = current_database() and usename = current_user and pid <> pg_backend_pid()`)
	require.NoError(t, err)
	require.Eventually(t, func() bool { return read() == nil }, 10*time.Second, 20*time.Millisecond)
}

func TestTwoProgramsBeginOnAnEmptyDatabase(t *testing.T) {
	url := storetest.Owned(storetest.EmptyURL(t))
	var all sync.WaitGroup
	var steps atomic.Int64
	for range 3 {
		all.Go(func() {
			n, err := store.Migrate(t.Context(), url)
			assert.NoError(t, err)
			steps.Add(int64(n))
		})
	}
	all.Wait()
	files, err := migrations.Files.ReadDir(".")
	require.NoError(t, err)
	assert.Equal(t, int64(len(files)), steps.Load(), "each step was taken once")
}

// The role that serves may neither change tables nor look past a farm's wall.
func TestWhoServesMayLittle(t *testing.T) {
	db := storetest.Open(t, nil)
	newFarm(t, db, "steady")
	for name, sql := range map[string]string{
		"a table more":       `create table mine (n int)`,
		"a table less":       `drop table pens`,
		"another farm's egg": `insert into pens (farm_id, name, species, from_on) values (1, 'x', 'chicken', '2027-01-01')`,
		"no farm's journal":  `insert into journal (farm_id, at, said) values (1, now(), 'x')`,
	} {
		_, err := db.Pool.Exec(t.Context(), sql)
		var pg *pgconn.PgError
		if assert.ErrorAs(t, err, &pg, name) {
			assert.Equal(t, "42501", pg.Code, name) // insufficient_privilege
		}
	}
	limits := map[string]string{
		"statement_timeout": "15s", "lock_timeout": "4s", "idle_in_transaction_session_timeout": "30s",
	}
	for name, want := range limits {
		var is string
		require.NoError(t, db.Pool.QueryRow(t.Context(), "show "+name).Scan(&is))
		assert.Equal(t, want, is, name)
	}
}

func TestReadsChangeNothing(t *testing.T) {
	db := storetest.Open(t, nil)
	id := newFarm(t, db, "steady")
	err := db.Read(t.Context(), id, func(tx *store.Tx) error {
		_, err := tx.SavePen(t.Context(), store.Pen{Name: "x", Species: "chicken", FromOn: noon})
		return err
	})
	assert.ErrorContains(t, err, "read-only transaction")
}

func TestAwayIsToldFromWrong(t *testing.T) {
	for code, away := range map[string]bool{"55P03": true, "57014": true, "57P01": true, "53300": true, "53100": true,
		"08006": true,
		"42P01": false, "23505": false, "22001": false} {
		assert.Equal(t, away, store.Unavailable(fmt.Errorf("query: %w", &pgconn.PgError{Code: code})), code)
	}
	assert.True(t, store.Unavailable(store.ErrBusy))
	assert.True(t, store.Unavailable(context.DeadlineExceeded))
	assert.False(t, store.Unavailable(store.ErrNone))
	_, err := store.Open(t.Context(), "postgres://nobody@127.0.0.1:1/x?sslmode=disable", nil)
	assert.True(t, store.Unavailable(err), "%v", err)
}

// Every table of a farm is among those that are forgotten with it.
func TestAFarmIsForgottenWholly(t *testing.T) {
	db := storetest.Open(t, nil)
	owner := storetest.Owner(t, db)
	require.NoError(t, demo.Load(t.Context(), owner, noon, 0))
	for _, table := range tablesOfAFarm(t, owner) {
		if !slices.Contains([]string{"egg_sums_anew", "egg_legs"}, table) {
			assert.Contains(t, append(store.Tables, "memberships", "egg_sums"), table)
		}
	}
	require.NoError(t, people.Of(owner).DropFarm(t.Context(), 1))
	var left int
	require.NoError(t, owner.Pool.QueryRow(t.Context(), `
		select (select count(*) from farms) + (select count(*) from people) + (select count(*) from egg_sums)`).Scan(&left))
	assert.Zero(t, left)
}

// A farm is forgotten while others write to it: they end, or find that there is no farm.
func TestAFarmIsForgottenWhileOthersWrite(t *testing.T) {
	db := storetest.Open(t, nil)
	owner := storetest.Owner(t, db)
	id := newFarm(t, db, "Larkmoor")
	person, err := people.Of(db).PersonByEmail(t.Context(), "Larkmoor@farm.example")
	require.NoError(t, err)
	wrote, gone := make(chan bool, 1), make(chan error, 4)
	for range cap(gone) {
		go func() {
			for {
				err := db.Write(t.Context(), id, func(tx *store.Tx) error {
					if _, err := tx.Claim(t.Context(), uuid.NewString(), "", noon); err != nil {
						return err
					}
					_, err := tx.AddEntry(t.Context(), store.Line{At: noon, PersonID: person.ID, Said: "A line."})
					return err
				})
				if err != nil {
					gone <- err
					return
				}
				select {
				case wrote <- true:
				default:
				}
			}
		}()
	}
	<-wrote
	require.NoError(t, people.Of(owner).DropFarm(t.Context(), id))
	for range cap(gone) {
		assert.ErrorIs(t, <-gone, store.ErrNone)
	}
}

// A process that is the only one to do something stops once the connection that keeps others out is gone, and another
// may begin.
func TestWhoIsAloneStopsWithItsConnection(t *testing.T) {
	t.Parallel()
	db := storetest.Open(t, nil)
	owner := storetest.Owner(t, db)
	begun, ended := make(chan struct{}), make(chan error, 1)
	go func() {
		_, err := probes.Of(db).Alone(t.Context(), 4711, func(ctx context.Context) error {
			close(begun)
			<-ctx.Done()
			return context.Cause(ctx)
		})
		ended <- err
	}()
	<-begun
	did, err := probes.Of(db).Alone(t.Context(), 4711, func(context.Context) error { return nil })
	require.NoError(t, err)
	assert.False(t, did, "it is done already")
	_, err = owner.Pool.Exec(t.Context(), `
		select pg_terminate_backend(pid)
		from pg_locks
		where locktype = 'advisory' and objid = 4711
			and database = (select oid from pg_database where datname = current_database())`)
	require.NoError(t, err)
	assert.ErrorContains(t, <-ended, "not alone any more")
	require.Eventually(t, func() bool {
		did, err := probes.Of(db).Alone(t.Context(), 4711, func(context.Context) error { return nil })
		return err == nil && did
	}, time.Minute, 50*time.Millisecond)
}
