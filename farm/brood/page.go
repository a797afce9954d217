package brood

import (
	"context"
	"fmt"
	"slices"
	"time"

	"metrogon/core/brooding"
	"metrogon/core/calendar"
	"metrogon/core/species"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/chores"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
	broodrows "metrogon/store/brood"
)

// scene is the young as they are now.
type scene struct {
	w        *snapshot.Snapshot
	rows     broodrows.Raising
	brooders []Brooder
	codes    map[int64]string // of batches, by id
	today    time.Time
}

// lookBack is for how long young that came out are looked for that nobody brought in.
const lookBack = 10 * 24 * time.Hour

func read(ctx context.Context, tx *farm.Tx) (*scene, error) {
	w, err := snapshot.Of(ctx, tx)
	if err != nil {
		return nil, err
	}
	s := &scene{w: w, today: w.Member.Date(w.Now), codes: map[int64]string{}}
	book, err := w.Season(ctx, tx)
	if err != nil {
		return nil, err
	}
	s.brooders = book.Brooders
	if s.rows, err = broodrows.On(tx).Raising(ctx, w.Now.Add(-lookBack)); err != nil {
		return nil, err
	}
	var ids []int64
	for _, b := range slices.Concat(s.rows.Broods, s.rows.Before) {
		if b.BatchID != nil {
			ids = append(ids, *b.BatchID)
		}
	}
	for _, u := range s.rows.Unhoused {
		ids = append(ids, u.BatchID)
	}
	batches, err := tx.BatchesByID(ctx, ids)
	for _, x := range batches {
		s.codes[x.ID] = x.Code
	}
	return s, err
}

func (s *scene) brooder(id int64) (Brooder, bool) {
	i := slices.IndexFunc(s.brooders, func(b Brooder) bool { return b.ID == id })
	if i < 0 {
		return Brooder{}, false
	}
	return s.brooders[i], true
}

// Group is young that are raised together.
type Group struct {
	broodrows.Brood
	Kind  *species.Profile
	Name  string // of its batch and pen
	Days  int    // old
	Where string
	OutOn time.Time // from when they are old enough to go out
	Died  int
	Sold  int
	Outs  []Out
}

// Old is their age in words.
func (g Group) Old() string {
	if g.Days < 7 {
		return wording.Plural(g.Days, "day")
	}
	return fmt.Sprintf("%s, %s", wording.Plural(g.Days/7, "week"), wording.Plural(g.Days%7, "day"))
}

// MayGoOut tells that they are old enough.
func (g Group) MayGoOut() bool { return g.Days >= keeping(g.Kind).OutDays }

func (s *scene) group(b broodrows.Brood) Group {
	kind := s.w.Kinds[b.Species]
	g := Group{Brood: b, Kind: kind, Days: farm.AgeDays(b.HatchedOn, s.today), Where: b.Place}
	g.Name = kind.Name + ", bought"
	if b.BatchID != nil {
		g.Name = s.codes[*b.BatchID]
	}
	if b.PenID != nil {
		g.Name += ", " + s.w.PenByID[*b.PenID].Name
	}
	if b.BrooderID != nil {
		to, _ := s.brooder(*b.BrooderID)
		g.Where = to.Name
	}
	g.OutOn = b.HatchedOn.AddDate(0, 0, keeping(kind).OutDays)
	for _, o := range s.rows.Outs {
		if o.BroodID != b.ID {
			continue
		}
		g.Outs = append(g.Outs, o)
		switch o.Why {
		case "died", "culled", "lost":
			g.Died += o.Heads
		case "sold":
			g.Sold += o.Heads
		}
	}
	return g
}

// Pen is a brooder with what is in it.
type Pen struct {
	Brooder
	Groups []Group
	Taken  float64  // places
	HeatC  float64  // that the youngest need now; 0: nothing is in
	Set    *Heat    // as it was made last
	Next   *Step    // when it is lowered next
	Apart  []string // why some had better not share it
	List   []string // what is put ready for what is in it
	Stairs []Step   // the heat week by week, from the youngest's hatch
}

// Step is a temperature from a date on.
type Step struct {
	On    time.Time
	TempC float64
	Week  int
}

// Page is all young that are raised.
type Page struct {
	Now      time.Time
	Pens     []Pen
	Outside  []Group
	Waiting  []Waiting // young that are out of the shell and in no brooder yet
	Before   []Group
	Places   float64
	Days     []brooding.Day // of the room, from today
	Kinds    []*species.Profile
	PensOf   map[string][]snapshot.Pen
	Expected []Comer // that will come
}

// Waiting is a batch's young that are in no brooder yet.
type Waiting struct {
	BatchID int64
	Code    string
	Kind    *species.Profile
	ByPen   []WaitingPen
	Young   int
}

// WaitingPen is those of one pen.
type WaitingPen struct {
	snapshot.Pen
	Young int
}

// weeksAhead of the room are drawn.
const weeksAhead = 8

// Broods shows them.
func (b *Service) Broods(ctx context.Context, m *farm.Member) (p Page, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		s, err := read(ctx, tx)
		if err != nil {
			return err
		}
		p = s.page()
		comers, err := b.Comers(ctx, tx)
		p.ahead(comers, s.today)
		return err
	})
	return p, err
}

func (s *scene) page() Page {
	p := Page{Now: s.w.Now, PensOf: map[string][]snapshot.Pen{}}
	for _, br := range s.brooders {
		p.Pens = append(p.Pens, s.pen(br))
		p.Places += float64(br.Places)
	}
	for _, row := range s.rows.Broods {
		if row.BrooderID == nil {
			p.Outside = append(p.Outside, s.group(row))
		}
	}
	for _, row := range s.rows.Before {
		p.Before = append(p.Before, s.group(row))
	}
	for _, u := range s.rows.Unhoused {
		pen := s.w.PenByID[u.PenID]
		i := slices.IndexFunc(p.Waiting, func(x Waiting) bool { return x.BatchID == u.BatchID })
		if kind := s.w.Kinds[pen.Species]; i < 0 && feeds(kind) {
			i = len(p.Waiting)
			p.Waiting = append(p.Waiting, Waiting{BatchID: u.BatchID, Code: s.codes[u.BatchID], Kind: kind})
		}
		if i >= 0 {
			x := &p.Waiting[i]
			x.ByPen, x.Young = append(x.ByPen, WaitingPen{pen, u.Young}), x.Young+u.Young
		}
	}
	for _, id := range s.w.Member.Kinds {
		if kind := s.w.Kinds[id]; feeds(kind) {
			p.Kinds = append(p.Kinds, kind)
		}
	}
	for _, pen := range s.w.Pens {
		if kind := s.w.Kinds[pen.Species]; pen.UntilOn == nil && !pen.Supplier && feeds(kind) {
			p.PensOf[pen.Species] = append(p.PensOf[pen.Species], pen)
			if !slices.Contains(p.Kinds, kind) {
				p.Kinds = append(p.Kinds, kind)
			}
		}
	}
	slices.SortStableFunc(p.Kinds, snapshot.CompareKinds)
	return p
}

// feeds tells kinds whose young feed themselves: a brooder keeps no others.
func feeds(kind *species.Profile) bool {
	return kind != nil && !kind.IsReptile() && !kind.IsAltricial()
}

// pen is a brooder with what is in it, the youngest first.
func (s *scene) pen(br Brooder) Pen {
	x := Pen{Brooder: br}
	for _, row := range s.rows.Broods {
		if row.BrooderID != nil && *row.BrooderID == br.ID {
			g := s.group(row)
			x.Groups = append([]Group{g}, x.Groups...)
			x.Taken += float64(g.Alive) * g.Kind.BroodPlaces.At
		}
	}
	for i := range s.rows.Heats {
		if s.rows.Heats[i].BrooderID == br.ID {
			x.Set = &s.rows.Heats[i]
		}
	}
	if len(x.Groups) == 0 {
		return x
	}
	youngest := x.Groups[0]
	for _, g := range x.Groups {
		if c := keeping(g.Kind).HeatC(g.Days); c > x.HeatC {
			x.HeatC, youngest = c, g
		}
	}
	k := keeping(youngest.Kind)
	if day, c, ok := k.Lowered(youngest.Days); ok {
		x.Next = &Step{On: youngest.HatchedOn.AddDate(0, 0, day), TempC: c, Week: day/7 + 1}
	}
	for week := 0; ; week++ {
		c := k.HeatC(7 * week)
		x.Stairs = append(x.Stairs, Step{youngest.HatchedOn.AddDate(0, 0, 7*week), c, week + 1})
		if c <= brooding.RoomC || week > 10 {
			break
		}
	}
	for i, a := range x.Groups {
		for _, line := range keeping(a.Kind).List {
			if !slices.Contains(x.List, line) {
				x.List = append(x.List, line)
			}
		}
		for _, c := range x.Groups[:i] {
			why := brooding.Apart(brooding.Lot{Kind: a.Kind, Days: a.Days}, brooding.Lot{Kind: c.Kind, Days: c.Days})
			if says := c.Name + " and " + a.Name + ". " + why; why != "" {
				x.Apart = append(x.Apart, says)
			}
		}
	}
	return x
}

// ahead adds up the room to come: what is in, what is expected of what stands, and of what is planned.
func (p *Page) ahead(comers []Comer, today time.Time) {
	var groups []brooding.Group
	for _, c := range comers {
		groups = append(groups, c.Group)
		if !c.Sure && c.Young >= 0.5 {
			p.Expected = append(p.Expected, c)
		}
	}
	slices.SortStableFunc(p.Expected, func(a, b Comer) int { return a.From.Compare(b.From) })
	p.Days = brooding.Occupied(groups, today, 7*weeksAhead)
}

// near is within which a brooder's heat counts as right, °C.
const near = 0.6

// lowering is a brooder that is warmer than its youngest need.
func (s *scene) lowering(br Brooder) (c chores.Chore, due bool) {
	x, m := s.pen(br), s.w.Member
	if x.HeatC == 0 || x.Set != nil && x.Set.TempC <= x.HeatC+near {
		return c, false
	}
	if x.Set == nil && x.HeatC >= keeping(x.Groups[0].Kind).StartC { // nobody wrote down how warm it is
		return c, false
	}
	return chores.Chore{
		About: store.Subject{Kind: journal.Brooder, ID: br.ID}, Kind: chores.LowerHeat, At: m.Hour.On(s.w.Now, 0, m.Place),
		Title: "Lower the heat to " + m.Units().Temp(x.HeatC), Reason: br.Name, Of: br.Name,
		Why: "By a notch or a hand’s breadth. Huddled under it they are cold, far from it and panting too warm.",
	}, true
}

// housed tells whether young of a batch were brought in.
func (s *scene) housed(batchID int64) bool {
	return slices.ContainsFunc(s.rows.Broods, func(b broodrows.Brood) bool {
		return b.BatchID != nil && *b.BatchID == batchID
	})
}

// warming is a brooder that is made warm the day before the young of a batch come.
func (s *scene) warming(v snapshot.BatchView) (c chores.Chore, due bool) {
	if v.LockedAt == nil || v.Kind.IsReptile() || v.Kind.IsAltricial() || v.LongPast() {
		return c, false
	}
	m := s.w.Member
	warm := m.Date(v.At(calendar.Pull)).AddDate(0, 0, -1)
	if s.today.After(warm.AddDate(0, 0, 1)) || s.housed(v.ID) { // they are out, or in it
		return c, false
	}
	if slices.ContainsFunc(s.rows.Heats, func(h Heat) bool { return h.At.After(warm.AddDate(0, 0, -2)) }) {
		return c, false
	}
	k, to := keeping(v.Kind), s.brooders[0]
	return chores.Chore{
		About: store.Subject{Kind: journal.Brooder, ID: to.ID}, Code: v.Code, Kind: chores.WarmBrooder,
		At: m.Hour.On(warm, 0, m.Place), Title: "Warm the brooder to " + m.Units().Temp(k.StartC), Reason: "for " + v.Code,
		Of: to.Name, Why: wording.And(k.List) + ".",
	}, true
}
