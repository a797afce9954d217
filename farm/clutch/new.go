package clutch

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"metrogon/core/machine"
	"metrogon/core/species"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/lineage"
	"metrogon/farm/snapshot"
	rows "metrogon/store/clutch"
)

// Place is a choice of the form for a new clutch.
type Place struct {
	Value, Label string
	Kind         *species.Profile
}

// New is what a clutch may be told with.
type New struct {
	Dams     []Place // value: pen-dam
	Dam      string  // whose males these are
	Sires    []Place
	Boxes    []BoxCard
	Machines []snapshot.Machine
	NextBox  string
}

// New shows what is needed to set a clutch of a dam ("pen-dam"; empty: the first) that was laid on a date: of males
// those that were with her that day.
func (s *Service) New(ctx context.Context, m *farm.Member, dam string, laid time.Time) (n New, err error) {
	err = snapshot.ReadOpen(ctx, s.Service, m, func(tx *farm.Tx, w *snapshot.Snapshot, open []snapshot.BatchView) error {
		flock, err := lineage.Of(ctx, tx, w)
		if err != nil {
			return err
		}
		for _, p := range w.Pens {
			kind := w.Kinds[p.Species]
			if kind == nil || !kind.IsReptile() || p.UntilOn != nil {
				continue
			}
			n.dams(p, kind, flock)
		}
		n.sires(w, flock, dam, laid)
		for _, x := range w.Machines {
			if machine.ID(x.Kind) == machine.ReptileBox && x.UntilOn == nil {
				n.Machines = append(n.Machines, x)
			}
		}
		boxes, clutches, used, err := inUse(ctx, tx)
		if err != nil {
			return err
		}
		names := map[string]bool{}
		for _, b := range boxes {
			card := BoxCard{BoxState: BoxState{Box: b}}
			for _, v := range open {
				if slices.ContainsFunc(clutches, func(c rows.Clutch) bool { return c.BoxID == b.ID && c.BatchID == v.ID }) {
					card.Clutches = append(card.Clutches, Card{BatchView: v})
				}
			}
			names[strings.ToLower(b.Name)] = len(card.Clutches) > 0
			if len(card.Clutches) > 0 && len(used[b.ID]) < b.Cols*b.Rows {
				n.Boxes = append(n.Boxes, card)
			}
		}
		for i := 1; ; i++ {
			if n.NextBox = fmt.Sprintf("Box %d", i); !names[strings.ToLower(n.NextBox)] {
				return nil
			}
		}
	})
	return n, err
}

// dams adds the females of a pen.
func (n *New) dams(p snapshot.Pen, kind *species.Profile, flock lineage.Flock) {
	females := 0
	for _, st := range flock.Stays {
		if st.PenID != p.ID || st.UntilOn != nil || st.Sex != lineage.Female {
			continue
		}
		b := flock.Birds[st.BirdID]
		females++
		n.Dams = append(n.Dams, Place{fmt.Sprintf("%d-%d", p.ID, b.ID), b.Name + ", " + wording.Lower(kind.Name), kind})
	}
	if females != 1 {
		n.Dams = append(n.Dams, Place{fmt.Sprintf("%d-0", p.ID), p.Name + ", " + wording.Lower(kind.Name), kind})
	}
}

// sires adds the males that were in the dam's pen on the day.
func (n *New) sires(w *snapshot.Snapshot, flock lineage.Flock, dam string, laid time.Time) {
	if n.Dam = dam; len(n.Dams) > 0 && !slices.ContainsFunc(n.Dams, func(d Place) bool { return d.Value == dam }) {
		n.Dam = n.Dams[0].Value
	}
	pen, _, _ := strings.Cut(n.Dam, "-")
	for _, st := range flock.Stays {
		there := !st.FromOn.After(laid) && (st.UntilOn == nil || !st.UntilOn.Before(laid))
		if fmt.Sprint(st.PenID) != pen || st.Sex != lineage.Male || !there {
			continue
		}
		b := flock.Birds[st.BirdID]
		if kind := w.Kinds[w.PenByID[st.PenID].Species]; kind != nil && b.Species == kind.ID {
			n.Sires = append(n.Sires, Place{fmt.Sprint(b.ID), b.Name, kind})
		}
	}
}
