// Package wording puts counts and names into sentences.
package wording

import (
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Plural writes a count with its noun: 1 egg, 2 eggs; young stays as it is.
func Plural(n int, one string) string {
	if n == 1 || one == "young" {
		return fmt.Sprintf("%d %s", n, one)
	}
	if strings.HasSuffix(one, "ch") { // batch
		one += "e"
	}
	return fmt.Sprintf("%d %ss", n, one)
}

// And lists names: a, b and c.
func And(all []string) string {
	if len(all) < 2 {
		return strings.Join(all, "")
	}
	return strings.Join(all[:len(all)-1], ", ") + " and " + all[len(all)-1]
}

// Capital begins a text with a capital letter.
func Capital(s string) string { return first(s, unicode.ToUpper) }

// Lower begins a text with a small letter.
func Lower(s string) string { return first(s, unicode.ToLower) }

func first(s string, to func(rune) rune) string {
	r, n := utf8.DecodeRuneInString(s)
	if n == 0 {
		return s
	}
	return string(to(r)) + s[n:]
}

// Were is Plural with its verb: "1 egg was", "2 eggs were".
func Were(n int, one string) string {
	if n == 1 {
		return Plural(n, one) + " was"
	}
	return Plural(n, one) + " were"
}

// TooFew says that n of something tell nothing yet, and how many would.
func TooFew(n, least int, one string) string {
	_, many, _ := strings.Cut(Plural(0, one), " ")
	return fmt.Sprintf("Too few %s to say (%d; %d are needed).", many, n, least)
}
