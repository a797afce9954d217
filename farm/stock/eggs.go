package stock

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"metrogon/core/grading"
	"metrogon/core/marks"
	"metrogon/core/method"
	"metrogon/core/moisture"
	"metrogon/core/units"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	stockrows "metrogon/store/stock"
	"metrogon/store/upkeep"
)

// EggRoom shows the stock by pen and age, where it lies, and the newest
// collections.
func (b *Service) EggRoom(ctx context.Context, m *farm.Member) (room snapshot.EggRoom, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return err
		}
		if room, err = w.EggRoom(ctx, tx); err != nil {
			return err
		}
		if room.Gatherings, err = stockrows.On(tx).Gatherings(ctx, 12); err != nil {
			return err
		}
		room.Next = next(room)
		room.Usual = map[int64]method.Washing{}
		for _, p := range room.Pens {
			room.Usual[p.ID] = w.Method(p.Species).Washing
		}
		up, err := w.Upkeep(ctx, tx)
		room.Places = w.StorePlaces(up)
		return err
	})
	return
}

func next(r snapshot.EggRoom) int64 {
	seen := map[int64]bool{}
	for _, g := range r.Gatherings {
		seen[g.PenID] = seen[g.PenID] || g.LaidOn.Equal(r.Today)
	}
	for _, row := range r.Stock {
		seen[row.ID] = seen[row.ID] || slices.ContainsFunc(row.Lots, func(l snapshot.Lot) bool {
			return l.LaidOn.Equal(r.Today)
		})
	}
	i := slices.IndexFunc(r.Pens, func(p snapshot.Pen) bool { return !seen[p.ID] })
	if i < 0 {
		return 0
	}
	return r.Pens[i].ID
}

// OnTrial puts rejected eggs of a collection into store, to be set on trial and told
// apart.
func (b *Service) OnTrial(
	ctx context.Context, req farm.Request, collectionID int64, reason string, eggs int,
) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		var p farm.Problems
		p.Count("eggs", "The number of eggs", eggs, 1, farm.MaxEggs)
		if err := p.Err(); err != nil {
			return farm.Done{}, err
		}
		ids, err := stockrows.On(tx).OnTrial(ctx, collectionID, reason, eggs)
		if err != nil {
			return farm.Done{}, err
		}
		if len(ids) == 0 {
			return farm.Done{}, farm.Problemf("eggs", "There are none of these rejected eggs any more.")
		}
		codes, err := snapshot.AssignCodes(ctx, tx.Tx, req.Date(b.Now()))
		if err != nil {
			return farm.Done{}, err
		}
		said := wording.Plural(len(ids), "rejected egg") + " in store on trial"
		if len(codes) > 0 {
			said += fmt.Sprintf("; mark them %s to %s", codes[0], codes[len(codes)-1])
		}
		return journal.Record(ctx, tx, nil, journal.Undo{offTrial.Of(ids)}, "%s.", said)
	})
}

// Collected is one gathering as it is typed.
type Collected struct {
	PenID    int64
	Hen      string // leg band or name, where eggs are known hen by hen
	LaidOn   time.Time
	Eggs     int            // sound ones
	Rejected int            // beside them, for no reason that is told
	Reasons  map[string]int // and for one of grading.Reasons
	Washing  method.Washing // "": as is usual for the kind
	WashWith string
	PlaceID  int64    // 0: nowhere in particular
	MassG    *float64 // of each egg
	LengthMM *float64
	Breadth  *float64 // mm
	Note     string
}

func (c Collected) rejects() (n int) {
	for _, k := range c.Reasons {
		n += k
	}
	return n + c.Rejected
}

// Collect records what was gathered, gives each sound egg its pencil code, and
// says what is odd about its size.
func (b *Service) Collect(ctx context.Context, req farm.Request, all ...Collected) (farm.Done, error) {
	return b.Act(ctx, req, farm.Helping, func(tx *farm.Tx) (farm.Done, error) {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return farm.Done{}, err
		}
		up, err := w.Upkeep(ctx, tx)
		if err != nil {
			return farm.Done{}, err
		}
		weighed, err := stockrows.On(tx).Weighed(ctx)
		if err != nil {
			return farm.Done{}, err
		}
		var p farm.Problems
		var said []string
		var about journal.Subjects
		rows := make([]stockrows.Collection, len(all))
		for i, c := range all {
			rows[i] = collection(&p, w, up, c)
			about = about.And(journal.Pen, c.PenID)
			line := gathered(w, c, weighed)
			if p != nil {
				continue // what is wrong comes before what is odd
			}
			if err := c.doubt(ctx, &p, tx, w, line); err != nil {
				return farm.Done{}, err
			}
			said = append(said, line)
		}
		if len(all) == 0 {
			p.Addf("eggs", "Say how many eggs there were.")
		}
		if err := p.Err(); err != nil {
			return farm.Done{}, err
		}
		ids, err := stockrows.On(tx).Collect(ctx, rows)
		if err != nil {
			return farm.Done{}, err
		}
		codes, err := snapshot.AssignCodes(ctx, tx.Tx, req.Date(b.Now()))
		if err != nil {
			return farm.Done{}, err
		}
		said = append(said, marksOf(w, all, codes)...)
		return journal.Record(ctx, tx, about, journal.Undo{dropCollections.Of(ids)}, "%s", strings.Join(said, " "))
	})
}

// doubt asks about what hardly anybody gathers.
func (c Collected) doubt(ctx context.Context, p *farm.Problems, tx *farm.Tx, w *snapshot.Snapshot, line string) error {
	const (
		penless = 100 // eggs of a pen of which it is not known how many lay
		months  = 28  // days after which eggs are written down rarely
	)
	pen, n := w.PenByID[c.PenID], c.Eggs+c.rejects()
	switch today := w.Member.Date(w.Now); {
	case pen.Females > 0 && n > 2*pen.Females+2:
		p.Doubtf(tx.Request, "eggs", "%d from %d females of %s, laid on one day?", n, pen.Females, pen.Name)
	case pen.Females == 0 && n > penless:
		p.Doubtf(tx.Request, "eggs", "%d from %s, laid on one day?", n, pen.Name)
	case c.rejects() >= 10 && c.rejects() > c.Eggs:
		p.Doubtf(tx.Request, "reasons", "%d not fit to set, and %d sound?", c.rejects(), c.Eggs)
	case farm.AgeDays(c.LaidOn, today) > months:
		p.Doubtf(tx.Request, "date", "Laid %d days ago?", farm.AgeDays(c.LaidOn, today))
	}
	again, err := stockrows.On(tx).SaidSince(ctx, w.Member.PersonID, w.Now.Add(-time.Minute), line)
	if again {
		p.Doubtf(tx.Request, "eggs", "You entered the same a moment ago: %s Once more?", line)
	}
	return err
}

// marksOf says which codes are to be pencilled on the eggs of which pen.
func marksOf(w *snapshot.Snapshot, all []Collected, codes []string) []string {
	n := 0
	for _, c := range all {
		n += c.Eggs
	}
	if len(all) == 1 || n != len(codes) { // eggs of before are among them
		return toMark(codes)
	}
	var said []string
	for _, c := range all {
		if c.Eggs > 0 {
			mark := toMark(codes[:c.Eggs])[0]
			said = append(said, w.PenByID[c.PenID].Name+": "+strings.ToLower(mark[:1])+mark[1:])
			codes = codes[c.Eggs:]
		}
	}
	return said
}

// toMark says which codes are to be pencilled on new eggs.
func toMark(codes []string) []string {
	switch len(codes) {
	case 0:
		return nil
	case 1:
		return []string{fmt.Sprintf("Mark it %s.", codes[0])}
	default:
		return []string{fmt.Sprintf("Mark them %s.", marks.List(codes))}
	}
}

// collection checks one gathering and gives its row.
func collection(p *farm.Problems, w *snapshot.Snapshot, up upkeep.Upkeep, c Collected) stockrows.Collection {
	pen, ok := w.PenByID[c.PenID]
	if !ok || pen.Supplier {
		p.Addf("pen", "Pick the pen that the eggs are from.")
	} else if w.IsReptiles(pen) {
		p.Addf("pen", "Clutches of reptiles are set on the day on which they are found, under Clutches.")
	}
	row := stockrows.Collection{
		PenID: c.PenID, LaidOn: c.LaidOn, Eggs: c.Eggs, Rejected: c.Rejected, Reasons: c.Reasons, MassG: c.MassG,
		LengthMM: c.LengthMM, BreadthMM: c.Breadth,
	}
	row.Note = gathering(p, c.LaidOn, c.Eggs, c.rejects(), c.Note, w.Member.Date(w.Now))
	row.Hen = p.Name("hen", "The hen", c.Hen, 30, false)
	for id, n := range c.Reasons {
		if _, known := grading.Known(id); !known {
			p.Addf("reasons", "%q is no reason to reject an egg.", id)
		}
		p.Count("reasons", "The number of rejects", n, 0, farm.MaxEggs)
	}
	if c.Washing == "" && ok {
		c.Washing = w.Method(pen.Species).Washing
	}
	row.Washing, row.WashWith = c.shells(p, ok)
	if c.PlaceID != 0 {
		if !slices.ContainsFunc(up.Places, func(x stockrows.StoragePlace) bool { return x.ID == c.PlaceID }) {
			p.Addf("place", "Pick where the eggs are kept.")
		}
		row.PlaceID = &c.PlaceID
	}
	c.size(p, w.Member.Units())
	if c.LaidOn.Equal(w.Member.Date(w.Now)) {
		row.At = &w.Now
		if row.Washing == string(method.Washed) && w.Member.DryHours > 0 {
			dry := w.Now.Add(time.Duration(w.Member.DryHours) * time.Hour)
			row.ReadyAt = &dry
		}
	}
	return row
}

// shells checks what was done to them.
func (c Collected) shells(p *farm.Problems, penKnown bool) (washing, with string) {
	if penKnown && !slices.Contains(method.Washings, c.Washing) {
		p.Addf("washing", "Pick what was done to the shells.")
	}
	with = p.Name("wash_with", "What they were cleaned with", c.WashWith, 60, false)
	return string(c.Washing), with
}

// size checks weight and measures.
func (c Collected) size(p *farm.Problems, r units.Reader) {
	p.Mass(r, "mass", "The weight", c.MassG, .3, 400)
	p.Measure("length", "The length", c.LengthMM, 8, 150, "mm")
	p.Measure("breadth", "The breadth", c.Breadth, 6, 120, "mm")
	if (c.LengthMM == nil) != (c.Breadth == nil) {
		p.Addf("breadth", "Give both length and breadth, or neither.")
	}
}

// gathered says one gathering in words.
func gathered(w *snapshot.Snapshot, c Collected, weighed []stockrows.Weighed) string {
	pen := w.PenByID[c.PenID]
	said := fmt.Sprintf("%s from %s", wording.Plural(c.Eggs, "egg"), pen.Name)
	if c.Hen != "" {
		said += ", hen " + c.Hen
	}
	if !c.LaidOn.Equal(w.Member.Date(w.Now)) {
		said += c.LaidOn.Format(", laid 2 Jan")
	}
	for _, r := range grading.Reasons {
		if n := c.Reasons[r.ID]; n > 0 {
			said += fmt.Sprintf(", %d %s", n, r.Name)
		}
	}
	if c.Rejected > 0 {
		said += fmt.Sprintf(", %d rejected", c.Rejected)
	}
	said += "."
	kind, err := w.Kind(pen.Species)
	if err != nil {
		return said
	}
	mass := 0.0
	switch {
	case c.MassG != nil:
		mass = *c.MassG
	case c.LengthMM != nil && c.Breadth != nil:
		mass = moisture.FreshMass(*c.LengthMM, *c.Breadth)
		said += fmt.Sprintf(" Fresh weight about %s by its size.", w.Member.Units().Mass(mass))
	}
	var usual grading.Usual
	for _, u := range weighed {
		if u.PenID == pen.ID {
			usual = grading.Usual{N: u.N, Mean: u.Mean, SD: u.SD}
		}
	}
	if _, says := usual.Size(mass, kind.EggG.At, w.Member.Units()); says != "" {
		said += " " + says + " Better not set it."
	}
	return said
}

func gathering(p *farm.Problems, laidOn time.Time, eggs, rejected int, note string, today time.Time) string {
	p.Date("date", "The day of laying", laidOn, today)
	p.Count("eggs", "The number of sound eggs", eggs, 0, farm.MaxEggs)
	p.Count("rejected", "The number of rejects", rejected, 0, farm.MaxEggs)
	if eggs == 0 && rejected == 0 {
		p.Addf("eggs", "Say how many eggs there were.")
	}
	return p.Name("note", "The note", note, 500, false)
}
