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

	"metrogon/core/species"
	"metrogon/core/storage"
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
	Age     int // days
	Eggs    int
	Keeping storage.Keeping
}

// EggRoom is what is in store.
type EggRoom struct {
	Pens       []Pen // in use, for collecting
	Stock      []StockRow
	Eggs       int
	Turning    int // of them, eggs that pass their best or last day tomorrow
	Past       int // past the day at which most stop
	Gatherings []store.Gathering
	Today      time.Time
}

// EggRoom shows the stock by pen and age, and the newest collections.
func (b *Books) EggRoom(ctx context.Context, m *Member) (room EggRoom, err error) {
	err = b.read(ctx, m, func(tx *store.Tx) error {
		w, err := b.barn(ctx, tx, m)
		if err != nil {
			return err
		}
		if room, err = w.eggRoom(ctx, tx); err != nil {
			return err
		}
		room.Gatherings, err = tx.Gatherings(ctx, 12)
		return err
	})
	return
}

func (w *barn) eggRoom(ctx context.Context, tx *store.Tx) (EggRoom, error) {
	room := EggRoom{Today: w.member.Date(w.now)}
	for _, p := range w.penList {
		if p.UntilOn == nil || !p.UntilOn.Before(room.Today) {
			room.Pens = append(room.Pens, p)
		}
	}
	stock, err := tx.Stock(ctx)
	if err != nil {
		return room, err
	}
	by := map[int64]*StockRow{}
	for _, s := range stock {
		row := by[s.PenID]
		if row == nil {
			kind, err := species.Find(w.pens[s.PenID].Species)
			if err != nil {
				return room, err
			}
			row = &StockRow{Pen: w.pens[s.PenID], Kind: kind}
			by[s.PenID] = row
		}
		age := ageDays(s.LaidOn, room.Today)
		lot := Lot{s.PenID, s.LaidOn, age, s.Eggs, storage.Judge(row.Kind, age)}
		row.Lots = append(row.Lots, lot)
		row.Eggs += s.Eggs
		room.Eggs += s.Eggs
		if lot.Keeping == storage.Stale || lot.Keeping == storage.Lost {
			room.Past += s.Eggs
		} else if storage.Judge(row.Kind, age+1) != lot.Keeping {
			room.Turning += s.Eggs
		}
	}
	for _, row := range by {
		room.Stock = append(room.Stock, *row)
	}
	slices.SortFunc(room.Stock, func(a, b StockRow) int {
		if d := compareKinds(a.Kind, b.Kind); d != 0 {
			return d
		}
		return strings.Compare(a.Name, b.Name)
	})
	return room, nil
}

// Collected is one gathering as it is typed.
type Collected struct {
	PenID          int64
	LaidOn         time.Time
	Eggs, Rejected int
	Note           string
}

// Collect records what was gathered from one pen.
func (b *Books) Collect(ctx context.Context, m *Member, key string, c Collected) (Done, error) {
	return b.act(ctx, m, key, func(tx *store.Tx) (Done, error) {
		w, err := b.barn(ctx, tx, m)
		if err != nil {
			return Done{}, err
		}
		var p Problems
		pen, ok := w.pens[c.PenID]
		if !ok {
			p.add("pen", "Pick the pen that the eggs are from.")
		}
		c.Note = p.gathering(c.LaidOn, c.Eggs, c.Rejected, c.Note, m.Date(w.now))
		if err := p.err(); err != nil {
			return Done{}, err
		}
		ids, err := tx.Collect(ctx, []store.Collection{{PenID: c.PenID, LaidOn: c.LaidOn, Eggs: c.Eggs, Rejected: c.Rejected, Note: c.Note}})
		if err != nil {
			return Done{}, err
		}
		said := fmt.Sprintf("%s from %s", plural(c.Eggs, "egg"), pen.Name)
		if c.Rejected > 0 {
			said += fmt.Sprintf(", %d rejected", c.Rejected)
		}
		return b.wrote(ctx, tx, m, 0, &undo{Collections: ids}, "%s.", said)
	})
}

func (p *Problems) gathering(laidOn time.Time, eggs, rejected int, note string, today time.Time) string {
	p.date("date", "The day of laying", laidOn, today)
	p.count("eggs", "The number of sound eggs", eggs, 0, MaxEggs)
	p.count("rejected", "The number of rejects", rejected, 0, MaxEggs)
	if eggs == 0 && rejected == 0 {
		p.add("eggs", "Say how many eggs there were.")
	}
	return p.name("note", "The note", note, 500, false)
}

// CastOut takes eggs of one pen and day out of the store: eaten, sold, thrown away.
func (b *Books) CastOut(ctx context.Context, m *Member, key string, penID int64, laidOn time.Time, eggs int) (Done, error) {
	return b.act(ctx, m, key, func(tx *store.Tx) (Done, error) {
		var p Problems
		p.count("eggs", "The number of eggs", eggs, 1, MaxEggs)
		p.date("date", "The day of laying", laidOn, m.Date(b.Now()))
		if err := p.err(); err != nil {
			return Done{}, err
		}
		ids, err := tx.CastOut(ctx, penID, laidOn, eggs, b.Now())
		if err != nil {
			return Done{}, err
		}
		if len(ids) == 0 {
			return Done{}, problem("eggs", "There are none of these eggs in store any more.")
		}
		return b.wrote(ctx, tx, m, 0, &undo{PutBack: ids}, "%s of %s taken out of the store.", plural(len(ids), "egg"), laidOn.Format("2 Jan"))
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
func (b *Books) ImportEggs(ctx context.Context, m *Member, lines []Line, makePens bool) (done Imported, err error) {
	err = b.db.Farm(ctx, m.FarmID, func(tx *store.Tx) error {
		done = Imported{}
		if err := tx.Queue(ctx); err != nil {
			return err
		}
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
			return errOwner
		}
		for _, p := range done.NewPens {
			if p.ID, err = tx.SavePen(ctx, p); err != nil {
				return err
			}
			byName[strings.ToLower(p.Name)] = p
		}
		made := len(done.NewPens)
		done.NewPens = nil
		return done.bring(ctx, b, tx, m, lines, byName, made)
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
			pen, err := checkPen(Pen{Name: l.Pen, Species: kind.ID, FromOn: l.Date}, today)
			if err != nil {
				bad("pen", l.Pen, err)
				continue
			}
			fresh[strings.ToLower(l.Pen)] = len(d.NewPens)
			d.NewPens = append(d.NewPens, pen)
		}
	}
}

func (d *Imported) bring(ctx context.Context, b *Books, tx *store.Tx, m *Member, lines []Line, pens map[string]Pen, made int) error {
	same := map[string]int{} // equal lines of one file are different gatherings
	all := make([]store.Collection, len(lines))
	for i, l := range lines {
		text := fmt.Sprintf("%s|%s|%d|%d|%s", l.Date.Format("2006-01-02"), strings.ToLower(l.Pen), l.Eggs, l.Rejected, l.Note)
		same[text]++
		sum := sha256.Sum256(fmt.Appendf(nil, "%s|%d", text, same[text]))
		key := hex.EncodeToString(sum[:16])
		all[i] = store.Collection{PenID: pens[strings.ToLower(l.Pen)].ID, LaidOn: l.Date, Eggs: l.Eggs, Rejected: l.Rejected, Note: strings.TrimSpace(l.Note), ImportKey: &key}
		d.Eggs += l.Eggs
		d.Rejected += l.Rejected
	}
	ids, err := tx.Collect(ctx, all)
	if err != nil {
		return err
	}
	d.Lines, d.Known = len(ids), len(lines)-len(ids)
	if d.Known > 0 { // only the new lines count
		d.Eggs, d.Rejected = 0, 0
		if d.Lines > 0 {
			if d.Eggs, d.Rejected, err = tx.CountCollected(ctx, ids); err != nil {
				return err
			}
		}
	}
	if d.Lines == 0 {
		return nil
	}
	said := fmt.Sprintf("Brought in %s from a file: %s, %d rejected", plural(d.Lines, "line"), plural(d.Eggs, "egg"), d.Rejected)
	if made > 0 {
		said += ", " + plural(made, "new pen")
	}
	done, err := b.wrote(ctx, tx, m, 0, &undo{Collections: ids}, "%s.", said)
	d.Entry = done.Entry
	return err
}
