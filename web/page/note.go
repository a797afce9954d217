package page

import (
	"strings"

	"metrogon/farm"
	"metrogon/farm/notes"
)

// ReadNote reads the form of the template "notes".
func (f *Form) ReadNote(m *farm.Member) notes.Note {
	n := notes.Note{Kind: f.Get("was"), Says: f.Get("says"), At: f.When(m)}
	if strings.TrimSpace(f.Get("minutes")) != "" {
		minutes := f.Int("minutes", "How long it lasted")
		n.Minutes = &minutes
	}
	if worst := f.MaybeFloat("worst", "The temperature"); worst != nil {
		celsius := Celsius(m, *worst)
		n.TempC = &celsius
	}
	return n
}
