package store_test

import (
	"context"
	"math/rand/v2"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/store"
	"metrogon/store/probes"
	"metrogon/store/storetest"
)

// probed is a farm with an instrument that sends.
func probed(t *testing.T, db *store.DB) (farmID, id int64) {
	t.Helper()
	farmID = newFarm(t, db, "probed")
	require.NoError(t, db.Write(t.Context(), farmID, func(tx *store.Tx) (err error) {
		id, err = probes.On(tx).SaveInstrument(t.Context(), probes.Instrument{Name: "stick", Thermo: true, Hygro: true})
		return err
	}))
	return farmID, id
}

func keep(t *testing.T, db *store.DB, farmID int64, now time.Time, all ...probes.Sample) int {
	t.Helper()
	fresh, err := probes.Of(db).KeepSamples(t.Context(), farmID, all, now)
	require.NoError(t, err)
	return fresh
}

func points(t *testing.T, db *store.DB, farmID, id int64, from, to time.Time, step time.Duration) (all []probes.Point) {
	t.Helper()
	require.NoError(t, db.Read(t.Context(), farmID, func(tx *store.Tx) (err error) {
		all, err = probes.On(tx).Points(t.Context(), []int64{id}, from, to, step)
		return err
	}))
	return all
}

func of(v float64) *float64 { return &v }

// Whatever comes twice, late, in halves or from two sides at once is there once, and hours and days say what the exact
// readings say.
func TestReadingsCountOnce(t *testing.T) {
	db := storetest.Open(t, nil)
	farmID, id := probed(t, db)
	dice := rand.New(rand.NewPCG(1, 2))
	var sent []probes.Sample
	for i := range 2000 {
		at := noon.Add(-time.Duration(i) * 97 * time.Second)
		s := probes.Sample{InstrumentID: id, At: at, TempC: of(37 + dice.Float64())}
		if i%3 != 0 {
			s.RHPct = of(50 + dice.Float64())
		}
		sent = append(sent, s)
	}
	dice.Shuffle(len(sent), func(i, j int) { sent[i], sent[j] = sent[j], sent[i] })
	fresh := 0
	for from := 0; from < len(sent); from += 500 {
		fresh += keep(t, db, farmID, noon, sent[from:min(from+700, len(sent))]...) // 200 of them twice
	}
	assert.Equal(t, 2000, fresh)
	var lines sync.WaitGroup
	for range 4 { // four at once, all of it again, in parts
		lines.Go(func() {
			for from := 0; from < len(sent); from += 250 {
				if n, err := probes.Of(db).KeepSamples(t.Context(), farmID, sent[from:from+250], noon); err != nil || n != 0 {
					t.Errorf("%d taken again, %v", n, err)
				}
			}
		})
	}
	lines.Wait()
	// The other halves of some come by themselves, and once more.
	var halves []probes.Sample
	for _, s := range sent {
		if s.RHPct == nil {
			halves = append(halves, probes.Sample{InstrumentID: id, At: s.At, RHPct: of(51)})
		}
	}
	assert.Equal(t, len(halves), keep(t, db, farmID, noon, halves...))
	assert.Zero(t, keep(t, db, farmID, noon, halves...))

	from := noon.Add(-10 * 24 * time.Hour)
	exact := points(t, db, farmID, id, from, noon.Add(time.Hour), time.Second)
	require.Len(t, exact, 2000)
	for _, step := range []time.Duration{time.Minute, time.Hour, 24 * time.Hour} {
		temps, rhs, sum, low := 0, 0, 0.0, 100.0
		for _, p := range points(t, db, farmID, id, from, noon.Add(time.Hour), step) {
			temps, rhs, sum, low = temps+p.Temps, rhs+p.RHs, sum+*p.TempC*float64(p.Temps), min(low, *p.LowC)
		}
		wantSum, wantLow := 0.0, 100.0
		for _, p := range exact {
			wantSum, wantLow = wantSum+*p.TempC, min(wantLow, *p.LowC)
		}
		assert.Equal(t, [2]int{2000, 2000}, [2]int{temps, rhs}, "%v", step)
		assert.InDelta(t, wantSum, sum, 1e-3, "%v", step)
		assert.Equal(t, wantLow, low, "%v", step)
	}
}

// A sender that is cut off in the middle of a pack sends it again.
func TestAPackIsKeptWholeOrNotAtAll(t *testing.T) {
	db := storetest.Open(t, nil)
	farmID, id := probed(t, db)
	_, err := probes.Of(db).KeepSamples(t.Context(), farmID, []probes.Sample{
		{InstrumentID: id, At: noon, TempC: of(37)}, {InstrumentID: id + 999, At: noon, TempC: of(37)},
	}, noon)
	require.Error(t, err, "there is no such instrument")
	assert.Empty(t, points(t, db, farmID, id, noon.Add(-time.Hour), noon.Add(time.Hour), time.Minute))
	ended, cancel := context.WithCancel(t.Context())
	cancel()
	_, err = probes.Of(db).KeepSamples(ended, farmID, []probes.Sample{{InstrumentID: id, At: noon, TempC: of(37)}}, noon)
	require.Error(t, err)
	assert.Equal(t, 1, keep(t, db, farmID, noon, probes.Sample{InstrumentID: id, At: noon, TempC: of(37)}))
}

// Exact readings age into minutes, and these into hours; nothing is counted twice when it comes again, and what comes
// late finds its place.
func TestReadingsAge(t *testing.T) {
	db := storetest.Open(t, nil)
	farmID, id := probed(t, db)
	old := noon.Add(-100 * time.Minute)
	var all []probes.Sample
	for i := range 200 {
		all = append(all, probes.Sample{
			InstrumentID: id, At: old.Add(time.Duration(i) * 30 * time.Second), TempC: of(37 + float64(i)/100),
		})
	}
	require.Equal(t, 200, keep(t, db, farmID, noon, all...))
	hours := points(t, db, farmID, id, old, noon.Add(time.Hour), time.Hour)

	_, err := probes.Of(db).Age(t.Context(), noon.Add(probes.Exact))
	require.NoError(t, err)
	assert.Len(t, points(t, db, farmID, id, old, noon, time.Second), 200, "in its 90 days all is exact")
	later := noon.Add(probes.Exact).AddDate(0, 1, 5)
	gone, err := probes.Of(db).Age(t.Context(), later)
	require.NoError(t, err)
	assert.Positive(t, gone)
	minutes := points(t, db, farmID, id, old, noon, time.Second)
	require.Len(t, minutes, 100, "two a minute are one")
	assert.Equal(t, 2, minutes[0].Temps)
	assert.InDelta(t, 37.005, *minutes[0].TempC, 1e-4)
	assert.Equal(t, hours, points(t, db, farmID, id, old, noon.Add(time.Hour), time.Hour), "hours stay")

	assert.Zero(t, keep(t, db, farmID, later, all...), "sent again")
	assert.Equal(t, 1, keep(t, db, farmID, later, probes.Sample{InstrumentID: id, At: old.Add(-time.Hour), TempC: of(36)}))
	much := later.Add(probes.Minutes).AddDate(0, 1, 5)
	_, err = probes.Of(db).Age(t.Context(), much)
	require.NoError(t, err)
	assert.Empty(t, points(t, db, farmID, id, old, noon, time.Minute), "the minutes have gone")
	assert.Zero(t, keep(t, db, farmID, much, all...), "sent again")
	got := points(t, db, farmID, id, old, noon.Add(time.Hour), time.Hour)
	assert.Equal(t, hours, got[len(got)-len(hours):])
	assert.Equal(t, 3, keep(t, db, farmID, much, probes.Sample{InstrumentID: id, At: old.AddDate(0, 0, -9), TempC: of(36)},
		probes.Sample{InstrumentID: id, At: old.AddDate(0, 0, -9).Add(time.Minute), TempC: of(38)},
		probes.Sample{InstrumentID: id, At: old.AddDate(0, 0, -8), RHPct: of(50)}), "years late")
}

// What is forgotten is gone from the sums too, and the rest stays.
func TestReadingsAreForgotten(t *testing.T) {
	db := storetest.Open(t, nil)
	farmID, id := probed(t, db)
	began := noon.Truncate(24 * time.Hour)
	var all []probes.Sample
	for i := range 10 * 60 {
		all = append(all, probes.Sample{
			InstrumentID: id, At: began.Add(time.Duration(i) * time.Minute), TempC: of(float64(i / 60)),
		})
	}
	keep(t, db, farmID, noon.AddDate(0, 0, 1), all...)
	require.NoError(t, db.Write(t.Context(), farmID, func(tx *store.Tx) error {
		return probes.On(tx).ForgetSamples(t.Context(), id, began.Add(90*time.Minute), began.Add(5*time.Hour))
	}))
	hours := points(t, db, farmID, id, began, began.AddDate(0, 0, 1), time.Hour)
	require.Len(t, hours, 7, "0, half of 1, and 5 to 9")
	assert.Equal(t, 30, hours[1].Temps)
	day := points(t, db, farmID, id, began, began.AddDate(0, 0, 1), 24*time.Hour)
	require.Len(t, day, 1)
	assert.Equal(t, 390, day[0].Temps)
	assert.InDelta(t, (30.*1+60*(5+6+7+8+9))/390, *day[0].TempC, 1e-4)
}
