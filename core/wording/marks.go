package wording

import "regexp"

// Mark stands for something in a sentence that is written when it is read, in the reader's way: a
// day, a name, a moment.
func Mark(what string) string { return "⟦" + what + "⟧" }

var marked = regexp.MustCompile("⟦([^⟧]*)⟧")

// Marked writes what the marks of a sentence stand for.
func Marked(text string, write func(what string) string) string {
	return marked.ReplaceAllStringFunc(text, func(m string) string {
		return write(marked.FindStringSubmatch(m)[1])
	})
}
