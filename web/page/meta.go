package page

import (
	"fmt"
	"net/url"
	"slices"

	"metrogon/farm"
	"metrogon/farm/people"
	"metrogon/web/say"
)

// View is what a template gets: its meta data, and the page's own data.
type View struct {
	Meta
	Data any
}

// Meta is what the layout and the parts need. Member is nil on the pages
// before the door.
type Meta struct {
	say.Reader
	Nav      string // the entry that is current
	Title    string
	Path     string // that was asked for
	Flash    *Flash
	Typed    url.Values // what was typed, when a form comes back
	Problems farm.Problems
	Dark     bool // dressed for the dark, without the side of pages
	Live     bool // worked out while somebody types: what is wrong stands with the answer
	Tour     int  // the stop of the tour that is shown; 0: none
	Quiet    bool // asked for by the page itself: what is to be said to its reader stays for later
}

// Of is what one form is told among several of a page, told by a field that it always sends: what was typed
// into another form, and is wrong there, is not seen in it.
func (v Meta) Of(field string) Meta {
	if _, mine := v.Typed[field]; !mine {
		v.Typed, v.Problems = nil, nil
	}
	return v
}

// Entry is a line of the navigation.
type Entry struct{ Path, Name, Key, Icon string }

// Entries lists the pages; each has its number as a shortcut. Clutches are a page of farms with reptiles.
func (s Meta) Entries() []Entry {
	all := []Entry{
		{"/", "Today", "1", "today"}, {"/eggs", "Eggs", "2", "eggs"}, {"/set", "Set", "3", "set"}, {
			"/batches", "Batches", "4", "batches",
		},
		{"/board", "Board", "5", ""}, {"/pens", "Pens", "6", ""}, {"/machines", "Machines", "7", ""}, {
			"/journal", "Journal", "8", "",
		},
		{"/settings", "Settings", "9", ""},
	}
	if s.Member != nil && s.Member.Reptiles {
		all = append(all, Entry{"/clutches", "Clutches", "0", ""})
	}
	if s.Member != nil && s.Member.ReptilesOnly() {
		all = slices.DeleteFunc(all, func(e Entry) bool { return e.Path == "/eggs" || e.Path == "/set" })
	}
	return all
}

// Val gives what was typed into a field, or its usual value.
func (s Meta) Val(name string, usual any) string {
	if s.Typed != nil {
		if v, ok := s.Typed[name]; ok {
			return v[0]
		}
		return ""
	}
	return fmt.Sprint(usual)
}

// On tells whether a box was ticked, or is usually.
func (s Meta) On(name string, usual bool) bool {
	if s.Typed != nil {
		return s.Typed.Get(name) != ""
	}
	return usual
}

// Question is the form that came back only to be asked about; nil if it did not.
func (s Meta) Question() *Question {
	if !s.Problems.Doubtful() {
		return nil
	}
	return &Question{s.Path, s.Typed}
}

// Has tells whether a value was among those typed or ticked under a name.
func (s Meta) Has(name, value string) bool { return slices.Contains(s.Typed[name], value) }

// Reads is how the reader sees figures; before the door as most do.
func (s Meta) Reads() people.Units {
	if m := s.Member; m != nil {
		return people.Units{Temperature: m.Temperature, Mass: m.Mass, Clock: m.Clock, CountFrom: m.CountFrom}
	}
	return people.Units{Temperature: "C", Mass: "g", Clock: 24}
}

// Problem gives what is wrong with a field.
func (s Meta) Problem(field string) string {
	for _, p := range s.Problems {
		if p.Field == field {
			return p.Says
		}
	}
	return ""
}

// Who is the person on this farm, for what a device keeps for them alone.
func (s Meta) Who() string { return Who(s.Member) }

// Who names a person on a farm.
func Who(m *farm.Member) string { return fmt.Sprintf("%d-%d", m.FarmID, m.PersonID) }
