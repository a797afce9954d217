package stock

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
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/store"
)

// ImportLine is one line of a file of collections.
type ImportLine struct {
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
	NewPens               []farm.Pen // named in the file, and not on the farm
	Entry                 int64
}

// ImportEggs brings lines in, all or none. A line that came in before, by this
// or another file, changes nothing. Pens that the farm does not have are made
// if makePens is set, and reported otherwise.
func (b *Service) ImportEggs(
	ctx context.Context, m *farm.Member, lines []ImportLine, makePens bool,
) (done Imported, err error) {
	if err := m.Refuse(farm.Keeping); err != nil {
		return done, err
	}
	err = b.Write(ctx, m, func(tx *farm.Tx) error {
		done = Imported{}
		pens, err := tx.Pens(ctx)
		if err != nil {
			return err
		}
		byName := map[string]farm.Pen{}
		for _, p := range pens {
			byName[strings.ToLower(p.Name)] = p
		}
		done.check(lines, byName, m.Date(b.Now()))
		if len(done.Bad) > 0 || (len(done.NewPens) > 0 && !makePens) {
			return nil
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

func (d *Imported) check(lines []ImportLine, pens map[string]farm.Pen, today time.Time) {
	fresh := map[string]int{}
	for _, l := range lines {
		bad := func(column, value string, err error) {
			d.Bad = append(d.Bad, BadLine{l.No, column, value, err.Error()})
		}
		var p farm.Problems
		gathering(&p, l.Date, l.Eggs, l.Rejected, l.Note, today)
		for _, one := range p {
			value := map[string]string{
				"date": l.Date.Format("2006-01-02"), "eggs": fmt.Sprint(l.Eggs), "rejected": fmt.Sprint(l.Rejected),
				"note": l.Note,
			}[one.Field]
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
				bad("species", l.Species, fmt.Errorf(
					"an earlier line has %s for the pen %s", d.NewPens[i].Species, l.Pen,
				))
			}
			if l.Date.Before(d.NewPens[i].FromOn) {
				d.NewPens[i].FromOn = l.Date
			}
		default:
			pen, err := farm.CheckPen(farm.Pen{Name: l.Pen, Species: kind.ID, FromOn: l.Date}, today)
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

func (d *Imported) bring(
	ctx context.Context, tx *farm.Tx, lines []ImportLine, pens map[string]farm.Pen, made int,
) error {
	var about journal.Subjects
	same := map[string]int{} // equal lines of one file are different gatherings
	all := make([]store.Collection, len(lines))
	for i, l := range lines {
		text := fmt.Sprintf(
			"%s|%s|%d|%d|%s", l.Date.Format("2006-01-02"), strings.ToLower(l.Pen), l.Eggs, l.Rejected, l.Note,
		)
		same[text]++
		sum := sha256.Sum256(fmt.Appendf(nil, "%s|%d", text, same[text]))
		key := hex.EncodeToString(sum[:16])
		all[i] = store.Collection{
			PenID: pens[strings.ToLower(l.Pen)].ID, LaidOn: l.Date, Eggs: l.Eggs, Rejected: l.Rejected,
			Note: strings.TrimSpace(l.Note), ImportKey: &key,
		}
		about = about.And(journal.Pen, all[i].PenID)
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
	if _, err := farm.AssignCodes(ctx, tx.Tx, tx.Member.Date(tx.At)); err != nil {
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
	said := fmt.Sprintf(
		"Brought in %s from a file: %s, %d rejected", wording.Plural(d.Lines, "line"), wording.Plural(d.Eggs, "egg"),
		d.Rejected,
	)
	if made > 0 {
		said += ", " + wording.Plural(made, "new pen")
	}
	done, err := journal.Record(ctx, tx, about, journal.Undo{dropCollections.Of(ids)}, "%s.", said)
	d.Entry = done.Entry
	return err
}
