package today

import (
	"fmt"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/method"
	"metrogon/core/wording"
	"metrogon/farm/chores"
	"metrogon/farm/snapshot"
)

// tap is a button of a chore: a link, or what one tap sends.
type tap struct {
	Label string
	Whole string // what it says on the day's first chore, where there is more to say
	Of    string // what it is done to, for those who hear the page
	Link  string
	Send  string
	With  map[string]string // what is sent
	Main  bool              // the likely and safe one
	Fresh bool              // the page is loaded anew: it dresses for the dark
}

// row is a chore as it is listed; the first of the day is the one to begin with.
type row struct {
	chores.Chore
	First    bool
	Together bool // others in its machine are to be candled too: one opening for all
}

// Class is how a button looks: only the first row's is filled.
func (r row) Class(t tap) string {
	if r.First && t.Main {
		return "is-main"
	}
	return ""
}

// Says is what stands on a button.
func (r row) Says(t tap) string {
	if r.First && t.Whole != "" {
		return t.Whole
	}
	return t.Label
}

// group is the chores of one urgency.
type group struct {
	Name, Class string
	Rows        []row
}

// groups sorts the chores by how urgent they are.
func groups(due []chores.Chore, now time.Time) (all []group) {
	of := func(c chores.Chore) group {
		switch {
		case c.Late > 0:
			return group{Name: "Late", Class: "is-late"}
		case c.At.IsZero():
			return group{Name: "Any time today", Class: "any-time"}
		case c.At.After(now):
			return group{Name: "Later today"}
		}
		return group{Name: "Now"}
	}
	for i, c := range due {
		g := of(c)
		if n := len(all); n == 0 || all[n-1].Name != g.Name {
			all = append(all, g)
		}
		last := &all[len(all)-1]
		last.Rows = append(last.Rows, row{Chore: c, First: i == 0})
	}
	return together(all)
}

// together marks the first of several candlings in one machine.
func together(all []group) []group {
	first := map[int64]*row{}
	for g := range all {
		for i := range all[g].Rows {
			r := &all[g].Rows[i]
			if r.Kind != calendar.Candle && r.Kind != chores.CandleRest {
				continue
			}
			if one := first[r.In]; one != nil {
				one.Together = true
			} else {
				first[r.In] = r
			}
		}
	}
	return all
}

// Taps are the buttons of a chore.
func (r row) Taps() []tap {
	c := r.Chore
	eggs := wording.Plural(c.Eggs, "egg")
	to := func(path string) string { return fmt.Sprintf("/batches/%d/%s", c.About.ID, path) }
	record := tap{Label: "Record", Of: c.Code, Link: fmt.Sprintf("/batches/%d?do=hatch", c.About.ID)}
	switch c.Kind {
	case calendar.Candle:
		if r.Together {
			return []tap{{
				Label: "Candle all", Of: "that turn there, in one sitting", Main: true, Fresh: true,
				Link: fmt.Sprintf("/machines/%d/candle", c.In),
			}}
		}
		return []tap{{
			Label: "Candle", Whole: "Candle " + eggs, Of: c.Code, Link: to("candle"), Main: true, Fresh: true,
		}}
	case chores.CandleRest:
		return []tap{
			{Label: "Rest live", Of: c.Code, Send: to("rest"), Main: true},
			{Label: "Candle", Of: "the rest of " + c.Code, Link: to("candle"), Fresh: true},
			{
				Label: "Not looked at", Of: "the rest of " + c.Code, Send: to("done"),
				With: map[string]string{"kind": calendar.Candle, "day": fmt.Sprint(c.Day)},
			},
		}
	case chores.LookAgain:
		return []tap{{
			Label: "Candle", Whole: "Look at " + eggs, Of: c.Code + " again", Link: to("candle/doubtful"), Main: true,
			Fresh: true,
		}}
	case chores.CheckGauge:
		return []tap{{Label: "Check", Of: c.Of, Link: fmt.Sprintf("/instruments#i%d", c.About.ID)}}
	case chores.LookAtClutch, chores.SetWarmth, chores.ClutchHatch, chores.ClutchRest, chores.CloseClutch, chores.WeighBox,
		chores.AirBox:
		return r.clutch()
	case chores.LookAfterCut, chores.LowerHeat, chores.WarmBrooder, chores.AtHand, chores.NextTime, chores.PowerAway,
		chores.Alarm, chores.FoundLid, chores.FoundPower:
		return r.around()
	case chores.Past:
		record.Main = true
		return []tap{record}
	case calendar.Lockdown, calendar.Pull, calendar.ClearOut:
		return r.hatching(record, eggs, to)
	case method.Turn, method.Cool, method.Mist:
		return []tap{{
			Label: "Done", Of: c.Kind + " of " + c.Code, Send: to("care"), With: map[string]string{"kind": c.Kind}, Main: true,
		}}
	case snapshot.Tilt:
		return []tap{{Label: "Done", Of: "tilting " + c.Of, Send: fmt.Sprintf("/places/%d/tilted", c.About.ID)}}
	case chores.Water, chores.Turner, chores.Humidity, chores.WarmUp:
		return r.machine()
	case chores.SetPlanned:
		return r.planned()
	case chores.Replanned:
		return []tap{{Label: "See what changes", Of: "in the plan", Link: "/plan", Main: true}}
	case chores.HandOver:
		return []tap{{Label: "Hand over", Of: "to " + c.Of, Link: fmt.Sprintf("/promises#order-%d", c.About.ID)}}
	case chores.SetTest:
		return []tap{{Label: "Set", Of: c.Of, Link: "/set?kind=" + c.Species}}
	case chores.ReadTest:
		return []tap{{Label: "Decide", Of: "the test of " + c.Of, Link: fmt.Sprintf("/tests#test-%d", c.Day), Main: true}}
	case chores.Unticked:
		return []tap{{Label: "See the list", Of: c.Of, Link: "/handover"}}
	case chores.Parcel, chores.Swap:
		return r.coming()
	case chores.Rested:
		return []tap{{Label: "Set", Of: c.Of, Link: "/set?kind=" + c.Species}}
	}
	return nil
}

// hatching are the buttons from lockdown to the end of a batch.
func (r row) hatching(record tap, eggs string, to func(string) string) []tap {
	c := r.Chore
	switch c.Kind {
	case calendar.Lockdown:
		whole := "Lock down " + eggs
		if c.Of != "" {
			whole = "Move " + eggs
		}
		lock := tap{Label: "Done", Whole: whole, Of: "lockdown of " + c.Code, Send: to("lockdown"), Main: !c.Look}
		if c.Look {
			lock.Label, lock.Whole = "Shut", ""
			return []tap{{
				Label: "Candle", Whole: "Candle " + eggs, Of: c.Code, Link: to("candle"), Main: true, Fresh: true,
			}, lock}
		}
		return []tap{lock}
	case calendar.Pull:
		return []tap{record, {
			Label: "Done", Whole: "All are out", Of: "pull of " + c.Code, Send: to("done"), Main: true,
			With: map[string]string{"kind": c.Kind, "day": fmt.Sprint(c.Day)},
		}}
	case calendar.ClearOut:
		if c.Eggs == 0 {
			return []tap{record, {
				Label: "Close", Whole: "Close " + c.Code, Of: c.Code, Send: to("close"), Main: true,
			}}
		}
		record.Main = true
		return []tap{record, {
			Label: "Late eggs", Whole: "What to do with late eggs", Of: c.Code, Link: to("overdue"),
		}, {
			Label: "Write " + eggs + " off", Of: "and close " + c.Code, Send: to("close"),
		}}
	}
	return nil
}

// clutch are the buttons of reptiles' eggs and their boxes.
func (r row) clutch() []tap {
	c := r.Chore
	to := func(path string) string { return fmt.Sprintf("/clutches/%d%s", c.About.ID, path) }
	done := func(label, kind string) tap {
		return tap{
			Label: label, Of: c.Code, Send: to("/done"), With: map[string]string{"kind": kind, "day": fmt.Sprint(c.Day)},
		}
	}
	switch c.Kind {
	case chores.LookAtClutch:
		return []tap{{Label: "Look", Of: "at " + c.Code, Link: to("?do=look"), Main: true}, done("Left alone", c.Kind)}
	case chores.SetWarmth:
		return []tap{done("It is set", c.Kind), {Label: "See why", Of: c.Code, Link: to("#warmth")}}
	case chores.ClutchHatch:
		taps := []tap{{Label: "Write down", Of: "what was seen of " + c.Code, Link: to("?do=hatch"), Main: true}}
		if c.Day > 0 {
			taps = append(taps, done("Nothing yet", c.Kind))
		}
		return taps
	case chores.CloseClutch:
		return []tap{{Label: "Close", Of: c.Code, Send: to("/close"), Main: true}}
	case chores.WeighBox:
		return []tap{{Label: "Weighed", Of: c.Of, Link: fmt.Sprintf("/boxes/%d", c.About.ID), Main: true}}
	case chores.AirBox:
		return []tap{{Label: "Aired", Of: c.Of, Send: fmt.Sprintf("/boxes/%d/aired", c.About.ID)}}
	}
	return []tap{{Label: "Look", Of: "at " + c.Code, Link: to("?do=look"), Main: true}}
}

// around are the buttons of what comes before and after a hatch.
func (r row) around() []tap {
	c := r.Chore
	to := func(path string) string { return fmt.Sprintf("/batches/%d/%s", c.About.ID, path) }
	switch c.Kind {
	case chores.LookAfterCut:
		return []tap{{
			Label: "Candle", Whole: "Look at " + wording.Plural(c.Eggs, "egg"), Of: c.Code, Link: to("candle"), Main: true,
			Fresh: true,
		}}
	case chores.LowerHeat, chores.WarmBrooder:
		return []tap{{Label: "Look", Of: c.Of, Link: fmt.Sprintf("/brooders#b%d", c.About.ID), Main: true}}
	case chores.AtHand:
		before := map[int]string{0: "lockdown", 1: "hatch"}[c.Day]
		return []tap{{
			Label: "All there", Of: "for the " + before + " of " + c.Code, Send: to("at-hand"),
			With: map[string]string{"before": before},
		}}
	case chores.NextTime:
		return []tap{{
			Label: "Done", Of: c.Code, Send: to("next-done"), With: map[string]string{"next": fmt.Sprint(c.Day)},
		}}
	case chores.PowerAway:
		power := fmt.Sprintf("/power/%d", c.About.ID)
		return []tap{{Label: "What to do", Link: power, Main: true}, {Label: "It is back", Send: power + "/back"}}
	}
	return r.read()
}

// read are the buttons of what readings show.
func (r row) read() []tap {
	c := r.Chore
	found := fmt.Sprintf("/found/%d", c.Day)
	no := tap{Label: "No", Of: c.Of, Send: found, With: map[string]string{"said": "not"}}
	switch c.Kind {
	case chores.FoundLid:
		return []tap{{Label: "It was ajar", Of: c.Of, Send: found, With: map[string]string{"said": "so"}}, no}
	case chores.FoundPower:
		return []tap{{Label: "Write it down", Of: c.Of, Link: fmt.Sprintf("/power?found=%d", c.Day)}, no}
	}
	return []tap{
		{Label: "Readings", Of: c.Of, Link: fmt.Sprintf("/machines/%d/readings?span=6h", c.About.ID), Main: true},
		{Label: "Seen", Of: c.Of, Send: fmt.Sprintf("/rings/%d/seen", c.Day)},
	}
}

// coming are the buttons of eggs that come: in a parcel, or under a hen.
func (r row) coming() []tap {
	c := r.Chore
	if c.Kind == chores.Parcel {
		return []tap{{
			Label: "It has arrived", Of: "from " + c.Of, Link: fmt.Sprintf("/parcels#p%d", c.About.ID), Main: true,
		}}
	}
	return []tap{{
		Label: "Move", Of: "under " + c.Of, Link: fmt.Sprintf("/batches/%d/move?to=%d&n=%d", c.About.ID, c.In, c.Eggs),
		Main: true,
	}}
}

// machine are the buttons of what a machine needs.
func (r row) machine() []tap {
	c, page := r.Chore, fmt.Sprintf("/machines/%d", r.About.ID)
	switch c.Kind {
	case chores.Water:
		return []tap{{
			Label: "Filled", Of: "the water of " + c.Of, Send: page + "/water", With: map[string]string{"water": "full"},
		}}
	case chores.Turner:
		return []tap{{Label: "It turns", Of: "the turner of " + c.Of, Send: page + "/turns", Main: true}}
	case chores.Humidity:
		return []tap{{Label: "Look", Of: "at " + c.Of, Link: page + "#air"}}
	}
	return []tap{{Label: "Steps", Of: "of making " + c.Of + " ready", Link: page + "#ready"}}
}

// planned are the buttons of a planned setting: one tap sets what is there of it.
func (r row) planned() []tap {
	if r.Eggs == 0 {
		return []tap{{Label: "Look", Of: r.Of, Link: fmt.Sprintf("/planned/%d", r.About.ID)}}
	}
	eggs := wording.Plural(r.Eggs, "egg")
	return []tap{{
		Label: "Set " + eggs, Of: r.Of, Send: fmt.Sprintf("/planned/%d/set", r.About.ID), Main: true,
	}}
}
