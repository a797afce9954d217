package clutch

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/candling"
	"metrogon/core/outcome"
	"metrogon/core/reptile"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
	clutchrows "metrogon/store/clutch"
)

// Look is what was seen of some eggs, which were not moved.
type Look struct {
	Eggs    []int64
	Signs   []reptile.Sign
	TakeOut bool      // those that are bad by it
	At      time.Time // zero: now
}

// lookLasts is for how long looks count as one.
const lookLasts = 3 * time.Hour

// Look keeps what was seen, with what it tells of life.
func (s *Service) Look(ctx context.Context, req farm.Request, batchID int64, l Look) (farm.Done, error) {
	return s.on(ctx, req, batchID, func(x *at) (farm.Done, error) {
		ids, err := x.living(l.Eggs)
		if err != nil {
			return farm.Done{}, err
		}
		slices.Sort(l.Signs)
		l.Signs = slices.Compact(l.Signs)
		if err := l.check(); err != nil {
			return farm.Done{}, err
		}
		at, err := snapshot.When(x.tx, x.v.Batch, l.At)
		if err != nil {
			return farm.Done{}, err
		}
		call := reptile.Judge(x.v.Kind, l.Signs, x.grownAt(at))
		if l.TakeOut && call != candling.Bad {
			return farm.Done{}, farm.Problemf("take_out", "By that alone none is lost: it is taken out only where it is "+
				"caved in, yellow and mouldy, or smells.")
		}
		signs, err := clutchrows.On(x.tx).AddEggSigns(ctx, signsOf(ids, l.Signs, at), req.PersonID)
		if err != nil {
			return farm.Done{}, err
		}
		u := journal.Undo{dropSigns.Of(signs)}
		if call != "" {
			session, err := x.tx.Candling(ctx, batchID, at.Add(-lookLasts), at)
			if err != nil {
				return farm.Done{}, err
			}
			calls, err := x.tx.Call(ctx, session, string(call), ids, req.PersonID)
			if err != nil {
				return farm.Done{}, err
			}
			u = append(u, dropLookCalls.Of(calls))
		}
		said := wording.Plural(len(ids), "egg") + " " + seen(l.Signs)
		if l.TakeOut {
			ended, err := x.tx.End(ctx, ids, string(outcome.Removed), string(candling.Bad), at)
			if err != nil {
				return farm.Done{}, err
			}
			u, said = append(u, journal.Revive.Of(ended)), said+", taken out"
		}
		return x.record(u, "%s.", said)
	})
}

func (l Look) check() error {
	if len(l.Signs) == 0 {
		return farm.Problemf("sign", "Say what you saw.")
	}
	for _, s := range l.Signs {
		if reptile.NameOf(s) == "" {
			return farm.Problemf("sign", "%.20q is nothing that is seen of an egg.", string(s))
		}
	}
	return nil
}

func signsOf(ids []int64, signs []reptile.Sign, at time.Time) (all []clutchrows.EggSign) {
	for _, id := range ids {
		for _, s := range signs {
			all = append(all, clutchrows.EggSign{EggID: id, Sign: string(s), At: at})
		}
	}
	return all
}

func seen(signs []reptile.Sign) string {
	names := make([]string, len(signs))
	for i, s := range signs {
		names[i] = reptile.NameOf(s)
	}
	return strings.Join(names, ", ")
}

// grownAt is the share of development at a moment, by what was worked out last.
func (x *at) grownAt(at time.Time) float64 {
	v := x.v
	v.Now, v.Day = at, calendar.Elapsed(v.SetAt, at)
	return v.GrownNow()
}

// WeighEggs keeps what some eggs of a clutch weighed together, lifted with their tops up.
func (s *Service) WeighEggs(
	ctx context.Context, req farm.Request, batchID int64, eggs int, massG float64, told time.Time,
) (farm.Done, error) {
	return s.on(ctx, req, batchID, func(x *at) (farm.Done, error) {
		var p farm.Problems
		in := 0
		for _, e := range x.eggs {
			in += farm.OneIf(e.Fate == nil)
		}
		p.Count("eggs", "The number of eggs", eggs, 1, max(1, in))
		p.Mass(req.Units(), "mass", "The weight of the eggs", &massG, 0.1, 20000)
		if err := p.Err(); err != nil {
			return farm.Done{}, err
		}
		at, err := snapshot.When(x.tx, x.v.Batch, told)
		if err != nil {
			return farm.Done{}, err
		}
		if first := slices.IndexFunc(x.rows.Masses,
			func(w clutchrows.ClutchMass) bool { return w.At.Before(at) }); first >= 0 {
			was := x.rows.Masses[first].MassG / float64(x.rows.Masses[first].Eggs)
			if share := massG / float64(eggs) / was; share < 0.5 || share > 3 {
				p.Doubtf(
					req, "mass", "%s an egg? At first it was %s.", req.Units().Mass(massG/float64(eggs)), req.Units().Mass(was),
				)
			}
			if err := p.Err(); err != nil {
				return farm.Done{}, err
			}
		}
		id, err := clutchrows.On(x.tx).AddClutchMass(
			ctx, clutchrows.ClutchMass{BatchID: batchID, At: at, Eggs: eggs, MassG: massG}, req.PersonID,
		)
		if err != nil {
			return farm.Done{}, err
		}
		return x.record(journal.Undo{dropMasses.Of([]int64{id})}, "%s weighed %s.", wording.Plural(eggs, "egg"),
			req.Units().Mass(massG))
	})
}

// Reasons for which an egg leaves its box besides being bad.
var Reasons = []string{"lost", "given away", "sold"}

// Opened is an egg that did not hatch and was opened, as it looked, and why it may be.
type Opened struct {
	Eggs  []int64
	Stage candling.Stage
	Cause reptile.Cause // "" : nobody thinks anything
	At    time.Time
}

// mayOpen tells whether an egg may be opened: it was taken out as bad, or its time has been over for two weeks.
func mayOpen(v snapshot.BatchView, e store.Egg) bool {
	if e.Fate != nil {
		return outcome.Fate(*e.Fate) == outcome.Removed && e.Opened == nil
	}
	return !v.Now.Before(v.At(calendar.ClearOut))
}

// Open keeps what eggs that did not hatch showed.
func (s *Service) Open(ctx context.Context, req farm.Request, batchID int64, o Opened) (farm.Done, error) {
	return s.on(ctx, req, batchID, func(x *at) (farm.Done, error) {
		if !slices.Contains(candling.Stages, o.Stage) || o.Stage == candling.NotOpened {
			return farm.Done{}, farm.Problemf("stage", "Say how far it had come.")
		}
		if o.Cause != "" && !slices.Contains(reptile.Causes, o.Cause) {
			return farm.Done{}, farm.Problemf("cause", "Pick a cause, or none.")
		}
		if len(o.Eggs) == 0 {
			return farm.Done{}, farm.Problemf("eggs", "Mark the eggs first.")
		}
		at, err := snapshot.When(x.tx, x.v.Batch, o.At)
		if err != nil {
			return farm.Done{}, err
		}
		var in, out []int64
		for _, id := range slices.Compact(slices.Sorted(slices.Values(o.Eggs))) {
			e, ok := x.eggs[id]
			switch {
			case !ok:
				return farm.Done{}, farm.ErrNone
			case !mayOpen(x.v, e):
				return farm.Done{}, farm.Problemf("eggs",
					"Egg %d stays as it is: late ones keep weeks. It may be looked into from %s on.", e.No,
					x.tx.Member.ShortDay(x.v.At(calendar.ClearOut)))
			case e.Fate == nil:
				in = append(in, id)
			default:
				out = append(out, id)
			}
		}
		var u journal.Undo
		if len(in) > 0 {
			ended, err := x.tx.End(ctx, in, string(outcome.Unhatched), string(o.Stage), at)
			if err != nil {
				return farm.Done{}, err
			}
			u = append(u, journal.Revive.Of(ended))
		}
		if len(out) > 0 {
			opened, err := x.tx.SetOpened(ctx, out, string(o.Stage))
			if err != nil {
				return farm.Done{}, err
			}
			u = append(u, shutAgain.Of(opened))
		}
		said := fmt.Sprintf("%s looked into: %s", wording.Plural(len(in)+len(out), "egg"), o.Stage)
		if o.Cause != "" {
			if err := clutchrows.On(x.tx).SetCause(ctx, append(in, out...), string(o.Cause)); err != nil {
				return farm.Done{}, err
			}
			u, said = append(u, dropCauses.Of(append(in, out...))), said+", "+string(o.Cause)
		}
		return x.record(u, "%s.", said)
	})
}

var shutAgain = journal.NewKind("clutch-opened", func(ctx context.Context, tx *farm.Tx, eggs []int64) error {
	_, err := tx.SetOpened(ctx, eggs, "")
	return err
})
