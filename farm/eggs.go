package farm

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"metrogon/core/grading"
	"metrogon/core/marks"
	"metrogon/core/method"
	"metrogon/core/moisture"
	"metrogon/core/species"
	"metrogon/core/storage"
	"metrogon/core/units"
	"metrogon/core/wording"
	"metrogon/store"
)

// StockRow is one pen's eggs in store, by age.
type StockRow struct {
	Pen
	Kind *species.Profile
	Lots []Lot // oldest first
	Eggs int
}

// Lot is the eggs of a pen and a lay day.
type Lot struct {
	PenID   int64
	LaidOn  time.Time
	Trial   bool // rejected or doubtful ones, to be set apart
	Age     int  // days
	Eggs    int
	Keeping storage.Keeping
	BestOn  time.Time // the last day on which they are at their best
	LastOn  time.Time // the last day before most would stop
	Resting int       // of them, shipped ones that are not to be set yet
	ReadyAt *time.Time
	Young   float64 // to be expected of them, where they are past the day at which most stop
}

// Past tells that they are past the day at which most stop.
func (l Lot) Past() bool { return l.Keeping == storage.Stale || l.Keeping == storage.Late }

// LotOn judges eggs on a date.
func LotOn(kind *species.Profile, s store.Stock, on time.Time) Lot {
	age := AgeDays(s.LaidOn, on)
	return Lot{
		PenID: s.PenID, LaidOn: s.LaidOn, Trial: s.Trial, Age: age, Eggs: s.Eggs, Keeping: storage.Judge(kind, age),
		BestOn: s.LaidOn.AddDate(0, 0, int(kind.StorageBestDays.At)), LastOn: s.LaidOn.AddDate(0, 0, int(kind.StorageLimitDays.At)),
		Resting: s.Resting, ReadyAt: s.ReadyAt,
	}
}

// EggRoom is what is in store.
type EggRoom struct {
	Pens       []Pen // in use, for collecting
	Next       int64 // the pen to collect from next: the first without eggs of today
	Usual      map[int64]method.Washing
	Stock      []StockRow
	Eggs       int
	Turning    int     // of them, eggs that pass their best or last day tomorrow
	Past       int     // past the day at which most stop
	PastYoung  float64 // that these may still give
	Resting    int
	Gatherings []store.Gathering
	Places     []PlaceView
	Today      time.Time
}

// EggRoom shows the stock by pen and age, where it lies, and the newest
// collections.
func (b *Service) EggRoom(ctx context.Context, m *Member) (room EggRoom, err error) {
	err = b.Read(ctx, m, func(tx *Tx) error {
		w, err := tx.Snapshot(ctx)
		if err != nil {
			return err
		}
		if room, err = w.EggRoom(ctx, tx); err != nil {
			return err
		}
		if room.Gatherings, err = tx.Gatherings(ctx, 12); err != nil {
			return err
		}
		room.Next = room.next()
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

func (r EggRoom) next() int64 {
	seen := map[int64]bool{}
	for _, g := range r.Gatherings {
		seen[g.PenID] = seen[g.PenID] || g.LaidOn.Equal(r.Today)
	}
	for _, row := range r.Stock {
		seen[row.ID] = seen[row.ID] || slices.ContainsFunc(row.Lots, func(l Lot) bool { return l.LaidOn.Equal(r.Today) })
	}
	i := slices.IndexFunc(r.Pens, func(p Pen) bool { return !seen[p.ID] })
	if i < 0 {
		return 0
	}
	return r.Pens[i].ID
}

func (w *Snapshot) EggRoom(ctx context.Context, tx *Tx) (EggRoom, error) {
	room := EggRoom{Today: w.Member.Date(w.Now)}
	for _, p := range w.Pens {
		if !p.Supplier && (p.UntilOn == nil || !p.UntilOn.Before(room.Today)) {
			room.Pens = append(room.Pens, p)
		}
	}
	stock, err := tx.Stock(ctx, w.Now)
	if err != nil {
		return room, err
	}
	by := map[int64]*StockRow{}
	for _, s := range stock {
		row := by[s.PenID]
		if row == nil {
			kind, err := w.Kind(w.PenByID[s.PenID].Species)
			if err != nil {
				return room, err
			}
			row = &StockRow{Pen: w.PenByID[s.PenID], Kind: kind}
			by[s.PenID] = row
		}
		l := LotOn(row.Kind, s, room.Today)
		row.Lots = append(row.Lots, l)
		row.Eggs += s.Eggs
		room.Eggs += s.Eggs
		room.Resting += s.Resting
		if l.Keeping == storage.Stale || l.Keeping == storage.Late {
			room.Past += s.Eggs
		} else if storage.Judge(row.Kind, l.Age+1) != l.Keeping {
			room.Turning += s.Eggs
		}
	}
	for _, row := range by {
		young, err := w.lateYoung(ctx, tx, row)
		if err != nil {
			return room, err
		}
		room.PastYoung += young
		room.Stock = append(room.Stock, *row)
	}
	slices.SortFunc(room.Stock, func(a, b StockRow) int {
		if d := CompareKinds(a.Kind, b.Kind); d != 0 {
			return d
		}
		return strings.Compare(a.Name, b.Name)
	})
	return room, nil
}

// lateYoung reckons what eggs past the day at which most stop may still give, as
// Set does, and keeps it with their lots.
func (w *Snapshot) lateYoung(ctx context.Context, tx *Tx, row *StockRow) (young float64, err error) {
	if !slices.ContainsFunc(row.Lots, Lot.Past) {
		return 0, nil
	}
	records, err := ReadAges(ctx, tx, row.Kind.ID)
	if err != nil {
		return 0, err
	}
	x := w.Beliefs(records)
	for i, l := range row.Lots {
		if l.Past() {
			row.Lots[i].Young = x.Expect(row.Kind, row.ID, l.Age, l.Eggs)
			young += row.Lots[i].Young
		}
	}
	return young, nil
}

// OnTrial puts rejected eggs of a collection into store, to be set on trial and told
// apart.
func (b *Service) OnTrial(ctx context.Context, m *Member, key string, collectionID int64, reason string, eggs int) (Done, error) {
	return b.Act(ctx, m, key, func(tx *Tx) (Done, error) {
		var p Problems
		p.Count("eggs", "The number of eggs", eggs, 1, MaxEggs)
		if err := p.Err(); err != nil {
			return Done{}, err
		}
		ids, err := tx.OnTrial(ctx, collectionID, reason, eggs)
		if err != nil {
			return Done{}, err
		}
		if len(ids) == 0 {
			return Done{}, Problemf("eggs", "There are none of these rejected eggs any more.")
		}
		codes, err := AssignCodes(ctx, tx.Tx, m.Date(b.Now()))
		if err != nil {
			return Done{}, err
		}
		said := wording.Plural(len(ids), "rejected egg") + " in store on trial"
		if len(codes) > 0 {
			said += fmt.Sprintf("; mark them %s to %s", codes[0], codes[len(codes)-1])
		}
		return Record(ctx, tx, nil, Undo{offTrial.Of(ids)}, "%s.", said)
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
func (b *Service) Collect(ctx context.Context, m *Member, key string, all ...Collected) (Done, error) {
	return b.Act(ctx, m, key, func(tx *Tx) (Done, error) {
		w, err := tx.Snapshot(ctx)
		if err != nil {
			return Done{}, err
		}
		up, err := w.Upkeep(ctx, tx)
		if err != nil {
			return Done{}, err
		}
		weighed, err := tx.Weighed(ctx)
		if err != nil {
			return Done{}, err
		}
		var p Problems
		var said []string
		var about Subjects
		rows := make([]store.Collection, len(all))
		for i, c := range all {
			rows[i] = p.collection(w, up, c)
			about = about.And("pen", c.PenID)
			said = append(said, w.gathered(c, weighed))
		}
		if len(all) == 0 {
			p.Addf("eggs", "Say how many eggs there were.")
		}
		if err := p.Err(); err != nil {
			return Done{}, err
		}
		ids, err := tx.Collect(ctx, rows)
		if err != nil {
			return Done{}, err
		}
		codes, err := AssignCodes(ctx, tx.Tx, m.Date(b.Now()))
		if err != nil {
			return Done{}, err
		}
		switch n := len(codes); {
		case n > 1:
			said = append(said, fmt.Sprintf("Mark them %s to %s.", codes[0], codes[n-1]))
		case n == 1:
			said = append(said, fmt.Sprintf("Mark it %s.", codes[0]))
		}
		return Record(ctx, tx, about, Undo{dropCollections.Of(ids)}, "%s", strings.Join(said, " "))
	})
}

// collection checks one gathering and gives its row.
func (p *Problems) collection(w *Snapshot, up store.Upkeep, c Collected) store.Collection {
	pen, ok := w.PenByID[c.PenID]
	if !ok || pen.Supplier {
		p.Addf("pen", "Pick the pen that the eggs are from.")
	}
	row := store.Collection{PenID: c.PenID, LaidOn: c.LaidOn, Eggs: c.Eggs, Rejected: c.Rejected, Reasons: c.Reasons, MassG: c.MassG, LengthMM: c.LengthMM, BreadthMM: c.Breadth}
	row.Note = p.gathering(c.LaidOn, c.Eggs, c.rejects(), c.Note, w.Member.Date(w.Now))
	row.Hen = p.Name("hen", "The hen", c.Hen, 30, false)
	for id, n := range c.Reasons {
		if _, known := grading.Known(id); !known {
			p.Addf("reasons", "%q is no reason to reject an egg.", id)
		}
		p.Count("reasons", "The number of rejects", n, 0, MaxEggs)
	}
	if c.Washing == "" && ok {
		c.Washing = w.Method(pen.Species).Washing
	}
	if ok && !slices.Contains(method.Washings, c.Washing) {
		p.Addf("washing", "Pick what was done to the shells.")
	}
	row.Washing = string(c.Washing)
	if row.WashWith = p.Name("wash_with", "What they were washed with", c.WashWith, 60, false); c.Washing != method.Washed {
		row.WashWith = ""
	}
	if c.PlaceID != 0 {
		if !slices.ContainsFunc(up.Places, func(x store.StoragePlace) bool { return x.ID == c.PlaceID }) {
			p.Addf("place", "Pick where the eggs are kept.")
		}
		row.PlaceID = &c.PlaceID
	}
	p.Mass(w.Member.Units(), "mass", "The weight", c.MassG, .3, 400)
	p.Measure("length", "The length", c.LengthMM, 8, 150, "mm")
	p.Measure("breadth", "The breadth", c.Breadth, 6, 120, "mm")
	if (c.LengthMM == nil) != (c.Breadth == nil) {
		p.Addf("breadth", "Give both length and breadth, or neither.")
	}
	if c.LaidOn.Equal(w.Member.Date(w.Now)) {
		row.At = &w.Now
	}
	return row
}

func (p *Problems) Measure(field, what string, v *float64, least, most float64, unit string) {
	if outside(v, least, most) {
		p.Addf(field, "%s", units.Outside(what, *v, least, most, unit))
	}
}

// Temp and mass say what is wrong in the units in which it was typed.
func (p *Problems) Temp(r units.Reader, field, what string, c *float64, least, most float64) {
	if outside(c, least, most) {
		p.Addf(field, "%s", r.OutsideTemp(what, *c, least, most))
	}
}

func (p *Problems) Mass(r units.Reader, field, what string, g *float64, least, most float64) {
	if outside(g, least, most) {
		p.Addf(field, "%s", r.OutsideMass(what, *g, least, most))
	}
}

func outside(v *float64, least, most float64) bool { return v != nil && !(*v >= least && *v <= most) }

// gathered says one gathering in words.
func (w *Snapshot) gathered(c Collected, weighed []store.Weighed) string {
	pen := w.PenByID[c.PenID]
	said := fmt.Sprintf("%s from %s", wording.Plural(c.Eggs, "egg"), pen.Name)
	if c.Hen != "" {
		said += ", hen " + c.Hen
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

// oldestSet is how many days eggs may have waited when they are set.
const OldestSet = 60

// AssignCodes gives every living egg that has none, and that is young enough to be set,
// a pencil code, and returns the codes given.
func AssignCodes(ctx context.Context, tx *store.Tx, today time.Time) ([]string, error) {
	eggs, err := tx.Unmarked(ctx, today.AddDate(0, 0, -OldestSet))
	if err != nil || len(eggs) == 0 {
		return nil, err
	}
	last, used, err := tx.Marks(ctx)
	if err != nil {
		return nil, err
	}
	inUse := make(map[string]bool, len(used))
	for _, code := range used {
		inUse[code] = true
	}
	codes := marks.Next(last, len(eggs), inUse)
	return codes, tx.SetMarks(ctx, eggs, codes)
}

func (p *Problems) gathering(laidOn time.Time, eggs, rejected int, note string, today time.Time) string {
	p.Date("date", "The day of laying", laidOn, today)
	p.Count("eggs", "The number of sound eggs", eggs, 0, MaxEggs)
	p.Count("rejected", "The number of rejects", rejected, 0, MaxEggs)
	if eggs == 0 && rejected == 0 {
		p.Addf("eggs", "Say how many eggs there were.")
	}
	return p.Name("note", "The note", note, 500, false)
}

// CastOut takes eggs of one pen and day out of the store: eaten, sold, thrown away.
func (b *Service) CastOut(ctx context.Context, m *Member, key string, penID int64, laidOn time.Time, eggs int) (Done, error) {
	return b.Act(ctx, m, key, func(tx *Tx) (Done, error) {
		var p Problems
		p.Count("eggs", "The number of eggs", eggs, 1, MaxEggs)
		p.Date("date", "The day of laying", laidOn, m.Date(b.Now()))
		if err := p.Err(); err != nil {
			return Done{}, err
		}
		ids, err := tx.CastOut(ctx, penID, laidOn, eggs, b.Now())
		if err != nil {
			return Done{}, err
		}
		if len(ids) == 0 {
			return Done{}, Problemf("eggs", "There are none of these eggs in store any more.")
		}
		return Record(ctx, tx, On("pen", penID), Undo{putBack.Of(ids)}, "%s of %s taken out of the store.", wording.Plural(len(ids), "egg"), laidOn.Format("2 Jan"))
	})
}

// Line is one line of a file of collections.
type Line struct {
	No             int // in the file, the header is 1
	Date           time.Time
	Pen, Species   string
	Eggs, Rejected int
	Note           string
}

// BadLine says what is wrong with one value of a file.
type BadLine struct {
	No                    int
	Column, Value, Reason string
}

// Imported says what a file did, or what is in its way. Nothing came in unless
// Bad and NewPens are empty.
type Imported struct {
	Lines, Eggs, Rejected int
	Known                 int // lines that had come in before
	Bad                   []BadLine
	NewPens               []Pen // named in the file, and not on the farm
	Entry                 int64
}

// ImportEggs brings lines in, all or none. A line that came in before, by this
// or another file, changes nothing. Pens that the farm does not have are made
// if makePens is set, and reported otherwise.
func (b *Service) ImportEggs(ctx context.Context, m *Member, lines []Line, makePens bool) (done Imported, err error) {
	err = b.Write(ctx, m, func(tx *Tx) error {
		done = Imported{}
		pens, err := tx.Pens(ctx)
		if err != nil {
			return err
		}
		byName := map[string]Pen{}
		for _, p := range pens {
			byName[strings.ToLower(p.Name)] = p
		}
		done.check(lines, byName, m.Date(b.Now()))
		if len(done.Bad) > 0 || (len(done.NewPens) > 0 && !makePens) {
			return nil
		}
		if len(done.NewPens) > 0 && !m.Owner() {
			return ErrNotOwner
		}
		for _, p := range done.NewPens {
			if p.ID, err = tx.SavePen(ctx, p); err != nil {
				return err
			}
			byName[strings.ToLower(p.Name)] = p
		}
		made := len(done.NewPens)
		done.NewPens = nil
		return done.bring(ctx, tx, lines, byName, made)
	})
	return
}

func (d *Imported) check(lines []Line, pens map[string]Pen, today time.Time) {
	fresh := map[string]int{}
	for _, l := range lines {
		bad := func(column, value string, err error) {
			d.Bad = append(d.Bad, BadLine{l.No, column, value, err.Error()})
		}
		var p Problems
		p.gathering(l.Date, l.Eggs, l.Rejected, l.Note, today)
		for _, one := range p {
			value := map[string]string{"date": l.Date.Format("2006-01-02"), "eggs": fmt.Sprint(l.Eggs), "rejected": fmt.Sprint(l.Rejected), "note": l.Note}[one.Field]
			bad(one.Field, value, errors.New(one.Says))
		}
		kind, err := species.Find(strings.ToLower(l.Species))
		if err != nil && l.Species != "" {
			bad("species", l.Species, err)
			continue
		}
		pen, known := pens[strings.ToLower(l.Pen)]
		switch i, seen := fresh[strings.ToLower(l.Pen)]; {
		case known && kind != nil && kind.ID != pen.Species:
			bad("species", l.Species, fmt.Errorf("the pen %s holds %s", pen.Name, pen.Species))
		case known:
		case kind == nil:
			bad("species", "", fmt.Errorf("the farm has no pen %q yet, so its species must be given", l.Pen))
		case seen:
			if d.NewPens[i].Species != kind.ID {
				bad("species", l.Species, fmt.Errorf("an earlier line has %s for the pen %s", d.NewPens[i].Species, l.Pen))
			}
			if l.Date.Before(d.NewPens[i].FromOn) {
				d.NewPens[i].FromOn = l.Date
			}
		default:
			pen, err := CheckPen(Pen{Name: l.Pen, Species: kind.ID, FromOn: l.Date}, today)
			if err != nil {
				bad("pen", l.Pen, err)
				continue
			}
			fresh[strings.ToLower(l.Pen)] = len(d.NewPens)
			d.NewPens = append(d.NewPens, pen)
		}
	}
}

// linesAtOnce keeps each statement of a long file short.
const linesAtOnce = 500

func (d *Imported) bring(ctx context.Context, tx *Tx, lines []Line, pens map[string]Pen, made int) error {
	var about Subjects
	same := map[string]int{} // equal lines of one file are different gatherings
	all := make([]store.Collection, len(lines))
	for i, l := range lines {
		text := fmt.Sprintf("%s|%s|%d|%d|%s", l.Date.Format("2006-01-02"), strings.ToLower(l.Pen), l.Eggs, l.Rejected, l.Note)
		same[text]++
		sum := sha256.Sum256(fmt.Appendf(nil, "%s|%d", text, same[text]))
		key := hex.EncodeToString(sum[:16])
		all[i] = store.Collection{PenID: pens[strings.ToLower(l.Pen)].ID, LaidOn: l.Date, Eggs: l.Eggs, Rejected: l.Rejected, Note: strings.TrimSpace(l.Note), ImportKey: &key}
		about = about.And("pen", all[i].PenID)
		d.Eggs += l.Eggs
		d.Rejected += l.Rejected
	}
	var ids []int64
	for some := range slices.Chunk(all, linesAtOnce) {
		made, err := tx.Collect(ctx, some)
		if err != nil {
			return err
		}
		ids = append(ids, made...)
	}
	if _, err := AssignCodes(ctx, tx.Tx, tx.Member.Date(tx.At)); err != nil {
		return err
	}
	d.Lines, d.Known = len(ids), len(lines)-len(ids)
	if d.Known > 0 { // only the new lines count
		d.Eggs, d.Rejected = 0, 0
		if d.Lines > 0 {
			var err error
			if d.Eggs, d.Rejected, err = tx.CountCollected(ctx, ids); err != nil {
				return err
			}
		}
	}
	if d.Lines == 0 {
		return nil
	}
	said := fmt.Sprintf("Brought in %s from a file: %s, %d rejected", wording.Plural(d.Lines, "line"), wording.Plural(d.Eggs, "egg"), d.Rejected)
	if made > 0 {
		said += ", " + wording.Plural(made, "new pen")
	}
	done, err := Record(ctx, tx, about, Undo{dropCollections.Of(ids)}, "%s.", said)
	d.Entry = done.Entry
	return err
}
