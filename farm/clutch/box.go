package clutch

import (
	"context"
	"fmt"
	"math"
	"slices"
	"time"

	"metrogon/core/machine"
	"metrogon/core/reptile"
	"metrogon/core/units"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
	rows "metrogon/store/clutch"
)

// Weighing is a box on the scale, with the water that was given back then.
type Weighing struct {
	MassG, GaveG float64
	Anew         bool      // something else changed: lid, rack, substrate; it is measured anew
	At           time.Time // zero: now
}

// onBox runs an action on a box in use, with the open clutches in it.
func (s *Service) onBox(
	ctx context.Context, req farm.Request, needs farm.Right, id int64,
	work func(tx *farm.Tx, box store.Box, about journal.Subjects, open []rows.Clutch) (farm.Done, error),
) (farm.Done, error) {
	return s.Act(ctx, req, needs, func(tx *farm.Tx) (farm.Done, error) {
		boxes, open, err := rows.On(tx).BoxesByID(ctx, []int64{id})
		if err != nil {
			return farm.Done{}, err
		}
		if len(boxes) == 0 {
			return farm.Done{}, farm.ErrNone
		}
		if boxes[0].EndedAt != nil {
			return farm.Done{}, farm.Problemf("box", "%s is not in use any more.", boxes[0].Name)
		}
		var about journal.Subjects
		for _, c := range open {
			about = about.And(journal.Batch, c.BatchID)
		}
		return work(tx, boxes[0], about.And(journal.Box, id), open)
	})
}

// when checks a moment that was told of a box.
func when(tx *farm.Tx, box store.Box, told time.Time) (time.Time, error) {
	switch {
	case told.IsZero():
		return tx.At, nil
	case told.After(tx.At.Add(time.Minute)):
		return told, farm.Problemf("when", "%s has not come yet; when was it done?", tx.Member.Moment(told))
	case told.Before(box.BeganAt):
		return told, farm.Problemf("when", "%s was not in use before %s.", box.Name, tx.Member.Moment(box.BeganAt))
	}
	return farm.Earliest(told, tx.At), nil
}

// Weigh keeps what a box weighed, and the water that was given back.
func (s *Service) Weigh(ctx context.Context, req farm.Request, boxID int64, x Weighing) (farm.Done, error) {
	return s.onBox(ctx, req, farm.Helping, boxID, func(
		tx *farm.Tx, box store.Box, about journal.Subjects, open []rows.Clutch,
	) (farm.Done, error) {
		var p farm.Problems
		u := req.Units()
		p.Mass(u, "mass", "The weight of the box", &x.MassG, 1, 50000)
		p.Mass(u, "gave", "The water that was given", &x.GaveG, 0, 5000)
		if err := p.Err(); err != nil {
			return farm.Done{}, err
		}
		at, err := when(tx, box, x.At)
		if err != nil {
			return farm.Done{}, err
		}
		state, err := waterOf(ctx, tx, box)
		if err != nil {
			return farm.Done{}, err
		}
		if n := len(state.Weighings); n > 0 && !x.Anew {
			last := state.Weighings[n-1]
			if off := math.Abs(last.MassG + last.GaveG - x.MassG); off > 0.4*last.MassG {
				p.Doubtf(tx.Request, "mass", "%s? Last time it was %s.", u.Mass(x.MassG), u.Mass(last.MassG))
			}
			if due := state.Water.HoldG - x.MassG; x.GaveG > 5 && x.GaveG > due+max(5, 0.2*due) && !state.Changed {
				p.Doubtf(tx.Request, "gave", "%s given back, though it lost %s: only that. Was it so much?", u.Mass(x.GaveG),
					u.Mass(max(0, due)))
			}
			if err := p.Err(); err != nil {
				return farm.Done{}, err
			}
		}
		anew := x.Anew || state.changedSince(at)
		id, err := rows.On(tx).AddBoxLog(ctx, rows.BoxLog{
			BoxID: boxID, At: at, Kind: "weighed", MassG: &x.MassG, GaveG: x.GaveG, Anew: anew,
		}, req.PersonID)
		if err != nil {
			return farm.Done{}, err
		}
		said := fmt.Sprintf("%s weighed %s", box.Name, u.Mass(x.MassG))
		if x.GaveG > 0 {
			said += fmt.Sprintf("; %s of water given back", u.Mass(x.GaveG))
		}
		return journal.Record(ctx, tx, about, journal.Undo{dropLogs.Of([]int64{id})}, "%s.", said)
	})
}

// Air keeps that the lid was lifted for fresh air, and on how many eggs mould was seen.
func (s *Service) Air(
	ctx context.Context, req farm.Request, boxID int64, mould int, told time.Time,
) (farm.Done, error) {
	return s.onBox(ctx, req, farm.Helping, boxID, func(
		tx *farm.Tx, box store.Box, about journal.Subjects, _ []rows.Clutch,
	) (farm.Done, error) {
		var p farm.Problems
		p.Count("mould", "The number of eggs with mould", mould, 0, box.Cols*box.Rows)
		if err := p.Err(); err != nil {
			return farm.Done{}, err
		}
		at, err := when(tx, box, told)
		if err != nil {
			return farm.Done{}, err
		}
		id, err := rows.On(tx).AddBoxLog(ctx, rows.BoxLog{BoxID: boxID, At: at, Kind: "aired", Mould: mould}, req.PersonID)
		if err != nil {
			return farm.Done{}, err
		}
		said := box.Name + " was aired"
		if mould > 0 {
			said += fmt.Sprintf("; mould on %s", wording.Plural(mould, "egg"))
		}
		return journal.Record(ctx, tx, about, journal.Undo{dropLogs.Of([]int64{id})}, "%s.", said)
	})
}

// Move puts a box, with all that lies in it, onto the shelf of another machine.
func (s *Service) Move(
	ctx context.Context, req farm.Request, boxID, machineID int64,
) (farm.Done, error) {
	return s.onBox(ctx, req, farm.Keeping, boxID, func(
		tx *farm.Tx, box store.Box, about journal.Subjects, open []rows.Clutch,
	) (farm.Done, error) {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return farm.Done{}, err
		}
		to, ok := w.MachineByID[machineID]
		if !ok || machine.ID(to.Kind) != machine.ReptileBox || to.UntilOn != nil {
			return farm.Done{}, farm.Problemf("machine", "Pick the incubator to whose shelf it goes.")
		}
		if machineID == box.MachineID {
			return farm.Done{}, farm.Problemf("machine", "%s stands there already.", box.Name)
		}
		u := moved{Box: boxID, From: box.MachineID}
		for _, c := range open {
			id, err := tx.AddMove(ctx, store.BatchMove{
				BatchID: c.BatchID, FromID: box.MachineID, ToID: machineID, At: tx.At, Why: "with its box",
			}, req.PersonID)
			if err != nil {
				return farm.Done{}, err
			}
			u.Moves = append(u.Moves, id)
		}
		if err := rows.On(tx).MoveBox(ctx, boxID, machineID); err != nil {
			return farm.Done{}, err
		}
		if err := w.RefreshClutches(ctx, tx, machineID); err != nil {
			return farm.Done{}, err
		}
		return journal.Record(ctx, tx, about.And(journal.Machine, machineID), journal.Undo{boxBack.Of(u)},
			"%s went from %s to %s, as it stood.", box.Name, w.MachineByID[box.MachineID].Name, to.Name)
	})
}

// InBox is an open clutch in a box; ErrNone where there is none.
func (s *Service) InBox(ctx context.Context, m *farm.Member, boxID int64) (batchID int64, err error) {
	err = s.Read(ctx, m, func(tx *farm.Tx) error {
		_, open, err := rows.On(tx).BoxesByID(ctx, []int64{boxID})
		if err != nil {
			return err
		}
		if len(open) == 0 {
			return farm.ErrNone
		}
		batchID = open[0].BatchID
		return nil
	})
	return batchID, err
}

// BoxState is a box with what it lost.
type BoxState struct {
	store.Box
	Weighings []reptile.Weighed
	LogIDs    []int64
	Water     reptile.Water
	Aired     *time.Time // last
	Mould     int        // eggs with mould, when it was aired last
	Changed   bool       // eggs came or left since it was weighed last
	changes   []time.Time
	MostLost  *float64 // share of its water, ever
	MostOver  *float64 // g by which it was too heavy, ever
	LongShut  *float64 // days between two airings, the longest
}

// waterOf reads a box's state.
func waterOf(ctx context.Context, tx *farm.Tx, box store.Box) (BoxState, error) {
	logs, changes, err := rows.On(tx).BoxLogs(ctx, box.ID)
	if err != nil {
		return BoxState{}, err
	}
	return stateOf(tx.Member, box, logs, changes, tx.At), nil
}

// stateOf puts a box's logs together; changes are when eggs came or left.
func stateOf(m *farm.Member, box store.Box, logs []rows.BoxLog, changes []time.Time, now time.Time) (s BoxState) {
	s.Box, s.changes = box, changes
	last := box.BeganAt
	shut := 0.0
	for _, l := range logs {
		if l.BoxID != box.ID {
			continue
		}
		if l.Kind == "weighed" {
			s.Weighings = append(s.Weighings, reptile.Weighed{At: l.At, MassG: *l.MassG, GaveG: l.GaveG, Anew: l.Anew})
			s.LogIDs = append(s.LogIDs, l.ID)
			s.extremes(m)
		} else {
			s.Mould = l.Mould
		}
		s.Aired = &l.At // whoever weighs or looks lifts the lid
		shut = max(shut, l.At.Sub(last).Hours()/24)
		last = l.At
	}
	shut = max(shut, now.Sub(last).Hours()/24)
	s.LongShut = &shut
	s.Water = reptile.Give(s.Weighings, s.filled(), m.Units())
	if n := len(s.Weighings); n > 0 {
		s.Changed = s.changedSince(now)
		if s.Changed {
			s.Water.Says = "Eggs came or left since it was weighed last: the next weighing is the one to hold."
			s.Water.GiveG = 0
		}
	}
	return s
}

// filled is the water that it was filled with, in g; 0 where nobody knows.
func (s BoxState) filled() float64 {
	if s.WaterG == nil {
		return 0
	}
	return *s.WaterG
}

// extremes keeps the most that it had lost, and by which it was too heavy.
func (s *BoxState) extremes(m *farm.Member) {
	w := reptile.Give(s.Weighings, s.filled(), m.Units())
	if share := w.LostG / s.filled(); s.filled() > 0 && (s.MostLost == nil || share > *s.MostLost) {
		s.MostLost = &share
	}
	if over := -w.LostG; s.MostOver == nil || over > *s.MostOver {
		s.MostOver = &over
	}
}

// changedSince tells whether eggs came or left between the last weighing and a moment.
func (s BoxState) changedSince(at time.Time) bool {
	n := len(s.Weighings)
	return n > 0 && slices.ContainsFunc(s.changes, func(c time.Time) bool {
		return c.After(s.Weighings[n-1].At) && !c.After(at)
	})
}

// Lost says what the box lost when it was weighed the i-th time, against the weight to hold; NaN for the first, and
// where what lay in it had changed.
func (s BoxState) Lost(i int) float64 {
	if i == 0 || s.Weighings[i].Anew {
		return math.NaN()
	}
	return reptile.Give(s.Weighings[:i+1], s.filled(), units.Reader{}).LostG
}
