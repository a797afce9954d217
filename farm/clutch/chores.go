package clutch

import (
	"context"
	"fmt"
	"slices"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/reptile"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/chores"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
	clutchrows "metrogon/store/clutch"
)

// airEvery is how often the lid of a closed box is lifted [common practice: weekly].
const airEvery = 7

// usedToBe is how long a planned temperature that nobody ticked is asked after, in days.
const usedToBe = 14

// Chores are what is to be done to clutches and their boxes.
func Chores(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot) (all []chores.Chore, err error) {
	open, err := w.OpenBatches(ctx, tx)
	if err != nil {
		return nil, err
	}
	if !slices.ContainsFunc(open, func(v snapshot.BatchView) bool { return v.Kind.IsReptile() }) {
		return nil, nil
	}
	work, err := clutchrows.On(tx).ClutchWork(ctx)
	if err != nil {
		return nil, err
	}
	up, err := w.Upkeep(ctx, tx)
	if err != nil {
		return nil, err
	}
	inBox := map[int64][]snapshot.BatchView{}
	for _, x := range work.Seen {
		i := slices.IndexFunc(open, func(v snapshot.BatchView) bool { return v.ID == x.BatchID })
		if i < 0 {
			continue
		}
		inBox[x.BoxID] = append(inBox[x.BoxID], open[i])
		all = append(all, dues(w, open[i], x, up.Done)...)
	}
	all = append(all, boxChores(w, work.BoxRows, inBox)...)
	return append(all, warmthChores(w, work.Planned, open, up.Done)...), nil
}

// chore of a clutch.
func chore(v snapshot.BatchView, kind string, day int, at time.Time) chores.Chore {
	return chores.Chore{
		About: store.Subject{Kind: journal.Batch, ID: v.ID}, Code: v.Code, Kind: kind, Day: day, At: at, Eggs: v.Alive,
		In: v.SetterID, Reason: fmt.Sprintf("%s · %.0f %% grown", v.Setter.Name, 100*v.GrownNow()),
	}
}

// dues are what falls on certain days of a clutch.
func dues(
	w *snapshot.Snapshot, v snapshot.BatchView, x clutchrows.ClutchSeen, ticks []store.ChoreDone,
) (all []chores.Chore) {
	ticked := func(kind string, day int) bool {
		return slices.Contains(ticks, store.ChoreDone{BatchID: v.ID, Kind: kind, Day: day})
	}
	if v.Alive == 0 {
		return over(w, v, x)
	}
	hatch := v.Hatch()
	for i, ms := range v.Milestones {
		if ms.Kind != calendar.Candle || ticked(calendar.Candle, int(ms.Day)) {
			continue
		}
		later := slices.ContainsFunc(v.Milestones[i+1:], func(o calendar.Milestone) bool {
			return (o.Kind == calendar.Candle || o.Kind == calendar.ExternalPip) && !o.At.After(w.Now)
		})
		if later || x.LookedAt != nil && x.LookedAt.After(ms.At.Add(-36*time.Hour)) {
			continue
		}
		c := chore(v, chores.LookAtClutch, int(ms.Day), ms.At)
		c.Title = "Look at " + wording.Plural(v.Alive, "egg")
		c.Why = "Light from the side, nothing is lifted. " + reptile.Expect(v.Kind, v.GrownNow())
		all = append(all, c)
	}
	switch {
	case x.Pipped > 0 || x.Inside > 0:
		c := chore(v, chores.ClutchHatch, 0, time.Time{})
		c.Title = "Look in through the lid"
		if x.Pipped > 0 {
			c.Reason += fmt.Sprintf(" · %d pipped", x.Pipped)
		}
		if x.Inside > 0 {
			c.Reason += fmt.Sprintf(" · %d out, in the box still", x.Inside)
		}
		c.Why = "They rest with the head out, one to three days, and stay in until the yolk is taken in. Sisters may pip " +
			"days later."
		all = append(all, c)
	case v.FirstOut == nil && !ticked(chores.ClutchHatch, 1+peeks(hatch.From, w.Now)):
		again := peeks(hatch.From, w.Now)
		c := chore(v, chores.ClutchHatch, 1+again, w.Member.Hour.On(hatch.From, peekEvery*again, w.Member.Place))
		c.Title = "Look for young"
		c.Why = fmt.Sprintf("They are expected %s to %s. Once a day, through the lid.", w.Member.ShortDay(hatch.From),
			w.Member.ShortDay(hatch.To))
		all = append(all, c)
	}
	c := chore(v, chores.ClutchRest, 0, v.At(calendar.ClearOut))
	c.Title = fmt.Sprintf("Look at the last %s", wording.Plural(v.Alive, "egg"))
	c.Why = "Late ones keep weeks. Leave an egg that looks sound."
	return append(all, c)
}

// peekEvery is how often a clutch is looked in on while its young are expected, in days.
const peekEvery = 3

// peeks is how often that has come since a moment.
func peeks(since, now time.Time) int {
	return max(0, int(calendar.Elapsed(since, now)/peekEvery))
}

// over is what is left to do once no egg is left.
func over(w *snapshot.Snapshot, v snapshot.BatchView, x clutchrows.ClutchSeen) []chores.Chore {
	if x.Inside > 0 {
		c := chore(v, chores.ClutchHatch, 0, time.Time{})
		c.Title = fmt.Sprintf("%s in the box still", wording.Plural(x.Inside, "young"))
		c.Why = "They leave it once the yolk is taken in and the belly is closed. Say when, with their weight."
		return []chores.Chore{c}
	}
	c := chore(v, chores.CloseClutch, 0, w.Now)
	c.Title, c.Reason = "Close "+v.Code, "No egg is left in it."
	return []chores.Chore{c}
}

// boxChores are weighing and airing, of boxes with eggs in them.
func boxChores(
	w *snapshot.Snapshot, rows clutchrows.BoxRows, inBox map[int64][]snapshot.BatchView,
) (all []chores.Chore) {
	for _, b := range rows.Boxes {
		eggs, near := 0, true
		for _, v := range inBox[b.ID] {
			eggs += v.Alive
			near = near && (v.Alive == 0 || v.Hatching())
		}
		if eggs == 0 || near { // when they hatch the box is left alone
			continue
		}
		all = append(all, boxDues(w, stateOf(w.Member, b, rows.Logs, changesOf(rows.Changes, b.ID), w.Now), eggs)...)
	}
	return all
}

func boxDues(w *snapshot.Snapshot, s BoxState, eggs int) (all []chores.Chore) {
	of := func(kind string, at time.Time) chores.Chore {
		return chores.Chore{
			About: store.Subject{Kind: journal.Box, ID: s.ID}, Code: s.Name, Kind: kind, At: at, Eggs: eggs, In: s.MachineID,
			Of: s.Name, Reason: w.MachineByID[s.MachineID].Name,
		}
	}
	on := func(at time.Time, days int) time.Time { return w.Member.Hour.On(at, days, w.Member.Place) }
	weigh := on(s.BeganAt, 1)
	if len(s.Weighings) > 0 {
		weigh = on(s.Water.WeighOn, 0)
	}
	c := of(chores.WeighBox, weigh)
	c.Title = "Weigh the box"
	c.Why = "As it stands, lid on. What it lost since is what may be given back."
	if s.Water.GiveG > 0 {
		last := s.Weighings[len(s.Weighings)-1].At
		c.At, c.Why = on(last, 2), s.Water.Says
	}
	all = append(all, c)
	last := s.BeganAt
	if s.Aired != nil {
		last = *s.Aired
	}
	if air := on(last, airEvery); s.Kind == string(reptile.Closed) && w.Member.Date(air).Before(w.Member.Date(c.At)) {
		c := of(chores.AirBox, air)
		c.Title = "Air the box"
		c.Why = "Lid off for a breath: fresh air, and a look for mould and dents. No egg is touched."
		all = append(all, c)
	}
	return all
}

// warmthChores are temperatures that were planned, of which nobody said that they are set; clutches that change at one
// time on one shelf are one.
func warmthChores(
	w *snapshot.Snapshot, planned []clutchrows.ClutchTemp, open []snapshot.BatchView, ticks []store.ChoreDone,
) (all []chores.Chore) {
	for _, t := range planned {
		i := slices.IndexFunc(open, func(v snapshot.BatchView) bool { return v.ID == t.BatchID })
		day := int(calendar.Elapsed(open[i].SetAt, t.FromAt))
		if open[i].Alive == 0 || w.Now.Sub(t.FromAt) > usedToBe*24*time.Hour ||
			slices.Contains(ticks, store.ChoreDone{BatchID: t.BatchID, Kind: chores.SetWarmth, Day: day}) {
			continue
		}
		c := chore(open[i], chores.SetWarmth, day, t.FromAt)
		c.Title = fmt.Sprintf("%s to %s", open[i].Setter.Name, w.Member.Units().Temp(t.TempC))
		c.Why = fmt.Sprintf("As it is planned for %s. Slowly, over some hours.", open[i].Code)
		if n := len(all); n > 0 && all[n-1].In == c.In && all[n-1].Title == c.Title && all[n-1].At.Equal(c.At) {
			continue
		}
		all = append(all, c)
	}
	return all
}

// TickOff ticks a look, or a temperature that was set, off.
func (s *Service) TickOff(
	ctx context.Context, req farm.Request, batchID int64, kind string, day int,
) (farm.Done, error) {
	says := map[string]string{
		chores.LookAtClutch: "left alone, not looked at", chores.SetWarmth: "the temperature is set",
		chores.ClutchHatch: "looked for young",
	}[kind]
	if says == "" || day < 0 || day > calendar.MaxDays {
		return farm.Done{}, farm.Problemf("kind", "%.20q is no chore that can be ticked off.", kind)
	}
	return s.on(ctx, req, batchID, func(x *at) (farm.Done, error) {
		done := store.ChoreDone{BatchID: batchID, Kind: kind, Day: day}
		if kind == chores.LookAtClutch {
			done.Kind = calendar.Candle
		}
		return chores.Tick(ctx, x.tx, done, "%s: %s.", x.v.Code, says)
	})
}
