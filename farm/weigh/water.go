package weigh

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"
	"time"

	"metrogon/core/air"
	"metrogon/core/calendar"
	"metrogon/core/candling"
	"metrogon/core/method"
	"metrogon/core/moisture"
	"metrogon/core/units"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/snapshot"
	"metrogon/store"
	rows "metrogon/store/weigh"
)

// Water is what a batch's eggs have lost, and what to do about it.
type Water struct {
	snapshot.BatchView
	Counting calendar.Counting // of the reader
	Series   []WaterSeries
	Singles  []WaterSeries // eggs weighed one by one, those that stray furthest first
	Dark     []DarkEgg     // eggs whose own air cell was read
	Trays    []store.Tray
	Target   float64 // loss by lockdown, percent
	From, To float64 // its usual span
	LastDay  float64 // lockdown
	Shared   string  // what suits all that stand in its machine; "" where it stands alone
	past     []rows.Response
	altitude float64 // of the farm, m
}

// DayOf numbers a moment of incubation, in days, as the reader counts.
func (p Water) DayOf(day float64) float64 { return day + float64(p.Counting) }

// WaterSeries is eggs that are weighed, or looked at, together again and again.
type WaterSeries struct {
	Name      string // of the tray, or all eggs
	Load      Load
	Weighings []WaterPoint
	moisture.Outlook
	Known  bool   // two weighings or more: the rest follows
	Why    string // why nothing follows yet
	Advice string
	How    string
	single bool    // one egg on the scale at a time
	GoTo   float64 // humidity in % to hold from now on; 0: none is advised
	LeadTo float64 // loss in % by lockdown to which it leads
	WetC   float64 // wet-bulb temperature of the advised air
	TempC  float64
}

// Load says what lies on the scale, or is held to the lamp: the whole batch, or
// one tray, or one egg.
type Load struct {
	TrayID, EggID int64
	Cells         bool // the air cell was read, nothing was weighed
}

// DarkEgg is an egg of which only the air cell was read.
type DarkEgg struct {
	Code    string
	LossPct float64 // that the cell stands for
	At      time.Time
	Looks   int
	Water   candling.Water
}

// WaterPoint is one weighing, with the loss that it shows.
type WaterPoint struct {
	rows.Weighing
	Day, MeanG, LossPct float64
}

// Water works the weighings of a batch out.
func (b *Service) Water(ctx context.Context, m *farm.Member, batchID int64) (page Water, err error) {
	err = snapshot.ReadOpen(ctx, b.Service, m, func(tx *farm.Tx, w *snapshot.Snapshot, open []snapshot.BatchView) error {
		if page, err = water(ctx, tx, w, batchID); err != nil || !page.Open() {
			return err
		}
		air, err := airOf(ctx, tx, w, page.Stands().ID, open, page)
		if len(air.Batches) > 1 {
			page.Shared = fmt.Sprintf("It shares the air of %s with %s: for all of them %.0f %% is best.",
				air.Machine.Name, wording.Plural(len(air.Batches)-1, "other batch"), air.Best.RH)
		}
		return err
	})
	return page, err
}

func water(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot, batchID int64) (page Water, err error) {
	views := slices.DeleteFunc(slices.Clone(w.OpenRead()), func(v snapshot.BatchView) bool { return v.ID != batchID })
	if len(views) == 0 {
		batch, err := tx.Batch(ctx, batchID)
		if err != nil {
			return page, err
		}
		views, err = w.Views(ctx, tx, func() ([]store.Batch, error) { return []store.Batch{batch}, nil })
		if err != nil {
			return page, err
		}
	}
	page = waterOf(w, views[0])
	if page.Kind.IsReptile() {
		return page, nil
	}
	if page.Trays, err = tx.Trays(ctx, page.Stands().ID); err != nil {
		return page, err
	}
	if page.past, err = rows.On(tx).Responses(ctx, page.Stands().ID); err != nil {
		return page, err
	}
	eggs, err := tx.BatchEggs(ctx, batchID)
	if err != nil {
		return page, err
	}
	all, err := rows.On(tx).Weighings(ctx, batchID)
	if err != nil {
		return page, err
	}
	page.gather(all, eggs)
	return page, nil
}

// waterOf is what a batch's eggs should lose.
func waterOf(w *snapshot.Snapshot, v snapshot.BatchView) Water {
	p := Water{BatchView: v, Counting: w.Member.Counting(), altitude: float64(w.Member.AltitudeM)}
	if v.Kind.IsReptile() {
		return p
	}
	p.Target, p.From, p.To = v.Kind.LossPct.At, v.Kind.LossPct.From, v.Kind.LossPct.To
	shut, _ := v.Milestone(calendar.Lockdown)
	p.LastDay = shut.Day
	if p.From == p.To { // no span of its own: that of good hatches of all birds, 11 to 14 % [common practice]
		p.From, p.To = min(11, p.Target), max(14, p.Target)
	}
	return p
}

// Loss tells what the eggs of a batch lost by lockdown, % of their fresh mass, from the weighings of most of
// them; ok is false where nobody weighed them twice, or only in the first half.
func Loss(
	w *snapshot.Snapshot, v snapshot.BatchView, eggs []store.Egg, all []rows.Weighing,
) (lossPct, goalPct float64, ok bool) {
	if v.Kind.IsReptile() {
		return 0, 0, false
	}
	page, most := waterOf(w, v), 0
	page.gather(all, eggs)
	for _, s := range page.Series {
		if !s.Known {
			continue
		}
		if last := s.Weighings[len(s.Weighings)-1]; last.Day > page.LastDay/2 && last.Eggs >= most {
			lossPct, most, ok = s.ProjectedPct, last.Eggs, true
		}
	}
	return lossPct, page.Target, ok
}

// gather sorts weighings by what lay on the scale, and works each lot out.
func (p *Water) gather(all []rows.Weighing, eggs []store.Egg) {
	byLoad := map[Load][]WaterPoint{}
	var order []Load
	for _, x := range all {
		l := loadOf(x)
		if byLoad[l] == nil {
			order = append(order, l)
		}
		byLoad[l] = append(byLoad[l], WaterPoint{Weighing: x, Day: max(0, calendar.Elapsed(p.SetAt, x.At))})
	}
	for _, l := range order {
		s := WaterSeries{Name: p.loadName(l, eggs), Load: l, Weighings: byLoad[l]}
		switch {
		case l.EggID != 0 && !alive(l.EggID, eggs):
		case l.EggID != 0 && l.Cells:
			p.Dark = append(p.Dark, p.dark(s))
		case l.EggID != 0:
			s.means(nil)
			s.work(*p)
			p.Singles = append(p.Singles, s)
		default:
			s.means(eggs)
			s.work(*p)
			p.Series = append(p.Series, s)
		}
	}
	if together, ok := p.together(); ok {
		together.work(*p)
		p.Series = append(p.Series, together)
	}
	slices.SortStableFunc(p.Singles, func(a, b WaterSeries) int {
		off := func(s WaterSeries) float64 {
			if !s.Known {
				return -1
			}
			return math.Abs(s.ProjectedPct - p.Target)
		}
		return cmp.Compare(off(b), off(a))
	})
}

func loadOf(x rows.Weighing) (l Load) {
	l.Cells = x.CellPct > 0
	if x.TrayID != nil {
		l.TrayID = *x.TrayID
	}
	if x.EggID != nil {
		l.EggID = *x.EggID
	}
	return
}

func alive(egg int64, eggs []store.Egg) bool {
	return slices.ContainsFunc(eggs, func(e store.Egg) bool { return e.ID == egg && e.Fate == nil })
}

func (p Water) loadName(l Load, eggs []store.Egg) string {
	if i := slices.IndexFunc(eggs, func(e store.Egg) bool { return e.ID == l.EggID }); i >= 0 {
		return snapshot.CodeOf(eggs[i].Mark, eggs[i].No)
	}
	if l.TrayID != 0 {
		if i := slices.IndexFunc(p.Trays, func(t store.Tray) bool { return t.ID == l.TrayID }); i >= 0 {
			return p.Trays[i].Name
		}
		return "A tray no longer used"
	}
	if l.Cells {
		return "Air cells by eye"
	}
	return "All eggs"
}

// means works out what an egg weighed each time. Eggs taken out between two
// weighings do not count as water: an earlier weighing stands for the eggs that
// are left at the last one. Where every egg on the scale has a weight of its own,
// those that left take their own share with them; else the mean is taken.
func (s *WaterSeries) means(eggs []store.Egg) {
	last := s.Weighings[len(s.Weighings)-1]
	for i := range s.Weighings {
		x := &s.Weighings[i]
		x.MeanG = x.MassG / float64(x.Eggs)
		all, left, n := 0.0, 0.0, 0
		for _, e := range eggs {
			here := s.Load.TrayID == 0 || (e.TrayID != nil && *e.TrayID == s.Load.TrayID)
			if !here || (e.FateAt != nil && !e.FateAt.After(x.At)) {
				continue
			}
			if e.MassG == nil {
				n = 0
				break
			}
			n++
			all += *e.MassG
			if e.FateAt != nil && !e.FateAt.After(last.At) {
				left += *e.MassG
			}
		}
		if n == x.Eggs && last.Eggs < x.Eggs && all > left {
			x.MeanG = x.MassG * (all - left) / all / float64(last.Eggs)
		}
	}
}

// together joins eggs that are weighed one by one: what all those weighed in the
// last round have lost. A round is the weighings of six hours.
func (p Water) together() (s WaterSeries, ok bool) {
	if len(p.Singles) < 2 {
		return s, false
	}
	var last time.Time
	for _, e := range p.Singles {
		if at := e.Weighings[len(e.Weighings)-1].At; at.After(last) {
			last = at
		}
	}
	const round = 6 * time.Hour
	var core []WaterSeries
	for _, e := range p.Singles {
		if last.Sub(e.Weighings[len(e.Weighings)-1].At) < round {
			core = append(core, e)
		}
	}
	s.Name, s.single = fmt.Sprintf("%d eggs weighed one by one", len(core)), true
	for k, x := range core[0].Weighings {
		sum, all := WaterPoint{Weighing: rows.Weighing{At: x.At, RHPct: x.RHPct, TempC: x.TempC}, Day: x.Day}, true
		for _, e := range core {
			i := slices.IndexFunc(e.Weighings, func(y WaterPoint) bool { return y.At.Sub(x.At).Abs() < round })
			if all = all && i >= 0; all {
				sum.Eggs++
				sum.MassG += e.Weighings[i].MassG
			}
		}
		if sum.MeanG = sum.MassG / float64(len(core)); all && (k == 0 || x.Day-core[0].Weighings[k-1].Day > .25) {
			s.Weighings = append(s.Weighings, sum)
		}
	}
	return s, len(s.Weighings) > 0
}

// DarkShell says what can be known of eggs through whose shell nothing shows.
func (Water) DarkShell() string { return candling.DarkShell }

// dark tells what the growth of an egg's air cell says of its water.
func (p Water) dark(s WaterSeries) DarkEgg {
	first, last := s.Weighings[0], s.Weighings[len(s.Weighings)-1]
	d := DarkEgg{
		Code: s.Name, At: last.At, Looks: len(s.Weighings), LossPct: moisture.LossOfCell(last.CellPct / 100),
		Water: candling.TooSoon,
	}
	if d.Looks > 1 {
		d.Water = candling.Losing(
			moisture.LossOfCell(first.CellPct/100), d.LossPct, last.Day-first.Day, p.Target/p.LastDay,
		)
	}
	return d
}

func (s *WaterSeries) work(page Water) {
	lot := s.lot(page)
	if len(s.Weighings) < 2 && !s.Load.Cells {
		s.Why = "Weigh the same eggs again in some days; then their loss, what it will be and the right humidity " +
			"stand here."
		return
	}
	o, err := moisture.Work(lot)
	if err != nil {
		s.Why = "These weighings cannot be worked out: " + err.Error() + "."
		return
	}
	if o.NoLoss {
		s.Why = "No loss to be seen yet: a scale that shows whole grams may need some days. Weigh the same eggs " +
			"again in two or three days."
		return
	}
	s.Outlook, s.Known = o, true
	fresh := s.Weighings[len(s.Weighings)-1].MeanG / (1 - o.LossPct/100)
	for i := range s.Weighings {
		s.Weighings[i].LossPct = 100 * (1 - s.Weighings[i].MeanG/fresh)
	}
	s.advise(page)
	s.LeadTo = s.After(s.GoTo, page.LastDay)
	if state, err := air.FromRH(s.TempC, s.GoTo, air.PressureAt(page.altitude)); err == nil && s.GoTo > 0 {
		s.WetC = state.WetBulbC
	}
}

// lot is what is weighed, as it is worked out; air cells by eye are read as masses.
func (s *WaterSeries) lot(page Water) moisture.Lot {
	last := s.Weighings[len(s.Weighings)-1]
	s.TempC = last.TempC
	lot := moisture.Lot{
		AirTempC: last.TempC, EggTempC: last.TempC, TargetPct: page.Target, TargetDay: page.LastDay,
		AltitudeM: page.altitude, ScaleStepG: s.scaleStep(), EggsWeighed: last.Eggs,
	}
	if s.single { // each is off by itself
		lot.EggsWeighed = int(math.Sqrt(float64(last.Eggs)))
	}
	stored := storedLoss * page.StorageDays // that an air cell shows beside the loss since setting
	if s.Load.Cells {                       // a fresh egg's cell is known, so that one look is enough
		lot.FreshMassG = page.Kind.EggG.At
	}
	before := 0.0
	for i := range s.Weighings {
		x := &s.Weighings[i]
		if s.Load.Cells {
			x.MeanG = lot.FreshMassG * (1 - max(0, moisture.LossOfCell(x.CellPct/100)-stored)/100)
		}
		day := x.Day
		if day < .5 { // the scale stood beside the machine
			day = 0
		}
		lot.Weighings = append(lot.Weighings, moisture.Weighing{Day: day, MassG: x.MeanG, Eggs: x.Eggs})
		if day > before {
			lot.RH = append(lot.RH, moisture.Period{FromDay: before, ToDay: day, RHPct: x.RHPct})
			before = day
		}
	}
	return lot
}

// lost says in words what these eggs lost, and whether it is to be believed.
func (s *WaterSeries) lost(page Water) string {
	says := fmt.Sprintf(
		"These eggs have lost %.1f %% and would reach %.1f %% by day %d; the goal is %s %%.", s.LossPct, s.ProjectedPct,
		page.Counting.Count(page.LastDay), units.Number(page.Target),
	)
	if s.CheckHygrometer {
		says += fmt.Sprintf(" That is far %s than eggs of this weight lose: check the hygrometer first.",
			map[bool]string{true: "more", false: "less"}[s.G > s.GExpected])
	}
	return says
}

// advise says what to do, as far as the weighings carry it.
func (s *WaterSeries) advise(page Water) {
	lost, held := s.lost(page), s.Weighings[len(s.Weighings)-1].RHPct
	to, step := page.step(s.Outlook, held)
	s.GoTo = s.BestRHPct
	switch {
	case !s.Sure:
		s.GoTo = 0
		s.Advice = fmt.Sprintf("%s The weighings do not carry an advice yet: %.0f to %.0f %% may be right.", lost,
			max(s.RequiredLow, 0), min(s.RequiredHigh, 100))
		if s.AgainDay > 0 {
			s.Advice += fmt.Sprintf(" Weigh again on day %d: within ±%.0f points it will be known then.",
				page.Counting.Count(s.AgainDay), math.Ceil(s.AgainWithin))
		}
	case !s.Attainable && s.BestRHPct <= moisture.Driest:
		s.Advice = fmt.Sprintf(
			"%s Out of reach: as dry as a machine can be, %.0f %%, they come to %.1f %%. Go as dry as you can.", lost,
			s.BestRHPct, s.BestLossPct,
		)
		s.How = page.lever(drier, -1)
	case !s.Attainable:
		s.Advice = fmt.Sprintf(
			"%s They have lost too much already: as moist as a machine can be, %.0f %%, they come to %.1f %%.", lost,
			s.BestRHPct, s.BestLossPct,
		)
		s.How = page.lever(moister, 1)
	case s.RequiredRHPct > held+3:
		s.Advice = fmt.Sprintf("%s Raise from %.0f to %.0f %% from now on.%s", lost, held, to, step)
		s.GoTo, s.How = to, page.lever(moister, to-held)
	case s.RequiredRHPct < held-3:
		s.Advice = fmt.Sprintf("%s Lower from %.0f to %.0f %% from now on.%s", lost, held, to, step)
		s.GoTo, s.How = to, page.lever(drier, to-held)
	default:
		s.Advice = fmt.Sprintf("%s Keep %.0f %%: that is right.", lost, held)
	}
}

// storedLoss is what an egg in store loses a day, percent of its fresh mass: cool and
// fairly moist, about an eighth of what it loses in the machine [common practice].
const storedLoss = 0.08

// unusual is how many points beyond the kind's usual range an advice goes step by step.
const unusual = 10

// scaleStep is the step of the scale, as the figures show it: whole grams, or tenths.
func (s *WaterSeries) scaleStep() float64 {
	for _, x := range s.Weighings {
		if x.MassG != math.Round(x.MassG) {
			return 0.1
		}
	}
	return 1
}

// step is the humidity to go to: half of the way where the goal lies far outside of what
// the kind usually has, with a day on which to weigh again.
func (p Water) step(o moisture.Outlook, held float64) (to float64, says string) {
	usual := p.Method.Humidity(p.Kind, false)
	if o.RequiredRHPct >= usual.From-unusual && o.RequiredRHPct <= usual.To+unusual {
		return o.RequiredRHPct, ""
	}
	again := math.Min(math.Ceil(p.Day)+3, p.LastDay-1)
	return (held + o.RequiredRHPct) / 2, fmt.Sprintf(
		" By these figures %.0f %% would be needed, which is unusual (%s–%s %% is common): go half of the way and "+
			"weigh again on day %d.",
		o.BestRHPct, units.Number(usual.From), units.Number(usual.To), p.Counting.Count(again),
	)
}

// How humidity is changed: surface, not depth [common practice].
const (
	moister = "A second dish or a sponge adds surface; depth does nothing. Lukewarm water, a little at a time, " +
		"then wait half an hour: it overshoots."
	drier = "Take a sponge out, cover part of the water, or open the vents a little; then wait half an hour."
)

// lever adds to the usual ways of changing humidity what this machine did last
// time: of the changes in the wanted direction, the one nearest to what is needed.
func (p Water) lever(usual string, points float64) string {
	best, off := "", math.Inf(1)
	for _, r := range p.past { // the newest first
		if r.ToPct == nil {
			continue
		}
		moved := *r.ToPct - r.FromPct
		if moved*points <= 0 || math.Abs(moved-points) >= off {
			continue
		}
		off = math.Abs(moved - points)
		best = fmt.Sprintf(
			" In %s, %s last time gave %+.0f points in %d min (%s).", p.Stands().Name, r.What, moved, *r.Minutes,
			r.At.Format("2 Jan"),
		)
	}
	return usual + best
}

// ByWeight tells whether the batch is run by weight already.
func (p Water) ByWeight() bool { return p.Method.School == method.ByWeight }
