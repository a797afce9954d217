package hatching

import (
	"math"
	"math/rand/v2"
	"slices"
	"time"

	"gonum.org/v1/gonum/stat"
	"gonum.org/v1/gonum/stat/distuv"
)

// Moment is when something is expected, 9 times in 10 between From and To. What was seen lies
// nowhere else.
type Moment struct {
	At   time.Time `json:"at"`
	From time.Time `json:"from"`
	To   time.Time `json:"to"`
}

// Forecast is what is to be expected of a load by what was seen of it so far, and by what is
// usual. A moment is nil where nothing will come any more.
type Forecast struct {
	FirstPip, MiddleOut, LastOut *Moment
	Young, P10, P90              float64 // 8 times in 10 between P10 and P90
	P5, P95                      float64 // and 9 times in 10 between these
	Due                          float64 // young that are to be expected out by now
	Shift                        float64 // hours, by which this load is later than expected
	ShiftSD                      float64
}

// draws are how many hatches are played through: two thousand, of large loads fewer, whose sums
// scatter less.
func (l *Load) draws() int { return min(2000, max(400, 400000/l.Eggs)) }

// Forecast plays the rest of the hatch through, many times. External pips of the eggs of a load are
// normal about the kind's middle, moved for the load as a whole; from the pip until it is out an
// egg takes a log-normal time. The load's move is known from what was seen so far, an egg that had
// not pipped when somebody looked last included: it pips later, or it is dead. Where pips are not
// written down, such an egg is only known not to be out.
func (l *Load) Forecast() Forecast {
	s := l.see()
	m := l.model(s)
	cdf, shifts := m.posterior(s)
	var f Forecast
	for i, p := range cdf {
		if i > 0 {
			p -= cdf[i-1]
		}
		f.Shift += p * shifts[i]
		f.ShiftSD += p * shifts[i] * shifts[i]
	}
	f.ShiftSD = math.Sqrt(max(0, f.ShiftSD-f.Shift*f.Shift))
	dice := rand.New(rand.NewPCG(uint64(l.Eggs), 0x4a7c4))
	var first, middle, last, young []float64
	outs := make([]float64, 0, l.Eggs)
	draws := l.draws()
	for i := range draws {
		at, _ := slices.BinarySearch(cdf, (float64(i)+dice.Float64())/float64(draws))
		x := m.play(s.silent, shifts[min(at, len(shifts)-1)], dice, outs[:0])
		if !math.IsInf(x.first, 1) {
			first = append(first, x.first)
		}
		young = append(young, float64(len(x.outs)))
		for _, out := range x.outs {
			if out <= m.now {
				f.Due += 1 / float64(draws)
			}
		}
		if len(x.outs) > 0 {
			slices.Sort(x.outs)
			middle = append(middle, x.outs[(len(x.outs)-1)/2])
			last = append(last, x.outs[len(x.outs)-1])
		}
	}
	f.FirstPip, f.MiddleOut, f.LastOut = m.moment(first), m.moment(middle), m.moment(last)
	slices.Sort(young)
	f.Young = m.expect(s.silent, cdf, shifts)
	f.P5, f.P10, f.P90, f.P95 = quantile(.05, young), quantile(.1, young), quantile(.9, young), quantile(.95, young)
	return f
}

// Expect is the young that the forecast expects of the load, those that are out among them.
func (l *Load) Expect() float64 {
	s := l.see()
	m := l.model(s)
	cdf, shifts := m.posterior(s)
	return m.expect(s.silent, cdf, shifts)
}

// expect is the mean of what play plays.
func (m *model) expect(silent int, cdf, shifts []float64) float64 {
	alive, before := 0.0, 0.0
	for i, p := range cdf {
		alive += (p - before) * m.alive(m.seen(shifts[i]))
		before = p
	}
	return float64(len(m.outs)+len(m.wait)) + float64(silent)*alive
}

// alive is how likely an egg of which nothing was seen hatches yet, of which so many that hatch would have been seen.
func (m *model) alive(seen float64) float64 { return m.Rate * (1 - seen) / (1 - m.Rate*seen) }

// model is a load with its figures, in hours from its expected middle pip.
type model struct {
	*Load
	zero      time.Time
	looked    float64
	now       float64
	pipsTold  bool
	egg       float64 // scatter between eggs
	mean, sd  float64 // of the load's move, before anything is seen
	stay, zip spread  // from pip, and from zip, until out
	stays     []float64
	unit      distuv.Normal
	// What was seen: the outs, those that wait, the first pip or what came after it.
	outs  []float64
	wait  []waitingFor
	first float64
}

// waitingFor is an egg that has pipped and is not out: since when, and how long that takes.
type waitingFor struct {
	since float64
	takes spread
}

func (l *Load) model(s seen) *model {
	day := l.Hatch.Day * 24
	m := &model{Load: l, zero: l.ExternalPip.At, egg: eggSD * day, unit: distuv.UnitNormal}
	m.now, m.looked, m.pipsTold = hours(m.zero, l.Now), hours(m.zero, l.looked()), s.pipsTold
	m.mean, m.sd = learned(l.Shifts, loadSD*day)
	m.stay, m.zip = between(PipToOut(l.Species)), between(ZipToOut(l.Species))
	const points = 15
	for i := range points {
		z := distuv.UnitNormal.Quantile((float64(i) + .5) / points)
		m.stays = append(m.stays, math.Exp(m.stay.mu+m.stay.sd*z))
	}
	m.first = math.Inf(1)
	for _, all := range [][]time.Time{s.pips, s.free, s.zipped} {
		for _, at := range all {
			m.first = min(m.first, hours(m.zero, at))
		}
	}
	for _, at := range s.outs {
		m.outs = append(m.outs, hours(m.zero, at))
	}
	for _, w := range s.wait {
		takes := m.stay
		if w.zipped {
			takes = m.zip
		}
		m.wait = append(m.wait, waitingFor{hours(m.zero, w.at), takes})
	}
	return m
}

// learned is by how much a load moves, before anything of it is seen: what is usual, worth so many
// loads, and the farm's own.
func learned(own []float64, usual float64) (mean, sd float64) {
	n := float64(len(own))
	for _, s := range own {
		mean += s / (n + ownLoads)
	}
	square := ownLoads * (usual*usual + mean*mean)
	for _, s := range own {
		square += (s - mean) * (s - mean)
	}
	return mean, math.Sqrt(square / (n + ownLoads))
}

// gridPoints is by how many moves the load's move is looked at, over five deviations each way.
const gridPoints = 241

// posterior is how likely the load's moves are by what was seen, summed up, and these moves.
func (m *model) posterior(s seen) (cdf, shifts []float64) {
	most := math.Inf(-1)
	logs := make([]float64, gridPoints)
	for i := range logs {
		z := 10*float64(i)/(gridPoints-1) - 5
		shift := m.mean + z*m.sd
		shifts = append(shifts, shift)
		logs[i] = -z*z/2 + m.likelihood(s, shift)
		most = max(most, logs[i])
	}
	sum := 0.0
	for _, x := range logs {
		sum += math.Exp(x - most)
		cdf = append(cdf, sum)
	}
	for i := range cdf {
		cdf[i] /= sum
	}
	return cdf, shifts
}

// likelihood of what was seen if the load is so much later than expected, as a logarithm.
func (m *model) likelihood(s seen, shift float64) (log float64) {
	for _, at := range s.pips {
		z := (hours(m.zero, at) - shift) / m.egg
		log -= z * z / 2
	}
	for _, at := range s.free { // pipped some usual time before
		sum := 0.0
		for _, stay := range m.stays {
			z := (hours(m.zero, at) - stay - shift) / m.egg
			sum += math.Exp(-z * z / 2)
		}
		log += math.Log(max(sum, 1e-300))
	}
	for _, at := range s.zipped { // pipped before that
		log += math.Log(max(m.unit.CDF((hours(m.zero, at)-shift)/m.egg), 1e-300))
	}
	if s.silent > 0 {
		log += float64(s.silent) * math.Log(max(1-m.Rate*m.seen(shift), 1e-300))
	}
	return log
}

// seen is the share of the eggs that hatch of which something would have been seen by now.
func (m *model) seen(shift float64) (share float64) {
	if m.pipsTold {
		return m.unit.CDF((m.looked - shift) / m.egg)
	}
	for _, stay := range m.stays {
		share += m.unit.CDF((m.looked-stay-shift)/m.egg) / float64(len(m.stays))
	}
	return share
}

// played is one hatch played to its end.
type played struct {
	first float64
	outs  []float64
}

func (m *model) play(silent int, shift float64, dice *rand.Rand, outs []float64) played {
	x := played{m.first, append(outs, m.outs...)}
	for _, w := range m.wait {
		x.outs = append(x.outs, w.since+m.rest(w.takes, m.looked-w.since, dice))
	}
	seen := m.seen(shift)
	alive := m.alive(seen)
	for range silent {
		if dice.Float64() >= alive {
			continue
		}
		pip, out := m.unseen(shift, seen, dice)
		x.first = min(x.first, pip)
		x.outs = append(x.outs, out)
	}
	return x
}

// unseen is an egg that hatches and of which nothing was seen yet.
func (m *model) unseen(shift, seen float64, dice *rand.Rand) (pip, out float64) {
	stay := func() float64 { return math.Exp(m.stay.mu + m.stay.sd*dice.NormFloat64()) }
	if m.pipsTold {
		pip = m.above(shift, m.egg, m.looked, seen, dice)
		return pip, pip + stay()
	}
	for range 50 {
		pip = shift + m.egg*dice.NormFloat64()
		if out = pip + stay(); out >= m.looked {
			return pip, out
		}
	}
	return m.looked, m.looked // beyond all that is usual: soon, or never
}

// rest is a log-normal time that is longer than what has passed of it.
func (m *model) rest(takes spread, passed float64, dice *rand.Rand) float64 {
	if passed <= 0 {
		return math.Exp(takes.mu + takes.sd*dice.NormFloat64())
	}
	least := math.Log(passed)
	return math.Exp(m.above(takes.mu, takes.sd, least, m.unit.CDF((least-takes.mu)/takes.sd), dice))
}

// above draws of a normal what lies above least, of which the share below lies under it.
func (m *model) above(mean, sd, least, below float64, dice *rand.Rand) float64 {
	for below < .9 {
		if x := mean + sd*dice.NormFloat64(); x >= least {
			return x
		}
	}
	u := below + (1-below)*dice.Float64()
	if u >= 1-1e-12 { // beyond all that is usual: soon, or never
		return least
	}
	return max(least, mean+sd*m.unit.Quantile(u))
}

// quantile of values in order.
func quantile(q float64, all []float64) float64 { return stat.Quantile(q, stat.LinInterp, all, nil) }

func (m *model) moment(all []float64) *Moment {
	if len(all) < m.draws()/20 {
		return nil
	}
	slices.Sort(all)
	at := func(q float64) time.Time { return after(m.zero, quantile(q, all)).Truncate(time.Minute) }
	return &Moment{at(.5), at(.05), at(.95)}
}
