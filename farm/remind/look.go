package remind

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/chores"
	snapshotrows "metrogon/farm/snapshot"
	"metrogon/store"
	rows "metrogon/store/remind"
)

// LookEvery is how often chores are looked at.
const LookEvery = 5 * time.Minute

// Look is looking for what the people of one farm are to be reminded of.
type Look struct {
	FarmID int64 `json:"farm_id"`
}

// Kind names the job.
func (Look) Kind() string { return "remind" }

// LookQueue is where looks wait.
const LookQueue = "remind"

// Round asks for a look at each farm where somebody wants to be reminded: a job a farm, so that none waits for what
// another takes, and what a killed process left is done by the next.
func (b *Service) Round(ctx context.Context) error {
	farms, err := rows.Of(b.DB).WishingFarms(ctx)
	if err != nil {
		return err
	}
	jobs := make([]store.Job, len(farms))
	for i, id := range farms {
		jobs[i] = store.Job{What: Look{id}, Queue: LookQueue, Once: LookEvery}
	}
	return b.DB.Enqueue(ctx, jobs...)
}

// Look looks at one farm for all its people, and puts in what is to be sent: each thing once.
func (b *Service) Look(ctx context.Context, farmID int64) error {
	all, err := b.takers(ctx, farmID)
	if err != nil {
		return err
	}
	var failed error
	for _, to := range all {
		if err := b.remind(ctx, to); err != nil { // one person's trouble is not another's
			failed = errors.Join(failed, fmt.Errorf("farm %d, person %d: %w", farmID, to.PersonID, err))
		}
	}
	return failed
}

func (b *Service) remind(ctx context.Context, to taker) error {
	if now := b.Now(); quietEnd(now, to.Place, to.wish).After(now) {
		return nil
	}
	var due []told
	err := b.Read(ctx, to.Member, func(tx *farm.Tx) (err error) {
		due, err = b.due(ctx, tx, to.wish)
		return err
	})
	if err != nil || len(due) == 0 {
		return err
	}
	keys := make([]string, len(due))
	for i, t := range due {
		keys[i] = t.key
	}
	return b.Write(ctx, to.Member, func(tx *farm.Tx) error {
		new, err := rows.On(tx).NotYet(ctx, to.PersonID, keys, tx.At)
		if err != nil {
			return err
		}
		due = slices.DeleteFunc(due, func(t told) bool { return !slices.Contains(new, t.key) })
		if len(due) > 0 {
			to.send(tx.Tx, message(to.Member, due), time.Now())
		}
		return rows.On(tx).ForgetReminded(ctx, tx.At.AddDate(0, -3, 0))
	})
}

// told is a chore of which somebody is reminded, and when it was chosen for.
type told struct {
	chores.Item
	key  string
	late bool
}

// Hours of reminding.
const (
	evening   = 18 // o'clock, the day before
	lateAfter = 2 * time.Hour
)

// due lists of what a person is to be reminded at this moment, whether they were already or not.
func (b *Service) due(ctx context.Context, tx *farm.Tx, w Wish) (all []told, err error) {
	snapshot, err := snapshotrows.Of(ctx, tx)
	if err != nil {
		return nil, err
	}
	today := tx.Member.Date(tx.At)
	items, err := chores.Ahead(ctx, tx, snapshot, b.Chores, nil, today, today.AddDate(0, 0, 1))
	if err != nil {
		return nil, err
	}
	for _, i := range items {
		if i.At.IsZero() || len(w.Kinds) > 0 && !slices.Contains(w.Kinds, i.Kind) {
			continue
		}
		at := i.At.In(tx.Member.Place)
		before := time.Date(at.Year(), at.Month(), at.Day()-1, evening, 0, 0, 0, tx.Member.Place)
		add := func(when string, late bool) {
			all = append(all, told{i, fmt.Sprintf("%s@%s/%s", i.Key(), at.Format("2006-01-02"), when), late})
		}
		switch {
		case w.Late && tx.At.After(at.Add(lateAfter)):
			add("late", true)
		case tx.At.After(at):
		case w.HourBefore && !tx.At.Before(at.Add(-time.Hour)):
			add("hour", false)
		case w.Evening && !tx.At.Before(before):
			add("evening", false)
		}
	}
	return all, nil
}

func message(m *farm.Member, all []told) Message {
	var lines []string
	late := 0
	for _, t := range all {
		line := m.Moment(t.At) + ": " + strings.TrimPrefix(t.Code+": "+t.Title, ": ")
		if t.Reason != "" {
			line += " (" + t.Reason + ")"
		}
		if t.late {
			late++
			line = "Late. " + line
		}
		lines = append(lines, line)
	}
	title := fmt.Sprintf("%s: %s", m.FarmName, wording.Plural(len(all), "thing"))
	switch {
	case len(all) == 1:
		title = fmt.Sprintf("%s: %s", m.FarmName, strings.TrimPrefix(all[0].Code+": "+all[0].Title, ": "))
	case late > 0:
		title += fmt.Sprintf(", %d late", late)
	}
	return Message{Title: title, Body: strings.Join(lines, "\n"), Path: "/", Tag: "remind/" + all[0].key}
}
