// Package marks gives each egg a short pencil code, and each pen a band for its
// hatch basket.
package marks

import "strings"

// Alphabet are the characters of a code. None can be taken for another in
// pencil, and none, upside down, for any of them: so no 0/O/D/Q, 1/I, 2/Z, 5/S,
// 6/9/G, 7/L, 8/B, N/Z, M/W, U/V, H, X.
const Alphabet = "ACEFKLPRTUY4"

// shortest is the length that codes begin with; a longer one comes once half of
// the shorter ones would be in use.
const shortest = 3

// Next gives n codes that follow last in turn ("" at the start), none of which
// is in use: neighbours in a basket get neighbours in order.
func Next(last string, n int, inUse map[string]bool) []string {
	length := shortest
	for room := pow(length); room < 2*(len(inUse)+n); room = pow(length) {
		length++
	}
	at := 0
	if len(last) == length {
		at = index(last) + 1
	}
	codes := make([]string, 0, n)
	for room := pow(length); len(codes) < n; at++ {
		if c := code(at%room, length); !inUse[c] {
			codes = append(codes, c)
		}
	}
	return codes
}

// written is how many codes are written out; of more, only where they run from and to.
const written = 12

// List writes codes as they are pencilled on, one after another. Many are written as runs, with the order of the
// letters: nobody who reads "AAA to AAE" knows by herself that there is no AAB.
func List(codes []string) string {
	if len(codes) <= written {
		return strings.Join(codes, ", ")
	}
	var runs []string
	for i := 0; i < len(codes); {
		n := 1
		for i+n < len(codes) && len(codes[i+n]) == len(codes[i]) && index(codes[i+n]) == index(codes[i])+n {
			n++
		}
		run := codes[i]
		if n > 1 {
			run += " to " + codes[i+n-1]
		}
		runs, i = append(runs, run), i+n
	}
	return strings.Join(runs, ", ") + " (the letters run " + strings.Join(strings.Split(Alphabet, ""), " ") + ")"
}

func pow(length int) int {
	n := 1
	for range length {
		n *= len(Alphabet)
	}
	return n
}

func code(i, length int) string {
	b := make([]byte, length)
	for k := length - 1; k >= 0; k-- {
		b[k] = Alphabet[i%len(Alphabet)]
		i /= len(Alphabet)
	}
	return string(b)
}

func index(code string) (i int) {
	for _, c := range code {
		i = i*len(Alphabet) + max(0, strings.IndexRune(Alphabet, c))
	}
	return
}

// Read brings a typed code into its form: capitals, no blanks. It tells whether
// it can be one.
func Read(typed string) (code string, ok bool) {
	code = strings.ToUpper(strings.Join(strings.Fields(typed), ""))
	for _, c := range code {
		if !strings.ContainsRune(Alphabet, c) {
			return code, false
		}
	}
	return code, len(code) >= shortest && len(code) <= 6
}

// Band is a hatch basket's colour with a pattern as its second sign.
type Band struct{ Colour, Pattern string }

// The colours and patterns of bands, in the order in which pens take them;
// neighbours in order differ in both.
var (
	Colours  = []string{"teal", "amber", "red", "violet", "green", "grey"}
	Patterns = []string{"plain", "striped", "dotted", "checked", "ringed"}
)

// BandOf gives the band of a farm's nth pen, from 0 on. The first 30 differ.
func BandOf(n int) Band {
	return Band{Colours[n%len(Colours)], Patterns[n%len(Patterns)]}
}

// String names the band in words.
func (b Band) String() string { return b.Colour + ", " + b.Pattern }
