package wish

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

var words = Words{
	Kinds: map[string][]string{
		"chicken":        {"chicken", "chickens", "hen", "hens", "chicks"},
		"duck":           {"duck", "ducks", "ducklings"},
		"muscovy-duck":   {"muscovy duck", "muscovies"},
		"coturnix-quail": {"quail", "coturnix quail", "coturnix"},
	},
	Pens:    []string{"Barred", "Barred two", "Marsh ducks"},
	Batches: []string{"Duck 27-02", "Duck 27-0"},
}

var friday = time.Friday

func date(y, m, d int) time.Time { return time.Date(y, time.Month(m), d, 0, 0, 0, 0, time.UTC) }

func TestRead(t *testing.T) {
	today := date(2027, 2, 17) // a Wednesday
	for line, wants := range map[string]Wish{
		"Hatch on Monday 12 April":             {Aim: Hatch, On: date(2027, 4, 12)},
		"ducks and hens out together on 3 May": {Aim: Out, Kinds: []string{"duck", "chicken"}, On: date(2027, 5, 3)},
		"quail every Friday":                   {Aim: Out, Kinds: []string{"coturnix-quail"}, Every: &friday},
		"20 pullets for 1 June":                {Aim: Out, On: date(2027, 6, 1), Count: 20, Pullets: true},
		"same lockdown as Duck 27-02":          {Aim: Lockdown, Batch: "Duck 27-02"},
		"hens, same lockdown as duck 27-02":    {Aim: Lockdown, Batch: "Duck 27-02", Kinds: []string{"chicken"}},
		"12 Barred two chicks on 1 March 2028.": {
			Aim: Out, Pens: []string{"Barred two"}, Kinds: []string{"chicken"}, Count: 12, On: date(2028, 3, 1),
		},
		"Marsh ducks hatched by 2027-04-02": {Aim: Hatch, Pens: []string{"Marsh ducks"}, On: date(2027, 4, 2)},
		"muscovies on april 3rd":            {Aim: Out, Kinds: []string{"muscovy-duck"}, On: date(2027, 4, 3)},
		"30 quail in 5 weeks": {
			Aim: Out, Kinds: []string{"coturnix-quail"}, Count: 30, On: date(2027, 3, 24),
		},
		"hens on Saturday":    {Aim: Out, Kinds: []string{"chicken"}, On: date(2027, 2, 20)},
		"hens on 1.3.":        {Aim: Out, Kinds: []string{"chicken"}, On: date(2027, 3, 1)},
		"set ducks on 20 Feb": {Aim: Set, Kinds: []string{"duck"}, On: date(2027, 2, 20)},
		"ducks on 5 January":  {Aim: Out, Kinds: []string{"duck"}, On: date(2028, 1, 5)},
		"40 for 29 February":  {Aim: Out, Count: 40, On: date(2028, 2, 29)},
	} {
		got, err := Read(line, today, words)
		assert.NoError(t, err, line)
		assert.Equal(t, wants, got, line)
	}
}

func TestReadSaysWhatIsMissing(t *testing.T) {
	today := date(2027, 2, 17)
	for line, says := range map[string]string{
		"":                           "When?",
		"ducks":                      "When?",
		"hatch on Saturday 12 April": "12 April 2027 is a Monday. Did you mean Saturday 10 April, or Monday 12 April?",
		"ducks on 31 April":          "no such day",
		"ducks on 3 May 2019":        "is over",
		"ducks on 3 May 2099":        "three years",
		"same lockdown as Duck 99":   "Whose lockdown?",
		"999999 ducks on 3 May":      "more than any yard",
		"1000000000 hens on 3 May":   "more than any yard",

		"9999999999999999999999 hens on 3 May": "more than any yard",
	} {
		_, err := Read(line, today, words)
		if assert.Error(t, err, line) {
			assert.Contains(t, err.Error(), says, line)
		}
	}
}

func FuzzRead(f *testing.F) {
	for _, line := range Examples {
		f.Add(line)
	}
	f.Fuzz(func(t *testing.T, line string) {
		w, err := Read(line, date(2027, 2, 17), words)
		if err == nil && w.On.IsZero() && w.Every == nil && w.Batch == "" {
			t.Fatalf("%q was understood, with no day in it", line)
		}
	})
}
