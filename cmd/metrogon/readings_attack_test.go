//go:build attack

package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"os"
	"slices"
	"strconv"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/farm"
	"metrogon/formats/senml"
)

// How many probes, in machines of four.
const manyProbes = 40

// probesOf makes a farm's probes and returns their keys.
func (a *attacked) probesOf() (keys []string) {
	conn := a.database()
	defer conn.Close(a.Context())
	for i := range manyProbes {
		key, digest := farm.NewLink()
		keys = append(keys, key)
		_, err := conn.Exec(a.Context(), `
			with m as (
				insert into machines (farm_id, name, kind) select 1, 'Box ' || $1::int, 'forced-air' where $1 % 4 = 0 returning id
			), i as (
				insert into instruments (farm_id, name, thermo, hygro, machine_id)
				values (1, 'Probe ' || $1::int, true, true, coalesce((select id from m), (select max(id) from machines)))
				returning id, machine_id
			), s as (
				insert into instrument_stays (farm_id, instrument_id, machine_id, from_at)
				select 1, id, machine_id, '2000-01-01' from i
			)
			insert into probes (farm_id, instrument_id, digest, made_at) select 1, id, $2, now() from i`, i, digest)
		require.NoError(a, err)
	}
	return keys
}

// median and the slowest of twenty.
func median(all []time.Duration) (mid, slow time.Duration) {
	slices.Sort(all)
	return all[len(all)/2], all[len(all)*95/100]
}

// Ten thousand readings a second for SECONDS (60), each of temperature and humidity, in packs of a hundred under forty
// keys: all are kept, and pages stay quick meanwhile.
func TestTenThousandReadingsASecond(t *testing.T) {
	seconds := 60
	if n, err := strconv.Atoi(os.Getenv("SECONDS")); err == nil {
		seconds = n
	}
	a := attack(t)
	p := owner(t, a.address())
	keys := a.probesOf()
	const rate, inPack, senders = 10_000, 100, 8
	began := time.Now()
	packs := seconds * rate / inPack
	var next, failed atomic.Int64
	var lines sync.WaitGroup
	pace := time.NewTicker(inPack * time.Second / rate)
	defer pace.Stop()
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: senders}}
	for range senders {
		lines.Go(func() {
			for {
				n := int(next.Add(1)) - 1
				if n >= packs {
					return
				}
				<-pace.C
				var pack []senml.Record
				for i := range inPack {
					// Each probe's readings follow one another by 4 ms.
					at := float64(began.Add(-time.Hour).UnixMilli()+int64(4*(n/manyProbes*inPack+i))) / 1000
					c, rh := 37.5+float64(i%7)/10, 50.0
					pack = append(pack, senml.Record{Name: "t", Unit: "Cel", Value: &c, Time: &at},
						senml.Record{Name: "h", Unit: "%RH", Value: &rh, Time: &at})
				}
				body, _ := json.Marshal(pack)
				r, _ := http.NewRequest(http.MethodPost, a.address()+"/probe", bytes.NewReader(body))
				r.Header.Set("Authorization", "Bearer "+keys[n%manyProbes])
				answer, err := client.Do(r)
				if err != nil || answer.StatusCode != http.StatusNoContent {
					failed.Add(1)
				}
				if err == nil {
					answer.Body.Close()
				}
			}
		})
	}
	took := map[string][]time.Duration{}
	visits := time.NewTicker(50 * time.Millisecond)
	defer visits.Stop()
	for ; time.Since(began) < time.Duration(seconds)*time.Second; <-visits.C {
		for _, path := range []string{"/", "/machines", "/machines/1", "/machines/1/readings?span=6h"} {
			at := time.Now()
			status, _ := p.send(path, nil)
			require.Equal(t, http.StatusOK, status)
			took[path] = append(took[path], time.Since(at))
		}
	}
	lines.Wait()
	lasted := time.Since(began)
	t.Logf("%d readings in %.1f s, %.0f a second; %d packs failed", packs*inPack, lasted.Seconds(),
		float64(packs*inPack)/lasted.Seconds(), failed.Load())
	assert.Zero(t, failed.Load())
	assert.Equal(t, packs*inPack, a.count(`select count(*) from samples`))
	assert.Equal(t, packs*inPack, a.count(`select sum(temps) from sample_hours`))
	assert.Less(t, lasted, time.Duration(seconds+5)*time.Second, "it kept up")
	for path, all := range took {
		mid, slow := median(all)
		t.Logf("%-30s median %v, 95 in 100 under %v", path, mid.Round(time.Millisecond/10), slow.Round(time.Millisecond/10))
		assert.Less(t, mid, 100*time.Millisecond, path)
	}
}

// Ten years of forty probes at one reading a minute, made in bulk as they are kept: a chart of any span is quick.
func TestTenYearsOfReadings(t *testing.T) {
	a := attack(t)
	p := owner(t, a.address())
	a.probesOf()
	conn := a.database()
	defer conn.Close(t.Context())
	exec := func(sql string) {
		began := time.Now()
		_, err := conn.Exec(t.Context(), sql)
		require.NoError(t, err)
		t.Logf("%.60s… took %.0f s", sql[:min(60, len(sql))], time.Since(began).Seconds())
	}
	exec(`set synchronous_commit = off; select sample_months('samples', now() - interval '90 days', now()),
		sample_months('sample_minutes', now() - interval '400 days', now() - interval '60 days')`)
	for table, c := range map[string][2]string{"sample_days": {"10 years", "day"}, "sample_hours": {"10 years", "hour"}} {
		exec(`insert into ` + table + ` select 1, id, at, 60, 60 * 37.5, 37.2, 37.9, 60, 60 * 50, 45, 55
			from instruments, generate_series(
				date_trunc('` + c[1] + `', now()) - interval '` + c[0] + `', now(), interval '1 ` + c[1] + `'
			) at`)
	}
	exec(`insert into sample_minutes select 1, id, at, 1, 37.5, 37.5, 37.5, 1, 50, 50, 50 from instruments,
		generate_series(
			date_trunc('minute', now()) - interval '400 days', now() - interval '90 days', interval '1 minute'
		) at`)
	exec(`insert into samples select 1, id, at, 37 + random(), 50 from instruments,
		generate_series(date_trunc('minute', now()) - interval '90 days', now(), interval '1 minute') at`)
	exec(`vacuum analyze`)
	t.Logf("%d exact, %d minutes, %d hours", a.count(`select count(*) from samples`),
		a.count(`select count(*) from sample_minutes`), a.count(`select count(*) from sample_hours`))
	ago := func(days int, hours int64) string {
		from := time.Now().AddDate(0, 0, -days).Unix()
		return fmt.Sprintf("from=%d&to=%d", from, from+3600*hours)
	}
	for _, span := range []string{
		"span=6h", "span=day", "span=3d", "span=week", "span=month", "span=season", "span=years", ago(80, 24), ago(80, 240),
		ago(200, 6), ago(200, 24), ago(200, 240), ago(1000, 720), ago(3000, 24*365),
	} {
		for _, page := range []string{"", ".json"} {
			var took []time.Duration
			for range 9 {
				began := time.Now()
				status, _ := p.send("/machines/3/readings"+page+"?"+span, nil)
				require.Equal(t, http.StatusOK, status)
				took = append(took, time.Since(began))
			}
			mid, _ := median(took)
			t.Logf("%-40s %v", span+page, mid.Round(time.Millisecond/10))
			assert.Less(t, mid, 100*time.Millisecond, span+page)
		}
	}
	for _, path := range []string{"/", "/machines", "/machines/3", "/instruments", "/alarms"} {
		began := time.Now()
		p.send(path, nil)
		t.Logf("%-40s %v", path, time.Since(began).Round(time.Millisecond/10))
	}
}
