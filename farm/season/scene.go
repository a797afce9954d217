package season

import (
	"context"
	"slices"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/laying"
	"metrogon/core/species"
	"metrogon/farm"
	"metrogon/farm/snapshot"
	"metrogon/store"
	seasonrows "metrogon/store/season"
	stockrows "metrogon/store/stock"
)

// How far planning looks, in days, the fewest eggs that are worth a setting [common practice], and the places of a farm
// without brooders.
const (
	mostDays   = 400
	fewestEggs = 4
	noBrooder  = 1e6 // places, where no brooder is told of
)

// Outlook is the farm as planning sees it on one day: what stands, what is planned, what is
// promised, and the eggs that there are and will be. Days are counted from today, 0.
type Outlook struct {
	w         *snapshot.Snapshot
	today     time.Time // a date
	book      seasonrows.Season
	open      []snapshot.BatchView // birds' batches in machines
	stands    map[int64]snapshot.Standing
	ahead     []snapshot.Planned
	beliefs   map[string]snapshot.Beliefs // by kind
	kinds     []*species.Profile          // birds that are kept, in the usual order
	lays      map[int64]laying.Forecast
	supply    supply
	plans     []seasonrows.Plan // not thrown away
	collected map[int64]bool    // pens of which today's eggs are written down
	yesterday bool              // somebody wrote yesterday's down
	upset     []seasonrows.Upset
	stuck     []int64 // planned batches whose machine is shut, or whose day is one away
	loose     []int64 // these, and those that lack eggs on their day
	// of promised hatching eggs, how many are there; nil: not seen after yet
	reserved map[int64]int
}

// Of reads the farm.
func Of(ctx context.Context, tx *farm.Tx) (*Outlook, error) {
	w, err := snapshot.Of(ctx, tx)
	if err != nil {
		return nil, err
	}
	s := &Outlook{
		w: w, today: w.Member.Date(w.Now), beliefs: map[string]snapshot.Beliefs{}, stands: map[int64]snapshot.Standing{},
		lays: map[int64]laying.Forecast{}, supply: supply{}, collected: map[int64]bool{},
	}
	if s.book, err = w.Season(ctx, tx); err != nil {
		return nil, err
	}
	if s.ahead, err = w.Ahead(ctx, tx); err != nil {
		return nil, err
	}
	rows, err := seasonrows.On(tx).Scene(ctx, w.Now, s.today.AddDate(0, 0, -laying.Days), s.today.AddDate(0, 0, 1))
	if err != nil {
		return nil, err
	}
	open, err := w.OpenBatches(ctx, tx)
	if err != nil {
		return nil, err
	}
	if err := w.Hatching(ctx, tx, open...); err != nil {
		return nil, err
	}
	s.plans = rows.Plans
	s.layings(rows.Laid)
	kinds := s.kept(rows.Stock, open)
	records, err := snapshot.ReadAgesOf(ctx, tx, kinds)
	if err != nil {
		return nil, err
	}
	for _, id := range kinds {
		s.kinds, s.beliefs[id] = append(s.kinds, w.Kinds[id]), w.Beliefs(records[id])
	}
	for _, v := range open {
		if !v.Kind.IsReptile() && !v.LongPast() {
			s.open = append(s.open, v)
			s.stands[v.ID] = w.Stands(
				records[v.Species], s.beliefs[v.Species], v, w.ByPen(rows.Eggs[v.ID], rows.Young[v.ID], v),
			)
		}
	}
	s.supply.inStore(s, rows.Stock)
	return s, nil
}

// layings forecasts each pen. Days before the first egg written down are not days without eggs;
// today counts once somebody has collected.
func (s *Outlook) layings(laid []stockrows.Stock) {
	records := map[int64]laying.Record{}
	for _, r := range laid {
		day := s.day(r.LaidOn)
		if records[r.PenID] == nil {
			records[r.PenID] = make(laying.Record, -day)
		}
		s.yesterday = s.yesterday || day == -1
		if day == 0 {
			s.collected[r.PenID] = true
			records[r.PenID] = append(records[r.PenID], r.Eggs)
		} else {
			records[r.PenID][len(records[r.PenID])+day] = r.Eggs
		}
	}
	for _, p := range s.w.Pens {
		if kind := s.w.Kinds[p.Species]; kind != nil && !kind.IsReptile() && !p.Supplier && s.inUse(p) {
			s.lays[p.ID] = laying.Of(records[p.ID])
		}
	}
}

func (s *Outlook) inUse(p snapshot.Pen) bool { return p.UntilOn == nil || !p.UntilOn.Before(s.today) }

// kept are the kinds of birds that lay, wait, stand or are planned, in the usual order.
func (s *Outlook) kept(stock []stockrows.Stock, open []snapshot.BatchView) (ids []string) {
	all := map[string]bool{}
	for _, p := range s.w.Pens {
		all[p.Species] = all[p.Species] || s.inUse(p)
	}
	for _, x := range stock {
		all[s.w.PenByID[x.PenID].Species] = true
	}
	for _, v := range open {
		all[v.Species] = true
	}
	for _, p := range s.ahead {
		all[p.Species] = true
	}
	for id, is := range all {
		if kind := s.w.Kinds[id]; is && kind != nil && !kind.IsReptile() {
			ids = append(ids, id)
		}
	}
	slices.SortFunc(ids, func(a, b string) int { return snapshot.CompareKinds(s.w.Kinds[a], s.w.Kinds[b]) })
	return ids
}

// day counts a date from today.
func (s *Outlook) day(on time.Time) int { return farm.AgeDays(s.today, on) }

// date is the date of a day.
func (s *Outlook) date(day int) time.Time { return s.today.AddDate(0, 0, day) }

// says writes a day.
func (s *Outlook) says(day int) string { return s.date(day).Format("Mon 2 Jan") }

// pullDay is the date on which a batch's young are pulled.
func pullDay(m *farm.Member, v snapshot.BatchView) time.Time { return m.Date(v.At(calendar.Pull)) }

// span is how many whole days a kind takes from setting to lockdown, and to the pull.
func (s *Outlook) span(kind *species.Profile) (lockdown, pull int, err error) {
	v, err := s.w.View(store.Batch{Species: kind.ID, SetAt: s.w.SetMoment(s.today.AddDate(0, 0, 1))})
	if err != nil {
		return 0, 0, err
	}
	set := s.w.Member.Date(v.SetAt)
	return farm.AgeDays(set, s.w.Member.Date(v.At(calendar.Lockdown))), farm.AgeDays(set, pullDay(s.w.Member, v)), nil
}

// maxAge is the oldest egg that planning sets, days.
func maxAge(kind *species.Profile) int { return int(kind.StorageLimitDays.At) }

// pensFor are the pens that may serve a promise.
func (s *Outlook) pensFor(o seasonrows.Order) (all []snapshot.Pen) {
	for _, p := range s.w.Pens {
		if p.Species == o.Species && (len(o.Pens) == 0 || slices.Contains(o.Pens, p.ID)) {
			all = append(all, p)
		}
	}
	return all
}

// yield is the young of a fresh egg of a pen.
func (s *Outlook) yield(penID int64) float64 {
	return s.beliefs[s.w.PenByID[penID].Species].Young[penID].Mean()
}

// youngOf is what is to be expected of eggs set on a date, by pen.
func (s *Outlook) youngOf(eggs []seasonrows.PlannedEggs, on time.Time) map[int64]float64 {
	young := map[int64]float64{}
	for _, e := range eggs {
		kind := s.w.Kinds[s.w.PenByID[e.PenID].Species]
		young[e.PenID] += s.beliefs[kind.ID].Expect(kind, e.PenID, max(0, farm.AgeDays(e.LaidOn, on)), e.Eggs)
	}
	return young
}

// brooderPlaces are those of all brooders; where none is told of, room is not what binds.
func (s *Outlook) brooderPlaces() (places float64) {
	for _, b := range s.book.Brooders {
		places += float64(b.Places)
	}
	if len(s.book.Brooders) == 0 {
		return noBrooder
	}
	return places
}

// housed is how many young of a batch are in a brooder already.
func (s *Outlook) housed(batchID int64) float64 {
	for _, h := range s.book.Housed {
		if h.BatchID == batchID {
			return float64(h.Heads)
		}
	}
	return 0
}

// layingSpread is by how much the eggs of a day lie off what is expected, as a share, over all
// pens that lay.
func (s *Outlook) layingSpread() float64 {
	pens, sum := 0, 0.0
	for _, p := range s.w.Pens { // in one order, so that sums come out alike
		if f := s.lays[p.ID]; f.PerDay > 0 {
			pens, sum = pens+1, sum+f.SD/f.PerDay
		}
	}
	return min(sum/float64(max(pens, 1)), 2)
}

// everything that is not done on days away.
var everything = []string{"set", "lockdown", "pull"}
