package candling_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"metrogon/core/candling"
)

// What a call was worth is known once the egg hatched or was opened.
func TestCallsThatProvedRight(t *testing.T) {
	for _, c := range []struct {
		name         string
		call         candling.Call
		done         float64
		hatched      bool
		opened       candling.Stage
		right, known bool
	}{
		{"live, and it hatched", candling.Live, .33, true, "", true, true},
		{"live early, died late", candling.Live, .33, false, candling.Late, true, true},
		{"live late, yet an early death", candling.Live, .7, false, candling.Early, false, true},
		{"live early, an early death after it", candling.Live, .25, false, candling.Early, true, true},
		{"live, yet infertile", candling.Live, .33, false, candling.Infertile, false, true},
		{"clear, opened: infertile", candling.Clear, .33, false, candling.Infertile, true, true},
		{"clear, opened: it died before anything showed", candling.Clear, .33, false, candling.Early, true, true},
		{"live, pipped and died", candling.Live, .9, false, candling.PippedDead, true, true},
		{"live at a third, an early death", candling.Live, 1. / 3, false, candling.Early, false, true},
		{"live at two thirds, a middle death", candling.Live, 2. / 3, false, candling.Middle, false, true},
		{"live before two thirds, a middle death", candling.Live, .66, false, candling.Middle, true, true},
		{"quit that hatched", candling.Quit, .6, true, "", false, true},
		{"shell closed and left", candling.Live, .3, false, candling.NotOpened, false, false},
		{"clear that hatched", candling.Clear, .33, true, "", false, true},
		{"clear, opened: dead in the middle", candling.Clear, .33, false, candling.Middle, false, true},
		{"quit, opened: dead in the middle", candling.Quit, .6, false, candling.Middle, true, true},
		{"ring, opened: infertile", candling.Ring, .3, false, candling.Infertile, false, true},
		{"never opened", candling.Clear, .3, false, "", false, false},
		{"rotten", candling.Live, .3, false, candling.Contaminated, false, false},
		{"unsure proves nothing", candling.Unsure, .3, true, "", false, false},
	} {
		right, known := candling.Proved(c.call, c.done, c.hatched, c.opened)
		assert.Equal(t, [2]bool{c.right, c.known}, [2]bool{right, known}, c.name)
	}
}

func TestFertileByTheBestKnowledge(t *testing.T) {
	type calls = []candling.Call
	for _, c := range []struct {
		name           string
		calls          calls
		hatched        bool
		opened         candling.Stage
		fertile, known bool
	}{
		{"a live call", calls{candling.Live}, false, "", true, true},
		{"a clear", calls{candling.Clear}, false, "", false, true},
		{"a clear that on opening was an early death", calls{candling.Clear}, false, candling.Early, true, true},
		{"a live that on opening was infertile", calls{candling.Live}, false, candling.Infertile, false, true},
		{"unsure, then hatched: its sisters that did not are unknown", calls{candling.Unsure}, true, "", false, false},
		{"clear, but it hatched", calls{candling.Clear}, true, "", true, true},
		{"a ring proves it, a later clear does not undo it", calls{candling.Ring, candling.Clear}, false, "", true, true},
		{"clear corrected to live", calls{candling.Clear, candling.Live}, false, "", true, true},
		{"live, then unseen: the last call that tells", calls{candling.Live, candling.Unseen}, false, "", true, true},
		{"live, then an air cell that rolls", calls{candling.Live, candling.Displaced}, false, "", true, true},
		{"only unsure", calls{candling.Unsure}, false, "", false, false},
		{"hatched, never candled", nil, true, "", false, false},
		{"unhatched and rotten", calls{candling.Live}, false, candling.Contaminated, true, true},
		{"never looked at", nil, false, candling.NotOpened, false, false},
	} {
		fertile, known := candling.Fertile(c.calls, c.hatched, c.opened)
		assert.Equal(t, []bool{c.fertile, c.known}, []bool{fertile, known}, c.name)
	}
}

// The texts change with development, not with the calendar: shares of the hatch day at
// which veins, eye and movement show [common practice].
func TestWhatIsExpectedChangesOnItsDay(t *testing.T) {
	for day, begins := range map[float64]string{
		0: "Too early", 4.6: "Too early", 4.62: "A red web", 7: "A red web", 9.4: "A red web", 9.46: "Half dark",
		14: "Half dark", 15.7: "Half dark", 15.75: "Dark all over", 18: "Dark all over",
	} {
		assert.True(
			t, strings.HasPrefix(candling.Expect(day, 21), begins), "day %g: %s", day,
			candling.Expect(day, 21),
		)
	}
}

// A day and a half behind at day 18 of 21, three quarters of a day ahead, never beyond
// the hatch [common practice].
func TestTheSlowestAndTheFastest(t *testing.T) {
	slow, fast := candling.Ends(18, 21)
	assert.InDelta(t, 16.5, slow, 1e-9)
	assert.InDelta(t, 18.75, fast, 1e-9)
	_, fast = candling.Ends(20.9, 21)
	assert.Equal(t, 21., fast)
}

// Of a parcel in which every second cell came loose three of four hatch as if none had; one seen displaced is one of
// them.
func TestAnEggIsWorthItsCell(t *testing.T) {
	assert.InDelta(t, 1, candling.Cell(nil, 0), 1e-12)
	assert.InDelta(t, .75, candling.Cell(nil, .5), 1e-12)
	assert.InDelta(t, .5, candling.Cell([]string{"unseen", "displaced"}, 0), 1e-12)
}
