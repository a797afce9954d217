// Package alarms is what a farm wants to be woken for: its rules, what rang, what would have rung; and what was found
// in the readings: power cuts, and lids that were not quite shut.
package alarms

import (
	"context"
	"fmt"
	"slices"
	"time"

	"metrogon/core/climate"
	"metrogon/core/machine"
	"metrogon/core/reptile"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
	probesrows "metrogon/store/probes"
)

// Service holds the use cases.
type Service struct {
	*farm.Service
	Teller farm.Teller
}

// Alarm is one as it is kept.
type Alarm = probesrows.Alarm

// Phases in which an alarm holds.
const (
	Any      = "any"
	Turning  = "turning"
	Lockdown = "lockdown"
	Empty    = "empty"
)

// Ring is an alarm that rang, with its names.
type Ring struct {
	probesrows.AlarmRing
	Alarm   Alarm
	Machine string
	By      string
}

// Page is what the page of alarms shows.
type Page struct {
	Now      time.Time
	Alarms   []Alarm
	Rings    []Ring
	Machines []snapshot.Machine
	Probes   int // instruments that send
	Usual    []Alarm
	// Birds and Reptiles tell what the machines are for.
	Birds, Reptiles bool
}

// mostRings is how many rings are shown.
const mostRings = 40

// Page reads it.
func (b *Service) Page(ctx context.Context, m *farm.Member) (p Page, err error) {
	err = snapshot.ReadOpen(ctx, b.Service, m, func(tx *farm.Tx, w *snapshot.Snapshot, open []snapshot.BatchView) error {
		rows, err := probesrows.On(tx).Alarmed(ctx, mostRings)
		if err != nil {
			return err
		}
		probes, err := probesrows.On(tx).Probes(ctx)
		if err != nil {
			return err
		}
		p.Now, p.Alarms, p.Probes = w.Now, rows.Alarms, len(probes)
		p.Birds, p.Reptiles = keeps(w)
		for _, x := range w.Machines {
			if x.UntilOn == nil {
				p.Machines = append(p.Machines, x)
			}
		}
		names, err := namesOf(ctx, tx, w)
		if err != nil {
			return err
		}
		for _, r := range rows.Rings {
			i := slices.IndexFunc(rows.Alarms, func(a Alarm) bool { return a.ID == r.AlarmID })
			if i < 0 { // of an alarm that was ended
				continue
			}
			p.Rings = append(p.Rings, Ring{r, rows.Alarms[i], w.MachineByID[r.MachineID].Name, names[r.InstrumentID]})
		}
		if len(p.Alarms) == 0 {
			p.Usual = usual(w, open)
		}
		return nil
	})
	return p, err
}

func namesOf(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot) (map[int64]string, error) {
	rows, err := probesrows.On(tx).Gauges(ctx, 0, w.Now, 0)
	names := map[int64]string{}
	for _, x := range rows.Instruments {
		names[x.ID] = x.Name
	}
	return names, err
}

// usual are the alarms that a farm may begin with: about what its birds' eggs want, wide enough that a run of the
// thermostat wakes nobody, and what the reptiles' eggs in each box bear. The humidity is left to the farm: what is an
// alarm for ducks is the goal of a dry method.
func usual(w *snapshot.Snapshot, open []snapshot.BatchView) (all []Alarm) {
	warm, most := 37.5, 0
	for _, v := range open {
		if !v.Kind.IsReptile() && v.Alive > most {
			warm, most = v.Want(false).TempC, v.Alive
		}
	}
	birds, reptiles := keeps(w)
	if birds || !reptiles {
		all = append(all, Alarm{What: string(climate.Cool), Bound: warm - 0.8, DelayMin: 30, Phase: Any, Wakes: true},
			Alarm{What: string(climate.Warm), Bound: warm + 0.8, DelayMin: 15, Phase: Any, Wakes: true})
	}
	if reptiles {
		all = append(all, Alarm{What: string(climate.ByKind), DelayMin: 1, Phase: Any, Wakes: true})
	}
	return append(all, Alarm{What: string(climate.Falls), Bound: 1, DelayMin: 30, Phase: Any, Wakes: true},
		Alarm{What: string(climate.Silent), DelayMin: 60, Phase: Any})
}

// keeps tells whether a farm has machines for birds' eggs, and boxes for reptiles'.
func keeps(w *snapshot.Snapshot) (birds, reptiles bool) {
	for _, x := range w.Machines {
		if x.UntilOn == nil {
			birds = birds || x.Kind != string(machine.ReptileBox)
			reptiles = reptiles || x.Kind == string(machine.ReptileBox)
		}
	}
	return birds, reptiles
}

// StartWithUsual keeps the usual alarms on a farm that has none.
func (b *Service) StartWithUsual(ctx context.Context, req farm.Request) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return farm.Done{}, err
		}
		open, err := w.OpenBatches(ctx, tx)
		if err != nil {
			return farm.Done{}, err
		}
		rows, err := probesrows.On(tx).Alarmed(ctx, 0)
		if err != nil {
			return farm.Done{}, err
		}
		if len(rows.Alarms) > 0 {
			return farm.Done{}, farm.Problemf("alarm", "There are alarms already.")
		}
		var u journal.Undo
		var about []store.Subject
		for _, a := range usual(w, open) {
			id, err := probesrows.On(tx).SaveAlarm(ctx, a)
			if err != nil {
				return farm.Done{}, err
			}
			u, about = append(u, drop.Of(id)), append(about, journal.On(journal.Alarm, id)...)
		}
		return journal.Record(ctx, tx, about, u, "The usual %s.", wording.Plural(len(u), "alarm"))
	})
}

// Save makes an alarm or changes one.
func (b *Service) Save(ctx context.Context, req farm.Request, a Alarm) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return farm.Done{}, err
		}
		if err := checked(w, &a); err != nil {
			return farm.Done{}, err
		}
		var u journal.Undo
		if a.ID != 0 {
			before, err := one(ctx, tx, a.ID)
			if err != nil {
				return farm.Done{}, err
			}
			u = journal.Undo{asBefore.Of(before)}
		}
		id, err := probesrows.On(tx).SaveAlarm(ctx, a)
		if err != nil {
			return farm.Done{}, err
		}
		if a.ID == 0 {
			u = journal.Undo{drop.Of(id)}
		}
		return journal.Record(ctx, tx, journal.On(journal.Alarm, id), u, "Alarm: %s.", Says(a, w.Member, w.MachineByID))
	})
}

// End ends an alarm; what it rang stays.
func (b *Service) End(ctx context.Context, req farm.Request, id int64) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return farm.Done{}, err
		}
		a, err := one(ctx, tx, id)
		if err != nil {
			return farm.Done{}, err
		}
		ended := a
		ended.EndedAt = &tx.At
		if _, err := probesrows.On(tx).SaveAlarm(ctx, ended); err != nil {
			return farm.Done{}, err
		}
		return journal.Record(ctx, tx, journal.On(journal.Alarm, id), journal.Undo{asBefore.Of(a)}, "No alarm any more: %s.",
			Says(a, w.Member, w.MachineByID))
	})
}

func one(ctx context.Context, tx *farm.Tx, id int64) (Alarm, error) {
	rows, err := probesrows.On(tx).Alarmed(ctx, 0)
	if err != nil {
		return Alarm{}, err
	}
	i := slices.IndexFunc(rows.Alarms, func(a Alarm) bool { return a.ID == id })
	if i < 0 {
		return Alarm{}, farm.ErrNone
	}
	return rows.Alarms[i], nil
}

// bounds are between what an alarm of each kind may lie: °C, %, or °C by which it falls.
var bounds = map[climate.Alert][2]float64{
	climate.Warm: {15, 45}, climate.Cool: {15, 45}, climate.Humid: {5, 100}, climate.Parched: {1, 95},
	climate.Falls: {0.5, 10}, climate.Silent: {0, 0}, climate.ByKind: {0, 0},
}

func checked(w *snapshot.Snapshot, a *Alarm) error {
	var p farm.Problems
	if !slices.Contains([]string{Any, Turning, Lockdown, Empty}, a.Phase) {
		p.Addf("phase", "Pick when it holds.")
	}
	if a.MachineID != nil {
		if _, ok := w.MachineByID[*a.MachineID]; !ok {
			p.Addf("machine", "Pick the machine.")
		}
	}
	within, ok := bounds[climate.Alert(a.What)]
	switch {
	case !ok:
		p.Addf("what", "Pick what it rings for.")
	case climate.Alert(a.What) == climate.Silent:
		a.Bound = 0
	case climate.Alert(a.What) == climate.ByKind:
		a.Bound, a.DelayMin, a.Phase = 0, 1, Any
	case climate.Alert(a.What) == climate.Falls:
		if !(a.Bound >= within[0] && a.Bound <= within[1]) {
			u := w.Member.Units()
			p.Addf("bound", "It falls by %s to %s %s within ten minutes.", u.Width(within[0]), u.Width(within[1]), u.TempUnit())
		}
	case climate.Alert(a.What) == climate.Humid || climate.Alert(a.What) == climate.Parched:
		p.Measure("bound", "The humidity", &a.Bound, within[0], within[1], "%")
	default:
		p.Temp(w.Member.Units(), "bound", "The temperature", &a.Bound, within[0], within[1])
	}
	p.Count("delay", "The delay in minutes", a.DelayMin, 1, 1440)
	return p.Err()
}

// Says says what an alarm rings for, in the reader's units.
func Says(a Alarm, m *farm.Member, machines map[int64]snapshot.Machine) string {
	u := m.Units()
	says := map[climate.Alert]string{
		climate.Warm:    "warmer than " + u.Temp(a.Bound),
		climate.Cool:    "cooler than " + u.Temp(a.Bound),
		climate.Humid:   fmt.Sprintf("more humid than %.0f %%", a.Bound),
		climate.Parched: fmt.Sprintf("drier than %.0f %%", a.Bound),
		climate.Falls:   fmt.Sprintf("falls by %s %s in ten minutes and stays down", u.Width(a.Bound), u.TempUnit()),
		climate.Silent:  "a probe is silent",
	}[climate.Alert(a.What)]
	where := "each machine"
	if a.MachineID != nil {
		where = machines[*a.MachineID].Name
	}
	if climate.Alert(a.What) == climate.ByKind {
		if a.MachineID == nil {
			where = "each box of reptiles"
		}
		return wording.Capital(where + ": warmer or colder than the eggs in it bear, by their kinds")
	}
	phase := map[string]string{Turning: " while eggs turn", Lockdown: " in lockdown", Empty: " while it is empty"}[a.Phase]
	return wording.Capital(fmt.Sprintf("%s%s: %s, for %s", where, phase, says, wording.Plural(a.DelayMin, "minute")))
}

// See keeps that somebody saw an alarm ring: it is not told again.
func (b *Service) See(ctx context.Context, req farm.Request, ringID int64) (farm.Done, error) {
	return b.Act(ctx, req, farm.Helping, func(tx *farm.Tx) (farm.Done, error) {
		return farm.Done{Said: "Seen."}, probesrows.On(tx).SeeRing(ctx, ringID, tx.At, req.PersonID)
	})
}

// Tells says in a line what rings.
func (r Ring) Tells(m *farm.Member, now time.Time) string {
	until := now
	if r.EndedAt != nil {
		until = *r.EndedAt
	}
	lasts := lasting(until.Sub(r.BeganAt))
	u := m.Units()
	switch climate.Alert(r.Alarm.What) {
	case climate.ByKind:
		return fmt.Sprintf("%s for %s: %s", u.Temp(r.Worst), lasts, reptile.Says(r.Level))
	case climate.Warm:
		return fmt.Sprintf("too warm for %s, up to %s", lasts, u.Temp(r.Worst))
	case climate.Falls:
		return fmt.Sprintf("fell and stays down for %s, to %s", lasts, u.Temp(r.Worst))
	case climate.Cool:
		return fmt.Sprintf("too cool for %s, down to %s", lasts, u.Temp(r.Worst))
	case climate.Humid:
		return fmt.Sprintf("too humid for %s, up to %.0f %%", lasts, r.Worst)
	case climate.Parched:
		return fmt.Sprintf("too dry for %s, down to %.0f %%", lasts, r.Worst)
	}
	return fmt.Sprintf("%s has told nothing for %s", r.By, lasts)
}

// lasting writes how long something lasts: in minutes, over two hours in hours.
func lasting(d time.Duration) string {
	if d < 2*time.Hour {
		return wording.Plural(int(d.Round(time.Minute).Minutes()), "minute")
	}
	return wording.Plural(int(d.Round(time.Hour).Hours()), "hour")
}

// spanOf says when something was found.
func spanOf(i probesrows.Incident, m *farm.Member) string {
	to := "until now"
	if i.ToAt != nil {
		to = "to " + m.Hours(*i.ToAt)
	}
	return fmt.Sprintf("%s %s, down to %s", m.Moment(i.FromAt), to, m.Units().Temp(i.LowC))
}

var (
	drop = journal.NewKind("alarm", func(ctx context.Context, tx *farm.Tx, id int64) error {
		return probesrows.On(tx).DropAlarm(ctx, id)
	})
	asBefore = journal.NewKind("alarm_back", func(ctx context.Context, tx *farm.Tx, before Alarm) error {
		_, err := probesrows.On(tx).SaveAlarm(ctx, before)
		return err
	})
	unsaid = journal.NewKind("incident_said", func(ctx context.Context, tx *farm.Tx, id int64) error {
		return probesrows.On(tx).SayIncident(ctx, id, nil)
	})
)
