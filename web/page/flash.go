package page

import (
	"encoding/gob"
	"maps"
	"net/url"
	"slices"
)

// Flash is what the last action said; Entry is its line in the journal if it
// can be taken back.
type Flash struct {
	Said  string
	Entry int64
	Bad   bool
	Again *Question // what was asked about, to be sent once more
}

// Question is a form that was asked about: sent again, with the word that it is so, it is taken.
type Question struct {
	Path  string
	Typed url.Values
}

// Fields are what is sent again.
func (q Question) Fields() (all [][2]string) {
	for _, name := range slices.Sorted(maps.Keys(q.Typed)) {
		for _, value := range q.Typed[name] {
			if name != sureField {
				all = append(all, [2]string{name, value})
			}
		}
	}
	return append(all, [2]string{sureField, "yes"})
}

func init() { gob.Register(Flash{}) }
