package farm

import (
	"context"
	"fmt"
	"slices"
	"time"

	"metrogon/core/air"
	"metrogon/core/calendar"
	"metrogon/core/method"
	"metrogon/core/moisture"
	"metrogon/store"
)

// Water is what a batch's eggs have lost, and what to do about it.
type Water struct {
	BatchView
	Series   []WaterSeries
	Trays    []store.Tray
	Target   float64 // loss by lockdown, percent
	From, To float64 // its usual span
	LastDay  float64 // lockdown
}

// WaterSeries is eggs that are weighed together again and again.
type WaterSeries struct {
	Name      string // of the tray, or all eggs
	TrayID    int64
	Weighings []WaterPoint
	moisture.Outlook
	Known  bool   // two weighings or more: the rest follows
	Why    string // why nothing follows yet
	Advice string
	How    string
	WetC   float64 // wet-bulb temperature of the advised air
	TempC  float64
}

// WaterPoint is one weighing, with the loss that it shows.
type WaterPoint struct {
	store.Weighing
	Day, MeanG, LossPct float64
}

// Water works the weighings of a batch out. Eggs taken out between two weighings
// do not count as water: each weighing stands for the mean of the eggs that it
// had, so those that left go with their share.
func (b *Books) Water(ctx context.Context, m *Member, batchID int64) (page Water, err error) {
	err = b.read(ctx, m, func(tx *store.Tx) error {
		w, err := b.barn(ctx, tx, m)
		if err != nil {
			return err
		}
		page, err = w.water(ctx, tx, batchID)
		return err
	})
	return
}

func (w *barn) water(ctx context.Context, tx *store.Tx, batchID int64) (page Water, err error) {
	batch, err := tx.Batch(ctx, batchID)
	if err != nil {
		return page, err
	}
	views, err := w.views(ctx, tx, func() ([]store.Batch, error) { return []store.Batch{batch}, nil })
	if err != nil {
		return page, err
	}
	page.BatchView = views[0]
	if page.Kind.IsReptile() {
		return page, nil
	}
	page.Target, page.From, page.To, page.LastDay = page.Kind.LossPct.At, page.Kind.LossPct.From, page.Kind.LossPct.To, page.Kind.LockdownDay.At
	if page.From == page.To { // no span of its own: that of good hatches of all birds, 11 to 14 % [common practice]
		page.From, page.To = min(11, page.Target), max(14, page.Target)
	}
	if page.Trays, err = tx.Trays(ctx, page.Stands().ID); err != nil {
		return page, err
	}
	all, err := tx.Weighings(ctx, batchID)
	if err != nil {
		return page, err
	}
	for _, x := range all {
		id := int64(0)
		name := "All eggs"
		if x.TrayID != nil {
			id, name = *x.TrayID, "A tray no longer used"
			if i := slices.IndexFunc(page.Trays, func(t store.Tray) bool { return t.ID == id }); i >= 0 {
				name = page.Trays[i].Name
			}
		}
		i := slices.IndexFunc(page.Series, func(s WaterSeries) bool { return s.TrayID == id })
		if i < 0 {
			i = len(page.Series)
			page.Series = append(page.Series, WaterSeries{Name: name, TrayID: id})
		}
		day := max(0, calendar.Elapsed(batch.SetAt, x.At))
		page.Series[i].Weighings = append(page.Series[i].Weighings, WaterPoint{Weighing: x, Day: day, MeanG: x.MassG / float64(x.Eggs)})
	}
	for i := range page.Series {
		page.Series[i].work(page)
	}
	return page, nil
}

func (s *WaterSeries) work(page Water) {
	last := s.Weighings[len(s.Weighings)-1]
	s.TempC = last.TempC
	lot := moisture.Lot{AirTempC: last.TempC, EggTempC: last.TempC, TargetPct: page.Target, TargetDay: page.LastDay}
	before := 0.0
	for _, x := range s.Weighings {
		day := x.Day
		if day < .5 { // the scale stood beside the machine
			day = 0
		}
		lot.Weighings = append(lot.Weighings, moisture.Weighing{Day: day, MassG: x.MeanG})
		if day > before {
			lot.RH = append(lot.RH, moisture.Period{FromDay: before, ToDay: day, RHPct: x.RHPct})
			before = day
		}
	}
	if len(s.Weighings) < 2 {
		s.Why = "Weigh the same eggs again in some days; then their loss, what it will be and the right humidity stand here."
		return
	}
	o, err := moisture.Work(lot)
	if err != nil {
		s.Why = "These weighings cannot be worked out: " + err.Error() + "."
		return
	}
	s.Outlook, s.Known = o, true
	fresh := last.MeanG / (1 - o.LossPct/100)
	for i := range s.Weighings {
		s.Weighings[i].LossPct = 100 * (1 - s.Weighings[i].MeanG/fresh)
	}
	held := last.RHPct
	lost := fmt.Sprintf("These eggs have lost %.1f %% and would reach %.1f %% by day %.0f; the goal is %s %%.", o.LossPct, o.ProjectedPct, page.LastDay, number(page.Target))
	switch {
	case !o.Attainable && o.BestRHPct <= moisture.Driest:
		s.Advice = fmt.Sprintf("%s Out of reach: as dry as a machine can be, %.0f %%, they come to %.1f %%. Go as dry as you can.", lost, o.BestRHPct, o.BestLossPct)
		s.How = drier
	case !o.Attainable:
		s.Advice = fmt.Sprintf("%s They have lost too much already: as moist as a machine can be, %.0f %%, they come to %.1f %%.", lost, o.BestRHPct, o.BestLossPct)
		s.How = moister
	case o.RequiredRHPct > held+3:
		s.Advice = fmt.Sprintf("%s Raise from %.0f to %.0f %% from now on.", lost, held, o.RequiredRHPct)
		s.How = moister
	case o.RequiredRHPct < held-3:
		s.Advice = fmt.Sprintf("%s Lower from %.0f to %.0f %% from now on.", lost, held, o.RequiredRHPct)
		s.How = drier
	default:
		s.Advice = fmt.Sprintf("%s Keep %.0f %%: that is right.", lost, held)
	}
	if state, err := air.FromRH(s.TempC, o.BestRHPct, air.StandardPressure); err == nil {
		s.WetC = state.WetBulbC
	}
}

// How humidity is changed: surface, not depth [common practice].
const (
	moister = "A second dish or a sponge adds surface; depth does nothing. Lukewarm water, a little at a time, then wait half an hour: it overshoots."
	drier   = "Take a sponge out, cover part of the water, or open the vents a little; then wait half an hour."
)

// ByWeight tells whether the batch is run by weight already.
func (p Water) ByWeight() bool { return p.Method.School == method.ByWeight }

// Weigh is a weighing as it is typed.
type Weigh struct {
	TrayID int64 // 0: the whole batch
	Eggs   int
	MassG  float64
	RHPct  float64
	TempC  float64
	At     time.Time
	Sure   bool // the odd figure is right
}

// Weigh keeps a weighing. An odd one (weight up, ounces for grams, another number
// of eggs) is asked about first.
func (b *Books) Weigh(ctx context.Context, m *Member, key string, batchID int64, x Weigh) (Done, error) {
	return b.onBatch(ctx, m, key, batchID, func(tx *store.Tx, batch store.Batch, eggs map[int64]store.Egg) (Done, error) {
		w, err := b.barn(ctx, tx, m)
		if err != nil {
			return Done{}, err
		}
		page, err := w.water(ctx, tx, batchID)
		if err != nil {
			return Done{}, err
		}
		if page.Kind.IsReptile() {
			return Done{}, problem("batch", "Reptile eggs take up water from their substrate; weigh the box instead.")
		}
		var p Problems
		p.count("eggs", "The number of eggs", x.Eggs, 1, page.Eggs)
		p.measure("mass", "The weight", &x.MassG, .3, 200000, "g")
		p.measure("rh", "The humidity", &x.RHPct, 1, 100, "%")
		p.measure("temp", "The temperature", &x.TempC, 30, 42, "°C")
		if x.At.Before(batch.SetAt.Add(-time.Hour)) || x.At.After(w.now.Add(time.Hour)) {
			p.add("at", "The moment of weighing lies outside the batch's time; it may be from its setting to now.")
		}
		row := store.Weighing{BatchID: batchID, At: x.At, Eggs: x.Eggs, MassG: x.MassG, RHPct: x.RHPct, TempC: x.TempC}
		if x.TrayID != 0 {
			row.TrayID = &x.TrayID
			if !slices.ContainsFunc(page.Trays, func(t store.Tray) bool { return t.ID == x.TrayID }) {
				p.add("tray", "Pick what lay on the scale.")
			}
		}
		before, days := 0.0, 0.0
		for _, s := range page.Series {
			if s.TrayID != x.TrayID {
				continue
			}
			for _, old := range s.Weighings {
				if !old.At.Before(x.At) {
					p.add("at", "There is a later weighing of these eggs already, of %s.", m.moment(old.At))
					break
				}
				before, days = old.MeanG, x.At.Sub(old.At).Hours()/24
			}
		}
		if err := p.err(); err != nil {
			return Done{}, err
		}
		if odd := moisture.Odd(x.MassG, x.Eggs, before, days, page.Kind.EggG.At); odd != "" && !x.Sure {
			return Done{}, problem("sure", "%s", odd)
		}
		id, err := tx.AddWeighing(ctx, row)
		if err != nil {
			return Done{}, err
		}
		return b.wrote(ctx, tx, m, batchID, &undo{Weighing: id}, "%s: %s weighed, %.1f g each.", batch.Code, plural(x.Eggs, "egg"), x.MassG/float64(x.Eggs))
	})
}
