// Package wish reads what a breeder wants in one line, the way it is said in a kitchen:
// "hatch on Saturday 12 April", "ducks and hens out together on 3 May", "quail every
// Friday", "20 pullets for 1 June", "same lockdown as Duck 27-02".
package wish

import (
	"cmp"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"
)

// Aim is what a day is wanted for.
type Aim string

// The aims. Out is young out of the machine, dry; Hatch the day on which they hatch.
const (
	Hatch    Aim = "hatch"
	Out      Aim = "out"
	Lockdown Aim = "lockdown" // the same as a batch's
	Set      Aim = "set"
)

// Wish is a line as it was understood.
type Wish struct {
	Aim     Aim
	Kinds   []string // ids of kinds; none named: what there is
	Pens    []string
	On      time.Time     // a date; zero where it comes again and again, or from a batch
	Every   *time.Weekday // each week on this day
	Count   int           // young wanted; 0: as many as fit
	Pullets bool          // of those count females only
	Batch   string        // whose lockdown it shares
}

// Words are what a line may name.
type Words struct {
	Kinds   map[string][]string // by id, what the kind is called, one of it and many
	Pens    []string
	Batches []string // codes
}

// Problem says what a line lacks.
type Problem string

func (p Problem) Error() string { return string(p) }

// Examples are lines that are understood, where these kinds are kept.
var Examples = []string{
	"hatch on Saturday 12 April", "ducks and hens out together on 3 May", "quail every Friday",
	"20 pullets for 1 June", "same lockdown as Duck 27-02",
}

// line is what is left of a line while it is read.
type line struct {
	text  string
	today time.Time
}

// Read understands a line on a date. What it lacks is a Problem, a sentence to be shown.
func Read(text string, today time.Time, words Words) (w Wish, err error) {
	l := &line{" " + strings.Join(strings.Fields(strings.ToLower(text)), " ") + " ", today}
	w.Batch = l.name(words.Batches)
	for {
		pen := l.name(words.Pens)
		if pen == "" {
			break
		}
		w.Pens = append(w.Pens, pen)
	}
	w.Kinds = l.kinds(words.Kinds)
	w.Aim = l.aim(w.Batch != "")
	if w.On, w.Every, err = l.day(); err != nil {
		return w, err
	}
	w.Count, w.Pullets = l.count()
	switch {
	case w.Count > 10000:
		return w, Problem("So many young are more than any yard hatches; say at most 10,000.")
	case w.Batch == "" && w.Aim == Lockdown:
		return w, Problem("Whose lockdown? Name a batch that is in a machine, by its code.")
	case w.On.IsZero() && w.Every == nil && w.Batch == "":
		return w, Problem("When? Name a day, like “Saturday 12 April”, “in 5 weeks” or “every Friday”.")
	}
	return w, nil
}

// take cuts the first match of a pattern out of the line.
func (l *line) take(pattern string) []string {
	re := regexp.MustCompile(`(^|[\s,;])` + pattern + `([\s,.;!?]|$)`)
	at := re.FindStringSubmatchIndex(l.text)
	if at == nil {
		return nil
	}
	found := re.FindStringSubmatch(l.text)
	l.text = l.text[:at[0]] + " " + l.text[at[1]:]
	return found[2 : len(found)-1]
}

// name cuts the longest of these names out of the line that stands in it.
func (l *line) name(names []string) string {
	names = slices.Clone(names)
	slices.SortFunc(names, func(a, b string) int { return cmp.Or(len(b)-len(a), strings.Compare(a, b)) })
	for _, n := range names {
		if n != "" && l.take(regexp.QuoteMeta(strings.ToLower(n))) != nil {
			return n
		}
	}
	return ""
}

// kinds finds the kinds named, in the order of the line.
func (l *line) kinds(words map[string][]string) (all []string) {
	type found struct {
		id string
		at int
	}
	var list []found
	type word struct{ id, says string }
	var every []word
	for id, says := range words {
		for _, s := range says {
			every = append(every, word{id, strings.ToLower(s)})
		}
	}
	slices.SortFunc(every, func(a, b word) int { return cmp.Or(len(b.says)-len(a.says), strings.Compare(a.says, b.says)) })
	for _, w := range every {
		at := strings.Index(l.text, " "+w.says)
		if at < 0 || l.take(regexp.QuoteMeta(w.says)) == nil {
			continue
		}
		if !slices.ContainsFunc(list, func(f found) bool { return f.id == w.id }) {
			list = append(list, found{w.id, at})
		}
	}
	slices.SortStableFunc(list, func(a, b found) int { return a.at - b.at })
	for _, f := range list {
		all = append(all, f.id)
	}
	return all
}

func (l *line) aim(batch bool) Aim {
	switch {
	case l.take(`(lockdown|locked down|lock down)`) != nil || batch:
		return Lockdown
	case l.take(`(hatch|hatches|hatched|hatching)`) != nil:
		return Hatch
	case l.take(`(set|setting)`) != nil:
		return Set
	}
	return Out
}

// count finds the number wanted, and whether only females count.
func (l *line) count() (n int, pullets bool) {
	pullets = l.take(`(pullets?|females?)`) != nil
	if f := l.take(`(\d+)`); f != nil {
		var err error
		if n, err = strconv.Atoi(f[0]); err != nil { // more than anybody can count
			n = math.MaxInt
		}
	}
	return n, pullets
}
