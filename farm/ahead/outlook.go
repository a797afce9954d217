// Package ahead is the farm in the weeks to come: what stands and is planned, the eggs that there are and will be, what
// is promised and how well it is covered, and what stands in the way of a planned batch. Rooms that plan read it.
package ahead

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
	MostDays   = 400
	FewestEggs = 4
	noBrooder  = 1e6 // places, where no brooder is told of
)

// Outlook is the farm as planning sees it on one day: what stands, what is planned, what is
// promised, and the eggs that there are and will be. Days are counted from today, 0.
type Outlook struct {
	W         *snapshot.Snapshot
	Today     time.Time // a date
	Book      seasonrows.Season
	Open      []snapshot.BatchView // birds' batches in machines
	Stands    map[int64]snapshot.Standing
	Ahead     []snapshot.Planned
	Beliefs   map[string]snapshot.Beliefs // by kind
	Kinds     []*species.Profile          // birds that are kept, in the usual order
	Lays      map[int64]laying.Forecast
	Supply    Supply
	Plans     []seasonrows.Plan // not thrown away
	collected map[int64]bool    // pens of which today's eggs are written down
	yesterday bool              // somebody wrote yesterday's down
	Upset     []seasonrows.Upset
	Stuck     []int64 // planned batches whose machine is shut, or whose day is one away
	Loose     []int64 // these, and those that lack eggs on their day
	// of promised hatching eggs, how many are there; nil: not seen after yet
	Reserved map[int64]int
}

// Of reads the farm.
func Of(ctx context.Context, tx *farm.Tx) (*Outlook, error) {
	w, err := snapshot.Of(ctx, tx)
	if err != nil {
		return nil, err
	}
	s := &Outlook{
		W: w, Today: w.Member.Date(w.Now), Beliefs: map[string]snapshot.Beliefs{}, Stands: map[int64]snapshot.Standing{},
		Lays: map[int64]laying.Forecast{}, Supply: Supply{}, collected: map[int64]bool{},
	}
	if s.Book, err = w.Season(ctx, tx); err != nil {
		return nil, err
	}
	if s.Ahead, err = w.Ahead(ctx, tx); err != nil {
		return nil, err
	}
	rows, err := seasonrows.On(tx).Scene(ctx, w.Now, s.Today.AddDate(0, 0, -laying.Seen), s.Today.AddDate(0, 0, 1))
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
	s.Plans = rows.Plans
	s.layings(rows.Laid)
	kinds := s.kept(rows.Stock, open)
	records, err := snapshot.ReadAgesOf(ctx, tx, kinds)
	if err != nil {
		return nil, err
	}
	for _, id := range kinds {
		s.Kinds, s.Beliefs[id] = append(s.Kinds, w.Kinds[id]), w.Beliefs(records[id])
	}
	for _, v := range open {
		if !v.Kind.IsReptile() && !v.LongPast() {
			s.Open = append(s.Open, v)
			s.Stands[v.ID] = w.Stands(
				records[v.Species], s.Beliefs[v.Species], v, w.ByPen(rows.Eggs[v.ID], rows.Young[v.ID], v),
			)
		}
	}
	s.Supply.InStore(s, rows.Stock)
	return s, nil
}

// layings forecasts each pen. Days before the first egg written down are not days without eggs;
// today counts once somebody has collected.
func (s *Outlook) layings(laid []stockrows.Stock) {
	records := map[int64]laying.Record{}
	for _, r := range laid {
		day := s.Day(r.LaidOn)
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
	for _, p := range s.W.Pens {
		if kind := s.W.Kinds[p.Species]; kind != nil && !kind.IsReptile() && !p.Supplier && s.inUse(p) {
			s.Lays[p.ID] = laying.Of(records[p.ID], p.Females)
		}
	}
}

func (s *Outlook) inUse(p snapshot.Pen) bool { return p.UntilOn == nil || !p.UntilOn.Before(s.Today) }

// kept are the kinds of birds that lay, wait, stand or are planned, in the usual order.
func (s *Outlook) kept(stock []stockrows.Stock, open []snapshot.BatchView) (ids []string) {
	all := map[string]bool{}
	for _, p := range s.W.Pens {
		all[p.Species] = all[p.Species] || s.inUse(p)
	}
	for _, x := range stock {
		all[s.W.PenByID[x.PenID].Species] = true
	}
	for _, v := range open {
		all[v.Species] = true
	}
	for _, p := range s.Ahead {
		all[p.Species] = true
	}
	for id, is := range all {
		if kind := s.W.Kinds[id]; is && kind != nil && !kind.IsReptile() {
			ids = append(ids, id)
		}
	}
	slices.SortFunc(ids, func(a, b string) int { return snapshot.CompareKinds(s.W.Kinds[a], s.W.Kinds[b]) })
	return ids
}

// Day counts a date from today.
func (s *Outlook) Day(on time.Time) int { return farm.AgeDays(s.Today, on) }

// Date is the date of a day.
func (s *Outlook) Date(day int) time.Time { return s.Today.AddDate(0, 0, day) }

// Says writes a day.
func (s *Outlook) Says(day int) string { return s.Date(day).Format("Mon 2 Jan") }

// PullDay is the date on which a batch's young are pulled.
func PullDay(m *farm.Member, v snapshot.BatchView) time.Time { return m.Date(v.At(calendar.Pull)) }

// Span is how many whole days a kind takes from setting to lockdown, and to the pull.
func (s *Outlook) Span(kind *species.Profile) (lockdown, pull int, err error) {
	v, err := s.W.View(store.Batch{Species: kind.ID, SetAt: s.W.SetMoment(s.Today.AddDate(0, 0, 1))})
	if err != nil {
		return 0, 0, err
	}
	set := s.W.Member.Date(v.SetAt)
	return farm.AgeDays(set, s.W.Member.Date(v.At(calendar.Lockdown))), farm.AgeDays(set, PullDay(s.W.Member, v)), nil
}

// MaxAge is the oldest egg that planning sets, days.
func MaxAge(kind *species.Profile) int { return int(kind.StorageLimitDays.At) }

// PensFor are the pens that may serve a promise.
func (s *Outlook) PensFor(o seasonrows.Order) (all []snapshot.Pen) {
	for _, p := range s.W.Pens {
		if p.Species == o.Species && (len(o.Pens) == 0 || slices.Contains(o.Pens, p.ID)) {
			all = append(all, p)
		}
	}
	return all
}

// Yield is the young of a fresh egg of a pen.
func (s *Outlook) Yield(penID int64) float64 {
	return s.Beliefs[s.W.PenByID[penID].Species].Young[penID].Mean()
}

// youngOf is what is to be expected of eggs set on a date, by pen.
func (s *Outlook) youngOf(eggs []seasonrows.PlannedEggs, on time.Time) map[int64]float64 {
	young := map[int64]float64{}
	for _, e := range eggs {
		kind := s.W.Kinds[s.W.PenByID[e.PenID].Species]
		young[e.PenID] += s.Beliefs[kind.ID].Expect(kind, e.PenID, max(0, farm.AgeDays(e.LaidOn, on)), e.Eggs)
	}
	return young
}

// BrooderPlaces are those of all brooders; where none is told of, room is not what binds.
func (s *Outlook) BrooderPlaces() (places float64) {
	for _, b := range s.Book.Brooders {
		places += float64(b.Places)
	}
	if len(s.Book.Brooders) == 0 {
		return noBrooder
	}
	return places
}

// Housed is how many young of a batch are in a brooder already.
func (s *Outlook) Housed(batchID int64) float64 {
	for _, h := range s.Book.Housed {
		if h.BatchID == batchID {
			return float64(h.Heads)
		}
	}
	return 0
}

// LayingSpread is by how much the eggs of a day lie off what is expected, as a share, over all
// pens that lay.
func (s *Outlook) LayingSpread() float64 {
	pens, sum := 0, 0.0
	for _, p := range s.W.Pens { // in one order, so that sums come out alike
		if f := s.Lays[p.ID]; f.PerDay > 0 {
			pens, sum = pens+1, sum+f.Off()
		}
	}
	return min(sum/float64(max(pens, 1)), 2)
}

// Everything that is not done on days away.
var Everything = []string{"set", "lockdown", "pull"}
