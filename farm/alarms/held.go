package alarms

import (
	"context"
	"math"
	"slices"
	"time"

	"metrogon/core/climate"
	"metrogon/core/storage"
	"metrogon/farm"
	"metrogon/farm/snapshot"
	"metrogon/store/clutch"
	"metrogon/store/probes"
	"metrogon/store/weigh"
)

// What counts of how a batch was held: hours of a cold spell are told as such, and not as its machine’s fault.
const (
	coldSpellC = 2.5
	hoursLeast = 24
)

// moist is the humidity that a machine’s probes told over the last day.
type moist struct {
	machineID int64
	rhPct     *float64
}

// batches reckons how each batch of birds was held: how warm in its setter, how humid in lockdown.
func (s *sight) batches(ctx context.Context, tx *farm.Tx) error {
	for _, v := range s.open {
		if v.Kind.IsReptile() {
			continue
		}
		h := probes.Held{
			BatchID: v.ID, OffsetC: v.OffsetC, OffsetSure: v.OffsetSure, OffsetDays: v.OffsetDays, SwingC: v.SwingC,
			LockRHPct: v.LockRHPct,
		}
		since := v.CameAt
		if v.LockedAt != nil {
			since = *v.LockedAt
		}
		lays, ids := s.probesIn(v.Stands().ID)
		if len(ids) == 0 {
			continue
		}
		hours, err := probes.On(tx).Points(ctx, ids, since, s.now, time.Hour)
		if err != nil {
			return err
		}
		if v.LockedAt == nil {
			s.warmth(&h, hours, lays, v.Want(false).TempC)
		} else {
			h.LockRHPct = s.moisture(hours, lays)
		}
		if !alike(h, v) {
			s.c.held = append(s.c.held, h)
		}
	}
	return nil
}

// dueEvery is how old what was worked out of a clutch may be, and dueOff by how much its hatch moves before that.
const (
	dueEvery = 12 * time.Hour
	dueOff   = 30 * time.Minute
)

// clutches works out what the readings make of the days of clutches.
func (s *sight) clutches(ctx context.Context, tx *farm.Tx) error {
	var ids []int64
	for _, v := range s.open {
		if v.Kind.IsReptile() && v.Alive > 0 {
			ids = append(ids, v.ID)
		}
	}
	if len(ids) == 0 {
		return nil
	}
	rows, err := clutch.On(tx).ClutchRows(ctx, ids)
	if err != nil {
		return err
	}
	for _, c := range rows.Clutches {
		v := s.open[slices.IndexFunc(s.open, func(v snapshot.BatchView) bool { return v.ID == c.BatchID })]
		var temps []clutch.ClutchTemp
		for _, t := range rows.Temps {
			if t.BatchID == c.BatchID {
				temps = append(temps, t)
			}
		}
		h, err := s.w.Warmth(ctx, tx, v.Batch, snapshot.BoxOf(rows, c), temps)
		if err != nil {
			return err
		}
		due, _, ok := h.Due(v.Batch, s.now)
		if !ok || v.DueAt != nil && due.DueAt.Sub(*v.DueAt).Abs() < dueOff && s.now.Sub(*v.GrownAt) < dueEvery {
			continue
		}
		s.c.due = append(s.c.due, due)
	}
	return nil
}

// probesIn are the probes that lay in a machine, and when.
func (s sight) probesIn(machineID int64) (lays map[int64][]snapshot.Lay, ids []int64) {
	lays = snapshot.LaysIn(machineID, s.Stays)
	for _, p := range s.Probes {
		if len(lays[p.InstrumentID]) > 0 {
			ids = append(ids, p.InstrumentID)
		}
	}
	return lays, ids
}

// warmth is the mean over the hours in which something was told, and the span that holds nine of ten of them.
func (s sight) warmth(h *probes.Held, hours []probes.Point, lays map[int64][]snapshot.Lay, wantC float64) {
	var all []float64
	sum, n, sure := 0.0, 0.0, math.Inf(1)
	told := map[time.Time]bool{}
	for _, p := range hours {
		if p.TempC == nil || !snapshot.Lying(lays[p.InstrumentID], p.At, time.Hour) {
			continue
		}
		k := s.corrections(p.InstrumentID).Temp
		c := k.True(*p.TempC)
		all = append(all, c)
		if c < wantC-coldSpellC {
			continue
		}
		sum, n, told[p.At] = sum+c-wantC, n+1, true
		sure = min(sure, k.Sure(*p.TempC))
	}
	if len(told) < hoursLeast {
		h.OffsetC, h.OffsetSure, h.OffsetDays, h.SwingC = nil, nil, nil, nil
		return
	}
	slices.Sort(all)
	h.OffsetC, h.OffsetSure = rounded(max(-5, min(5, sum/n))), rounded(sure)
	h.OffsetDays = rounded(float64(len(told)) / 24)
	h.SwingC = rounded(min(40, all[len(all)*95/100]-all[len(all)*5/100]))
}

// moisture is the mean humidity of the hours in which a checked hygrometer told one; nil where that is under six.
func (s sight) moisture(hours []probes.Point, lays map[int64][]snapshot.Lay) *float64 {
	sum, n := 0.0, 0.0
	for _, p := range hours {
		k := s.corrections(p.InstrumentID)
		if rh := k.Moisture(p.RHPct); rh != nil && k.RH.Known() && snapshot.Lying(lays[p.InstrumentID], p.At, time.Hour) {
			sum, n = sum+*rh, n+1
		}
	}
	if n < 6 {
		return nil
	}
	return rounded(sum / n)
}

func (s sight) corrections(id int64) snapshot.Corrections {
	return snapshot.CorrectionsOf(id, s.Gauges.Checks)
}

// rounded keeps hundredths: what moves less moves nothing.
func rounded(v float64) *float64 {
	r := math.Round(100*v) / 100
	return &r
}

func alike(h probes.Held, v snapshot.BatchView) bool {
	same := func(a, b *float64) bool { return a == nil && b == nil || a != nil && b != nil && *a == *b }
	return same(h.OffsetC, v.OffsetC) && same(h.OffsetSure, v.OffsetSure) && same(h.OffsetDays, v.OffsetDays) &&
		same(h.SwingC, v.SwingC) && same(h.LockRHPct, v.LockRHPct)
}

// humidity is what each machine’s checked hygrometers told over the last day.
func (s *sight) humidity(lies map[int64]snapshot.Machine, ids []int64, points []probes.Point) {
	sum, n := map[int64]float64{}, map[int64]float64{}
	for _, id := range ids {
		k := s.corrections(id)
		for _, p := range points {
			if rh := k.Moisture(p.RHPct); p.InstrumentID == id && rh != nil && k.RH.Known() && s.now.Sub(p.At) < 24*time.Hour {
				sum[lies[id].ID], n[lies[id].ID] = sum[lies[id].ID]+*rh, n[lies[id].ID]+1
			}
		}
	}
	for machine, times := range n {
		if times >= 6 {
			s.c.moist = append(s.c.moist, moist{machine, rounded(sum[machine] / times)})
		}
	}
}

// What a change of the water’s surface or the vents did is read once it has settled, from the readings.
const (
	settled    = 90 * time.Minute
	settledFor = 30 * time.Minute
)

// responses reads what was changed and nobody looked at since.
func (s *sight) responses(
	ctx context.Context, tx *farm.Tx, lies map[int64]snapshot.Machine, ids []int64, points []probes.Point,
) error {
	read := map[int64]bool{}
	for _, id := range ids {
		k, in := s.corrections(id), lies[id].ID
		if read[in] || !k.RH.Known() {
			continue
		}
		read[in] = true
		all, err := weigh.On(tx).Responses(ctx, in)
		if err != nil {
			return err
		}
		for i, r := range all {
			next := s.now
			if i > 0 {
				next = all[i-1].At // something was changed again
			}
			if r.ToPct != nil || next.Sub(r.At) < settled {
				continue
			}
			if to, minutes, ok := climate.Settled(s.told(id, points), r.At, r.FromPct, settled, settledFor); ok {
				r.ToPct, r.Minutes = &to, &minutes
				s.c.did = append(s.c.did, r)
			}
		}
	}
	return nil
}

// placed is what the probe of a place where eggs wait told; nil is not told.
type placed struct {
	placeID int64
	tempC   *float64
	rhPct   *float64
	warmH   float64
}

// store reads where eggs wait. A place of which nothing was told in the last 48 hours counts as too warm no more.
func (s *sight) store(ctx context.Context, tx *farm.Tx) error {
	read := map[int64]bool{}
	for _, p := range s.Probes {
		i := slices.IndexFunc(s.Gauges.Instruments, func(x probes.Instrument) bool { return x.ID == p.InstrumentID })
		x := s.Gauges.Instruments[i]
		if x.PlaceID == nil || x.UntilOn != nil {
			continue
		}
		hours, err := probes.On(tx).Points(ctx, []int64{x.ID}, s.now.Add(-48*time.Hour), s.now, time.Hour)
		if err != nil {
			return err
		}
		if t := placeOf(hours, s.corrections(x.ID), s.now); t.tempC != nil || t.warmH > 0 {
			t.placeID, read[*x.PlaceID] = *x.PlaceID, true
			s.c.places = append(s.c.places, t)
		}
	}
	for _, w := range s.Warm {
		if !read[w.ID] {
			s.c.places = append(s.c.places, placed{placeID: w.ID})
		}
	}
	return nil
}

// placeOf is how warm and humid it was over the last day, and for how many of the last 48 hours too warm. An instrument
// that nobody checked counts as too warm only where it shows more than it may be wrong.
func placeOf(hours []probes.Point, k snapshot.Corrections, now time.Time) (t placed) {
	sum, n := 0.0, 0.0
	moist, times := 0.0, 0.0
	for _, h := range hours {
		c := k.Warmth(h.TempC)
		if c == nil {
			continue
		}
		if *c > storage.GrowsAboveC && (k.Temp.Known() || *c > storage.GrowsAboveC+k.Temp.Sure(*h.TempC)) {
			t.warmH++
		}
		if now.Sub(h.At) > 24*time.Hour {
			continue
		}
		sum, n = sum+*c, n+1
		if rh := k.Moisture(h.RHPct); rh != nil && k.RH.Known() {
			moist, times = moist+*rh, times+1
		}
	}
	t.warmH = min(t.warmH, 48)
	if n > 0 {
		t.tempC = rounded(sum / n)
	}
	if times > 0 {
		t.rhPct = rounded(moist / times)
	}
	return t
}
