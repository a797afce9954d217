package alarms

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"
	"time"

	"metrogon/core/climate"
	"metrogon/core/machine"
	"metrogon/core/reptile"
	"metrogon/core/species"
	"metrogon/farm"
	"metrogon/farm/snapshot"
	"metrogon/store"
	"metrogon/store/clutch"
	"metrogon/store/probes"
	"metrogon/store/stock"
	"metrogon/store/weigh"
)

// How often it is looked, and over how long.
const (
	LookEvery   = 20 * time.Second
	SearchEvery = 5 * time.Minute
	searchOver  = 36 * time.Hour
	// farmTime is how long a look at one farm may take, so that none keeps the others waiting.
	farmTime = 10 * time.Second
)

// LookNow looks at all farms with probes once: what rings is kept and told, what is over ends.
func (b *Service) LookNow(ctx context.Context) error { return b.round(ctx, false) }

// SearchNow looks, and searches the readings of the last day and a half for what happened.
func (b *Service) SearchNow(ctx context.Context) error { return b.round(ctx, true) }

func (b *Service) round(ctx context.Context, search bool) error {
	farms, err := probes.Of(b.DB).Probed(ctx)
	if err != nil {
		return err
	}
	var failed error
	for _, id := range farms {
		if ctx.Err() != nil {
			return errors.Join(failed, ctx.Err())
		}
		one, enough := context.WithTimeout(ctx, farmTime)
		if err := b.look(one, id, search); err != nil { // one farm’s trouble is not another’s
			failed = errors.Join(failed, fmt.Errorf("farm %d: %w", id, err))
		}
		enough()
	}
	return failed
}

func (b *Service) look(ctx context.Context, farmID int64, search bool) error {
	keeper, err := probes.Of(b.DB).Keeper(ctx, farmID)
	if errors.Is(err, farm.ErrNone) { // nobody is there
		return nil
	}
	if err != nil {
		return err
	}
	m, err := farm.NewMember(keeper)
	if err != nil {
		return err
	}
	var change change
	err = snapshot.ReadOpen(ctx, b.Service, m, func(tx *farm.Tx, w *snapshot.Snapshot, open []snapshot.BatchView) error {
		change, err = gather(ctx, tx, w, open, search)
		return err
	})
	if err != nil || change.empty() {
		return err
	}
	var tell func(*farm.Tx, farm.Notice)
	if len(change.begun) > 0 {
		if tell, err = b.Teller(ctx, farmID); err != nil {
			return err
		}
	}
	return b.Write(ctx, m, func(tx *farm.Tx) error {
		told, err := change.keep(ctx, tx)
		for _, t := range told { // told with the ring that is kept, or not at all
			tell(tx, t)
		}
		return err
	})
}

// change is what a look found.
type change struct {
	member *farm.Member
	begun  []begun
	worse  []probes.AlarmRing
	found  []probes.Incident
	held   []probes.Held
	moist  []moist
	did    []weigh.Response
	places []placed
	due    []store.Batch // clutches of which the days are others than was thought
}

func (c change) empty() bool {
	return len(c.begun)+len(c.worse)+len(c.found)+len(c.held)+len(c.moist)+len(c.did)+len(c.places)+len(c.due) == 0
}

// keep writes what was found, and gives what is told to people: what is new.
func (c change) keep(ctx context.Context, tx *farm.Tx) (told []farm.Notice, err error) {
	for _, r := range c.begun {
		fresh, err := probes.On(tx).AddRing(ctx, r.AlarmRing)
		if err != nil {
			return nil, err
		}
		if fresh && !r.echo {
			told = c.tell(told, r, tx.At)
		}
	}
	for _, r := range c.worse {
		if err := probes.On(tx).SetRing(ctx, r.ID, r.Worst, r.EndedAt); err != nil {
			return nil, err
		}
	}
	for _, i := range c.found {
		if err := probes.On(tx).PutIncident(ctx, i); err != nil {
			return nil, err
		}
	}
	for _, h := range c.held {
		if err := probes.On(tx).SetHeld(ctx, h); err != nil {
			return nil, err
		}
	}
	for _, x := range c.moist {
		if err := probes.On(tx).SetToldRH(ctx, x.machineID, x.rhPct, tx.At); err != nil {
			return nil, err
		}
	}
	for _, b := range c.due {
		if err := clutch.On(tx).SetDue(ctx, b); err != nil {
			return nil, err
		}
	}
	for _, x := range c.places {
		if err := stock.On(tx).TellPlace(ctx, x.placeID, x.tempC, x.rhPct, x.warmH); err != nil {
			return nil, err
		}
	}
	for _, r := range c.did {
		if err := weigh.On(tx).ReadResponse(ctx, r.ID, r.ToPct, r.Minutes); err != nil {
			return nil, err
		}
	}
	return told, nil
}

// tell adds what rings to what people are told: a message a machine, however much rings in it.
func (c change) tell(told []farm.Notice, r begun, now time.Time) []farm.Notice {
	path := fmt.Sprintf("/machines/%d/readings?span=6h", r.MachineID)
	i := slices.IndexFunc(told, func(t farm.Notice) bool { return t.Path == path })
	if i < 0 {
		i, told = len(told), append(told, farm.Notice{
			Title: fmt.Sprintf("%s: %s rings", c.member.FarmName, r.Machine), Path: path,
			Tag: fmt.Sprintf("alarm/%d/%d/%d", r.AlarmID, r.MachineID, r.BeganAt.Unix()),
		})
	}
	says := fmt.Sprintf("%s, since %s.", r.Tells(c.member, now), c.member.Moment(r.BeganAt))
	told[i].Body = strings.TrimSpace(told[i].Body + "\n" + says)
	told[i].Wakes = told[i].Wakes || r.wakes
	return told
}

// begun is what rings from now on. An echo is one that rings in its machine already, by another probe: that is not
// told.
type begun struct {
	Ring
	wakes bool
	echo  bool
}

// sight is a farm as it is looked at.
type sight struct {
	probes.Watched
	w    *snapshot.Snapshot
	open []snapshot.BatchView
	now  time.Time
	c    change
}

func gather(
	ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot, open []snapshot.BatchView, search bool,
) (change, error) {
	watched, err := probes.On(tx).Watched(ctx, w.Now.Add(-searchOver-24*time.Hour))
	if err != nil {
		return change{}, err
	}
	s := sight{watched, w, open, w.Now, change{member: tx.Member}}
	if err := s.alarms(ctx, tx, search); err != nil {
		return change{}, err
	}
	if search {
		if err := s.search(ctx, tx); err != nil {
			return change{}, err
		}
		if err := s.batches(ctx, tx); err != nil {
			return change{}, err
		}
		if err := s.clutches(ctx, tx); err != nil {
			return change{}, err
		}
		if err := s.store(ctx, tx); err != nil {
			return change{}, err
		}
	}
	return s.c, nil
}

// lies is in which machine each probe lies now.
func (s sight) lies() map[int64]snapshot.Machine {
	all := map[int64]snapshot.Machine{}
	for _, p := range s.Probes {
		i := slices.IndexFunc(s.Gauges.Instruments, func(x probes.Instrument) bool { return x.ID == p.InstrumentID })
		if x := s.Gauges.Instruments[i]; x.MachineID != nil && x.UntilOn == nil {
			all[x.ID] = s.w.MachineByID[*x.MachineID]
		}
	}
	return all
}

// longDelay is from when on an alarm is looked at more seldom, by means over ten minutes.
const (
	longDelay = 3 * time.Hour
	longStep  = 10 * time.Minute
)

// alarms compares what rings with what is kept of it; those that wait for hours are only looked at in a search.
func (s *sight) alarms(ctx context.Context, tx *farm.Tx, search bool) error {
	lies := s.lies()
	ids := slices.Sorted(maps.Keys(lies))
	if len(ids) == 0 || len(s.Alarms)+len(s.Open) == 0 {
		return nil
	}
	over, long := time.Hour, time.Duration(0)
	for _, id := range ids {
		for _, a := range s.Alarms {
			for _, r := range s.rules(a, lies[id]) {
				if r.Delay >= longDelay {
					long = max(long, 2*r.Delay+time.Hour)
				} else {
					over = max(over, 2*r.Delay+time.Hour)
				}
			}
		}
	}
	points, err := probes.On(tx).Points(ctx, ids, s.now.Add(-over), s.now.Add(time.Minute), time.Minute)
	if err != nil {
		return err
	}
	var coarse []probes.Point
	if search && long > 0 {
		if coarse, err = probes.On(tx).Points(ctx, ids, s.now.Add(-long), s.now.Add(time.Minute), longStep); err != nil {
			return err
		}
	}
	last, err := probes.On(tx).LastTold(ctx, s.now.AddDate(0, 0, -silentMost))
	if err != nil {
		return err
	}
	stay := map[ringing]bool{}
	for _, id := range ids {
		told, means := s.told(id, points), s.told(id, coarse)
		for _, a := range s.Alarms {
			if a.MachineID == nil || *a.MachineID == lies[id].ID {
				s.ruled(a, lies[id], id, search, told, means, last, stay)
			}
		}
		for _, r := range s.Open { // a probe that is silent says of nothing that it is over
			if r.InstrumentID == id && len(told) == 0 && s.stands(r.AlarmID) {
				stay[ringingOf(r)] = true
			}
		}
	}
	for _, r := range s.Open {
		if !stay[ringingOf(r)] {
			r.EndedAt = &s.now
			s.c.worse = append(s.c.worse, r)
		}
	}
	return nil
}

// ringing is what of an alarm rings, where and by which probe.
type ringing struct {
	alarm, machine, instrument int64
	level                      string
}

func ringingOf(r probes.AlarmRing) ringing {
	return ringing{r.AlarmID, r.MachineID, r.InstrumentID, r.Level}
}

// rule is one that an alarm rings by.
type rule struct {
	climate.Alarm
	level string
	wakes bool
}

// rules are those of an alarm in a machine: its own, or the levels of the reptiles' eggs that stand in it. What is
// meant for each machine, as warmer or drier than hens' eggs want it, is not meant for reptiles' boxes.
func (s sight) rules(a Alarm, in snapshot.Machine) (all []rule) {
	what := climate.Alert(a.What)
	if what == climate.ByKind {
		for _, l := range reptile.Guard(s.kindsIn(in.ID), thermometer) {
			all = append(all, rule{l.Alarm, l.ID, l.Wakes && a.Wakes})
		}
		return all
	}
	if in.Kind == string(machine.ReptileBox) && a.MachineID == nil && what != climate.Falls && what != climate.Silent {
		return nil
	}
	return []rule{{climate.Alarm{What: what, Bound: a.Bound, Delay: time.Duration(a.DelayMin) * time.Minute}, "", a.Wakes}}
}

// kindsIn are the reptiles of which eggs stand in a machine.
func (s sight) kindsIn(machineID int64) (all []*species.Profile) {
	for _, v := range s.open {
		if v.Kind.IsReptile() && v.Open() && v.Alive > 0 && v.SetterID == machineID && !slices.Contains(all, v.Kind) {
			all = append(all, v.Kind)
		}
	}
	return all
}

// thermometer is how far one may be off that was checked, 9 times in 10, °C [common practice].
const thermometer = 0.3

// ruled looks at an alarm by one probe, the worst level first: what is worse than another of its side is told alone.
func (s *sight) ruled(
	a Alarm, in snapshot.Machine, id int64, search bool, told, means []climate.Told, last []probes.Point,
	stay map[ringing]bool,
) {
	worse := map[climate.Alert]bool{}
	for _, r := range s.rules(a, in) {
		at := ringing{a.ID, in.ID, id, r.level}
		open := slices.ContainsFunc(s.Open, func(o probes.AlarmRing) bool { return ringingOf(o) == at })
		by := told
		if r.Delay >= longDelay {
			if by = means; !search { // not looked at
				stay[at] = open
				continue
			}
		}
		if ring, ok := s.rings(r, a.Phase, in, id, by, last); ok && (open || !worse[r.What]) {
			s.rung(a, r, ring, id, in)
			stay[at] = true
			worse[r.What] = true
		}
	}
}

// stands tells whether an alarm is still wanted.
func (s sight) stands(id int64) bool {
	return slices.ContainsFunc(s.Alarms, func(a Alarm) bool { return a.ID == id })
}

// silentMost is how many days a probe that told something is missed.
const silentMost = 7

func (s sight) told(id int64, points []probes.Point) (all []climate.Told) {
	k := snapshot.CorrectionsOf(id, s.Gauges.Checks)
	for _, p := range points {
		if p.InstrumentID == id {
			all = append(all, k.Told(p))
		}
	}
	return all
}

// rings tells whether a rule rings now by what a probe told.
func (s sight) rings(
	by rule, phase string, in snapshot.Machine, id int64, told []climate.Told, last []probes.Point,
) (r climate.Ring, ok bool) {
	if by.What == climate.Silent {
		i := slices.IndexFunc(last, func(p probes.Point) bool { return p.InstrumentID == id })
		if i < 0 {
			return r, false
		}
		told = []climate.Told{{At: last[i].At}}
	}
	all := by.Rings(told, s.now, func(t time.Time) bool { return s.holds(phase, in.ID, t) })
	if n := len(all); n > 0 && all[n-1].Ended.IsZero() {
		return all[n-1], true
	}
	return r, false
}

// holds tells whether a machine was in a phase at a moment.
func (s sight) holds(phase string, machineID int64, at time.Time) bool {
	if phase == Any {
		return true
	}
	turning, locked := false, false
	for _, v := range s.open {
		switch {
		case v.SetAt.After(at) || v.ClosedAt != nil && v.ClosedAt.Before(at):
		case v.LockedAt != nil && !v.LockedAt.After(at):
			locked = locked || v.HatcherID == machineID
		default:
			turning = turning || v.SetterID == machineID
		}
	}
	switch phase {
	case Turning:
		return turning
	case Lockdown:
		return locked
	}
	return !turning && !locked
}

// rung keeps what rings: as new, or as worse than it was.
func (s *sight) rung(a Alarm, by rule, r climate.Ring, id int64, in snapshot.Machine) {
	row := probes.AlarmRing{
		AlarmID: a.ID, MachineID: in.ID, InstrumentID: id, Level: by.level, BeganAt: r.Began, RangAt: s.now, Worst: r.Worst,
	}
	i := slices.IndexFunc(s.Open, func(o probes.AlarmRing) bool { return ringingOf(o) == ringingOf(row) })
	if i >= 0 {
		if o := s.Open[i]; by.What != climate.Silent && math.Abs(o.Worst-r.Worst) >= 0.05 {
			o.Worst = r.Worst
			s.c.worse = append(s.c.worse, o)
		}
		return
	}
	at := slices.IndexFunc(s.Gauges.Instruments, func(x probes.Instrument) bool { return x.ID == id })
	same := func(o probes.AlarmRing) bool {
		return o.AlarmID == a.ID && o.MachineID == in.ID && o.Level == by.level
	}
	echo := slices.ContainsFunc(s.Open, same) ||
		slices.ContainsFunc(s.c.begun, func(o begun) bool { return same(o.AlarmRing) })
	s.c.begun = append(s.c.begun, begun{Ring{row, a, in.Name, s.Gauges.Instruments[at].Name}, by.wakes, echo})
}

// eggsCame is how near to new eggs a dip is theirs.
const eggsCame = 40 * time.Minute

// search looks through the readings of the last day and a half for power cuts and lids ajar.
func (s *sight) search(ctx context.Context, tx *farm.Tx) error {
	lies := s.lies()
	var ids []int64
	for id := range lies {
		ids = append(ids, id)
	}
	slices.Sort(ids)
	if len(ids) == 0 {
		return nil
	}
	from := s.now.Add(-searchOver)
	points, err := probes.On(tx).Points(ctx, ids, from, s.now.Add(time.Minute), time.Minute)
	if err != nil {
		return err
	}
	s.humidity(lies, ids, points)
	if err := s.responses(ctx, tx, lies, ids, points); err != nil {
		return err
	}
	for _, id := range ids {
		in := lies[id]
		log, err := probes.On(tx).MachineLog(ctx, in.ID, from, s.now)
		if err != nil {
			return err
		}
		for _, x := range climate.Incidents(s.told(id, points)) {
			if !known(x, log, s.now) {
				s.found(x, id, in.ID)
			}
		}
	}
	return nil
}

// known tells whether the farm knows of it already: eggs came or went, the lid was opened for long, or the power cut
// was written down.
func known(x climate.Incident, log probes.MachineLog, now time.Time) bool {
	to := x.To
	if to.IsZero() {
		to = now
	}
	near := func(t *time.Time) bool { return t != nil && t.Sub(x.From).Abs() < eggsCame }
	for _, b := range log.Batches {
		if near(&b.SetAt) || near(&b.CameAt) || near(b.LockedAt) || near(b.ClosedAt) {
			return true
		}
	}
	for _, o := range log.Openings {
		if o.At.Before(to) && o.At.Add(time.Duration(o.Minutes)*time.Minute).After(x.From.Add(-eggsCame)) && o.Minutes >= 10 {
			return true
		}
	}
	for _, c := range log.Cuts {
		if c.FromAt.Before(to) && (c.ToAt == nil || c.ToAt.After(x.From)) {
			return true
		}
	}
	return false
}

// found adds an incident, or how one went on that another probe or an earlier look found.
func (s *sight) found(x climate.Incident, id, machineID int64) {
	row := probes.Incident{
		MachineID: machineID, InstrumentID: id, Kind: string(x.Kind), FromAt: x.From, LowC: math.Round(10*x.LowC) / 10,
	}
	if !x.To.IsZero() {
		row.ToAt = &x.To
	}
	for _, o := range append(slices.Clone(s.Incidents), s.c.found...) {
		if o.MachineID != machineID || o.FromAt.After(endOf(row, s.now)) || endOf(o, s.now).Before(row.FromAt) {
			continue
		}
		if o.InstrumentID != id || o.Said != nil || o.ToAt != nil && row.ToAt != nil {
			return // it is there already
		}
		row.FromAt = o.FromAt // it went on
	}
	s.c.found = append(s.c.found, row)
}

func endOf(i probes.Incident, now time.Time) time.Time {
	if i.ToAt == nil {
		return now
	}
	return *i.ToAt
}
