package marks_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"metrogon/core/marks"
)

// What is taken for one another in pencil, and what a character reads as when
// the egg is upside down. Common practice in marking; the pairs are those that
// forms for hand printing warn of.
var (
	alike      = []string{"0ODQ", "1IL|", "2Z", "5S", "6GC", "8B3E", "UV", "4H9", "7T1"}
	upsideDown = map[rune]string{
		'A': "V", 'C': "", 'E': "3", 'F': "", 'K': "", 'L': "7", 'P': "D", 'R': "", 'T': "", 'U': "N", 'Y': "",
		'4': "H",
	}
)

func TestTheAlphabet(t *testing.T) {
	for _, group := range alike {
		in := 0
		for _, c := range group {
			if strings.ContainsRune(marks.Alphabet, c) {
				in++
			}
		}
		assert.LessOrEqual(t, in, 1, "two of %s are in use", group)
	}
	for _, c := range marks.Alphabet {
		reads, known := upsideDown[c]
		assert.True(t, known, "%c upside down is not thought of", c)
		assert.False(
			t, strings.ContainsAny(marks.Alphabet, reads) && reads != "", "%c upside down reads as one of %s", c, reads,
		)
	}
}

func TestCodesAreNewAndInOrder(t *testing.T) {
	assert.Equal(t, []string{"AAA", "AAC", "AAE"}, marks.Next("", 3, nil))
	assert.Equal(t, []string{"AAC", "AAF"}, marks.Next("AAA", 2, map[string]bool{"AAE": true}))
	assert.Equal(t, []string{"444", "AAA"}, marks.Next("44Y", 2, nil), "it begins again")
	assert.Len(t, marks.Next("", 900, nil)[0], 4, "more than half of the short ones: a place more")
	rapid.Check(t, func(t *rapid.T) {
		inUse := map[string]bool{}
		last := ""
		for range rapid.IntRange(1, 8).Draw(t, "baskets") {
			for _, c := range marks.Next(last, rapid.IntRange(1, 400).Draw(t, "eggs"), inUse) {
				if inUse[c] {
					t.Fatalf("%s is given twice", c)
				}
				if _, ok := marks.Read(strings.ToLower(c)); !ok {
					t.Fatalf("%s cannot be read", c)
				}
				inUse[c], last = true, c
			}
		}
	})
}

func TestReadingACode(t *testing.T) {
	for typed, want := range map[string]string{
		"a c4": "AC4", "ACE": "ACE", "AB1": "", "": "", "AC": "", "ACEFKLP": "",
	} {
		code, ok := marks.Read(typed)
		assert.Equal(t, want != "", ok, typed)
		if ok {
			assert.Equal(t, want, code)
		}
	}
}

func TestThirtyBandsDiffer(t *testing.T) {
	seen := map[marks.Band]bool{}
	for n := range 30 {
		assert.False(t, seen[marks.BandOf(n)], n)
		seen[marks.BandOf(n)] = true
		assert.NotEqual(t, marks.BandOf(n).Colour, marks.BandOf(n+1).Colour)
		assert.NotEqual(t, marks.BandOf(n).Pattern, marks.BandOf(n+1).Pattern)
	}
}

func FuzzRead(f *testing.F) {
	for _, typed := range []string{"AAA", " aab ", "o0l1", "", "\xff", "AAAAAAAAAAAA"} {
		f.Add(typed)
	}
	f.Fuzz(func(t *testing.T, typed string) {
		code, ok := marks.Read(typed)
		if again, ok2 := marks.Read(code); ok && (!ok2 || again != code) {
			t.Errorf("%q was read as %q, and that as %q", typed, code, again)
		}
	})
}

func TestCodesAtTheirEdges(t *testing.T) {
	for typed, want := range map[string]bool{
		"AA": false, "AAA": true, " a a a ": true, "AAAAAA": true, "AAAAAAA": false, "AA0": false, "": false,
	} {
		_, ok := marks.Read(typed)
		assert.Equal(t, want, ok, "%q", typed)
	}
	assert.Equal(t, []string{"AAA", "AAC"}, marks.Next("", 2, nil))
	assert.Equal(t, []string{"AAC"}, marks.Next("AAA", 1, nil))
	assert.Equal(t, []string{"ACA"}, marks.Next("AA4", 1, nil), "the next row begins")
	assert.Equal(t, []string{"AAA"}, marks.Next("444", 1, nil), "after the last comes the first")
	assert.Equal(t, []string{"AAE"}, marks.Next("AAA", 1, map[string]bool{"AAC": true}))
	room := len(marks.Alphabet) * len(marks.Alphabet) * len(marks.Alphabet)
	assert.Len(t, marks.Next("", room/2, nil)[0], 3, "half of the short ones")
	assert.Len(t, marks.Next("", room/2+1, nil)[0], 4, "and one more")
	seen := map[marks.Band]bool{}
	for n := range 30 {
		seen[marks.BandOf(n)] = true
	}
	assert.Len(t, seen, 30)
	assert.Equal(t, "amber, striped", marks.BandOf(1).String())
}

// A code that is left out is told of by its absence, and of many codes the order of the letters is told.
func TestCodesAreWrittenOut(t *testing.T) {
	assert.Equal(t, "AAA, AAC, AAF", marks.List(marks.Next("", 3, map[string]bool{"AAE": true})))
	many := marks.Next("", 30, map[string]bool{"AAC": true})
	assert.Equal(t, "AAA, AAE to AEP (the letters run A C E F K L P R T U Y 4)", marks.List(many))
}
