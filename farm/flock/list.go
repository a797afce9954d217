package flock

import (
	"context"
	"slices"
	"strings"

	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
)

// PenLine is a line of a list of pens.
type PenLine struct {
	No int
	snapshot.Pen
}

// BringPens makes the pens of a list, all or none; with dry it only looks. Those whose name is there
// already change nothing.
func (b *Service) BringPens(
	ctx context.Context, req farm.Request, lines []PenLine, dry bool,
) (out farm.Listing, err error) {
	var names []string
	about, back := journal.Subjects{}, journal.Undo{}
	err = b.TakeIn(ctx, req, dry, &out, func(tx *farm.Tx) error {
		names, about, back = nil, nil, nil
		pens, err := tx.Pens(ctx)
		if err != nil {
			return err
		}
		for _, l := range lines {
			same := func(name string) bool { return strings.EqualFold(name, l.Name) }
			if slices.ContainsFunc(pens, func(p snapshot.Pen) bool { return same(p.Name) }) {
				out.Known++
				continue
			}
			if slices.ContainsFunc(names, same) {
				out.Wrong(l.No, "pen", "%s stands in two lines", l.Name)
				continue
			}
			id, drop, err := b.savePen(ctx, tx, l.Pen)
			if err != nil {
				if err := out.Problem(l.No, err); err != nil {
					return err
				}
				continue
			}
			names, about, back = append(names, l.Name), about.And(journal.Pen, id), append(back, drop)
		}
		if len(names) > 0 {
			out.Holds = []string{wording.Plural(len(names), "pen")}
		}
		out.NewPens = names
		return nil
	}, func(tx *farm.Tx) (farm.Done, error) {
		return journal.Record(ctx, tx, about, back, "Brought in the pens %s.", wording.And(names))
	})
	return out, err
}
