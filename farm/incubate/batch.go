package incubate

import (
	"context"
	"slices"

	"metrogon/core/calendar"
	"metrogon/core/candling"
	"metrogon/core/marks"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/chores"
	"metrogon/farm/snapshot"
	"metrogon/store"
)

// Page is one batch with its eggs.
type Page struct {
	snapshot.BatchView
	Pens     []snapshot.PenEggs
	Journal  []store.Entry // the newest 30
	Notes    []store.Note  // of it, and of its machines while it stood there; the newest first
	Last     *store.Entry  // that can be taken back
	Hatchers []snapshot.Place
	Expect   string // what candling should show today
	Counter  int    // what the counter of the machine in which it stands should read
	HasCount bool
	Rounds   []Round
	Care     []store.LogEntry // turned, cooled, misted: the newest
	Bands    map[int64]marks.Band
	Proofs   []snapshot.Proof
	Prospect snapshot.Prospect
	Next     *chores.Chore // what is to be done next, late or to come
	Tested   []string      // pens whose fertility test this is
	Ways     []Way         // by which it was run, in order of time
	snapshot.Divided
}

// Counted is how many young were counted of which nobody saw the eggs.
func (p Page) Counted() (n int) {
	for _, pen := range p.Pens {
		n += pen.Counted
	}
	return
}

// Batch shows one batch.
func (b *Service) Batch(ctx context.Context, m *farm.Member, id int64) (page Page, err error) {
	err = snapshot.ReadOpen(ctx, b.Service, m, func(tx *farm.Tx, w *snapshot.Snapshot, open []snapshot.BatchView) error {
		if i := slices.IndexFunc(open, func(v snapshot.BatchView) bool { return v.ID == id }); i >= 0 {
			page.BatchView = open[i]
		} else {
			done, err := w.Views(ctx, tx, func() ([]store.Batch, error) { return tx.BatchesByID(ctx, []int64{id}) })
			if err != nil {
				return err
			}
			if len(done) == 0 {
				return farm.ErrNone
			}
			page.BatchView = done[0]
		}
		eggs, counted, err := tx.EggsAndYoung(ctx, id)
		if err != nil {
			return err
		}
		page.Pens = w.ByPen(eggs, counted, page.BatchView)
		log, err := tx.BatchLog(ctx, page.Batch, 30, 20)
		if err != nil {
			return err
		}
		page.Journal, page.Notes, page.Care = log.Lines, log.Notes, log.Care
		if page.Divided, err = w.Divided(ctx, tx, log.Parts, log.Legs); err != nil {
			return err
		}
		for _, way := range log.Ways {
			page.Ways = append(page.Ways, Way{way.At, w.WayOf(store.Batch{Species: page.Species, Way: way.Way})})
		}
		for i, e := range page.Journal {
			if e.Undo != nil && !e.Undone {
				page.Last = &page.Journal[i]
				break
			}
		}
		_, page.Hatchers = w.Places(w.AllStays(open), page.Species)
		page.Expect = candling.Expect(page.Day, page.HatchDay)
		page.Counter, page.HasCount = snapshot.Counter(page.Stands(), w.Now)
		page.Bands = map[int64]marks.Band{}
		for _, p := range page.Pens {
			page.Bands[p.ID] = w.Band(p.ID)
		}
		if page.Proofs, err = snapshot.Proofs(ctx, tx, page.BatchView); err != nil {
			return err
		}
		if !page.Open() {
			return nil
		}
		records, err := snapshot.ReadAges(ctx, tx, page.Species)
		if err != nil {
			return err
		}
		if err := w.Hatching(ctx, tx, page.BatchView); err != nil {
			return err
		}
		page.Prospect = w.Prospect(records, page.BatchView, page.Pens)
		up, err := w.Upkeep(ctx, tx)
		if err != nil {
			return err
		}
		for _, t := range up.Tests {
			if t.BatchID != nil && *t.BatchID == id {
				page.Tested = append(page.Tested, w.PenByID[t.PenID].Name)
			}
		}
		page.Rounds = rounds(w, []snapshot.BatchView{page.BatchView}, up.Care)
		page.Next = next(w, page.BatchView, up.Done, log.Looks)
		return nil
	})
	return page, err
}

// Batches lists what is in the machines, and one page of what was.
func (b *Service) Batches(
	ctx context.Context, m *farm.Member, skip int,
) (open, closed []snapshot.BatchView, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return err
		}
		if open, err = w.OpenBatches(ctx, tx); err != nil {
			return err
		}
		closed, err = w.Views(ctx, tx, func() ([]store.Batch, error) {
			return tx.ClosedBatches(ctx, PageOfBatches, skip)
		})
		return err
	})
	return
}

// PageOfBatches is how many batches that are done stand on one page.
const PageOfBatches = 40

// TickOff ticks a chore of a batch off.
func (b *Service) TickOff(
	ctx context.Context, req farm.Request, batchID int64, kind string, day int,
) (farm.Done, error) {
	return snapshot.OnBatch(ctx, b.Service, req, batchID,
		func(tx *farm.Tx, batch store.Batch, eggs snapshot.Eggs) (farm.Done, error) {
			if (kind != calendar.Candle && kind != calendar.Pull) || day < 0 || day > calendar.MaxDays {
				return farm.Done{}, farm.Problemf("kind", "%q is no chore that can be ticked off.", kind)
			}
			done := store.ChoreDone{BatchID: batchID, Kind: kind, Day: day}
			return chores.Tick(ctx, tx, done, "%s: %s done.", batch.Code, wording.Lower(calendar.Title(kind)))
		})
}
