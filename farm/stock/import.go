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
	"metrogon/farm/snapshot"
	"metrogon/store/books"
	rows "metrogon/store/stock"
)

// ImportLine is one line of a file of collections.
type ImportLine struct {
	No             int // in the file, the header is 1
	Date           time.Time
	Pen, Species   string
	Eggs, Rejected int
	Note           string
}

// Imported is what a list of collections brought in, or would.
type Imported struct {
	farm.Listing
	Lines, Eggs, Rejected int // new ones
	makes                 []snapshot.Pen
}

// ImportEggs brings lines in, all or none; with dry it only looks. A line that came in before, by this or
// another file, changes nothing. Pens that the farm does not have are made.
func (b *Service) ImportEggs(
	ctx context.Context, req farm.Request, lines []ImportLine, dry bool,
) (done Imported, err error) {
	byName := map[string]snapshot.Pen{}
	keys := keysOf(lines)
	err = b.TakeIn(ctx, req, dry, &done.Listing, func(tx *farm.Tx) error {
		pens, err := tx.Pens(ctx)
		if err != nil {
			return err
		}
		for _, p := range pens {
			byName[strings.ToLower(p.Name)] = p
		}
		done.check(lines, byName, req.Date(b.Now()))
		return done.sift(ctx, tx, lines, keys)
	}, func(tx *farm.Tx) (farm.Done, error) {
		for _, p := range done.makes {
			if p.ID, err = tx.SavePen(ctx, p); err != nil {
				return farm.Done{}, err
			}
			byName[strings.ToLower(p.Name)] = p
		}
		return done.bring(ctx, tx, lines, keys, byName)
	})
	return done, err
}

// keysOf names lines, the same each time they come; equal lines of one list are different gatherings.
func keysOf(lines []ImportLine) []string {
	same := map[string]int{}
	keys := make([]string, len(lines))
	for i, l := range lines {
		text := fmt.Sprintf(
			"%s|%s|%d|%d|%s", l.Date.Format("2006-01-02"), strings.ToLower(l.Pen), l.Eggs, l.Rejected, l.Note,
		)
		same[text]++
		sum := sha256.Sum256(fmt.Appendf(nil, "%s|%d", text, same[text]))
		keys[i] = hex.EncodeToString(sum[:16])
	}
	return keys
}

// sift counts the lines that are new.
func (d *Imported) sift(ctx context.Context, tx *farm.Tx, lines []ImportLine, keys []string) error {
	known, err := books.On(tx).KnownLines(ctx, keys)
	if err != nil {
		return err
	}
	before := map[string]bool{}
	for _, k := range known {
		before[k] = true
	}
	d.Lines, d.Eggs, d.Rejected = 0, 0, 0
	for i, l := range lines {
		if before[keys[i]] {
			d.Known++
			continue
		}
		d.Lines, d.Eggs, d.Rejected = d.Lines+1, d.Eggs+l.Eggs, d.Rejected+l.Rejected
	}
	d.TooMany(d.Eggs + d.Rejected)
	if d.Lines > 0 {
		d.Holds = []string{
			wording.Plural(d.Lines, "line"), wording.Plural(d.Eggs, "egg"), fmt.Sprintf("%d rejected", d.Rejected),
		}
	}
	return nil
}

func (d *Imported) check(lines []ImportLine, pens map[string]snapshot.Pen, today time.Time) {
	fresh := map[string]int{}
	d.makes = nil
	for _, l := range lines {
		bad := func(column, value string, err error) { d.Wrong(l.No, column, "%q: %v", value, err) }
		var p farm.Problems
		gathering(&p, l.Date, l.Eggs, l.Rejected, l.Note, today)
		for _, one := range p {
			value := map[string]string{
				"date": l.Date.Format("2006-01-02"), "eggs": fmt.Sprint(l.Eggs), "rejected": fmt.Sprint(l.Rejected),
				"note": l.Note,
			}[one.Field]
			bad(one.Field, value, errors.New(one.Says))
		}
		kind, err := species.Called(l.Species)
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
			if d.makes[i].Species != kind.ID {
				bad("species", l.Species, fmt.Errorf(
					"an earlier line has %s for the pen %s", d.makes[i].Species, l.Pen,
				))
			}
			if l.Date.Before(d.makes[i].FromOn) {
				d.makes[i].FromOn = l.Date
			}
		default:
			pen, err := snapshot.CheckPen(snapshot.Pen{Name: l.Pen, Species: kind.ID, FromOn: l.Date}, today)
			if err != nil {
				bad("pen", l.Pen, err)
				continue
			}
			fresh[strings.ToLower(l.Pen)] = len(d.makes)
			d.makes, d.NewPens = append(d.makes, pen), append(d.NewPens, fmt.Sprintf("%s (%s)", pen.Name, kind.Name))
		}
	}
}

// linesAtOnce keeps each statement of a long file short.
const linesAtOnce = 500

func (d *Imported) bring(
	ctx context.Context, tx *farm.Tx, lines []ImportLine, keys []string, pens map[string]snapshot.Pen,
) (farm.Done, error) {
	var about journal.Subjects
	all := make([]rows.Collection, len(lines))
	for i, l := range lines {
		all[i] = rows.Collection{
			PenID: pens[strings.ToLower(l.Pen)].ID, LaidOn: l.Date, Eggs: l.Eggs, Rejected: l.Rejected,
			Note: strings.TrimSpace(l.Note), ImportKey: &keys[i],
		}
		about = about.And(journal.Pen, all[i].PenID)
	}
	var ids []int64
	for some := range slices.Chunk(all, linesAtOnce) {
		made, err := rows.On(tx).Collect(ctx, some)
		if err != nil {
			return farm.Done{}, err
		}
		ids = append(ids, made...)
	}
	if _, err := snapshot.AssignCodes(ctx, tx.Tx, tx.Member.Date(tx.At)); err != nil {
		return farm.Done{}, err
	}
	said := "Brought in " + wording.And(d.Holds) + " from a list"
	if n := len(d.makes); n > 0 {
		said += ", with " + wording.Plural(n, "new pen")
	}
	return journal.Record(ctx, tx, about, journal.Undo{dropCollections.Of(ids)}, "%s.", said)
}
