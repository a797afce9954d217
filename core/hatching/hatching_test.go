package hatching

import (
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/calendar"
	"metrogon/core/species"
)

var set = time.Date(2027, 3, 1, 18, 0, 0, 0, time.UTC)

func load(t testing.TB, kind string, eggs int) *Load {
	p, err := species.Find(kind)
	require.NoError(t, err)
	all, err := calendar.Schedule(calendar.Batch{Species: p, SetAt: set, Zone: time.UTC})
	require.NoError(t, err)
	l := &Load{Species: p, SetAt: set, Eggs: eggs, Rate: .88, Now: set}
	l.Take(all)
	return l
}

// hatch is one that was played by the model of the published page: when each egg pips and is out.
func hatch(l *Load, dice *rand.Rand) (pips, outs []time.Time) {
	day := l.Hatch.Day * 24
	low, high := PipToOut(l.Species)
	mu, sd := (math.Log(low)+math.Log(high))/2, (math.Log(high)-math.Log(low))/2/1.6449
	shift := dice.NormFloat64() * .016 * day
	for range l.Eggs {
		if dice.Float64() < l.Rate {
			pip := after(l.ExternalPip.At, shift+dice.NormFloat64()*.022*day)
			pips = append(pips, pip)
			outs = append(outs, after(pip, math.Exp(mu+sd*dice.NormFloat64())))
		}
	}
	return
}

// The spans hold 9 times in 10 before the first pip, after it, and when half of the young are out
// (formulas.md: 88 to 92 in 100 in simulation).
func TestSpansHold(t *testing.T) {
	for _, kind := range []string{"chicken", "coturnix-quail", "duck"} {
		t.Run(kind, func(t *testing.T) {
			t.Parallel()
			const lives = 250
			dice := rand.New(rand.NewPCG(8, uint64(len(kind))))
			c := tally{map[string]int{}, map[string]int{}}
			for range lives {
				c.watch(t, load(t, kind, 6+dice.IntN(30)), dice)
			}
			for name, n := range c.of {
				share := 100 * float64(c.held[name]) / float64(n)
				t.Logf("%s: %.1f %% of %d", name, share, n)
				assert.InDelta(t, 90, share, 2+200*math.Sqrt(.09/float64(n)), name)
			}
		})
	}
}

// tally is how often spans held.
type tally struct{ held, of map[string]int }

func (c tally) in(name string, m *Moment, at time.Time) {
	c.of[name]++
	if m != nil && !at.Before(m.From.Add(-time.Minute)) && !at.After(m.To.Add(time.Minute)) {
		c.held[name]++
	}
}

// watch lives through one hatch.
func (c tally) watch(t *testing.T, l *Load, dice *rand.Rand) {
	pips, outs := hatch(l, dice)
	if len(outs) < 3 {
		return
	}
	first, half, last := earliest(pips), middle(outs), latest(outs)
	for moment, now := range map[string]time.Time{
		"before": after(l.ExternalPip.At, -60), "first": after(first, .5), "half": after(half, .5),
	} {
		if now.After(first) && moment == "before" {
			continue
		}
		w := *l
		w.Now = now
		for i := range pips {
			for kind, at := range map[string]time.Time{Pip: pips[i], Out: outs[i]} {
				if !at.After(now) {
					w.Events = append(w.Events, Event{Egg: int64(i + 1), Kind: kind, At: at})
				}
			}
		}
		require.NoError(t, w.Check())
		f := w.Forecast()
		if moment == "before" {
			c.in("before, first pip", f.FirstPip, first)
		}
		if moment != "half" {
			c.in(moment+", middle", f.MiddleOut, half)
		}
		if last.After(now) {
			c.in(moment+", last", f.LastOut, last)
		}
	}
}

func earliest(all []time.Time) (at time.Time) {
	for _, x := range all {
		if at.IsZero() || x.Before(at) {
			at = x
		}
	}
	return
}

func latest(all []time.Time) (at time.Time) {
	for _, x := range all {
		at = later(at, x)
	}
	return
}

func middle(all []time.Time) time.Time {
	for _, x := range all {
		n := 0
		for _, y := range all {
			if y.Before(x) {
				n++
			}
		}
		if n == (len(all)-1)/2 {
			return x
		}
	}
	panic("no middle")
}

// Worked by hand from common practice: pip to out takes a hen's egg 12 to 24 h, a quail's 6 to 12,
// a duck's 24 to 48, a goose's 24 to 72; half as long again is overdue.
func TestVerdicts(t *testing.T) {
	for _, c := range []struct {
		kind string
		h    float64
		want string
	}{
		{"chicken", 6, Early}, {"chicken", 20, Usual}, {"chicken", 30, Long}, {"chicken", 37, Overdue},
		{"coturnix-quail", 5, Early}, {"coturnix-quail", 11, Usual}, {"coturnix-quail", 17, Long},
		{"coturnix-quail", 19, Overdue},
		{"duck", 20, Early}, {"duck", 40, Usual}, {"duck", 60, Long}, {"duck", 73, Overdue},
		{"goose", 23, Early}, {"goose", 70, Usual}, {"goose", 100, Long}, {"goose", 109, Overdue},
	} {
		l := load(t, c.kind, 12)
		l.Now = after(l.ExternalPip.At, c.h)
		l.Events = []Event{{Egg: 7, Kind: Pip, At: l.ExternalPip.At}}
		require.NoError(t, l.Check())
		w := l.Watch()
		require.Len(t, w.Eggs, 1)
		assert.Equal(t, c.want, w.Eggs[0].Verdict, "%s after %g h", c.kind, c.h)
		assert.Equal(t, c.want == Overdue, w.says(AskSomeone), "%s after %g h", c.kind, c.h)
		assert.Equal(t, c.want == Long, w.says(LookCloser), "%s after %g h", c.kind, c.h)
		assert.True(t, w.says(Air), "vents are open while they pip")
	}
}

func (w Watch) says(do string) bool {
	for _, a := range w.Advice {
		if a.Do == do {
			return true
		}
	}
	return false
}

func TestWhatToDoWhen(t *testing.T) {
	l := load(t, "chicken", 20)
	l.Now = after(l.ExternalPip.At, -40)
	assert.Equal(t, []string{Wait}, l.does(), "shut, and nothing due")
	l.Now = after(l.ExternalPip.At, 40)
	assert.Equal(t, []string{LookCloser}, l.does(), "nothing for long after the usual first pip")
	assert.Contains(t, l.Watch().Advice[0].Why, "Do not help")
	first := after(l.Hatch.At, -6)
	l.Events = []Event{{Kind: Out, At: first, N: 3}, {Egg: 1, Kind: Pip, At: first}}
	l.Now = after(first, 8)
	assert.Equal(t, []string{Wait, Air, Water, DryOnesOut}, l.does())
	l.Now = later(after(l.Pull.At, 1), after(first, 25))
	assert.Contains(t, l.does(), PullNow)
	assert.Contains(t, l.does(), LeaveRest)
	l.Now = l.Watch().LeaveUntil
	assert.Contains(t, l.does(), GiveUp)
	assert.NotContains(t, l.does(), AskSomeone, "it is over")
}

func (l *Load) does() (all []string) {
	for _, a := range l.Watch().Advice {
		all = append(all, a.Do)
	}
	return
}

// Nobody looked is not nothing happened; and young that were counted may be those that pipped.
func TestNeverSurerThanWhatWasSeen(t *testing.T) {
	l := load(t, "chicken", 20)
	l.Now = after(l.ExternalPip.At, 40)
	seen := l.Forecast()
	l.Looked = after(l.ExternalPip.At, -60)
	assert.Greater(t, seen.Shift, 10., "somebody looked, and there was nothing: it is late")
	assert.InDelta(t, 0, l.Forecast().Shift, .5, "nobody looked: nothing is known")
	assert.Contains(t, l.Watch().Advice[0].Why, "Nobody has told of a look for 100 h")

	// Eggs that had pipped when somebody looked last are not late because nobody has looked since.
	l = load(t, "chicken", 20)
	l.Events = []Event{{Egg: 3, Kind: Pip, At: l.ExternalPip.At}}
	l.Now, l.Looked = after(l.ExternalPip.At, 40), after(l.ExternalPip.At, 10)
	w := l.Watch()
	assert.Equal(t, Early, w.Eggs[0].Verdict)
	assert.False(t, w.says(AskSomeone))
	assert.Contains(t, w.Advice[0].Why, "should be out by now")

	l = load(t, "chicken", 20)
	l.Events = []Event{{Egg: 3, Kind: Pip, At: l.ExternalPip.At}, {Kind: Out, At: after(l.ExternalPip.At, 18), N: 1}}
	l.Now = after(l.ExternalPip.At, 40)
	assert.Equal(t, Usual, l.Watch().Eggs[0].Verdict, "the one that was counted may be egg 3")

	// Whoever counts the young alone says nothing of the others’ pips.
	l.Events = []Event{{Kind: Out, At: after(l.ExternalPip.At, 18), N: 6}}
	l.Now = after(l.ExternalPip.At, 19)
	count := l.Forecast().Shift
	l.Events = append(l.Events, Event{Kind: Pip, At: after(l.ExternalPip.At, 2), N: 6})
	assert.Less(t, count, l.Forecast().Shift, "with pips written down, 14 without one are late")

	l.Events = []Event{{Kind: Out, At: l.Now, N: 15}, {Kind: Pip, At: l.Now, N: 20}}
	assert.NoError(t, l.Check())
	l.Events = []Event{{Kind: Out, At: l.Now, N: 15}, {Kind: Out, At: l.Now, N: 6}}
	assert.ErrorContains(t, l.Check(), "21 eggs pipped or out, of 20")
}

// A farm's own loads take over: five of them weigh as much as what is usual.
func TestOwnLoadsTakeOver(t *testing.T) {
	l := load(t, "chicken", 20)
	l.Shifts = []float64{12, 12, 12, 12, 12}
	mean, sd := learned(l.Shifts, 8)
	assert.InDelta(t, 6, mean, 1e-9)
	assert.InDelta(t, math.Sqrt((5*(64+36)+5*36)/10.), sd, 1e-9)
	usual := load(t, "chicken", 20).Forecast()
	assert.InDelta(t, 6, hours(usual.MiddleOut.At, l.Forecast().MiddleOut.At), 1)
}

// What is usual does not depend on what was seen, or on who has looked; and a load of which hardly
// anything is expected to hatch is a load too.
func TestWhatIsUsualStays(t *testing.T) {
	l := load(t, "chicken", 20)
	l.Now = l.SetAt
	usual := l.Watch().UsualFirstPip
	l.Now, l.Looked = after(l.ExternalPip.At, 40), after(l.ExternalPip.At, 39)
	assert.Equal(t, usual, l.Watch().UsualFirstPip)
	l.Rate, l.Eggs = .001, 1
	assert.NotPanics(t, func() { l.Watch() })
	assert.Nil(t, l.Watch().LastOut, "as good as nothing will come")
}

// The float comes last before opening, and never for an egg that has pipped.
func TestHelpForOverdueEggs(t *testing.T) {
	for _, id := range []string{"chicken", "coturnix-quail", "duck", "goose"} {
		p, err := species.Find(id)
		require.NoError(t, err)
		steps := OverdueHelp(p)
		n := len(steps)
		assert.Equal(t, "Wait first", steps[0].Do)
		assert.Contains(t, steps[n-2].Do, "water float")
		assert.Contains(t, steps[n-2].Never, "pipped")
	}
}
