package season

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"metrogon/farm/ahead"
	"metrogon/farm/snapshot"
	rows "metrogon/store/season"
)

// made is what a plan is made of besides the eggs: of each part what there is, each with the last date on which it
// counts. A plan of which any of it has changed is void: it keeps other promises than it says.
type made map[string][]string

// parts of what a plan is made of, with what is said when it has changed.
var parts = []struct{ name, says string }{
	{"orders", "What is promised was changed."},
	{"away", "Days away were changed."},
	{"closures", "A machine was closed, or takes eggs again."},
	{"machines", "A machine was changed."},
	{"brooders", "The brooders were changed."},
	{"bans", "A setting was ruled out, or allowed again."},
	{"settings", "Something was set or planned otherwise."},
}

// without is an end that never comes.
var without = time.Date(9999, 12, 31, 0, 0, 0, 0, time.UTC)

// madeOf is what a plan of now is made of. What was set as it was planned is the same setting.
func (s *outlook) madeOf() made {
	all := made{}
	add := func(part string, until time.Time, what ...any) {
		text, _ := json.Marshal(what) // of plain values
		all[part] = append(all[part], until.Format(time.DateOnly)+" "+string(text))
	}
	for _, o := range s.Book.Orders {
		o.Delivered, o.Who, o.Note = 0, "", ""
		add("orders", without, o)
	}
	for _, a := range s.Book.Away {
		add("away", a.ToOn, a.FromOn, a.ToOn, a.Actions)
	}
	for _, c := range s.Book.Closures {
		until := without
		if c.ToOn != nil {
			until = *c.ToOn
		}
		add("closures", until, c.MachineID, c.FromOn, c.ToOn)
	}
	for _, x := range s.W.Machines {
		if x.UntilOn == nil || !x.UntilOn.Before(s.Today) {
			add("machines", without, x.ID, x.CleanDays, x.UntilOn, s.W.Rooms[x.ID])
		}
	}
	for _, b := range s.Book.Brooders {
		add("brooders", without, b.ID, b.Places)
	}
	for _, b := range s.Book.Bans {
		add("bans", b.ToOn, b.Species, b.MachineID, b.FromOn, b.ToOn)
	}
	for _, v := range s.Open {
		on := s.W.Member.Date(v.SetAt)
		add("settings", on, v.Species, v.SetterID, v.HatcherID, on)
	}
	for _, p := range s.Ahead {
		add("settings", p.SetOn, p.Species, p.SetterID, p.HatcherID, p.SetOn)
	}
	for _, of := range all {
		slices.Sort(of)
	}
	return all
}

// changed tells in which parts what there is now differs from what a plan was made of. What is over by now is no
// change. A plan that is older than this of itself says nothing.
func (m made) changed(now made, today time.Time) (says []string) {
	if len(m) == 0 {
		return nil
	}
	over := today.Format(time.DateOnly)
	for _, p := range parts {
		added := slices.ContainsFunc(now[p.name], func(s string) bool { return !slices.Contains(m[p.name], s) })
		gone := slices.ContainsFunc(m[p.name], func(s string) bool { return s >= over && !slices.Contains(now[p.name], s) })
		if added || gone {
			says = append(says, p.says)
		}
	}
	return says
}

// remade marks what upsets a plan that was made anew because what it was made of had changed.
const remade = "made-of"

// isRemade tells a plan of that kind.
func isRemade(row rows.Plan) bool {
	return slices.ContainsFunc(row.Because, func(u rows.Upset) bool { return u.What == remade })
}

// Change is what accepting makes of a promise.
type Change struct {
	rows.Order
	Says  string // "Mosswick, 40 chicks: covered → 34 of 40"
	Worse bool   // it was covered, and would be short
}

// changes are what accepting settings of a plan makes of the promises; none named: all that are left. It needs the eggs
// to be laid.
func (s *outlook) changes(v PlanView, which []int) (all []Change) {
	then := *s.Outlook
	then.Ahead = slices.Clone(s.Ahead)
	for _, p := range v.Proposals {
		if p.Taken || p.Gone != "" || len(which) > 0 && !slices.Contains(which, p.No) {
			continue
		}
		if p.Replaces != nil {
			then.Ahead = slices.DeleteFunc(then.Ahead, func(x snapshot.Planned) bool { return x.ID == p.Replaces.ID })
		}
		if p.Count == 0 {
			continue
		}
		one := snapshot.Planned{Planned: rows.Planned{
			ID: -int64(p.No), Species: p.Kind.ID, SetterID: p.Setter.ID, HatcherID: p.Hatcher.ID, SetOn: p.SetOn,
		}, Eggs: p.Eggs, For: p.For}
		if err := s.W.WorkOut(&one); err == nil { // else its kind is gone
			then.Ahead = append(then.Ahead, one)
		}
	}
	slices.SortStableFunc(then.Ahead, func(a, b snapshot.Planned) int { return a.SetOn.Compare(b.SetOn) })
	now := s.Cover()
	for i, p := range then.Cover() {
		was := now[i]
		if status(was) != status(p) {
			all = append(all, Change{
				p.Order, fmt.Sprintf("%s, %s: %s → %s", p.Who, p.Thing(), status(was), status(p)),
				was.Short() == 0 && p.Short() > 0,
			})
		}
	}
	return all
}

// status says how well a promise is covered: "covered", "34 of 40".
func status(p ahead.Promise) string {
	if short := p.Short(); short > 0 {
		return fmt.Sprintf("%d of %d", p.Left()-short, p.Left())
	}
	return "covered"
}

// shortened are those that were covered and would be short, in words.
func shortened(all []Change) string {
	var says []string
	for _, c := range all {
		if c.Worse {
			says = append(says, c.Says+".")
		}
	}
	return strings.Join(says, " ")
}
