package eggline_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/grading"
	"metrogon/core/method"
	"metrogon/farm/snapshot"
	"metrogon/farm/stock"
	"metrogon/formats/eggline"
)

var (
	today = time.Date(2027, 4, 14, 0, 0, 0, 0, time.UTC)
	pens  = []snapshot.Pen{
		{ID: 1, Name: "Barred"}, {ID: 2, Name: "Speckled"}, {ID: 3, Name: "Lavender bantams"},
		{ID: 4, Name: "Lavender"}, {ID: 5, Name: "Line 01"}, {ID: 6, Name: "Line 02"},
	}
)

func TestOneLine(t *testing.T) {
	mass, long, broad := 43.5, 57.0, 43.2
	for line, want := range map[string][]stock.Collected{
		"barred 6":                     {{PenID: 1, Eggs: 6}},
		"Barred 6, 1 cracked, 2 dirty": {{PenID: 1, Eggs: 6, Reasons: map[string]int{"crack": 1, "dirty": 2}}},
		"bar 6, crack; sp 5 yesterday": {
			{PenID: 1, Eggs: 6, Reasons: map[string]int{"crack": 1}},
			{PenID: 2, Eggs: 5, LaidOn: today.AddDate(0, 0, -1)},
		},
		"barred 2 broken":           {{PenID: 1, Reasons: map[string]int{"broken": 2}}},
		"lavender 3":                {{PenID: 4, Eggs: 3}},
		"lavender b hen 14 43,5g":   {{PenID: 3, Eggs: 1, Hen: "14", MassG: &mass}},
		"line 02 4 brushed":         {{PenID: 6, Eggs: 4, Washing: method.Brushed}},
		" ; speckled 1 57x43.2mm ;": {{PenID: 2, Eggs: 1, LengthMM: &long, Breadth: &broad}},
	} {
		got, err := eggline.Read(line, pens, today)
		require.NoError(t, err, line)
		for i := range want {
			if want[i].LaidOn.IsZero() {
				want[i].LaidOn = today
			}
			if want[i].Reasons == nil {
				want[i].Reasons = map[string]int{}
			}
		}
		assert.Equal(t, want, got, line)
		for _, c := range got {
			for id := range c.Reasons {
				_, known := grading.Known(id)
				assert.True(t, known, id)
			}
		}
	}
	for line, says := range map[string]string{
		"": "like: barred 6", "6": `no pen begins with "6"`, "li 5": "Line 01 or Line 02; write a little " +
			"more", "barred 6 7": "after 6 eggs of Barred comes 7",
		"barred six": `"six" is not understood`, "rex 5": `no pen begins with "rex"`,
	} {
		_, err := eggline.Read(line, pens, today)
		assert.ErrorContains(t, err, says, line)
	}
}

// A line of any kind is read or refused soon, and never makes eggs up.
func FuzzLine(f *testing.F) {
	for _, line := range []string{"barred 6, 1 cracked; speckled 5 " +
		"yesterday", "hen hen hen", ";;;;", "barred 99999999999999999999", "b 1 1x1mm 5g",
		strings.Repeat("barred 1 cracked ", 200), "\u00e9\xff 3"} {
		f.Add(line)
	}
	pens := []snapshot.Pen{{ID: 1, Name: "Barred"}, {ID: 2, Name: "Speckled hen"}, {ID: 3, Name: "Bantams of the hill"}}
	today := time.Date(2027, 4, 14, 0, 0, 0, 0, time.UTC)
	f.Fuzz(func(t *testing.T, line string) {
		all, err := eggline.Read(line, pens, today)
		if err == nil && (len(all) == 0 || len(all) > eggline.MaxEntries) {
			t.Errorf("%d entries of %q", len(all), line)
		}
		for _, c := range all {
			if c.PenID < 1 || c.PenID > 3 || c.LaidOn.After(today) {
				t.Errorf("%+v of %q", c, line)
			}
		}
	})
}

func TestALineIsNoLongerThanARound(t *testing.T) {
	pens := []snapshot.Pen{{ID: 1, Name: "Barred"}}
	today := time.Date(2027, 4, 14, 0, 0, 0, 0, time.UTC)
	began := time.Now()
	_, err := eggline.Read(strings.Repeat("barred ", 12_000), pens, today) // 84 kB
	assert.ErrorContains(t, err, "the line has 84000 characters; it may have 4000")
	_, err = eggline.Read(strings.Repeat("barred 1;", 400), pens, today)
	assert.ErrorContains(t, err, "more than 200 entries")
	assert.Less(t, time.Since(began), time.Second)
}

func TestAWeightInOunces(t *testing.T) {
	all, err := eggline.Read(
		"barred hen 14 1 2oz", []snapshot.Pen{{ID: 1, Name: "Barred"}}, time.Date(2027, 4, 14, 0, 0, 0, 0, time.UTC),
	)
	if assert.NoError(t, err) {
		assert.InDelta(t, 56.699, *all[0].MassG, 1e-3)
	}
}
