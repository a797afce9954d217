package hatching

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"time"

	"metrogon/core/brooding"
	"metrogon/core/wording"
)

// Where an egg stands, and what is to be thought of the time that it has taken so far.
const (
	Pipped = "pipped"
	Zipped = "zipped"
	IsOut  = "out"

	Early   = "early" // sooner than most: nothing is late yet
	Usual   = "usual"
	Long    = "long"    // longer than usual: look, do not help
	Overdue = "overdue" // half as long again: somebody who has done it should look
)

// overdue is from how much longer than usual on an egg is overdue [common practice: help only long
// after the usual time].
const overdue = 1.5

// EggWatch is an egg whose number is known, with its clock.
type EggWatch struct {
	Egg     int64
	State   string
	Since   float64    // hours since its pip, or its zip where nobody saw the pip; of one that is out, until then
	UsualH  [2]float64 // hours that this takes
	Verdict string
	Pip     time.Time // zero: not seen
	Zip     time.Time
	Out     time.Time
}

// What to do.
const (
	Wait       = "wait"
	Air        = "air"
	Water      = "water"
	DryOnesOut = "dry-ones-out"
	LookCloser = "look-closer"
	AskSomeone = "ask-somebody"
	PullNow    = "pull"
	LeaveRest  = "leave-rest"
	GiveUp     = "give-up"
)

// Advice is one thing to do, or not to do yet, and why.
type Advice struct {
	Do  string `json:"do"`
	Why string `json:"why"`
}

// Watch is a load at a moment.
type Watch struct {
	Forecast
	UsualFirstPip Moment // before anything was seen
	Eggs          []EggWatch
	Advice        []Advice
	PullAt        time.Time
	LeaveUntil    time.Time
	Out, Pipped   int // young out; eggs that have pipped and are not
	Silent        int
	FirstOut      time.Time // zero: none yet
	OutTimes      []time.Time
}

// Watch looks at the load as it is now.
func (l *Load) Watch() Watch {
	s := l.see()
	w := Watch{
		Forecast: l.Forecast(), Out: len(s.outs), OutTimes: s.outs, Pipped: len(s.wait), Silent: s.silent, PullAt: l.Pull.At,
		LeaveUntil: later(l.ClearOut.At, l.Pull.At.Add(leave)),
	}
	w.UsualFirstPip = l.usualFirstPip()
	if len(s.outs) > 0 {
		w.FirstOut = s.outs[0]
	}
	counted := len(s.free) > 0 // of whom some may be eggs that are known to have pipped
	for _, x := range s.eggs {
		w.Eggs = append(w.Eggs, l.clock(x, counted))
	}
	w.advise(l)
	return w
}

// usualFirstPip is when the first pip is to be expected of a load of which nobody has seen anything.
func (l *Load) usualFirstPip() Moment {
	before := *l
	before.Events, before.Now, before.Looked = nil, l.SetAt, time.Time{}
	if m := before.Forecast().FirstPip; m != nil {
		return *m
	}
	return Moment{l.ExternalPip.At, l.ExternalPip.From, l.ExternalPip.To} // hardly anything is expected
}

// leave is how long the rest is left after the pull at least [common practice: 24 to 48 h].
const leave = 24 * time.Hour

func later(a, b time.Time) time.Time {
	if a.After(b) {
		return a
	}
	return b
}

// clock holds an egg's time against what is usual.
func (l *Load) clock(x egg, counted bool) EggWatch {
	e := EggWatch{Egg: x.id, State: Pipped, Pip: x.pip, Zip: x.zip, Out: x.out}
	from, until := x.pip, l.looked() // what it did since, nobody knows
	e.UsualH[0], e.UsualH[1] = PipToOut(l.Species)
	if from.IsZero() && !x.zip.IsZero() {
		from = x.zip
		e.UsualH[0], e.UsualH[1] = ZipToOut(l.Species)
	}
	if !x.zip.IsZero() {
		e.State = Zipped
	}
	if !x.out.IsZero() {
		e.State, until = IsOut, x.out
		if from.IsZero() {
			e.Verdict = Usual // nobody saw it pip
			return e
		}
	}
	e.Since = hours(from, until)
	e.Verdict = Verdict(e.Since, e.UsualH)
	if counted && e.State != IsOut && (e.Verdict == Long || e.Verdict == Overdue) {
		e.Verdict = Usual // it may be out, among those that were counted
	}
	return e
}

// Verdict holds a time since the pip, hours, against what is usual.
func Verdict(h float64, usual [2]float64) string {
	switch {
	case h < usual[0]:
		return Early
	case h <= usual[1]:
		return Usual
	case h <= overdue*usual[1]:
		return Long
	}
	return Overdue
}

// dryAfter is when a young is dry and fluffy, hours [common practice].
const dryAfter = 6

// sayer adds advice.
type sayer func(do, format string, args ...any)

func (w *Watch) advise(l *Load) {
	say := func(do, format string, args ...any) {
		w.Advice = append(w.Advice, Advice{do, fmt.Sprintf(format, args...)})
	}
	left := w.Pipped + w.Silent
	over := !l.Now.Before(w.LeaveUntil)
	switch {
	case over && left > 0:
		say(GiveUp, "Most that hatch are out long since. Look at each of the %d that are left in the light before you "+
			"clear out: what moves or peeps stays in.", left)
	case w.Out+w.Pipped > 0 && !l.Now.Before(w.PullAt):
		if l.Species.IsAltricial() {
			say(PullNow, "%s", brooding.NestlingsSay)
		} else {
			say(PullNow, "It is a day since the first, and the young are dry. They drink and eat from now on.")
		}
		if left > 0 {
			say(LeaveRest, "Leave the %d others until %s: late ones come for a day or two.", left, stamp(w.LeaveUntil))
		}
	}
	if !over {
		w.slow(say)
		w.unseen(l, say)
	}
	switch {
	case w.Out+w.Pipped == 0:
		w.silence(l, say)
	case left > 0 && !over:
		w.whileTheyCome(l, say)
	}
	if left > 0 && !over && (w.Out+w.Pipped == 0 || l.Now.Before(w.PullAt)) {
		w.wait(l, say)
	}
	slices.SortStableFunc(w.Advice, func(a, b Advice) int { return cmp.Compare(urgency[a.Do], urgency[b.Do]) })
}

// fresh is how long a look tells how it stands, hours, while they hatch [common practice: somebody
// looks through the window every few hours].
const fresh = 6

// unseen says so when nobody has told of a look for long.
func (w *Watch) unseen(l *Load, say sayer) {
	h := hours(l.looked(), l.Now)
	if h < fresh || l.Now.Before(w.UsualFirstPip.From) {
		return
	}
	more := ""
	if n := math.Round(w.Due - float64(w.Out)); n >= 1 {
		more = fmt.Sprintf(" About %.0f more should be out by now.", n)
	}
	say(LookCloser, "Nobody has told of a look for %.0f h, and what happened since is not known.%s Look through the "+
		"window, and note what there is; the lid stays shut.", h, more)
}

// slow tells of eggs that take longer than usual.
func (w *Watch) slow(say sayer) {
	late := map[string][]EggWatch{}
	for _, e := range w.Eggs {
		if e.State != IsOut {
			late[e.Verdict] = append(late[e.Verdict], e)
		}
	}
	if all := late[Overdue]; len(all) > 0 {
		say(AskSomeone, "%s: more than half as long again as the usual %s. Helping is the last resort: blood in the "+
			"membrane means that it is not done. Ask somebody who has done it, and touch nothing before.",
			wording.Plural(len(all), "egg"), all[0].usual())
		return
	}
	if all := late[Long]; len(all) > 0 {
		say(LookCloser, "%s past the usual %s. Look once through the window, do not help: most that are helped early are "+
			"lost.", wording.Plural(len(all), "egg"), all[0].usual())
	}
}

// usual says how long it takes, from where its clock began.
func (e EggWatch) usual() string {
	if e.Pip.IsZero() {
		return fmt.Sprintf("%.1f to %.1f h from the zip on", e.UsualH[0], e.UsualH[1])
	}
	return fmt.Sprintf("%.0f to %.0f h since the pip", e.UsualH[0], e.UsualH[1])
}

// whileTheyCome is what keeps those well that still have to come, and those that are out.
func (w *Watch) whileTheyCome(l *Load, say sayer) {
	say(Air, "Fully, while they pip: they need air more than the last points of humidity.")
	before := l.Now.Before(w.PullAt)
	if before && w.LastOut != nil && hours(l.Now, w.LastOut.At) > 12 {
		say(Water, "The last are expected %s: the water has to last until then. If the lid must be opened, mist the "+
			"pipped ones.", stamp(w.LastOut.At))
	}
	if before && w.Out > 0 && hours(w.FirstOut, l.Now) >= dryAfter && !l.Species.IsAltricial() {
		say(DryOnesOut, "The first are dry. They may stay in until all are out, or come out in one quick hand every few "+
			"hours, as you do it here; they live on their yolk for a day or two.")
	}
}

// urgency is the order in which advice is given: what must be seen to, then above all what not to do
// yet, then what makes waiting safe.
var urgency = map[string]int{
	GiveUp: 0, PullNow: 1, AskSomeone: 2, LookCloser: 3, Wait: 4, LeaveRest: 5, Air: 6, Water: 7, DryOnesOut: 8,
}

// silence is what to think when nothing has pipped.
func (w *Watch) silence(l *Load, say sayer) {
	switch usual := w.UsualFirstPip; {
	case l.Now.Before(usual.From):
		say(Wait, "The first pip is usual between %s and %s. Keep the lid shut.", stamp(usual.From), stamp(usual.To))
	case hours(l.looked(), l.Now) >= fresh: // nobody looked: unseen says so
	case l.Now.After(usual.To):
		say(LookCloser, "No pip yet, %.0f h after the last usual hour for the first one. A machine that was a little "+
			"cool, or old eggs, run late: look once with the light for beaks in the air cell, and check the thermometer. "+
			"Do not help.", math.Max(1, hours(usual.To, l.Now)))
	}
}

func (w *Watch) wait(l *Load, say sayer) {
	low, high := PipToOut(l.Species)
	switch {
	case w.Pipped > 0:
		say(Wait, "From pip to out %.0f to %.0f h are usual: they rest, and draw the yolk in. Keep the lid shut.", low, high)
	case w.Out > 0 && w.LastOut != nil:
		say(Wait, "The last of those that come are usually out by %s.", stamp(w.LastOut.To))
	case len(w.Advice) == 0:
		say(Wait, "Pips are due about now. Listen: peeping comes first. Keep the lid shut.")
	}
}

// stamp is how moments stand in sentences; a page writes them in its reader's way (Stamps).
func stamp(t time.Time) string { return wording.Mark(t.Format(time.RFC3339)) }

// Stamps writes the moments in a sentence.
func Stamps(text string, write func(time.Time) string) string {
	return wording.Marked(text, func(what string) string {
		at, err := time.Parse(time.RFC3339, what)
		if err != nil {
			return what
		}
		return write(at)
	})
}
