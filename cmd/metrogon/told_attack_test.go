//go:build attack

package main

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/demo"
	"metrogon/farm"
	"metrogon/farm/people"
	"metrogon/farm/services"
	"metrogon/formats/senml"
	"metrogon/standin/mailbox"
	"metrogon/store"
)

// letters counts what a mail server got of each thing that a pattern names.
func letters(box *mailbox.Box, of *regexp.Regexp) map[string]int {
	n := map[string]int{}
	for _, l := range box.Letters() {
		for _, what := range slices.Compact(slices.Sorted(slices.Values(of.FindAllString(l.Text, -1)))) {
			n[what]++
		}
	}
	return n
}

// wishing makes farms of a person each with a batch whose candling is late, and her wish to be told by mail.
func (a *attacked) wishing(from, to int) {
	conn := a.database()
	defer conn.Close(a.Context())
	batch := &pgx.Batch{}
	for _, sql := range []string{
		`insert into farms (name, zone, created_at) select 'Farm ' || lpad(n::text, 4, '0') || '.', 'UTC', now()
			from generate_series($1::int, $2::int) n`,
		`insert into people (email, name, password_hash) select substr(name, 6, 4) || '@farms.example', name, '-' from farms
			where name like 'Farm ____.' and substr(name, 6, 4)::int between $1 and $2`,
		`insert into memberships (farm_id, person_id, role) select f.id, p.id, 'owner' from farms f
			join people p on p.name = f.name
			where f.name like 'Farm ____.' and substr(f.name, 6, 4)::int between $1 and $2`,
		`insert into pens (farm_id, name, species, from_on) select id, 'Barred', 'chicken', current_date - 60 from farms
			where name like 'Farm ____.' and substr(name, 6, 4)::int between $1 and $2`,
		`insert into machines (farm_id, name, kind) select id, 'Cabinet', 'cabinet' from farms
			where name like 'Farm ____.' and substr(name, 6, 4)::int between $1 and $2`,
		`insert into batches (farm_id, code, species, bantam, setter_id, hatcher_id, set_at, storage_days)
			select m.farm_id, 'Chicken 27-01', 'chicken', false, m.id, m.id, now() - interval '8 days', 0
			from machines m join farms f on f.id = m.farm_id and f.name like 'Farm ____.'
				and substr(f.name, 6, 4)::int between $1 and $2`,
		`insert into collections (farm_id, pen_id, laid_on) select p.farm_id, p.id, current_date - 9 from pens p
			join farms f on f.id = p.farm_id and f.name like 'Farm ____.' and substr(f.name, 6, 4)::int between $1 and $2`,
		`insert into eggs (farm_id, collection_id, pen_id, laid_on, batch_id, no)
			select c.farm_id, c.id, c.pen_id, c.laid_on, b.id, 1 from collections c
			join farms f on f.id = c.farm_id and f.name like 'Farm ____.' and substr(f.name, 6, 4)::int between $1 and $2
			join batches b on b.farm_id = c.farm_id`,
		`insert into reminder_wishes (farm_id, person_id, late, by_mail, quiet_from, quiet_to)
			select farm_id, person_id, true, true, '00:00', '00:00' from memberships m join farms f on f.id = m.farm_id
			where f.name like 'Farm ____.' and substr(f.name, 6, 4)::int between $1 and $2`,
	} {
		batch.Queue(sql, from, to)
	}
	require.NoError(a, conn.SendBatch(a.Context(), batch).Close())
}

var (
	ofFarms = regexp.MustCompile(`Farm \d{4}\.`)
	ofBoxes = regexp.MustCompile(`Box \d{2}\.`)
)

// The program is killed thirty times, each time just after a machine ran cold and a farm with something late came
// in: in the end every alarm and every reminder was told.
func TestKillsLoseNothingThatIsTold(t *testing.T) {
	box, err := mailbox.Open("127.0.0.1:0")
	require.NoError(t, err)
	defer box.Close()
	t.Setenv("METROGON_SMTP", "smtp://"+box.Address)
	a := attack(t)
	p := owner(t, a.address())
	const kills = 30
	conn := a.database()
	keys := make([]string, kills)
	for i := range keys {
		key, digest := farm.NewLink()
		keys[i] = key
		_, err := conn.Exec(t.Context(), `
			with m as (
				insert into machines (farm_id, name, kind) values (1, $1, 'forced-air') returning id
			), i as (
				insert into instruments (farm_id, name, thermo, hygro, machine_id)
				select 1, 'Probe of ' || $1, true, true, id from m returning id, machine_id
			), s as (
				insert into instrument_stays (farm_id, instrument_id, machine_id, from_at)
				select 1, id, machine_id, '2000-01-01' from i
			)
			insert into probes (farm_id, instrument_id, digest, made_at) select 1, id, $2, now() from i`,
			fmt.Sprintf("Box %02d.", i), digest)
		require.NoError(t, err)
	}
	_, err = conn.Exec(t.Context(), `insert into reminder_wishes (farm_id, person_id, late, by_mail, quiet_from, quiet_to)
		values (1, 1, true, true, '00:00', '00:00')
		on conflict (farm_id, person_id) do update set by_mail = true, late = true`)
	require.NoError(t, err)
	require.NoError(t, conn.Close(t.Context()))
	status, body := p.send("/alarms", url.Values{
		"key": {uuid.NewString()}, "what": {"cool"}, "bound": {"37"}, "delay": {"5"}, "phase": {"any"}, "wakes": {"yes"},
	})
	require.Equal(t, http.StatusSeeOther, status, body)
	for i, key := range keys {
		a.runsCold(key)
		a.wishing(i, i)
		select {
		case <-t.Context().Done():
		case <-time.After(time.Duration(rand.IntN(2500)) * time.Millisecond): // into its looking, queueing or sending
		}
		require.NoError(t, a.server.Process.Kill())
		_ = a.server.Wait()
		a.begin()
	}
	told := func() bool { return len(letters(box, ofBoxes)) == kills && len(letters(box, ofFarms)) == kills }
	assert.Eventually(t, told, 12*time.Minute, time.Second, "lost")
	twice := 0
	for _, n := range []map[string]int{letters(box, ofBoxes), letters(box, ofFarms)} {
		t.Logf("%d of %d told", len(n), kills)
		for _, k := range n {
			twice += k - 1
		}
	}
	t.Logf("%d told again, under the same tag", twice)
}

// runsCold sends half an hour of readings of 30 °C.
func (a *attacked) runsCold(key string) {
	var pack []senml.Record
	for minute := 30; minute >= 0; minute-- {
		at, c, rh := float64(time.Now().Add(-time.Duration(minute)*time.Minute).UnixMilli())/1000, 30.0, 50.0
		pack = append(pack, senml.Record{Name: "t", Unit: "Cel", Value: &c, Time: &at},
			senml.Record{Name: "h", Unit: "%RH", Value: &rh, Time: &at})
	}
	body, err := json.Marshal(pack)
	require.NoError(a, err)
	r, err := http.NewRequest(http.MethodPost, a.address()+"/probe", bytes.NewReader(body))
	require.NoError(a, err)
	r.Header.Set("Authorization", "Bearer "+key)
	answer, err := http.DefaultClient.Do(r)
	require.NoError(a, err)
	defer answer.Body.Close()
	require.Equal(a, http.StatusNoContent, answer.StatusCode)
}

// Five thousand farms where somebody wants to be reminded have their letters within five minutes.
func TestFiveThousandWishes(t *testing.T) {
	box, err := mailbox.Open("127.0.0.1:0")
	require.NoError(t, err)
	defer box.Close()
	t.Setenv("METROGON_SMTP", "smtp://"+box.Address)
	a := attack(t)
	owner(t, a.address())
	const wishes = 5000
	a.wishing(1, wishes)
	conn := a.database()
	_, err = conn.Exec(t.Context(), `delete from river_job where kind = 'round'`) // so that it comes round at once
	require.NoError(t, err)
	require.NoError(t, conn.Close(t.Context()))
	require.NoError(t, a.server.Process.Signal(os.Interrupt))
	_ = a.server.Wait()
	began := time.Now()
	a.begin()
	shown := began
	assert.Eventually(t, func() bool {
		n := len(box.Letters())
		if time.Since(shown) > 30*time.Second {
			shown = time.Now()
			t.Logf("%d letters after %.0f s", n, time.Since(began).Seconds())
		}
		return n >= wishes
	}, 8*time.Minute, 500*time.Millisecond)
	took := time.Since(began)
	t.Logf("%d of %d farms told in %.0f s", len(letters(box, ofFarms)), wishes, took.Seconds())
	assert.Len(t, letters(box, ofFarms), wishes)
	assert.Less(t, took, 5*time.Minute)
}

// Four farms ask for plans of five minutes, archives, sheets and reports without an end; a fifth one's pages stay
// quick.
func TestFourHostileFarms(t *testing.T) {
	a := attack(t)
	farms := a.farmsLikeTheDemo(5)
	ctx, stop := context.WithCancel(t.Context())
	var work sync.WaitGroup
	var asked atomic.Int64
	for _, p := range farms[:4] {
		for _, path := range []string{
			"/plan", "/books/archive.zip", "/books/eggs.xlsx", "/books/rates.csv", "/batches/1/report.pdf",
		} {
			for range 3 {
				work.Go(func() {
					for ctx.Err() == nil {
						var form url.Values
						if path == "/plan" {
							form = url.Values{"key": {uuid.NewString()}, "seconds": {"300"}}
						}
						status, body := p.send(path, form)
						if status >= 500 && status != http.StatusServiceUnavailable {
							t.Errorf("%s: %d %.200s", path, status, body)
						}
						asked.Add(1)
					}
				})
			}
		}
	}
	took := map[string][]time.Duration{}
	var all []time.Duration
	for began := time.Now(); time.Since(began) < time.Minute; {
		for _, path := range []string{"/", "/eggs", "/set", "/batches", "/board", "/machines", "/pens"} {
			at := time.Now()
			status, body := farms[4].send(path, nil)
			assert.Equal(t, http.StatusOK, status, "%s %.200s", path, body)
			took[path], all = append(took[path], time.Since(at)), append(all, time.Since(at))
		}
	}
	stop()
	work.Wait()
	for path, of := range took {
		mid, slow := median(of)
		t.Logf("%-10s median %v, p95 %v", path, mid.Round(time.Millisecond), slow.Round(time.Millisecond))
	}
	mid, slow := median(all)
	t.Logf("%d pages beside %d heavy askings: median %v, p95 %v", len(all), asked.Load(), mid, slow)
	assert.Less(t, slow, time.Second)
}

// farmsLikeTheDemo makes farms with the demo's records, and signs their owners in.
func (a *attacked) farmsLikeTheDemo(n int) (all []*person) {
	said, code := a.run("", "demo", "--seasons", "3")
	require.Zero(a, code, said)
	file := filepath.Join(a.TempDir(), "farm.zip")
	said, code = a.run("", "archive", "write", file, "--farm", demo.Name)
	require.Zero(a, code, said)
	conn := a.database()
	url := conn.Config().ConnString()
	require.NoError(a, conn.Close(a.Context()))
	db, err := store.OpenOwner(a.Context(), url)
	require.NoError(a, err)
	defer db.Close()
	books := services.New(db, time.Now)
	for i := range n {
		name, email := fmt.Sprintf("Hill %d", i), fmt.Sprintf("hill%d@hills.example", i)
		_, err := books.People.SetUp(a.Context(), people.NewFarm{
			Farm: name, Zone: "UTC", Name: "Hilda", Email: email, Password: "three-oat-lines",
		}, false)
		require.NoError(a, err)
		said, code := a.run("", "archive", "read", file, "--farm", name)
		require.Zero(a, code, said)
		p := visit(a.T, a.address())
		status, body := p.send("/sign-in", map[string][]string{"email": {email}, "password": {"three-oat-lines"}})
		require.Equal(a, http.StatusSeeOther, status, body)
		all = append(all, p)
	}
	require.NotEmpty(a, strings.TrimSpace(file))
	return all
}
