package snapshot

import (
	"fmt"
	"math"
	"slices"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/climate"
	"metrogon/core/instrument"
	"metrogon/core/machine"
	"metrogon/core/method"
	"metrogon/core/units"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/store/probes"
)

// Want is what the batch would have of the air, turning or in lockdown, by its kind and method.
func (v BatchView) Want(locked bool) climate.Want {
	in := v.Setter
	if locked {
		in = v.Hatcher
	}
	h := v.Method.Humidity(v.Kind, locked)
	warm, _ := method.Temperature(v.Kind, machine.WithoutFan(in.Kind), locked)
	if v.TempC != nil { // as its own box is run
		warm = *v.TempC
	}
	return climate.Want{
		Name: v.Code, Eggs: v.Alive, From: h.From, To: h.To, TempC: warm, Locked: locked, Resting: v.Kind.IsReptile(),
		Care: !locked && (v.Method.Mistings > 0 || v.Method.CoolMin > 0),
	}
}

// toldFor is how long what probes told of the humidity holds.
const toldFor = 36 * time.Hour

// HeldPct is the humidity that is held where the batch stands: what checked probes told over the last day; or that to
// which the machine was set since the batch came, or else what its method asks for.
func (v BatchView) HeldPct() float64 {
	came := v.SetAt
	if v.LockedAt != nil {
		came = *v.LockedAt
	}
	in := v.Stands()
	if in.ToldRHPct != nil && in.ToldRHAt.After(came) && v.Now.Sub(*in.ToldRHAt) < toldFor {
		return math.Round(*in.ToldRHPct)
	}
	if in.SetRHPct != nil && in.SetRHAt.After(came) {
		return *in.SetRHPct
	}
	return v.Humidity().At
}

// AirTrouble is a batch in a machine that no one air suits together with others.
type AirTrouble struct {
	Machine Machine
	Of      BatchView   // the one that is misted or cooled, or else the one that was set last
	With    []BatchView // those that it does not go with
	Why     climate.Reason
	Says    string
	Cure    string
}

// AirTroubles finds those among batches that turn in one machine at one time, now or later. Lockdown beside
// turning is a clash of its own.
func (w *Snapshot) AirTroubles(views []BatchView) []AirTrouble {
	return w.airTroubles(views, func(_, _ BatchView) bool { return true })
}

// AirTroublesOf finds those that one of the batches has with others.
func (w *Snapshot) AirTroublesOf(id int64, views []BatchView) []AirTrouble {
	return w.airTroubles(views, func(a, b BatchView) bool { return a.ID == id || b.ID == id })
}

func (w *Snapshot) airTroubles(views []BatchView, asked func(a, b BatchView) bool) (all []AirTrouble) {
	for i, b := range views {
		for _, a := range views[:i] {
			if !asked(a, b) {
				continue
			}
			together := farm.Latest(farm.Latest(a.SetAt, b.SetAt), w.Now)
			if machine.Broody(a.Setter.Kind) || a.SetterID != b.SetterID ||
				!together.Before(w.turnsUntil(a)) || !together.Before(w.turnsUntil(b)) {
				continue
			}
			for _, why := range climate.Apart(a.Want(false), b.Want(false)) {
				of, with := b, a
				if why == climate.Care && a.Want(false).Care {
					of, with = a, b
				}
				at := slices.IndexFunc(all, func(t AirTrouble) bool {
					return t.Why == why && t.Of.ID == of.ID && t.Machine.ID == of.SetterID
				})
				if at < 0 {
					at, all = len(all), append(all, AirTrouble{Machine: w.MachineByID[of.SetterID], Of: of, Why: why})
				}
				all[at].With = append(all[at].With, with)
			}
		}
	}
	for i := range all {
		all[i].Says, all[i].Cure = w.tellApart(all[i])
	}
	return all
}

// turnsUntil is when a batch leaves its setter, or lies there in lockdown.
func (w *Snapshot) turnsUntil(v BatchView) time.Time {
	switch {
	case v.ClosedAt != nil:
		return v.SetAt
	case v.LockedAt != nil:
		return *v.LockedAt
	case v.Kind.IsReptile():
		return v.At(calendar.Pull)
	}
	return w.stillThere(v.At(calendar.Lockdown))
}

// tellApart tells in words what is wrong, and what to do.
func (w *Snapshot) tellApart(t AirTrouble) (says, cure string) {
	of, in := t.Of.Want(false), w.Member.Units()
	var names, warm, moist []string
	for _, v := range t.With {
		a, name := v.Want(false), v.Code
		if v.ID < 0 { // these eggs, which are not set yet
			name = wording.Lower(name)
		}
		names = append(names, name)
		warm = append(warm, fmt.Sprintf("for %s %s", name, in.Temp(a.TempC)))
		moist = append(moist, fmt.Sprintf("%s %s", name, span(a)))
	}
	switch t.Why {
	case climate.Phase:
		return fmt.Sprintf("A clutch lies still, and others are turned: %s beside %s.", of.Name, wording.And(names)),
			"Give the clutch a box of its own."
	case climate.Warmth:
		cure = "Another machine for one of them; a figure for still air does not hold where a fan runs."
		if of.Resting {
			cure = "Another shelf or machine for one of them."
		}
		return fmt.Sprintf("For %s %s is right, %s.", of.Name, in.Temp(of.TempC), wording.And(warm)), cure
	case climate.Humidity:
		return fmt.Sprintf("%s would have %s, %s: no humidity is right for all.", of.Name, span(of), wording.And(moist)),
			"Another machine for one of them, or run them by weight: then one humidity can suit all."
	}
	return fmt.Sprintf("Misting or cooling %s opens the lid on %s.", of.Name, wording.And(names)),
		"Take its trays out for that, and shut the lid over the others."
}

func span(w climate.Want) string {
	return units.Number(w.From) + "–" + units.Number(w.To) + " %"
}

// CheckOf is a check of an instrument as it was kept.
func CheckOf(c probes.InstrumentCheck) instrument.Check {
	return instrument.Check{
		Of: instrument.Quantity(c.Of), How: c.How, At: c.At, Shown: c.Shown, True: c.Truth, Sure: c.Sure,
	}
}
