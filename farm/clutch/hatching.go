package clutch

import (
	"context"
	"fmt"
	"slices"
	"time"

	"metrogon/core/hatching"
	"metrogon/core/outcome"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/lineage"
	"metrogon/farm/snapshot"
	clutchrows "metrogon/store/clutch"
	"metrogon/store/hatch"
)

// Hatchling is a young of a clutch that was told apart.
type Hatchling = clutchrows.Hatchling

// earlyDays before the earliest that is usual somebody is asked.
const earlyDays = 7

// Pip keeps that eggs were slit or cracked from within.
func (s *Service) Pip(
	ctx context.Context, req farm.Request, batchID int64, eggs []int64, told time.Time,
) (farm.Done, error) {
	return s.on(ctx, req, batchID, func(x *at) (farm.Done, error) {
		ids, err := x.living(eggs)
		if err != nil {
			return farm.Done{}, err
		}
		at, err := x.hatchTime(told)
		if err != nil {
			return farm.Done{}, err
		}
		var signs []int64
		for _, id := range ids {
			if slices.ContainsFunc(x.rows.Pips, func(p hatch.HatchSign) bool { return *p.EggID == id }) {
				continue
			}
			pen := x.eggs[id].PenID
			sign, err := hatch.On(x.tx).AddSign(ctx, hatch.HatchSign{
				BatchID: batchID, PenID: &pen, EggID: &id, Kind: string(hatching.Pip), N: 1, At: at,
			}, req.PersonID)
			if err != nil {
				return farm.Done{}, err
			}
			signs = append(signs, sign)
		}
		if len(signs) == 0 {
			return farm.Done{}, farm.Problemf("eggs", "They have pipped already.")
		}
		return x.record(journal.Undo{dropPips.Of(signs)}, "%s pipped.", wording.Plural(len(signs), "egg"))
	})
}

// hatchTime is when it was, and asks where it is long before the usual.
func (x *at) hatchTime(told time.Time) (time.Time, error) {
	at, err := snapshot.When(x.tx, x.v.Batch, told)
	if err != nil {
		return at, err
	}
	var p farm.Problems
	if first := x.v.Hatch().From; at.Before(first.AddDate(0, 0, -earlyDays)) {
		p.Doubtf(x.tx.Request, "eggs", "On %s? The first are expected from %s on.", x.tx.Member.ShortDay(at),
			x.tx.Member.ShortDay(first))
	}
	return at, p.Err()
}

// Out keeps that young left their shells: each of its egg.
func (s *Service) Out(
	ctx context.Context, req farm.Request, batchID int64, eggs []int64, helped bool, told time.Time,
) (farm.Done, error) {
	return s.on(ctx, req, batchID, func(x *at) (farm.Done, error) {
		ids, err := x.living(eggs)
		if err != nil {
			return farm.Done{}, err
		}
		at, err := x.hatchTime(told)
		if err != nil {
			return farm.Done{}, err
		}
		ended, err := x.tx.End(ctx, ids, string(outcome.Hatched), "", at)
		if err != nil {
			return farm.Done{}, err
		}
		var young []int64
		for _, id := range ids {
			y := hatch.OneYoung{BatchID: batchID, PenID: x.eggs[id].PenID, EggID: &id, At: at}
			if helped {
				y.Signs = []string{"assisted"}
			}
			made, err := hatch.On(x.tx).AddOneYoung(ctx, y)
			if err != nil {
				return farm.Done{}, err
			}
			young = append(young, made)
		}
		said := wording.Plural(len(ids), "young") + " out"
		if helped {
			said += ", helped"
		}
		return x.record(journal.Undo{journal.Revive.Of(ended), dropHatchlings.Of(young)}, "%s.", said)
	})
}

// Left keeps that young left the box, their yolk taken in.
func (s *Service) Left(
	ctx context.Context, req farm.Request, batchID int64, young []int64, told time.Time,
) (farm.Done, error) {
	return s.Act(ctx, req, farm.Helping, func(tx *farm.Tx) (farm.Done, error) {
		rows, err := clutchrows.On(tx).ClutchRows(ctx, []int64{batchID})
		if err != nil {
			return farm.Done{}, err
		}
		b, err := tx.Batch(ctx, batchID)
		if err != nil {
			return farm.Done{}, err
		}
		at, err := snapshot.When(tx, b, told)
		if err != nil {
			return farm.Done{}, err
		}
		var u journal.Undo
		for _, y := range rows.Young {
			if !slices.Contains(young, y.ID) || y.LeftAt != nil || y.DiedAt != nil {
				continue
			}
			u = append(u, hatchlingBefore.Of(y))
			if y.LeftAt = &at; at.Before(y.At) {
				return farm.Done{}, farm.Problemf("when", "One of them was not out before %s.", tx.Member.Moment(y.At))
			}
			if err := clutchrows.On(tx).SaveHatchling(ctx, y); err != nil {
				return farm.Done{}, err
			}
		}
		if len(u) == 0 {
			return farm.Done{}, farm.Problemf("young", "Mark the young that left the box.")
		}
		return journal.Record(ctx, tx, journal.On(journal.Batch, batchID), u, "%s: %s left the box.", b.Code,
			wording.Plural(len(u), "young"))
	})
}

// Hatchling changes what is known of a young: that it left the box, its weight and sex, first shed, first feed.
func (s *Service) Hatchling(
	ctx context.Context, req farm.Request, batchID int64, h Hatchling,
) (farm.Done, error) {
	return s.Act(ctx, req, farm.Helping, func(tx *farm.Tx) (farm.Done, error) {
		rows, err := clutchrows.On(tx).ClutchRows(ctx, []int64{batchID})
		if err != nil {
			return farm.Done{}, err
		}
		i := slices.IndexFunc(rows.Young, func(y clutchrows.Hatchling) bool { return y.ID == h.ID })
		if i < 0 || len(rows.Clutches) == 0 {
			return farm.Done{}, farm.ErrNone
		}
		before := rows.Young[i]
		if err := checkHatchling(tx, &h, before); err != nil {
			return farm.Done{}, err
		}
		h.Signs = before.Signs
		if err := clutchrows.On(tx).SaveHatchling(ctx, h); err != nil {
			return farm.Done{}, err
		}
		b, err := tx.Batch(ctx, batchID)
		if err != nil {
			return farm.Done{}, err
		}
		return journal.Record(ctx, tx, journal.On(journal.Batch, batchID), journal.Undo{hatchlingBefore.Of(before)},
			"%s: young %s.", b.Code, hatchlingSays(tx.Member, h))
	})
}

func checkHatchling(tx *farm.Tx, h *Hatchling, before clutchrows.Hatchling) error {
	var p farm.Problems
	p.Mass(tx.Member.Units(), "weight", "The weight of a young", h.WeightG, 0.1, 1999)
	if !slices.Contains([]string{"", lineage.Male, lineage.Female}, h.Sex) {
		p.Addf("sex", "Male, female, or not known yet.")
	}
	h.Band = p.Name("band", "Its name or mark", h.Band, 30, false)
	h.Note = p.Name("note", "The note", h.Note, 300, false)
	out := tx.Member.Date(before.At)
	for field, on := range map[string]*time.Time{"shed_on": h.ShedOn, "fed_on": h.FedOn} {
		if on != nil && (on.Before(out) || on.After(tx.Member.Date(tx.At))) {
			p.Addf(field, "That lies between its hatch, %s, and today.", out.Format("2 Jan"))
		}
	}
	for field, at := range map[string]*time.Time{"left": h.LeftAt, "died": h.DiedAt} {
		if at != nil && (at.Before(before.At) || at.After(tx.At.Add(time.Minute))) {
			p.Addf(field, "That lies between its hatch, %s, and now.", tx.Member.Moment(before.At))
		}
	}
	return p.Err()
}

func hatchlingSays(m *farm.Member, h clutchrows.Hatchling) string {
	says := "written down"
	if h.Band != "" {
		says = h.Band
	}
	if h.WeightG != nil {
		says += ", " + m.Units().Mass(*h.WeightG)
	}
	if h.Sex != "" {
		says += ", " + h.Sex
	}
	return says
}

// Rest is what is usual of young in their first weeks, in words.
func (c Page) Rest() string {
	k := c.Kind
	says := fmt.Sprintf("Pip to out takes %.0f to %.0f hours in most; it rests with its head out while the yolk is taken "+
		"in. Leave it in the box until the belly is closed.", k.PipToOutH.From, k.PipToOutH.To)
	if k.FirstShedDays.Known() {
		says += fmt.Sprintf(" First shed after %.0f to %.0f days", k.FirstShedDays.From, k.FirstShedDays.To)
		if k.FirstFeedDays.Known() {
			says += fmt.Sprintf(", first feed after %.0f to %.0f", k.FirstFeedDays.From, k.FirstFeedDays.To)
		}
		says += "."
	} else if k.FirstFeedDays.Known() {
		says += fmt.Sprintf(" First feed after %.0f to %.0f days.", k.FirstFeedDays.From, k.FirstFeedDays.To)
	}
	return says
}
