package ical_test

import (
	"bytes"
	"regexp"
	"strings"
	"testing"
	"time"
	_ "time/tzdata"
	"unicode/utf8"

	ics "github.com/arran4/golang-ical"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/formats/ical"
)

func written(t *testing.T, c ical.Calendar) string {
	var b bytes.Buffer
	require.NoError(t, ical.Write(&b, c))
	return b.String()
}

// Lines end in CR LF, have at most 75 octets, and are folded between characters [RFC 5545, 3.1].
func TestLinesAreFoldedAsTheStandardSays(t *testing.T) {
	place, err := time.LoadLocation("Europe/London")
	require.NoError(t, err)
	now := time.Date(2027, 3, 20, 7, 0, 0, 0, time.UTC)
	long := "Candle 24 eggs, “Höhenwölfe”; a very long line, with commas; and semicolons \\ and\nnew lines: " +
		strings.Repeat("Küken ", 30)
	text := written(t, ical.Calendar{Name: "Größe", Place: place, Now: now, Events: []ical.Event{
		{UID: "a@metrogon", Summary: long, Says: long, At: now.AddDate(0, 0, 30), Minutes: 30, AlarmMin: 60, Changed: now},
		{UID: "b@metrogon", Summary: "Any time", At: now.Truncate(24*time.Hour).AddDate(0, 0, 1), AllDay: true, Changed: now},
	}})
	assert.True(t, strings.HasSuffix(text, "END:VCALENDAR\r\n"))
	assert.NotRegexp(t, `[^\r]\n`, text, "a line ends in LF alone")
	for _, line := range strings.Split(strings.TrimSuffix(text, "\r\n"), "\r\n") {
		assert.LessOrEqual(t, len(line), 75, "octets of %q", line)
		assert.True(t, utf8.ValidString(line), "folded in a character: %q", line)
	}
	read, err := ics.ParseCalendar(strings.NewReader(text))
	require.NoError(t, err)
	require.Len(t, read.Events(), 2)
	assert.Equal(t, long, read.Events()[0].GetProperty(ics.ComponentPropertySummary).Value, "read back as it was")
	assert.Equal(t, "-PT60M", read.Events()[0].Alarms()[0].GetProperty(ics.ComponentPropertyTrigger).Value)
	assert.Contains(t, text, "DTSTART;VALUE=DATE:20270321\r\n")
	assert.Contains(t, text, "DTEND;VALUE=DATE:20270322\r\n")
}

// Across a change of the clocks an hour stays the hour that the wall clock shows, and the zone's rules in
// the file say so [Europe/London: summer time from 28 March 2027, 01:00 UTC; tz database].
func TestAcrossAChangeOfTheClocks(t *testing.T) {
	place, err := time.LoadLocation("Europe/London")
	require.NoError(t, err)
	now := time.Date(2027, 3, 20, 7, 0, 0, 0, time.UTC)
	var events []ical.Event
	for _, day := range []int{27, 28, 29} {
		at := time.Date(2027, 3, day, 7, 0, 0, 0, place)
		events = append(events, ical.Event{UID: at.Format("2"), At: at, Minutes: 10, AlarmMin: -1, Changed: now})
	}
	text := written(t, ical.Calendar{Name: "Farm", Place: place, Now: now, Events: events})
	for _, day := range []string{"27", "28", "29"} {
		assert.Contains(t, text, "DTSTART;TZID=Europe/London:202703"+day+"T070000\r\n")
	}
	summer := regexp.MustCompile(`(?s)BEGIN:DAYLIGHT.*?END:DAYLIGHT`).FindString(text)
	assert.Equal(t, strings.Join([]string{
		"BEGIN:DAYLIGHT", "DTSTART:20270328T010000", "TZOFFSETFROM:+0000", "TZOFFSETTO:+0100", "TZNAME:BST", "END:DAYLIGHT",
	}, "\r\n"), summer)
	winter := regexp.MustCompile(`(?s)BEGIN:STANDARD.*?END:STANDARD`).FindString(text)
	assert.Contains(t, winter, "DTSTART:20261025T020000\r\nTZOFFSETFROM:+0100\r\nTZOFFSETTO:+0000\r\nTZNAME:GMT")
	assert.Equal(t, 1, strings.Count(text, "BEGIN:VTIMEZONE"))
}

// A zone without changes has one rule.
func TestAZoneWithoutSummerTime(t *testing.T) {
	place, err := time.LoadLocation("Asia/Kolkata")
	require.NoError(t, err)
	text := written(t, ical.Calendar{Name: "Farm", Place: place, Now: time.Date(2027, 3, 20, 7, 0, 0, 0, time.UTC)})
	assert.Equal(t, 1, strings.Count(text, "BEGIN:STANDARD"))
	assert.Contains(t, text, "TZOFFSETTO:+0530")
}
