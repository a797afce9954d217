package weigh

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"metrogon/core/candling"
	"metrogon/core/moisture"
	"metrogon/core/units"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
	rows "metrogon/store/weigh"
)

// Weighing is a weighing, or a look at the air cell, as it is typed.
type Weighing struct {
	TrayID int64  // 0: the whole batch, or one egg
	Code   string // of one egg, as it is written on it
	Eggs   int
	MassG  float64
	Cell   Cell
	RHPct  float64 // since the last time
	TempC  float64
	At     time.Time
	Sure   bool // the odd figure is right
}

// Cell is an air cell that was read in place of a weight: by ruler, from the blunt
// end to its edge, or as the drawing that it looks most like.
type Cell struct {
	DepthMM float64
	LossPct float64 // that the drawing was made for
	Drawn   bool
}

func (c Cell) read() bool { return c.Drawn || c.DepthMM != 0 }

// Drawings are the losses in percent for which air cells are drawn to compare.
var Drawings = []float64{0, 3, 6, 9, 12, 15, 19}

// pct is the share of the egg's volume that the cell takes, in percent.
func (c Cell) pct(eggG float64) float64 {
	if c.Drawn {
		return 100 * moisture.CellAfter(c.LossPct)
	}
	return 100 * moisture.CellShare(c.DepthMM/moisture.Length(eggG))
}

// Record keeps a weighing. An odd one (weight up, ounces for grams, another number
// of eggs, an air cell that shrank) is asked about first.
func (b *Service) Record(
	ctx context.Context, req farm.Request, batchID int64, x Weighing,
) (farm.Done, error) {
	return snapshot.OnBatch(ctx, b.Service, req, batchID,
		func(tx *farm.Tx, batch store.Batch, eggs snapshot.Eggs) (farm.Done, error) {
			w, err := snapshot.Of(ctx, tx)
			if err != nil {
				return farm.Done{}, err
			}
			page, err := water(ctx, tx, w, batchID)
			if err != nil {
				return farm.Done{}, err
			}
			if page.Kind.IsReptile() {
				return farm.Done{}, farm.Problemf(
					"batch", "Reptile eggs take up water from their substrate; weigh the box instead.",
				)
			}
			var p farm.Problems
			row, usual := x.row(&p, page, eggs, req.Member)
			all, err := rows.On(tx).Weighings(ctx, batchID)
			if err != nil {
				return farm.Done{}, err
			}
			before := newestOf(all, loadOf(row))
			if before != nil && !before.At.Before(x.At) {
				p.Addf("at", "There is a later weighing of these eggs already, of %s.", req.Moment(before.At))
			}
			if err := p.Err(); err != nil {
				return farm.Done{}, err
			}
			if odd := oddOf(row, before, usual, req.Units()); odd != "" && !x.Sure {
				return farm.Done{}, farm.Problemf("sure", "%s", odd)
			}
			id, err := rows.On(tx).AddWeighing(ctx, row)
			if err != nil {
				return farm.Done{}, err
			}
			said := told(row, before, page, eggs, req.Units())
			return journal.Record(
				ctx, tx, journal.On(journal.Batch, batchID), journal.Undo{dropWeighing.Of(id)}, "%s", said,
			)
		})
}

// row checks what was typed and gives the row that it makes, with what an egg of these
// usually weighs, in g.
func (x Weighing) row(
	p *farm.Problems, page Water, eggs snapshot.Eggs, m *farm.Member,
) (row rows.Weighing, usual float64) {
	row = rows.Weighing{BatchID: page.ID, At: x.At, Eggs: x.Eggs, MassG: x.MassG, RHPct: x.RHPct, TempC: x.TempC}
	usual = page.Kind.EggG.At
	if code := strings.ToUpper(strings.TrimSpace(x.Code)); code != "" {
		for _, e := range eggs {
			if e.Fate == nil && snapshot.CodeOf(e.Mark, e.No) == code {
				row.EggID, row.Eggs, x.TrayID = &e.ID, 1, 0
				if e.MassG != nil {
					usual = *e.MassG
				}
			}
		}
		if row.EggID == nil {
			p.Addf("code", "No egg in %s has the code %.12q.", page.Code, code)
		}
	}
	p.Count("eggs", "The number of eggs", row.Eggs, 1, page.Eggs)
	switch {
	case !x.Cell.read():
		p.Mass(m.Units(), "mass", "The weight", &row.MassG, .3, 200000)
	case x.Cell.Drawn:
		p.Measure("cell", "The drawing", &x.Cell.LossPct, 0, 40, "%")
	default:
		p.Measure("depth", "The air cell", &x.Cell.DepthMM, 1, math.Round(.6*moisture.Length(usual)), "mm")
	}
	if x.Cell.read() {
		row.MassG, row.CellPct = 0, x.Cell.pct(usual)
	}
	p.Measure("rh", "The humidity", &x.RHPct, 1, 100, "%")
	p.Temp(m.Units(), "temp", "The temperature", &x.TempC, 30, 42)
	if x.At.Before(page.SetAt.Add(-time.Hour)) || x.At.After(page.Now.Add(time.Hour)) {
		p.Addf("at", "The moment of weighing lies outside the batch's time; it may be from its setting to now.")
	}
	if x.TrayID != 0 {
		row.TrayID = &x.TrayID
		if !slices.ContainsFunc(page.Trays, func(t store.Tray) bool { return t.ID == x.TrayID }) {
			p.Addf("tray", "Pick what lay on the scale.")
		}
	}
	return row, usual
}

// newestOf is the newest weighing of the same eggs; nil if there is none.
func newestOf(all []rows.Weighing, l Load) (before *rows.Weighing) {
	for i, old := range all {
		if loadOf(old) == l {
			before = &all[i]
		}
	}
	return before
}

// told says a weighing in words.
func told(row rows.Weighing, before *rows.Weighing, page Water, eggs snapshot.Eggs, r units.Reader) string {
	what := wording.Plural(row.Eggs, "egg")
	if row.EggID != nil {
		what = "egg " + snapshot.CodeOf(eggs[*row.EggID].Mark, eggs[*row.EggID].No)
	}
	if row.CellPct == 0 {
		return fmt.Sprintf("%s: %s weighed, %s each.", page.Code, what, r.Mass(row.MassG/float64(row.Eggs)))
	}
	loss := moisture.LossOfCell(row.CellPct / 100)
	if row.EggID == nil || before == nil {
		return fmt.Sprintf("%s: air cell of %s read, about %.0f %% lost.", page.Code, what, loss)
	}
	days := row.At.Sub(before.At).Hours() / 24
	water := candling.Losing(moisture.LossOfCell(before.CellPct/100), loss, days, page.Target/page.LastDay)
	return fmt.Sprintf("%s: by its air cell, %s %s.", page.Code, what, water)
}

// oddOf asks about a figure that does not go with the one before.
func oddOf(row rows.Weighing, before *rows.Weighing, usualG float64, r units.Reader) string {
	mean, days := 0.0, 0.0
	if before != nil {
		mean, days = before.MassG/float64(before.Eggs), row.At.Sub(before.At).Hours()/24
	}
	if row.CellPct == 0 {
		return moisture.Odd(row.MassG, row.Eggs, mean, days, usualG, r)
	}
	if before != nil && row.CellPct < before.CellPct-3 {
		return "The air cell was larger last time, and it only grows: was it read right?"
	}
	return ""
}

// ReadCell keeps how large the air cell of an egg with a dark shell is, as the drawing
// that it looks most like.
func (b *Service) ReadCell(
	ctx context.Context, req farm.Request, batchID, eggID int64, lossPct float64, at time.Time,
) (farm.Done, error) {
	x := Weighing{Eggs: 1, Cell: Cell{LossPct: lossPct, Drawn: true}, At: at}
	err := b.Read(ctx, req.Member, func(tx *farm.Tx) error {
		batch, err := tx.Batch(ctx, batchID)
		if err != nil {
			return err
		}
		_, v, err := snapshot.Viewed(ctx, tx, batch)
		if err != nil {
			return err
		}
		x.RHPct, x.TempC = v.HeldPct(), v.Air().TempC
		eggs, err := tx.BatchEggs(ctx, batchID)
		for _, e := range eggs {
			if e.ID == eggID {
				x.Code = snapshot.CodeOf(e.Mark, e.No)
			}
		}
		return err
	})
	if err != nil {
		return farm.Done{}, err
	}
	if x.Code == "" {
		return farm.Done{}, farm.ErrNone
	}
	return b.Record(ctx, req, batchID, x)
}
