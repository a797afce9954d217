package clutch

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"metrogon/core/candling"
	"metrogon/core/machine"
	"metrogon/core/reptile"
	"metrogon/core/species"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/store"
)

// EggView is an egg in its place.
type EggView struct {
	store.Egg
	Spot, Stuck int
	Signs       []reptile.Sign // of the last look
	SeenAt      *time.Time
	Looks       int
	PippedAt    *time.Time
	Cause       string
	MayOpen     bool
	Beside      bool // it is of another clutch in the same box
}

// MassView is a weighing of eggs with what it tells.
type MassView struct {
	store.ClutchMass
	EachG       float64
	Share       float64 // of the first
	Grown       float64
	Least, Most float64 // of the corridor
	Says        string
}

// Page is one clutch.
type Page struct {
	farm.BatchView
	Clutch     store.Clutch
	Dam, Sire  string
	Pen        farm.Pen
	Number     int // of the season, of its dam
	Next       *NextClutch
	Box        BoxState
	Beside     []farm.BatchView // other clutches in the box
	Shelf      Shelf
	Lying      []EggView // in their places, with those of other clutches
	Warmth     farm.Warmth
	Forecast   reptile.Forecast
	Warm       bool // the forecast could be made
	Curves     []reptile.Point
	Shifted    []Shift // half a degree cooler and warmer
	Steering   []reptile.Steps
	NoSteering string
	Stage      reptile.Stage
	Expect     string
	Masses     []MassView
	Young      []store.Hatchling
	Why        []reptile.Reason // of what did not hatch, where something is known
	Journal    []store.Entry
	Notes      []store.Note
	Machines   []farm.Machine // to whose shelves the box may go
}

// Shift is what follows if all that is to come is warmer by so much.
type Shift struct {
	ByC float64
	reptile.Forecast
}

// NextClutch is when the dam may lay again this season.
type NextClutch struct {
	From, To time.Time
	Own      int // clutches of hers by which it is reckoned; 0: as is usual for the kind
}

// Clutch shows one clutch.
func (s *Service) Clutch(ctx context.Context, m *farm.Member, id int64) (page Page, err error) {
	err = s.ReadOpen(ctx, m, func(tx *farm.Tx, w *farm.Snapshot, open []farm.BatchView) error {
		rows, err := tx.ClutchRows(ctx, []int64{id})
		if err != nil {
			return err
		}
		if len(rows.Clutches) == 0 {
			return farm.ErrNone
		}
		page.Clutch = rows.Clutches[0]
		done, err := w.Views(ctx, tx, func() ([]store.Batch, error) { return tx.BatchesByID(ctx, []int64{id}) })
		if err != nil {
			return err
		}
		page.BatchView = done[0]
		page.boxed(w, open, rows)
		if err := page.warmed(ctx, tx, w, rows); err != nil {
			return err
		}
		eggs, err := tx.BatchEggs(ctx, id)
		if err != nil {
			return err
		}
		page.laid(eggs, rows)
		page.weighed(rows)
		page.Young = rows.Young
		page.Why = page.why()
		if err := page.parents(ctx, tx, w, eggs, rows.All); err != nil {
			return err
		}
		log, err := tx.BatchLog(ctx, page.Batch, 30, 20)
		page.Journal, page.Notes = log.Lines, log.Notes
		for _, x := range w.Machines {
			if machine.ID(x.Kind) == machine.ReptileBox && x.UntilOn == nil && x.ID != page.SetterID {
				page.Machines = append(page.Machines, x)
			}
		}
		return err
	})
	return page, err
}

// boxed adds the box, what else lies in it, and its shelf.
func (p *Page) boxed(w *farm.Snapshot, open []farm.BatchView, rows store.ClutchRows) {
	box := farm.BoxOf(rows, p.Clutch)
	p.Box = stateOf(w.Member, box, rows.Logs, changesOf(rows.Changes, box.ID), w.Now)
	for _, v := range open {
		if v.ID != p.ID && slices.ContainsFunc(rows.Others, func(c store.Clutch) bool { return c.BatchID == v.ID }) {
			p.Beside = append(p.Beside, v)
		}
	}
	p.Shelf = shelfOf(w, w.MachineByID[p.SetterID], open)
}

// warmed adds what the temperatures tell.
func (p *Page) warmed(ctx context.Context, tx *farm.Tx, w *farm.Snapshot, rows store.ClutchRows) (err error) {
	if p.Warmth, err = w.Warmth(ctx, tx, p.Batch, p.Box.Name, rows.Temps); err != nil {
		return err
	}
	now := w.Now
	if p.ClosedAt != nil {
		now = *p.ClosedAt
	}
	course, sure := p.Warmth.Course.Until(now), p.Warmth.Sure
	f, err := course.Forecast(now, sure)
	if err != nil {
		return nil // nothing hatches so cool; the page says what is planned
	}
	p.Forecast, p.Warm = f, true
	p.Stage, p.Expect = reptile.StageAt(f.Grown), reptile.Expect(p.Kind, f.Grown)
	if !p.Open() || p.Alive == 0 || f.Grown >= 1 {
		return nil
	}
	p.Curves = course.Curves(now, sure)
	for _, by := range []float64{-0.5, 0, 0.5} {
		if shifted, err := course.Shifted(now, by).Forecast(now, sure); err == nil {
			p.Shifted = append(p.Shifted, Shift{by, shifted})
		}
	}
	for _, goal := range reptile.Goals {
		steps, why := course.Steer(now, goal, sure)
		if why == "" {
			p.Steering = append(p.Steering, steps)
		} else if goal != reptile.Soonest {
			p.NoSteering = why
		}
	}
	return nil
}

// laid puts the eggs in their places.
func (p *Page) laid(eggs []store.Egg, rows store.ClutchRows) {
	places := map[int64]store.ClutchEgg{}
	for _, e := range rows.Eggs {
		places[e.EggID] = e
		if e.BatchID != p.ID {
			p.Lying = append(p.Lying, EggView{Spot: e.Spot, Stuck: e.Stuck, Beside: true})
		}
	}
	for _, e := range eggs {
		v := EggView{Egg: e, Spot: -1, MayOpen: mayOpen(p.BatchView, e)}
		if at, ok := places[e.ID]; ok {
			v.Spot, v.Stuck = at.Spot, at.Stuck
		}
		for _, s := range rows.Signs {
			if s.EggID != e.ID {
				continue
			}
			if v.SeenAt == nil || s.At.After(*v.SeenAt) {
				v.Signs, v.Looks = nil, v.Looks+1
			}
			v.SeenAt, v.Signs = &s.At, append(v.Signs, reptile.Sign(s.Sign))
		}
		for _, pip := range rows.Pips {
			if *pip.EggID == e.ID {
				v.PippedAt = &pip.At
			}
		}
		for _, c := range rows.Causes {
			if c.EggID == e.ID {
				v.Cause = c.Cause
			}
		}
		p.Lying = append(p.Lying, v)
	}
	slices.SortStableFunc(p.Lying, func(a, b EggView) int { return cmp.Compare(a.Spot, b.Spot) })
}

// weighed adds what weighings of eggs tell.
func (p *Page) weighed(rows store.ClutchRows) {
	for i, x := range rows.Masses {
		v := MassView{ClutchMass: x, EachG: x.MassG / float64(x.Eggs), Share: 1}
		v.Grown = p.Warmth.Course.Grown(x.At)
		v.Least, v.Most = reptile.Corridor(p.Kind, v.Grown)
		if i > 0 {
			v.Share = v.EachG / p.Masses[0].EachG
			v.Says = reptile.Weight(p.Kind, v.Grown, v.Share)
		}
		p.Masses = append(p.Masses, v)
	}
}

// why lists what may have cost those that were lost, by what is known of the whole clutch.
func (p *Page) why() []reptile.Reason {
	kept := reptile.Kept{LostShare: p.Box.MostLost, OverG: p.Box.MostOver, AiredDays: p.Box.LongShut}
	if len(p.Box.Weighings) < 2 {
		kept.LostShare, kept.OverG = nil, nil
	}
	for _, r := range p.Warmth.Course.Readings {
		if r.TempC >= p.Kind.DangerC.From {
			kept.HotH++
		}
		if r.TempC < p.Kind.TemperatureC.From-0.25 && !(p.Kind.Diapause.Rests() && r.TempC < p.Kind.Diapause.BelowC) {
			kept.ColdH++
		}
	}
	bad, lost, stage := 0, 0, candling.Stage("")
	for _, e := range p.Lying {
		if e.Fate == nil || e.Beside {
			continue
		}
		bad += farm.OneIf(*e.Fate == "removed")
		if *e.Fate == "unhatched" && e.Stage != nil && *e.Stage != "infertile" {
			lost++
			if at := candling.Stage(*e.Stage); slices.Index(candling.Stages, at) > slices.Index(candling.Stages, stage) {
				stage = at
			}
		}
		for _, s := range e.Signs {
			kept.Dented = kept.Dented || s == reptile.Dented && p.Warmth.Course.Grown(*e.SeenAt) < 0.85
			kept.Sweaty = kept.Sweaty || s == reptile.Sweating && p.Warmth.Course.Grown(*e.SeenAt) < 0.85
		}
	}
	if bad+lost == 0 {
		return nil
	}
	kept.DeadBeside = bad
	return reptile.Why(stage, kept, p.Warmth.Course.Reader)
}

// parents names who laid and sired, which clutch of the season it is, and when the next may come.
func (p *Page) parents(
	ctx context.Context, tx *farm.Tx, w *farm.Snapshot, eggs []store.Egg, all []store.LaidClutch,
) error {
	flock, err := w.Flock(ctx, tx)
	if err != nil {
		return err
	}
	if len(eggs) > 0 {
		p.Pen = w.PenByID[eggs[0].PenID]
	}
	p.Dam, p.Sire = p.Pen.Name, sireSays(flock, p.Clutch)
	if p.Clutch.DamID != nil {
		p.Dam = flock.Birds[*p.Clutch.DamID].Name
	}
	history := histories(w, flock, all)
	for i := range history {
		h := &history[i]
		if j := slices.IndexFunc(h.clutches, func(c laidClutch) bool { return c.BatchID == p.ID }); j >= 0 {
			p.Number = h.clutches[j].Number
			p.Next = h.next(w, p.Kind)
		}
	}
	return nil
}

// sireSays names who sired a clutch.
func sireSays(f farm.Flock, c store.Clutch) string {
	switch {
	case c.SireID != nil:
		return f.Birds[*c.SireID].Name
	case c.Sired == SiredSeveral:
		return "one of several"
	case c.Sired == SiredStored:
		return "stored sperm"
	case c.Sired == SiredOne:
		return "her male"
	}
	return "unknown sire"
}

// Shelf is a machine with its boxes.
type Shelf struct {
	farm.Machine
	Boxes []BoxCard
	Apart string // which kinds do not go together
	From  float64
	To    float64 // what all of them want; 0 to 0 where they do not go together
}

// BoxCard is a box on a shelf, with its clutches.
type BoxCard struct {
	BoxState
	Clutches []Card
}

// Card is a clutch in the list.
type Card struct {
	farm.BatchView
	Dam, Sire string
	Number    int
}

// shelfOf tells which kinds on a shelf go together.
func shelfOf(w *farm.Snapshot, x farm.Machine, open []farm.BatchView) (s Shelf) {
	s.Machine = x
	kinds := wantedOn(x.ID, open)
	s.Apart = reptile.Apart(kinds, w.Member.Units())
	if from, to, ok := reptile.Together(kinds); ok {
		s.From, s.To = from, to
	}
	return s
}

// wantedOn is what the kinds on the shelves of a machine want.
func wantedOn(machineID int64, open []farm.BatchView) (kinds []reptile.Wanted) {
	var seen []*species.Profile
	for _, v := range open {
		if v.SetterID != machineID || !v.Kind.IsReptile() || v.Alive == 0 || slices.Contains(seen, v.Kind) {
			continue
		}
		seen = append(seen, v.Kind)
		kinds = append(kinds, reptile.Wanted{
			Name: v.Kind.Name, FromC: v.Kind.TemperatureC.From, ToC: v.Kind.TemperatureC.To,
		})
	}
	return kinds
}

// List is the boxes by shelf, and what was.
type List struct {
	Shelves []Shelf
	Dams    []DamLine
	Closed  []Card
	More    bool // there are older ones
	HasPens bool
	HasBox  bool // a machine for reptiles is there
	Kinds   []*species.Profile
}

// DamLine is a female, with her clutches of this season and when the next may come.
type DamLine struct {
	Name     string
	Species  *species.Profile
	Clutches int
	Last     time.Time
	Next     *NextClutch
}

// pageOf is how many past clutches stand on one page.
const pageOf = 40

// List shows all clutches.
func (s *Service) List(ctx context.Context, m *farm.Member, skip int) (l List, err error) {
	err = s.ReadOpen(ctx, m, func(tx *farm.Tx, w *farm.Snapshot, open []farm.BatchView) error {
		boxes, err := tx.OpenBoxes(ctx)
		if err != nil {
			return err
		}
		flock, err := w.Flock(ctx, tx)
		if err != nil {
			return err
		}
		all, err := tx.AllClutches(ctx)
		if err != nil {
			return err
		}
		history := histories(w, flock, all)
		cards := cardsOf(w, flock, history)
		var states []BoxState
		for _, b := range boxes.Boxes {
			states = append(states, stateOf(m, b, boxes.Logs, changesOf(boxes.Changes, b.ID), w.Now))
		}
		l.shelves(w, open, states, cards)
		l.dams(w, history)
		return l.past(ctx, tx, w, cards, skip)
	})
	return l, err
}

// changesOf are those of one box.
func changesOf(all []store.BoxChange, boxID int64) (at []time.Time) {
	for _, c := range all {
		if c.BoxID == boxID {
			at = append(at, c.At)
		}
	}
	return at
}

// shelves puts the boxes with their clutches onto the shelves of the machines.
func (l *List) shelves(w *farm.Snapshot, open []farm.BatchView, boxes []BoxState, cards map[int64]card) {
	for _, x := range w.Machines {
		if machine.ID(x.Kind) != machine.ReptileBox {
			continue
		}
		l.HasBox = l.HasBox || x.UntilOn == nil
		shelf := shelfOf(w, x, open)
		for _, b := range boxes {
			box := BoxCard{BoxState: b}
			for _, v := range open {
				if c, ok := cards[v.ID]; ok && c.box == b.ID && b.MachineID == x.ID {
					box.Clutches = append(box.Clutches, Card{v, c.dam, c.sire, c.number})
				}
			}
			if len(box.Clutches) > 0 {
				shelf.Boxes = append(shelf.Boxes, box)
			}
		}
		if len(shelf.Boxes) > 0 {
			l.Shelves = append(l.Shelves, shelf)
		}
	}
}

// dams lists the females that laid in the last months, with when they may lay again.
func (l *List) dams(w *farm.Snapshot, history []damHistory) {
	for _, p := range w.Pens {
		kind := w.Kinds[p.Species]
		l.HasPens = l.HasPens || kind != nil && kind.IsReptile() && p.UntilOn == nil && !p.Supplier
	}
	for _, h := range history {
		last := h.clutches[len(h.clutches)-1]
		if w.Now.Sub(last.LaidTo) > 200*24*time.Hour {
			continue
		}
		l.Dams = append(l.Dams, DamLine{h.name, h.kind, last.Number, last.LaidTo, h.next(w, h.kind)})
	}
	slices.SortFunc(l.Dams, func(a, b DamLine) int { return strings.Compare(a.Name, b.Name) })
}

// past lists the clutches that are over.
func (l *List) past(ctx context.Context, tx *farm.Tx, w *farm.Snapshot, cards map[int64]card, skip int) error {
	done, err := w.Views(ctx, tx, func() ([]store.Batch, error) { return tx.ClosedClutches(ctx, pageOf+1, skip) })
	for i, v := range done {
		if i == pageOf {
			l.More = true
			break
		}
		c := cards[v.ID]
		l.Closed = append(l.Closed, Card{v, c.dam, c.sire, c.number})
	}
	return err
}

// card is what a list says of a clutch.
type card struct {
	dam, sire string
	number    int
	box       int64
}

func cardsOf(w *farm.Snapshot, flock farm.Flock, history []damHistory) map[int64]card {
	all := map[int64]card{}
	for _, h := range history {
		for _, c := range h.clutches {
			all[c.BatchID] = card{h.name, sireSays(flock, c.Clutch), c.Number, c.BoxID}
		}
	}
	return all
}

// laidClutch is a clutch with its number in its season.
type laidClutch struct {
	store.Clutch
	Number int
}

// damHistory is the clutches of one female, or of a pen of which nobody knows who laid, the oldest first.
type damHistory struct {
	name     string
	kind     *species.Profile
	clutches []laidClutch
}

// seasonGap ends a season: so long without a clutch.
const seasonGap = 150 * 24 * time.Hour

// histories sorts all clutches of the farm by who laid them.
func histories(w *farm.Snapshot, flock farm.Flock, clutches []store.LaidClutch) (all []damHistory) {
	at := map[string]int{}
	for _, c := range clutches {
		pen := w.PenByID[c.PenID]
		key, name := fmt.Sprintf("pen %d", pen.ID), pen.Name
		if c.DamID != nil {
			key, name = fmt.Sprintf("dam %d", *c.DamID), flock.Birds[*c.DamID].Name
		}
		i, there := at[key]
		if !there {
			kind, err := w.Kind(pen.Species)
			if err != nil {
				continue
			}
			i, at[key] = len(all), len(all)
			all = append(all, damHistory{name: name, kind: kind})
		}
		h, number := &all[i], 1
		if n := len(h.clutches); n > 0 && c.LaidFrom.Sub(h.clutches[n-1].LaidTo) < seasonGap {
			number = h.clutches[n-1].Number + 1
		}
		h.clutches = append(h.clutches, laidClutch{c.Clutch, number})
	}
	return all
}

// next is when she may lay again: by her own intervals, or, with under two of them, as is usual for the kind; nil where
// the kind lays once, or that is long over.
func (h damHistory) next(w *farm.Snapshot, kind *species.Profile) *NextClutch {
	last := h.clutches[len(h.clutches)-1]
	var own []float64
	for i := 1; i < len(h.clutches); i++ {
		if h.clutches[i].Number > 1 {
			own = append(own, h.clutches[i].LaidTo.Sub(h.clutches[i-1].LaidTo).Hours()/24)
		}
	}
	n := NextClutch{Own: len(own)}
	from, to := kind.ClutchIntervalDays.From, kind.ClutchIntervalDays.To
	if len(own) >= 2 {
		mean, sum := 0.0, 0.0
		for _, d := range own {
			mean += d / float64(len(own))
		}
		for _, d := range own {
			sum += (d - mean) * (d - mean)
		}
		spread := math.Max(2, 1.6*math.Sqrt(sum/float64(len(own)-1)))
		from, to = max(1, mean-spread), mean+spread
	} else if n.Own = 0; !kind.ClutchIntervalDays.Known() {
		return nil
	}
	n.From, n.To = last.LaidTo.AddDate(0, 0, int(math.Floor(from))), last.LaidTo.AddDate(0, 0, int(math.Ceil(to)))
	if w.Now.After(n.To.AddDate(0, 0, 30)) {
		return nil
	}
	return &n
}

// Place is a choice of the form for a new clutch.
type Place struct {
	Value, Label string
	Kind         *species.Profile
}

// New is what a clutch may be told with.
type New struct {
	Dams     []Place // value: pen-dam
	Sires    []Place
	Boxes    []BoxCard
	Machines []farm.Machine
	NextBox  string
}

// New shows what is needed to set a clutch.
func (s *Service) New(ctx context.Context, m *farm.Member) (n New, err error) {
	err = s.ReadOpen(ctx, m, func(tx *farm.Tx, w *farm.Snapshot, open []farm.BatchView) error {
		flock, err := w.Flock(ctx, tx)
		if err != nil {
			return err
		}
		for _, p := range w.Pens {
			kind := w.Kinds[p.Species]
			if kind == nil || !kind.IsReptile() || p.UntilOn != nil {
				continue
			}
			n.parents(p, kind, flock)
		}
		for _, x := range w.Machines {
			if machine.ID(x.Kind) == machine.ReptileBox && x.UntilOn == nil {
				n.Machines = append(n.Machines, x)
			}
		}
		boxes, clutches, used, err := inUse(ctx, tx)
		if err != nil {
			return err
		}
		names := map[string]bool{}
		for _, b := range boxes {
			card := BoxCard{BoxState: BoxState{Box: b}}
			for _, v := range open {
				if slices.ContainsFunc(clutches, func(c store.Clutch) bool { return c.BoxID == b.ID && c.BatchID == v.ID }) {
					card.Clutches = append(card.Clutches, Card{BatchView: v})
				}
			}
			names[strings.ToLower(b.Name)] = len(card.Clutches) > 0
			if len(card.Clutches) > 0 && len(used[b.ID]) < b.Cols*b.Rows {
				n.Boxes = append(n.Boxes, card)
			}
		}
		for i := 1; ; i++ {
			if n.NextBox = fmt.Sprintf("Box %d", i); !names[strings.ToLower(n.NextBox)] {
				return nil
			}
		}
	})
	return n, err
}

// parents adds the females and males of a pen.
func (n *New) parents(p farm.Pen, kind *species.Profile, flock farm.Flock) {
	females := 0
	for _, st := range flock.Stays {
		if st.PenID != p.ID || st.UntilOn != nil {
			continue
		}
		b := flock.Birds[st.BirdID]
		if st.Sex == farm.Female {
			females++
			n.Dams = append(n.Dams, Place{fmt.Sprintf("%d-%d", p.ID, b.ID), b.Name + ", " + wording.Lower(kind.Name), kind})
		} else {
			n.Sires = append(n.Sires, Place{fmt.Sprint(b.ID), b.Name, kind})
		}
	}
	if females != 1 {
		n.Dams = append(n.Dams, Place{fmt.Sprintf("%d-0", p.ID), p.Name + ", " + wording.Lower(kind.Name), kind})
	}
}
