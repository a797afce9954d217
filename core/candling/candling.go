// Package candling turns what was seen through the shell, and on opening it,
// into what is known of an egg.
package candling

// Call is what the candler says of one egg.
type Call string

// The calls, in the words of the trade.
const (
	Live    Call = "live"
	Clear   Call = "clear"  // infertile, or died before anything showed
	Ring    Call = "ring"   // died early
	Quit    Call = "quit"   // died later
	Unsure  Call = "unsure" // look again in 2–4 days
	Unseen  Call = "unseen" // dark or thick shell
	Cracked Call = "cracked"
	Bad     Call = "bad" // smell, ooze: out at once
	// Displaced is an air cell that has moved or rolls, as in shipped eggs; it says
	// nothing of the embryo.
	Displaced Call = "displaced"
)

// Nothing is how many completed days it takes until a vein shows, also in quail's eggs [common practice].
const Nothing = 3

// Calls lists every call in the order of the candling bench.
var Calls = []Call{Live, Clear, Ring, Quit, Unsure, Unseen, Cracked, Bad, Displaced}

// Sign is how a call is labelled, which key makes it, and by what glyph it is told
// where there is no room for a word.
type Sign struct {
	Call  Call   `json:"id"`
	Label string `json:"label"`
	Key   string `json:"key"`
	Glyph string `json:"glyph"`
}

// Signs lists the sign of every call, in the order of Calls.
var Signs = []Sign{
	{Live, "Live", "L", "L"},
	{Clear, "Clear", "C", "C"},
	{Ring, "Ring", "R", "R"},
	{Quit, "Quit", "Q", "Q"},
	{Unsure, "Unsure", "U", "?"},
	{Unseen, "Can’t see", "S", "·"},
	{Cracked, "Cracked", "K", "/"},
	{Bad, "Bad", "B", "!"},
	{Displaced, "Cell displaced", "D", "~"},
}

// Doubtful tells a call after which an egg is looked at again: nothing was sure, or nothing could be seen.
func (c Call) Doubtful() bool { return c == Unsure || c == Unseen }

// Sign gives a call's; of what is no call, an empty one.
func (c Call) Sign() Sign {
	for _, s := range Signs {
		if s.Call == c {
			return s
		}
	}
	return Sign{Call: c}
}

// Outs are the calls by which an egg may be taken out of the machine.
var Outs = []Call{Clear, Ring, Quit, Bad, Cracked}

// Stage is what an unhatched egg showed on opening.
type Stage string

// The stages of the break-out.
const (
	Infertile    Stage = "infertile"
	Early        Stage = "early"
	Middle       Stage = "middle"
	Late         Stage = "late"
	PippedDead   Stage = "pipped"
	Contaminated Stage = "contaminated"
	NotOpened    Stage = "not-opened"
)

// Stages lists every stage in the order of development.
var Stages = []Stage{Infertile, Early, Middle, Late, PippedDead, Contaminated, NotOpened}

// Fertile tells whether an egg was fertile, from all that is known of it; known is false
// where nobody can say. What was seen on opening wins; then a hatch; then a ring or a
// quit, which prove that something grew and which no later clear can undo; then the last
// of live and clear. An egg of which no call told anything before it hatched stays
// unknown: of its sisters that did not hatch nothing is known either, and counting only
// the winners would flatter the pen (outcome.Looked reckons with them).
func Fertile(calls []Call, hatched bool, opened Stage) (fertile, known bool) {
	switch opened {
	case Infertile:
		return false, true
	case Early, Middle, Late, PippedDead:
		return true, true
	}
	for _, c := range calls {
		switch c {
		case Ring, Quit:
			return true, true
		case Live, Clear:
			fertile, known = c == Live, true
		}
	}
	return known && (fertile || hatched), known
}

// NearTheEnd tells whether an egg is looked at so late, at the last candling or after it, that
// the edge of a live one's air cell may dip and blur [common practice].
func NearTheEnd(day, hatch float64) bool { return day >= 0.8*hatch }

// LastOf gives the last of an egg's calls that tells of its life: live, clear, ring, quit
// or bad; "" where none does.
func LastOf(calls []string) (last Call) {
	for _, c := range calls {
		switch call := Call(c); call {
		case Live, Clear, Ring, Quit, Bad:
			last = call
		}
	}
	return last
}

// Proved tells whether a call, made when so much of incubation was done (0 to 1),
// turned out right; known is false while nobody can say. A live call is right if
// the embryo was alive then: it hatched, or died later than the call. A clear that
// died before anything showed counts as right. Unsure, unseen and calls of the
// shell prove nothing.
func Proved(c Call, done float64, hatched bool, opened Stage) (right, known bool) {
	if !hatched && (opened == "" || opened == NotOpened || opened == Contaminated) {
		return false, false
	}
	switch c {
	case Live:
		return hatched || opened == Late || opened == PippedDead || (opened == Middle && done < 2./3) ||
			(opened == Early && done < 1./3), true
	case Clear:
		return !hatched && (opened == Infertile || opened == Early), true
	case Ring, Quit:
		return !hatched && opened != Infertile, true
	}
	return false, false
}

// Ends are the days as which the slowest and the fastest of live eggs may look on
// an elapsed day: about a twelfth of the time so far behind, half as much ahead
// [common practice: a day and a half behind at day 18 of 21, at the edge of a tray
// or of old eggs; half a day ahead].
func Ends(day, hatch float64) (slow, fast float64) {
	return day * (1 - 1./12), min(day*(1+1./24), hatch)
}

// Expect says what a candled bird's egg should show, so many elapsed days after it was set, when hatch is due on day
// hatch [common practice].
func Expect(day, hatch float64) string {
	done := day / hatch
	switch {
	case done < 0.22:
		return "Too early to be sure: at most a dark spot with faint veins."
	case done < 0.45:
		return "A red web of veins and a dark eye in every live one; a clear lights up evenly."
	case done < 0.75:
		return "Half dark and moving, veins near the shell; a quit is murky with no veins."
	}
	return "Dark all over under a clear air cell. Near the end its edge dips and looks uneven, a beak’s shadow or a " +
		"bulge moves in it: that is a live one. What is murky, loose and still is looked at twice before it goes out."
}
