package hatch

import (
	"context"
	"slices"
	"time"

	"metrogon/core/candling"
	"metrogon/core/marks"
	"metrogon/core/outcome"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
	rows "metrogon/store/hatch"
)

// Opened is one egg that did not hatch, and what it showed.
type Opened struct {
	EggID    int64
	Stage    candling.Stage
	Findings []candling.Finding
	At       time.Time // zero: now
}

// check tells what cannot be.
func (o Opened) check() error {
	if o.EggID == 0 {
		return farm.Problemf("egg", "Pick the egg first.")
	}
	if o.Stage == candling.NotOpened || !slices.Contains(candling.Stages, o.Stage) {
		return farm.Problemf("stage", "Tap the drawing that the egg is like.")
	}
	for _, f := range o.Findings {
		if !o.Stage.Fits(f) {
			return farm.Problemf("findings", "An egg that is %s does not show %q.", stageWords[o.Stage], labelOf(f))
		}
	}
	return nil
}

// stageWords are the stages as they stand in a sentence.
var stageWords = map[candling.Stage]string{
	candling.Infertile: "infertile", candling.Early: "an early death", candling.Middle: "a death half-way",
	candling.Late: "a late death", candling.PippedDead: "pipped", candling.Contaminated: "rotten",
}

func labelOf(f candling.Finding) string {
	for _, s := range candling.FindingSigns {
		if s.Finding == f {
			return s.Label
		}
	}
	return string(f)
}

// BreakOut records what one egg showed on opening: one that is still in, one that was left when the
// batch was closed, or one that was taken out before.
func (b *Service) BreakOut(
	ctx context.Context, req farm.Request, batchID int64, o Opened,
) (farm.Done, error) {
	return b.Act(ctx, req, farm.Helping, func(tx *farm.Tx) (farm.Done, error) {
		if err := o.check(); err != nil {
			return farm.Done{}, err
		}
		batch, err := tx.Batch(ctx, batchID)
		if err != nil {
			return farm.Done{}, err
		}
		at, err := snapshot.When(tx, batch, o.At)
		if err != nil {
			return farm.Done{}, err
		}
		w, v, err := snapshot.Viewed(ctx, tx, batch)
		if err != nil {
			return farm.Done{}, err
		}
		eggs, counted, err := tx.EggsAndYoung(ctx, batchID)
		if err != nil {
			return farm.Done{}, err
		}
		i := slices.IndexFunc(eggs, func(e store.Egg) bool { return e.ID == o.EggID })
		if i < 0 {
			return farm.Done{}, farm.ErrNone
		}
		u, err := o.keep(ctx, tx, eggs[i], v, w.ByPen(eggs, counted, v), at)
		if err != nil {
			return farm.Done{}, err
		}
		row := rows.BreakOut{EggID: o.EggID, At: at, Findings: []string{}, PersonID: req.PersonID}
		for _, f := range o.Findings {
			row.Findings = append(row.Findings, string(f))
		}
		if err := rows.On(tx).AddBreakOut(ctx, row); err != nil {
			return farm.Done{}, err
		}
		if err := snapshot.UpdateFertility(ctx, tx.Tx, batchID); err != nil {
			return farm.Done{}, err
		}
		u = append(journal.Undo{dropBreakOut.Of(o.EggID)}, u...)
		return journal.Record(ctx, tx, journal.On(journal.Batch, batchID), u,
			"%s: egg %d opened, %s.", batch.Code, eggs[i].No, o.says())
	})
}

// says is the stage with what was found.
func (o Opened) says() string {
	said := []string{stageWords[o.Stage]}
	for _, f := range o.Findings {
		said = append(said, labelOf(f))
	}
	return wording.And(said)
}

// keep changes how the egg ended.
func (o Opened) keep(
	ctx context.Context, tx *farm.Tx, e store.Egg, v snapshot.BatchView, pens []snapshot.PenEggs, at time.Time,
) (journal.Undo, error) {
	stage := string(o.Stage)
	switch fate := snapshot.FateOf(e); {
	case fate == "" && !v.Open(), fate == outcome.Counted:
		return nil, farm.Problemf("egg", "Egg %d ended with others that were only counted: nobody knows which of them "+
			"hatched. Take the closing back, open the leftovers, and close again.", e.No)
	case fate == "" && !v.Hatching():
		return nil, farm.Problemf("egg", "Egg %d is still growing; %s hatches from %s. Take it out first if it is dead.",
			e.No, v.Code, tx.Member.ShortDay(v.Hatch().From))
	case fate == "":
		end := Ending{Eggs: []int64{e.ID}, Fate: outcome.Unhatched, Stage: stage}
		if _, err := end.found(v.Batch, pens); err != nil {
			return nil, err
		}
		ended, err := tx.End(ctx, end.Eggs, string(end.Fate), stage, at)
		return journal.Undo{journal.Revive.Of(ended)}, err
	case fate == outcome.Unhatched && e.Stage != nil && candling.Stage(*e.Stage) == candling.NotOpened:
		_, err := rows.On(tx).SetStage(ctx, e.ID, string(candling.NotOpened), stage)
		return journal.Undo{stageBack.Of(stagedEgg{e.ID, stage})}, err
	case fate == outcome.Removed && e.Opened == nil:
		opened, err := tx.SetOpened(ctx, []int64{e.ID}, stage)
		return journal.Undo{shutAgain.Of(opened)}, err
	case fate == outcome.Hatched:
		return nil, farm.Problemf("egg", "Egg %d hatched.", e.No)
	}
	return nil, farm.Problemf("egg", "Egg %d was opened already; take that back first.", e.No)
}

// BreakOutPage is a batch whose leftovers are opened.
type BreakOutPage struct {
	snapshot.BatchView
	Waiting []WaitingEgg // that may be opened, by pen
	Seen    []SeenPen
	Counted int // eggs that ended with others, of which nobody knows which hatched
}

// WaitingEgg is one that may be opened.
type WaitingEgg struct {
	store.Egg
	Pen, Code string
	Stored    int // days in store
	Tray      string
	Out       string // why it was taken out; "" for one that was left
	marks.Band
}

// SeenPen is what the opened eggs of a pen showed.
type SeenPen struct {
	Pen string
	All [7]int // in the order of the drawings
}

// Drawings are what an opened egg may be like, in the order of development.
var Drawings = []struct {
	Stage  candling.Stage
	Inside bool
}{
	{candling.Infertile, false}, {candling.Early, false}, {candling.Middle, false}, {candling.Late, false},
	{candling.PippedDead, true}, {candling.PippedDead, false}, {candling.Contaminated, false},
}

// BreakOutOf shows what may be opened and what was.
func (b *Service) BreakOutOf(ctx context.Context, m *farm.Member, batchID int64) (page BreakOutPage, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		batch, err := tx.Batch(ctx, batchID)
		if err != nil {
			return err
		}
		w, v, err := snapshot.Viewed(ctx, tx, batch)
		if err != nil {
			return err
		}
		page.BatchView = v
		eggs, counted, err := tx.EggsAndYoung(ctx, batchID)
		if err != nil {
			return err
		}
		outs, err := rows.On(tx).BreakOuts(ctx, batchID)
		if err != nil {
			return err
		}
		trays, err := tx.Trays(ctx, batch.SetterID)
		if err != nil {
			return err
		}
		found := map[int64][]string{}
		for _, o := range outs {
			found[o.EggID] = o.Findings
		}
		for _, pen := range w.ByPen(eggs, counted, v) {
			page.take(w, pen, found, trays)
		}
		return nil
	})
	return page, err
}

// take sorts the eggs of a pen.
func (p *BreakOutPage) take(w *snapshot.Snapshot, pen snapshot.PenEggs, found map[int64][]string, trays []store.Tray) {
	seen := SeenPen{Pen: pen.Label()}
	any := false
	for _, e := range pen.Eggs {
		x := WaitingEgg{
			Egg: e, Pen: pen.Label(), Code: snapshot.CodeOf(e.Mark, e.No), Stored: farm.AgeDays(
				e.LaidOn, w.Member.Date(p.SetAt),
			),
			Band: w.Band(pen.ID),
		}
		for _, t := range trays {
			if e.TrayID != nil && t.ID == *e.TrayID {
				x.Tray = t.Name
			}
		}
		shown := snapshot.OpenedAs(e.Fate, e.Stage, e.Opened)
		switch fate := snapshot.FateOf(e); {
		case fate == outcome.Counted:
			p.Counted++
		case fate == "" && p.Open() && p.Hatching(), fate == outcome.Unhatched && shown == candling.NotOpened:
			p.Waiting = append(p.Waiting, x)
		case fate == outcome.Removed && shown == "":
			if e.Stage != nil {
				x.Out = *e.Stage
			}
			p.Waiting = append(p.Waiting, x)
		case shown != "":
			for i, d := range Drawings {
				if d.Stage == shown && (shown != candling.PippedDead ||
					d.Inside == slices.Contains(found[e.ID], string(candling.Inside))) {
					seen.All[i]++
					any = true
				}
			}
		}
	}
	if any {
		p.Seen = append(p.Seen, seen)
	}
}

// stagedEgg is an egg with what it was said to show.
type stagedEgg struct {
	Egg   int64
	Stage string
}
