package stock

import (
	"context"
	"fmt"
	"slices"

	"metrogon/core/species"
	"metrogon/core/storage"
	"metrogon/core/units"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/snapshot"
)

// Waiting is what waiting costs eggs of one kind on this farm.
type Waiting struct {
	Kind  *species.Profile
	Kinds []*species.Profile // that the farm has eggs of
	Curve storage.Curve
	Own   []storage.Own
	Ages  []WaitingAge
	// LeftOut are eggs of which young were counted by pen, eggs of several ages
	// together: they tell nothing of waiting.
	LeftOut int
}

// WaitingAge is one age of the curve, explained.
type WaitingAge struct {
	Days                int
	Published, Relative float64 // 1 = fresh
	Low, High           float64 // how low and how high that may be
	OwnEggs             float64 // that count at this age
	Share               float64 // of own eggs in the blend
	Set, Hatched        int     // of exactly this age
	Keeping             storage.Keeping
}

// Waiting explains the curve of a kind.
func (b *Service) Waiting(ctx context.Context, m *farm.Member, kindID string) (page Waiting, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return err
		}
		for _, p := range w.Pens {
			if k, err := w.Kind(p.Species); err == nil && !k.IsReptile() && !slices.Contains(page.Kinds, k) {
				page.Kinds = append(page.Kinds, k)
			}
		}
		slices.SortFunc(page.Kinds, snapshot.CompareKinds)
		if page.Kind, err = w.Kind(kindID); err != nil || page.Kind.IsReptile() {
			if len(page.Kinds) == 0 {
				page.Kind = nil
				return nil
			}
			page.Kind = page.Kinds[0]
		}
		records, err := snapshot.ReadAges(ctx, tx, page.Kind.ID)
		if err != nil {
			return err
		}
		page.Own, page.LeftOut = w.OwnByAge(records, page.Kind.ID)
		page.Curve = storage.Blend(page.Kind, page.Own)
		for day := 1; day <= int(page.Kind.StorageLimitDays.To)+4; day++ {
			page.Ages = append(page.Ages, page.age(day))
		}
		return nil
	})
	return
}

// age explains the curve at one age.
func (p Waiting) age(day int) WaitingAge {
	a := WaitingAge{
		Days: day, Published: storage.Relative(p.Kind, float64(day)),
		Relative: p.Curve.Relative(float64(day)), Keeping: storage.KeepingAt(p.Kind, day),
	}
	a.Low, a.High = p.Curve.Bounds(float64(day))
	a.Share, a.OwnEggs = p.Curve.Weight(float64(day))
	for _, o := range p.Own {
		if int(o.AgeDays) == day || (day == 1 && o.AgeDays == 0) {
			a.Set, a.Hatched = a.Set+o.Set, a.Hatched+o.Hatched
		}
	}
	return a
}

// Says tells in one sentence what the curve rests on. Better or worse is said of the
// age, between the best day and the last, at which own eggs differ most from the
// published curve, if these eggs can carry it.
func (p Waiting) Says() string {
	out := ""
	if p.LeftOut > 0 {
		out = fmt.Sprintf(" Of %s young were counted by pen with eggs of other ages, so they tell nothing of "+
			"waiting and are left out.",
			wording.Plural(p.LeftOut, "egg"))
	}
	if p.Curve.Eggs == 0 {
		if p.LeftOut > 0 {
			return "This is the published curve alone." + out
		}
		return "No batch of yours is done yet, so this is the published curve alone."
	}
	// What chance alone may have done is given no direction.
	verdict := "about as the published curve says, as far as so many can tell"
	if day, by, sure := p.Curve.Differs(p.Kind.StorageLimitDays.To); sure {
		verdict = fmt.Sprintf(
			"%s than the published curve, most at %d days", map[bool]string{true: "worse", false: "better"}[by < 0],
			day,
		)
	}
	share, eggs := p.Curve.Weight(p.Kind.StorageBestDays.At)
	return fmt.Sprintf("Your own %d eggs keep %s. At %s days %.0f of them count, which is %.0f %% of the blend; "+
		"the published curve counts as 40 eggs at each age.%s",
		p.Curve.Eggs, verdict, units.Number(p.Kind.StorageBestDays.At), eggs, 100*share, out)
}
