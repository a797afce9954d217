package breeders

import (
	"context"
	"fmt"

	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/chores"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
)

// Chores are fertility tests whose eggs are to be set, and those that can be read.
func Chores(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot) (all []chores.Chore, err error) {
	up, err := w.Upkeep(ctx, tx)
	if err != nil {
		return nil, err
	}
	for _, t := range up.Tests {
		pen := w.PenByID[t.PenID]
		c := chores.Chore{
			About: store.Subject{Kind: journal.Pen, ID: pen.ID}, Of: pen.Name, Species: pen.Species, Day: int(t.ID),
		}
		switch {
		case t.BatchID == nil && t.Stored > 0:
			c.Kind, c.Title = chores.SetTest, "Set a fertility test of "+pen.Name
			c.Reason = fmt.Sprintf("%s planned, %d in store", wording.Plural(t.Eggs, "egg"), t.Stored)
		case t.Looked > 0:
			c.Kind, c.Title = chores.ReadTest, "Fertility test of "+pen.Name
			c.Reason = fmt.Sprintf("%d of %d fertile so far", t.Fertile, t.Looked)
		default:
			continue
		}
		all = append(all, c)
	}
	return all, nil
}
