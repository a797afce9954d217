// Package find leads from a few letters to what they name: an egg by its pencil code, a batch, a pen, a
// bird, a machine, a promise.
package find

import (
	"context"
	"fmt"
	"strings"
	"unicode"

	"metrogon/farm"
	"metrogon/store/books"
)

// Service holds the use case.
type Service struct{ *farm.Service }

// Found is what goes by some words.
type Found struct {
	Words string
	books.Found
}

// Name is something that was found by its name.
type Name = books.FoundName

// None tells that nothing does.
func (f Found) None() bool {
	return len(f.Eggs)+len(f.Batches)+len(f.Pens)+len(f.Birds)+len(f.Machines)+len(f.Promises) == 0
}

// Find looks for words on the member's farm; nothing is found by none.
func (b *Service) Find(ctx context.Context, m *farm.Member, words string) (f Found, err error) {
	var p farm.Problems
	f.Words = p.Name("q", "What is looked for", words, 60, false)
	if p != nil || f.Words == "" {
		return f, p.Err()
	}
	err = b.Read(ctx, m, func(tx *farm.Tx) (err error) {
		f.Found, err = books.On(tx).Find(ctx, f.Words, codeOf(f.Words))
		return err
	})
	return f, err
}

// codeOf reads words as a pencil code, which is letters alone, or the beginning of one; "" if they are none.
func codeOf(words string) string {
	for _, r := range words {
		if r > unicode.MaxASCII || !unicode.IsLetter(r) {
			return ""
		}
	}
	if len(words) > 4 {
		return ""
	}
	return strings.ToUpper(words)
}

// Where tells where a found egg is.
func Where(e books.FoundEgg) string {
	laid := fmt.Sprintf("%s, laid %s", e.Pen, e.LaidOn.Format("2 Jan"))
	switch {
	case e.BatchID != nil && e.Fate != nil:
		return fmt.Sprintf("egg %d of %s, %s; %s", *e.No, *e.Code, laid, *e.Fate)
	case e.BatchID != nil:
		return fmt.Sprintf("egg %d of %s, %s", *e.No, *e.Code, laid)
	}
	return "in store, " + laid
}
