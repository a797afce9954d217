package season

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/ahead"
	"metrogon/farm/chores"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
	rows "metrogon/store/season"
)

// Chores are the settings that are planned, and the promises that come due.
func Chores(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot) (all []chores.Chore, err error) {
	book, err := w.Season(ctx, tx)
	if err != nil {
		return nil, err
	}
	soon := w.Soon()
	if len(book.Ahead) > 0 && !book.Ahead[0].SetOn.After(soon) {
		if all, err = toSet(ctx, tx, w, soon); err != nil {
			return nil, err
		}
	}
	for _, o := range book.Orders {
		if o.ToOn.After(soon) {
			continue
		}
		c := chores.Chore{
			About: store.Subject{Kind: journal.Order, ID: o.ID}, Kind: chores.HandOver, At: hour(w, o.ToOn), Of: o.Who,
			Title: fmt.Sprintf("%s for %s", wording.Capital(ahead.Thing(o, w.Kinds[o.Species])), o.Who),
		}
		c.Reason = fmt.Sprintf("promised by %s", o.ToOn.Format("Mon 2 Jan"))
		if o.Delivered > 0 {
			c.Reason += fmt.Sprintf(" · %d handed over", o.Delivered)
		}
		all = append(all, c)
	}
	for _, because := range book.Again {
		if len(because) > 0 && w.Member.May(farm.Keeping) {
			all = append(all, chores.Chore{
				Kind: chores.Replanned, About: store.Subject{Kind: journal.Plan}, At: w.Now, Title: "The season is planned again",
				Reason: because[0].Says, Why: "Nothing moves before you accept it.",
			})
		}
	}
	return all, nil
}

func hour(w *snapshot.Snapshot, on time.Time) time.Time {
	noon := time.Date(on.Year(), on.Month(), on.Day(), 12, 0, 0, 0, w.Member.Place)
	return w.Member.Hour.On(noon, 0, w.Member.Place)
}

// toSet are the planned settings up to a day; of those that are due, what is there of their eggs.
func toSet(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot, soon time.Time) (all []chores.Chore, err error) {
	s := &outlook{&ahead.Outlook{W: w, Today: w.Member.Date(w.Now), Supply: ahead.Supply{}}}
	if s.Ahead, err = w.Ahead(ctx, tx); err != nil {
		return nil, err
	}
	stock, err := w.Stock(ctx, tx)
	if err != nil {
		return nil, err
	}
	s.Supply.InStore(s.Outlook, stock)
	for _, p := range s.Ahead {
		if p.SetOn.After(soon) {
			break
		}
		c := chores.Chore{
			About: store.Subject{Kind: journal.Planned, ID: p.ID}, Kind: chores.SetPlanned, At: hour(s.W, p.SetOn),
			Title:  fmt.Sprintf("Set %s: %s", wording.Plural(p.Count, "egg"), s.byPen(p.Eggs)),
			Reason: p.Setter.Name, Of: p.Label(), Why: p.Says, Species: p.Species, Eggs: p.Count,
		}
		if p.HatcherID != p.SetterID {
			c.Reason += ", to hatch in " + p.Hatcher.Name
		}
		if p.SetOn.After(s.Today) {
			all = append(all, c)
			continue
		}
		there := s.Supply.ForPlanned(s.Outlook, p, 0)
		c.Eggs = 0
		for _, e := range there {
			c.Eggs += e.Eggs
		}
		switch {
		case c.Eggs == 0:
			c.Reason += " · none of its eggs are there"
			c.Why = strings.TrimSpace(c.Why + " Move it to a day on which there are eggs for it, or take it out of the plan.")
		case c.Eggs < p.Count:
			c.Reason += fmt.Sprintf(" · %d of them are there", c.Eggs)
			c.Why = strings.TrimSpace(c.Why + " Fewer were laid than was planned. Set what is there: the rest is planned " +
				"again by itself if a promise is short by it.")
		}
		all = append(all, c)
	}
	return all, nil
}

// byPen counts eggs by pen: "Barred 14, Speckled 14".
func (s *outlook) byPen(eggs []rows.PlannedEggs) string {
	var names []string
	n := map[string]int{}
	for _, e := range eggs {
		name := s.W.PenByID[e.PenID].Name
		if n[name] == 0 {
			names = append(names, name)
		}
		n[name] += e.Eggs
	}
	slices.Sort(names)
	for i, name := range names {
		names[i] = fmt.Sprintf("%s %d", name, n[name])
	}
	return strings.Join(names, ", ")
}
