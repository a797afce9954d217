// Package ical writes chores as a calendar that others subscribe to (RFC 5545).
package ical

import (
	"fmt"
	"io"
	"slices"
	"time"

	ics "github.com/arran4/golang-ical"
)

// Event is one entry of a calendar. Its UID stays the same when it moves.
type Event struct {
	UID           string
	Summary, Says string
	Where         string
	At            time.Time // when it is due
	AllDay        bool      // some time on that calendar date (UTC midnight)
	Minutes       int       // how long it takes
	AlarmMin      int       // minutes before; -1: no alarm
	Changed       time.Time // the last change of anything that it follows from
	Sequence      int       // grows with each change
	URL           string
}

// Calendar is a whole feed.
type Calendar struct {
	Name   string
	Place  *time.Location
	Now    time.Time
	Events []Event
}

const local = "20060102T150405"

// Write writes a calendar. Times stand in the farm's zone, whose rules come with it.
func Write(w io.Writer, c Calendar) error {
	cal := ics.NewCalendarFor("Metrogon")
	cal.SetProductId("-//Metrogon//Metrogon//EN")
	cal.SetMethod(ics.MethodPublish)
	cal.SetXWRCalName(c.Name)
	cal.SetName(c.Name)
	cal.SetRefreshInterval("PT1H", ics.WithValue("DURATION"))
	cal.SetXPublishedTTL("PT1H")
	from, to := c.Now, c.Now
	for _, e := range c.Events {
		switch {
		case e.AllDay:
		case e.At.Before(from):
			from = e.At
		case e.At.After(to):
			to = e.At
		}
	}
	cal.AddVTimezone(zone(c.Place, from, to))
	tzid := &ics.KeyValues{Key: string(ics.ParameterTzid), Value: []string{c.Place.String()}}
	for _, e := range c.Events {
		v := cal.AddEvent(e.UID)
		v.SetDtStampTime(c.Now)
		v.SetProperty(ics.ComponentPropertyLastModified, e.Changed.UTC().Format(local+"Z"))
		v.SetSequence(e.Sequence)
		v.SetSummary(e.Summary)
		v.SetDescription(e.Says)
		if e.Where != "" {
			v.SetLocation(e.Where)
		}
		if e.URL != "" {
			v.SetURL(e.URL)
		}
		if e.AllDay {
			v.SetAllDayStartAt(e.At)
			v.SetAllDayEndAt(e.At.AddDate(0, 0, 1))
			v.SetProperty(ics.ComponentPropertyTransp, "TRANSPARENT")
		} else {
			v.SetProperty(ics.ComponentPropertyDtStart, e.At.In(c.Place).Format(local), tzid)
			v.SetProperty(
				ics.ComponentPropertyDtEnd, e.At.Add(time.Duration(e.Minutes)*time.Minute).In(c.Place).Format(local), tzid,
			)
		}
		if e.AlarmMin >= 0 && !e.AllDay {
			alarm := v.AddAlarm()
			alarm.SetAction(ics.ActionDisplay)
			alarm.SetTrigger(fmt.Sprintf("-PT%dM", e.AlarmMin))
			alarm.SetProperty(ics.ComponentPropertyDescription, e.Summary)
		}
	}
	return cal.SerializeTo(w, ics.WithNewLineWindows)
}

// zone tells how the clocks of a place go, from the last change before a span to the first after it.
func zone(place *time.Location, from, to time.Time) *ics.VTimezone {
	z := ics.NewTimezone(place.String())
	z.Properties = slices.DeleteFunc(z.Properties, func(p ics.IANAProperty) bool {
		return p.IANAToken != string(ics.PropertyTzid)
	})
	at := from.In(place)
	for {
		begins, ends := at.ZoneBounds()
		name, offset := at.Zone()
		before, start := offset, "19700101T000000"
		if !begins.IsZero() {
			_, before = begins.Add(-time.Second).Zone()
			// the wall clock of the moment, as it went until then
			start = begins.UTC().Add(time.Duration(before) * time.Second).Format(local)
		}
		rule := ics.ComponentBase{}
		rule.SetProperty(ics.ComponentPropertyDtStart, start)
		rule.SetProperty(ics.ComponentProperty(ics.PropertyTzoffsetfrom), offsetText(before))
		rule.SetProperty(ics.ComponentProperty(ics.PropertyTzoffsetto), offsetText(offset))
		rule.SetProperty(ics.ComponentProperty(ics.PropertyTzname), name)
		if at.IsDST() {
			z.Components = append(z.Components, &ics.Daylight{ComponentBase: rule})
		} else {
			z.Components = append(z.Components, &ics.Standard{ComponentBase: rule})
		}
		if ends.IsZero() || ends.After(to) {
			return z
		}
		at = ends
	}
}

func offsetText(seconds int) string {
	sign := '+'
	if seconds < 0 {
		sign, seconds = '-', -seconds
	}
	return fmt.Sprintf("%c%02d%02d", sign, seconds/3600, seconds/60%60)
}
