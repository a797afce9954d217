package incubate

import (
	"context"
	"fmt"
	"math"
	"slices"
	"time"

	"metrogon/core/brooding"
	"metrogon/core/calendar"
	"metrogon/core/candling"
	"metrogon/core/machine"
	"metrogon/core/units"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/chores"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
)

// Chores are what is to be done to the batches in the machines: what falls on
// certain days of incubation, second looks, and daily work.
func Chores(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot) (all []chores.Chore, err error) {
	open, err := w.OpenBatches(ctx, tx)
	if err != nil {
		return nil, err
	}
	looks, err := tx.Looks(ctx)
	if err != nil {
		return nil, err
	}
	up, err := w.Upkeep(ctx, tx)
	if err != nil {
		return nil, err
	}
	open = birds(open)
	for _, v := range open {
		all = append(all, dues(w, v, up.Done, looks)...)
		if again, ok := again(w, v, looks); ok {
			all = append(all, again)
		}
	}
	for _, r := range rounds(w, open, up.Care) {
		if r.Done < r.Times {
			all = append(all, daily(w, r))
		}
	}
	return all, nil
}

// birds leaves clutches of reptiles out: these have work of their own.
func birds(open []snapshot.BatchView) []snapshot.BatchView {
	return slices.DeleteFunc(slices.Clone(open), func(v snapshot.BatchView) bool { return v.Kind.IsReptile() })
}

// chore of a batch, on a day of incubation.
func chore(v snapshot.BatchView, kind string, at time.Time) chores.Chore {
	return chores.Chore{
		About: store.Subject{Kind: journal.Batch, ID: v.ID}, Code: v.Code, Kind: kind, At: at, Eggs: v.Alive,
		In: v.Stands().ID,
	}
}

// daily is the chore of daily work that is not done yet.
func daily(w *snapshot.Snapshot, r Round) chores.Chore {
	c := chore(r.BatchView, r.Task.Kind, time.Time{})
	c.Times, c.Done, c.Title = r.Times, r.Done, r.Title
	c.Reason, c.Why = r.Stands().Name, r.Says
	if r.Last != nil {
		c.Reason += " · last at " + w.Member.Hours(*r.Last)
	}
	return c
}

// Daily is the work that comes again each day, as it is on a calendar date: of a batch until the day of
// its lockdown.
func Daily(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot, on time.Time) (all []chores.Chore, err error) {
	open, err := w.OpenBatches(ctx, tx)
	if err != nil {
		return nil, err
	}
	noon := time.Date(on.Year(), on.Month(), on.Day(), 12, 0, 0, 0, w.Member.Place)
	for _, v := range birds(open) {
		shut, locks := v.Milestone(calendar.Lockdown)
		if v.Alive == 0 || v.LongPast() || machine.Broody(v.Stands().Kind) || locks && !on.Before(w.Member.Date(shut.At)) {
			continue
		}
		day := calendar.Elapsed(v.SetAt, noon)
		for _, task := range v.Method.Daily(v.Kind, day, v.Setter.ByHand, v.LockedAt != nil) {
			c := chore(v, task.Kind, time.Time{})
			c.Times, c.Title, c.Reason, c.Why = task.Times, taskTitle(task, v), v.Stands().Name, task.Says
			all = append(all, c)
		}
	}
	return all, nil
}

// oneOpening is how close a candling and the lockdown after it may lie to be one opening of
// the lid.
const oneOpening = 36 * time.Hour

// dues lists the chores of a batch that are not done.
func dues(
	w *snapshot.Snapshot, v snapshot.BatchView, ticks []store.ChoreDone, looks []store.Look,
) (all []chores.Chore) {
	if v.Alive == 0 {
		return []chores.Chore{empty(w, v)}
	}
	if v.LongPast() {
		return []chores.Chore{past(w, v)}
	}
	shut, _ := v.Milestone(calendar.Lockdown)
	look := false // before the lid is shut, in one opening
	for i, ms := range v.Milestones {
		rest := v.Alive // eggs that nobody has looked at, of a candling
		day := int(math.Round(ms.Day))
		done := slices.Contains(ticks, store.ChoreDone{BatchID: v.ID, Kind: ms.Kind, Day: day})
		switch ms.Kind {
		case calendar.Candle:
			// A candling up to a day and a half early does for the day, once all eggs were looked at; a later
			// candling that is due does for the ones missed before it.
			rest = unlooked(v, looks, ms.At.Add(-oneOpening))
			done = done || v.LockedAt != nil || rest == 0
			for _, later := range v.Milestones[i+1:] {
				done = done || ((later.Kind == calendar.Candle || later.Kind == calendar.Hatch) && !later.At.After(w.Now))
			}
			if by := shut.At.Sub(ms.At); !done && by >= 0 && by <= oneOpening {
				look, done = !machine.Broody(v.Stands().Kind), true // nobody lifts a hen so late
			}
		case calendar.Lockdown:
			done = v.LockedAt != nil
		case calendar.Pull:
			// It moves with the first young; once pulled is pulled, whatever day it stood on.
			done = v.LockedAt == nil || slices.ContainsFunc(
				ticks, func(t store.ChoreDone) bool { return t.BatchID == v.ID && t.Kind == calendar.Pull },
			)
		case calendar.ClearOut:
			done = v.LockedAt == nil
		default:
			continue
		}
		if done {
			continue
		}
		c := due(w, v, ms, day)
		if ms.Kind == calendar.Candle && rest < v.Alive {
			c.Kind, c.Eggs, c.Title = chores.CandleRest, rest, fmt.Sprintf("Candle the other %s", wording.Plural(rest, "egg"))
			c.Why = "Some were looked at. Say that the rest live, if you looked at them too, or that nobody did."
		}
		if ms.Kind == calendar.Lockdown && look {
			c.Look, c.Title = true, fmt.Sprintf("Candle %s, then lockdown", wording.Plural(v.Alive, "egg"))
			c.Why = candling.Expect(ms.Day, v.HatchDay) + " " + c.Why
		}
		all = append(all, c)
	}
	return
}

// next is the first chore of a batch that is not done, nil if there is none.
func next(
	w *snapshot.Snapshot, v snapshot.BatchView, ticks []store.ChoreDone, looks []store.Look,
) *chores.Chore {
	all := dues(w, v, ticks, looks)
	if len(all) == 0 {
		return nil
	}
	first := slices.MinFunc(all, func(a, b chores.Chore) int { return a.At.Compare(b.At) })
	return &first
}

func empty(w *snapshot.Snapshot, v snapshot.BatchView) chores.Chore {
	c := chore(v, calendar.ClearOut, w.Now)
	c.Title, c.Reason = "Close "+v.Code, "No egg is left in it."
	return c
}

func past(w *snapshot.Snapshot, v snapshot.BatchView) chores.Chore {
	by := v.Hatch().To
	c := chore(v, chores.Past, by)
	c.Title = fmt.Sprintf("What became of %s?", wording.Plural(v.Alive, "egg"))
	c.Reason = fmt.Sprintf(
		"%s · day %s · should have hatched by %s", v.Stands().Name, w.Member.Counting().Position(v.Day, v.HatchDay),
		w.Member.ShortDay(by),
	)
	c.Why = "No lockdown is written down. Record how many hatched, with the day, or close the batch. " +
		"Eggs this old may burst: goggles, a bag, outdoors."
	return c
}

// unlooked counts the living eggs of a batch of which no call was made since a moment. Young that were counted
// without their eggs are not asked after.
func unlooked(v snapshot.BatchView, looks []store.Look, since time.Time) (n int) {
	for _, l := range looks {
		n += farm.OneIf(l.BatchID == v.ID && (l.At == nil || !l.At.After(since)))
	}
	return min(n, v.Alive)
}

// again is due three days after eggs were called so, 2 to 4 being usual [common practice], and not in lockdown.
func again(w *snapshot.Snapshot, v snapshot.BatchView, looks []store.Look) (chores.Chore, bool) {
	doubtful, last := 0, time.Time{}
	for _, l := range looks {
		if l.BatchID == v.ID && candling.Call(l.Call).Doubtful() {
			doubtful, last = doubtful+1, farm.Latest(last, *l.At)
		}
	}
	if doubtful == 0 || v.LockedAt != nil {
		return chores.Chore{}, false
	}
	c := chore(v, chores.LookAgain, w.Member.Hour.On(last, 3, w.Member.Place))
	c.Title = "Look again at " + wording.Plural(doubtful, "doubtful egg")
	c.Eggs, c.Reason = doubtful, v.Stands().Name
	c.Why = "Slow ones exist: at the edge of a tray, old eggs, ducks among hens' eggs. " + candling.DarkShell
	return c, true
}

// position says on which day eggs stand. In the morning of a chore whose day they complete later, as machines count it,
// it says from when on.
func position(w *snapshot.Snapshot, v snapshot.BatchView, ms calendar.Milestone) string {
	reached := calendar.After(v.SetAt, ms.Day)
	if w.Now.Before(reached) && w.Member.Date(w.Now).Equal(w.Member.Date(reached)) {
		return w.Member.Counting().Position(ms.Day, v.HatchDay) + " from " + w.Member.Hours(reached)
	}
	return w.Member.Counting().Position(v.Day, v.HatchDay)
}

func due(w *snapshot.Snapshot, v snapshot.BatchView, ms calendar.Milestone, day int) chores.Chore {
	d := chore(v, ms.Kind, ms.At)
	d.Day = day
	d.Reason = v.Stands().Name + " · day " + position(w, v, ms)
	switch ms.Kind {
	case calendar.Candle:
		d.Title = fmt.Sprintf("Candle %s", wording.Plural(v.Alive, "egg"))
		d.Why = candling.Expect(ms.Day, v.HatchDay)
	case calendar.Lockdown:
		if machine.Broody(v.Stands().Kind) && v.HatcherID == v.SetterID {
			d.Title = "Leave " + v.Setter.Name + " alone from now on"
			d.Why = "She turns, airs and moistens them herself. Food and water within her reach; nobody lifts her until the " +
				"young are out."
			break
		}
		d.Title = fmt.Sprintf("Lockdown of %s", wording.Plural(v.Alive, "egg"))
		d.Why = fmt.Sprintf(
			"Stop turning, raise to %s–%s %% humidity.", units.Number(v.Method.Humidity(v.Kind, true).From),
			units.Number(v.Method.Humidity(v.Kind, true).To),
		)
		if v.HatcherID != v.SetterID {
			d.Of = v.Hatcher.Name
			d.Reason += " · into " + d.Of
		}
		if room := w.Rooms[v.HatcherID][v.Species].Hatching; v.Alive > room {
			d.Reason += fmt.Sprintf(", which holds %d", room)
		}
	case calendar.Pull:
		if v.Kind.IsAltricial() {
			d.Title, d.Why, d.Way = "Feed the nestlings, or foster them", brooding.NestlingsSay, brooding.NestlingsHow
			break
		}
		d.Title = "Pull the young"
		d.Why = "When they are dry and fluffy; they live on yolk for a day or two."
		if v.FirstOut == nil {
			d.Why = "A day after the first is out. " + d.Why
		} else {
			d.Why += " The rest keep a day or two more; they are cleared out " +
				w.Member.ShortDay(v.At(calendar.ClearOut)) + "."
		}
	case calendar.ClearOut:
		d.Title = fmt.Sprintf("Clear out %s", wording.Plural(v.Alive, "egg"))
		d.Why = "The usual time was over a day ago: look what is left, then open it or close the batch."
	}
	return d
}
