package breeding_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"metrogon/core/breeding"
	"metrogon/core/species"
)

func day(s string) time.Time {
	if s == "" {
		return time.Time{}
	}
	at, err := time.Parse(time.DateOnly, s)
	if err != nil {
		panic(err)
	}
	return at
}

func fertile(t *testing.T, kind string) breeding.Fertile {
	p, err := species.Find(kind)
	require.NoError(t, err)
	return breeding.FertileOf(p)
}

const (
	alder, birch, cedar int64 = 1, 2, 3 // males
	wren                int64 = 11      // a hen
)

// Three cases by hand: hens' eggs (fertile up to 21 days after the male is out, a new one's from
// the second day, all from the seventh) and turkeys' (56 days).
func TestTheOverlapByHand(t *testing.T) {
	type on struct {
		laid  string
		how   breeding.Certainty
		males []int64
	}
	for _, c := range []struct {
		name, kind string
		flock      breeding.Flock
		eggs       []on
		change     int // the one to look at
		surely     string
	}{
		{
			"a cock swapped on one day", "chicken",
			breeding.Flock{
				{Bird: alder, Pen: 1, Male: true, From: day("2027-01-10"), Until: day("2027-04-01")},
				{Bird: birch, Pen: 1, Male: true, From: day("2027-04-01")},
			},
			[]on{
				{"2027-01-10", breeding.NoMale, nil},
				{"2027-01-12", breeding.TooEarly, []int64{alder}},
				{"2027-01-17", breeding.Sure, []int64{alder}},
				{"2027-04-02", breeding.Sure, []int64{alder}}, // the second day: too early for the new one
				{"2027-04-03", breeding.NotCertain, []int64{alder, birch}},
				{"2027-04-22", breeding.NotCertain, []int64{alder, birch}}, // 21 days after
				{"2027-04-23", breeding.Sure, []int64{birch}},
			},
			1, "2027-04-23",
		},
		{
			// Out in October, hens do not lay through the winter; the next male comes in January.
			// His eggs of February are his from the first: nothing of October lives any more.
			"across a season break", "chicken",
			breeding.Flock{
				{Bird: alder, Pen: 1, Male: true, From: day("2026-02-01"), Until: day("2026-10-20")},
				{Bird: birch, Pen: 1, Male: true, From: day("2027-01-15")},
			},
			[]on{
				{"2026-11-10", breeding.Sure, []int64{alder}},
				{"2026-11-11", breeding.NoMale, nil},
				{"2027-01-16", breeding.NoMale, nil},
				{"2027-01-17", breeding.TooEarly, []int64{birch}},
				{"2027-02-01", breeding.Sure, []int64{birch}},
			},
			1, "2027-01-22",
		},
		{
			// A turkey hen goes on for eight weeks, and a second tom beside the first leaves every egg open.
			"turkeys, two toms for a while", "turkey",
			breeding.Flock{
				{Bird: alder, Pen: 1, Male: true, From: day("2027-02-01")},
				{Bird: birch, Pen: 1, Male: true, From: day("2027-03-01"), Until: day("2027-03-20")},
			},
			[]on{
				{"2027-02-28", breeding.Sure, []int64{alder}},
				{"2027-03-10", breeding.SeveralMales, []int64{alder, birch}},
				{"2027-03-21", breeding.NotCertain, []int64{alder, birch}},
				{"2027-05-15", breeding.NotCertain, []int64{alder, birch}}, // 56 days after
				{"2027-05-16", breeding.Sure, []int64{alder}},
			},
			0, "2027-02-08",
		},
	} {
		times := fertile(t, c.kind)
		for _, e := range c.eggs {
			got := c.flock.SireOf(1, 0, day(e.laid), times)
			assert.Equal(t, e.how, got.How, "%s: laid on %s", c.name, e.laid)
			assert.Equal(t, e.males, got.Males, "%s: laid on %s", c.name, e.laid)
		}
		assert.Equal(t, day(c.surely), c.flock.Changes(1, times)[c.change].Surely, "%s: surely his", c.name)
	}
}

// A hen from another pen carries its male along; the others' eggs, where she is trap-nested, do not.
func TestAHenBringsHerMale(t *testing.T) {
	flock := breeding.Flock{
		{Bird: alder, Pen: 1, Male: true, From: day("2027-01-01")},
		{Bird: birch, Pen: 2, Male: true, From: day("2027-01-01")},
		{Bird: wren, Pen: 2, From: day("2027-01-01"), Until: day("2027-03-01")},
		{Bird: wren, Pen: 1, From: day("2027-03-01")},
	}
	times := fertile(t, "chicken")
	assert.Equal(t, breeding.NotCertain, flock.SireOf(1, 0, day("2027-03-10"), times).How)
	assert.Equal(t, breeding.NotCertain, flock.SireOf(1, wren, day("2027-03-10"), times).How)
	assert.Equal(t, breeding.Sure, flock.SireOf(1, 99, day("2027-03-10"), times).How, "an egg of another hen")
	assert.Equal(t, alder, flock.SireOf(1, wren, day("2027-03-23"), times).Bird(), "22 days after")
	assert.Equal(t, birch, flock.SireOf(2, 0, day("2027-03-10"), times).Bird(), "she left; he stayed")
}

func TestWhatFollowsOfASwap(t *testing.T) {
	flock := breeding.Flock{
		{Bird: alder, Pen: 1, Male: true, From: day("2027-01-10"), Until: day("2027-04-01")},
		{Bird: birch, Pen: 1, Male: true, From: day("2027-04-01")},
	}
	got := flock.Changes(1, fertile(t, "coturnix-quail"))
	assert.Equal(t, breeding.Change{
		Male: birch, From: day("2027-04-01"), First: day("2027-04-03"), Safe: day("2027-04-08"),
		Surely: day("2027-04-09"), Others: []int64{alder},
	}, got[1], "quail stay fertile for about a week")
	assert.Equal(t, day("2027-01-17"), got[0].Surely)
	assert.Empty(t, got[0].Others)
}

// Whoever can be the sire was there, or had been so lately that it is possible; and a sure sire is the
// only one.
func TestASureSireIsTheOnlyOne(t *testing.T) {
	times := fertile(t, "chicken")
	rapid.Check(t, func(t *rapid.T) {
		var flock breeding.Flock
		start := day("2027-01-01")
		for i := range rapid.IntRange(1, 4).Draw(t, "males") {
			from := start.AddDate(0, 0, rapid.IntRange(0, 80).Draw(t, "from"))
			s := breeding.Stay{Bird: int64(i + 1), Pen: 1, Male: true, From: from}
			if rapid.Bool().Draw(t, "gone") {
				s.Until = from.AddDate(0, 0, rapid.IntRange(0, 40).Draw(t, "stay"))
			}
			flock = append(flock, s)
		}
		laid := start.AddDate(0, 0, rapid.IntRange(0, 140).Draw(t, "laid"))
		got := flock.SireOf(1, 0, laid, times)
		n := 0
		for _, s := range flock {
			late := !s.Until.IsZero() && laid.Sub(s.Until) > 21*24*time.Hour
			if laid.Sub(s.From) >= 2*24*time.Hour && !late {
				n++
				assert.Contains(t, got.Males, s.Bird)
			}
		}
		assert.Len(t, got.Males, n)
		if got.How == breeding.Sure {
			assert.Equal(t, 1, n)
		}
	})
}
