package incubate

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/choice"
	"metrogon/core/grading"
	"metrogon/core/season"
	"metrogon/core/species"
	"metrogon/core/storage"
	"metrogon/core/units"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
	seasonrows "metrogon/store/season"
	stockrows "metrogon/store/stock"
)

// Pick is so many eggs of one pen and lay day; where Only names single eggs,
// those of them.
type Pick struct {
	PenID  int64
	LaidOn time.Time
	Trial  bool // rejected or doubtful ones, to see how they do
	Eggs   int
	Only   []int64
}

// of tells whether a pick is of these eggs.
func (p Pick) of(l snapshot.Lot) bool {
	return p.PenID == l.PenID && p.Trial == l.Trial && p.LaidOn.Equal(l.LaidOn)
}

// Setting is a batch that is about to be set.
type Setting struct {
	Species      string
	SetterID     int64
	HatcherID    int64 // 0: the same machine
	SetAt        time.Time
	StartCounter bool // the setter's day counter starts with this batch
	Picks        []Pick
	Wish         Wish
	Propose      bool  // eggs are to be picked by the wish
	Unrested     bool  // shipped eggs are set although they still rest
	PlannedID    int64 // the planned batch that is set with it, 0: none
}

// SetPage is what can be set, and what would come of it.
type SetPage struct {
	Kinds    []*species.Profile // that are in store
	Kind     *species.Profile
	Stock    []snapshot.StockRow // of that kind
	Setters  []snapshot.Place
	Hatchers []snapshot.Place
	Setting  Setting // as it was asked for, or proposed
	Short    string  // why the wish could not be met
	Answer   *Answer // nil until eggs and a machine are picked
	Later    *Later
}

// Answer is what comes of a setting.
type Answer struct {
	snapshot.BatchView
	Young     float64 // expected
	YoungLow  int     // 9 times in 10 between these
	YoungHigh int
	Prob      float64  // of at least the wanted young, where a number is wanted
	Ages      []string // eggs that are too old, a line each
	Resting   []string // eggs that still rest, a line each
	NotReady  string   // why the setter should not take eggs yet
	Clashes   []snapshot.Clash
	Air       []snapshot.AirTrouble // what stands in the setter and does not go with these eggs
	Cures     []Cure                // of the clashes
	Left      []LeftOver            // in store
	FreeAfter int                   // places of the setter left for this kind
	Counter   int                   // what the setter's counter shows at lockdown
	HasCount  bool
}

// LeftOver is what a pen has left in store, and until when it keeps.
type LeftOver struct {
	snapshot.Pen
	Eggs  int
	Until time.Time // the last day for the oldest of them
	Stale int       // past it already
}

// unset is the id of the batch that is not made yet.
const unset = -1

// Plan shows the stock of one kind and works the picked eggs out. Where no
// machine is picked it proposes machines and eggs; where s.Propose says so, the
// eggs that meet the wish. What is wrong is returned as Problems beside the page.
func (b *Service) Plan(ctx context.Context, m *farm.Member, s Setting) (page SetPage, problems error) {
	err := b.Read(ctx, m, func(tx *farm.Tx) error {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return err
		}
		room, err := w.EggRoom(ctx, tx)
		if err != nil {
			return err
		}
		for _, row := range room.Stock {
			if !slices.Contains(page.Kinds, row.Kind) && !row.Kind.IsReptile() {
				page.Kinds = append(page.Kinds, row.Kind)
			}
		}
		if page.Kind, err = w.Kind(s.Species); err != nil || !slices.Contains(page.Kinds, page.Kind) {
			if len(page.Kinds) == 0 {
				page.Kind = nil
				return nil
			}
			page.Kind = page.Kinds[0]
		}
		page.Stock = slices.DeleteFunc(room.Stock, func(r snapshot.StockRow) bool { return r.Kind.ID != page.Kind.ID })
		open, err := w.OpenBatches(ctx, tx)
		if err != nil {
			return err
		}
		ahead, err := w.Ahead(ctx, tx)
		if err != nil {
			return err
		}
		stays := append(w.AllStays(open), w.PlannedStays(ahead, s.PlannedID)...)
		page.Setters, page.Hatchers = w.Places(stays, page.Kind.ID)
		records, err := snapshot.ReadAges(ctx, tx, page.Kind.ID)
		if err != nil {
			return err
		}
		x := w.Beliefs(records)
		if s.SetterID == 0 {
			s.Propose = true
			page.machines(&s, w.Now)
		}
		if s.Propose {
			page.choose(&s, x)
			page.fit(w, &s, stays, x)
		}
		page.Setting = s
		if s.SetterID == 0 {
			return nil
		}
		laying, err := stockrows.On(tx).Laying(ctx, room.Today.AddDate(0, 0, -layingDays), room.Today)
		if err != nil {
			return err
		}
		page.Later = page.later(w, x, laying)
		if len(s.Picks) == 0 {
			return nil
		}
		var batch store.Batch
		if batch, problems = check(w, s); problems != nil {
			return nil
		}
		if page.Answer, err = answer(w, batch, s, stays, x); err != nil {
			return err
		}
		if len(page.Answer.Clashes) > 0 {
			page.Answer.Cures = page.cures(w, s, stays)
		}
		if page.Answer.NotReady, err = w.NotReady(ctx, tx, w.MachineByID[s.SetterID]); err != nil {
			return err
		}
		page.Answer.Resting = resting(w, s, page.Stock)
		page.Answer.Left = left(page.Stock, s)
		return nil
	})
	if err != nil {
		return page, err
	}
	return page, problems
}

// resting names picked eggs that have not rested yet.
func resting(w *snapshot.Snapshot, s Setting, stock []snapshot.StockRow) (all []string) {
	for _, row := range stock {
		for _, l := range row.Lots {
			for _, pick := range s.Picks {
				if pick.of(l) && pick.Eggs > l.Eggs-l.Resting && l.ReadyAt != nil && l.ReadyAt.After(s.SetAt) {
					wait := "%s of %s are washed, and not dry until %s."
					if row.Supplier {
						wait = "%s of %s rest until %s, so that their air cells settle."
					}
					all = append(all, fmt.Sprintf(
						wait, wording.Plural(min(l.Resting, pick.Eggs), "egg"), row.Name, w.Member.Moment(*l.ReadyAt),
					))
				}
			}
		}
	}
	return
}

// left tells what stays in store, pen by pen.
func left(stock []snapshot.StockRow, s Setting) (all []LeftOver) {
	for _, row := range stock {
		l := LeftOver{Pen: row.Pen}
		for _, lot := range row.Lots {
			n := lot.Eggs
			for _, pick := range s.Picks {
				if pick.of(lot) {
					n -= pick.Eggs
				}
			}
			if n <= 0 {
				continue
			}
			if lot.Keeping == storage.Stale || lot.Keeping == storage.Late {
				l.Stale += n
			} else if l.Until.IsZero() {
				l.Until = lot.LastOn
			}
			l.Eggs += n
		}
		if l.Eggs > 0 {
			all = append(all, l)
		}
	}
	return
}

// check judges what was picked and gives the batch that it makes.
func check(w *snapshot.Snapshot, s Setting) (batch store.Batch, err error) {
	var p farm.Problems
	kind, err := w.Kind(s.Species)
	if err != nil {
		return batch, farm.Problemf("species", "Pick what is to be set.")
	}
	if kind.IsReptile() {
		return batch, farm.Problemf(
			"species", "Clutches of reptiles are set on the day on which they are found, under Clutches.",
		)
	}
	if s.HatcherID == 0 {
		s.HatcherID = s.SetterID
	}
	batch = store.Batch{
		ID: unset, Code: "These eggs", Species: kind.ID, SetterID: s.SetterID, HatcherID: s.HatcherID, SetAt: s.SetAt,
		Bantam: true, Way: snapshot.WayRow(w.WayIn(kind.ID, w.MachineByID[s.SetterID])),
	}
	if w.Rooms[s.SetterID][kind.ID].Setting == 0 {
		p.Addf("setter", "Pick a machine that takes %s eggs.", wording.Lower(kind.Name))
	}
	if w.Rooms[s.HatcherID][kind.ID].Hatching == 0 {
		p.Addf("hatcher", "Pick a machine in which %s eggs can hatch.", wording.Lower(kind.Name))
	}
	if s.SetAt.Before(w.Now.AddDate(-1, 0, 0)) || s.SetAt.After(w.Now.AddDate(0, 0, 1)) {
		p.Addf("set_at", "The moment of setting lies too far off; it may be from a year ago to tomorrow.")
	}
	on, eggs, days := w.Member.Date(s.SetAt), 0, 0
	for _, pick := range s.Picks {
		pen, ok := w.PenByID[pick.PenID]
		switch age := farm.AgeDays(pick.LaidOn, on); {
		case !ok || pen.Species != kind.ID:
			p.Addf("eggs", "Some of these eggs are of another kind.")
		case pick.Eggs < 1 || pick.Eggs > farm.MaxEggs:
			p.Addf("eggs", "The number of eggs is %d; it may be 1 to %d.", pick.Eggs, farm.MaxEggs)
		case age < 0:
			p.Addf("set_at", "Eggs of %s were not laid yet on %s.", pick.LaidOn.Format("2 Jan"), on.Format("2 Jan"))
		case age > snapshot.OldestSet:
			p.Addf("eggs", "Eggs of %s are more than %d days old.", pick.LaidOn.Format("2 Jan 2006"), snapshot.OldestSet)
		default:
			eggs += pick.Eggs
			days += age * pick.Eggs
			batch.Bantam = batch.Bantam && pen.Bantam
		}
	}
	switch {
	case eggs == 0 && len(p) == 0:
		p.Addf("eggs", "Pick the eggs to set.")
	case eggs > 5*farm.MaxEggs:
		p.Addf("eggs", "%d eggs are too many for one batch; it may have %d.", eggs, 5*farm.MaxEggs)
	case eggs > 0:
		batch.StorageDays = float64(days) / float64(eggs)
	}
	return batch, p.Err()
}

func answer(
	w *snapshot.Snapshot, batch store.Batch, s Setting, stays []season.Stay, x snapshot.Beliefs,
) (*Answer, error) {
	v, err := w.View(batch)
	if err != nil {
		return nil, err
	}
	a := &Answer{BatchView: v}
	on := w.Member.Date(s.SetAt)
	var lots []choice.Lot
	var take []int
	for _, pick := range s.Picks {
		age := farm.AgeDays(pick.LaidOn, on)
		a.Eggs += pick.Eggs
		lots = append(lots, choice.Lot{Pen: pick.PenID, Young: x.Young[pick.PenID], Keeps: x.Keeps(v.Kind, age)})
		take = append(take, pick.Eggs)
		if at := w.PenByID[pick.PenID].HensHatchedOn; at != nil {
			if weeks := farm.AgeDays(*at, pick.LaidOn) / 7; grading.YoungLayer(v.Species, weeks) {
				a.Ages = append(a.Ages, fmt.Sprintf("%s of %s were laid by hens %d weeks old: the first eggs of young layers "+
					"hatch badly.", wording.Plural(pick.Eggs, "egg"), w.PenByID[pick.PenID].Name, weeks))
			}
		}
		if k := storage.KeepingAt(v.Kind, age); k == storage.Stale || k == storage.Late {
			a.Ages = append(a.Ages, fmt.Sprintf("%s of %s, %s: %d days old, most stop at %s; expect about %s of them.",
				wording.Plural(pick.Eggs, "egg"), w.PenByID[pick.PenID].Name, pick.LaidOn.Format("2 Jan"), age,
				units.Number(v.Kind.StorageLimitDays.At),
				wording.Plural(int(math.Round(x.Expect(v.Kind, pick.PenID, age, pick.Eggs))), "young")))
		}
		if pick.Trial {
			a.Ages = append(a.Ages, fmt.Sprintf("%s of %s on trial: their hatch is told apart, and does not "+
				"count for or against the pen.",
				wording.Plural(pick.Eggs, "egg"), w.PenByID[pick.PenID].Name))
		}
	}
	a.Alive = a.Eggs
	young := choice.Expect(lots, take, x.Rho)
	a.Young, a.YoungLow, a.YoungHigh = young.Mean(), young.Quantile(0.05), young.Quantile(0.95)
	a.Prob = young.AtLeast(s.Wish.Young)
	a.BatchView.Tally.Eggs = a.Eggs
	a.Clashes, stays = clashesOf(w, a.BatchView, stays)
	a.Air = w.AirTroublesOf(unset, append(slices.Clone(w.OpenRead()), a.BatchView))
	room := w.Rooms[s.SetterID][batch.Species].Setting
	a.FreeAfter = snapshot.FreePlaces(season.Loads(stays, s.SetterID, false), farm.Latest(w.Now, s.SetAt), room)
	setter := w.MachineByID[s.SetterID]
	if s.StartCounter {
		setter.CounterStartedAt = &s.SetAt
	}
	if stop, ok := a.Milestone(calendar.Lockdown); ok {
		a.Counter, a.HasCount = snapshot.Counter(setter, stop.At)
	}
	return a, nil
}

func overlapsMachine(c snapshot.Clash, own []season.Stay) bool {
	return slices.ContainsFunc(own, func(s season.Stay) bool {
		return s.MachineID == c.Stay.MachineID && (s.Phase == season.Locked) == (c.Stay.Phase == season.Locked) &&
			s.From.Before(c.To) && c.From.Before(s.To)
	})
}

// onTheList tells a setting that is on today's list: one that was planned, or a parcel.
func onTheList(w *snapshot.Snapshot, s Setting) bool {
	return s.PlannedID != 0 || !s.Unrested && !slices.ContainsFunc(s.Picks, func(p Pick) bool {
		return !w.PenByID[p.PenID].Supplier
	})
}

// Set sets the picked eggs. If somebody else took some of them meanwhile,
// nothing is set, and the problem names which went. Shipped eggs that still rest
// are not set unless s.Unrested says so, which is written down.
func (b *Service) Set(ctx context.Context, req farm.Request, s Setting) (farm.Done, error) {
	return b.Act(ctx, req, farm.Helping, func(tx *farm.Tx) (farm.Done, error) {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return farm.Done{}, err
		}
		if !req.Keeper() && !onTheList(w, s) {
			return farm.Done{}, farm.Problemf(
				"eggs", "A helper sets what is planned for today, and parcels that have rested; not eggs from the store.",
			)
		}
		batch, err := check(w, s)
		if err != nil {
			return farm.Done{}, err
		}
		kind := w.Kinds[batch.Species]
		stock, err := stockrows.On(tx).Stock(ctx, s.SetAt)
		if err != nil {
			return farm.Done{}, err
		}
		var rows []snapshot.StockRow
		for _, x := range stock {
			rows = append(rows, snapshot.StockRow{
				Pen: w.PenByID[x.PenID], Lots: []snapshot.Lot{snapshot.LotOn(kind, x, req.Date(s.SetAt))},
			})
		}
		unrested := resting(w, s, rows)
		if len(unrested) > 0 && !s.Unrested {
			return farm.Done{}, farm.Problemf(
				"unrested", "%s Set them later, or say that you set them all the same.", strings.Join(unrested, " "),
			)
		}
		restedAt := s.SetAt
		if s.Unrested {
			restedAt = s.SetAt.AddDate(1, 0, 0)
		}
		id, code, err := tx.AddBatch(ctx, batch, kind.Short, s.SetAt.In(req.Place).Year())
		if err != nil {
			return farm.Done{}, err
		}
		slices.SortStableFunc(s.Picks, func(x, y Pick) int {
			return strings.Compare(w.PenByID[x.PenID].Name, w.PenByID[y.PenID].Name)
		})
		var gone farm.Problems
		eggs := 0
		for _, pick := range s.Picks {
			from := stockrows.Stock{PenID: pick.PenID, LaidOn: pick.LaidOn, Trial: pick.Trial}
			n, err := stockrows.On(tx).Put(ctx, id, from, pick.Eggs, pick.Only, restedAt)
			if err != nil {
				return farm.Done{}, err
			}
			if n < pick.Eggs {
				gone.Addf("eggs", "%s", went(ctx, tx, w, pick, n))
			}
			eggs += n
		}
		if len(gone) > 0 {
			gone.Addf("eggs", "Nothing was set; pick again from what is left.")
			return farm.Done{}, gone
		}
		u, about := journal.Undo{dropBatch.Of(id)}, journal.On(journal.Batch, id)
		if s.PlannedID != 0 {
			if err := asPlanned(ctx, tx, s.PlannedID, id); err != nil {
				return farm.Done{}, err
			}
			about = about.And(journal.Planned, s.PlannedID)
		}
		if s.StartCounter {
			setter := w.MachineByID[s.SetterID]
			u = append(u, counterBefore.Of(counter{setter.ID, setter.CounterStartedAt}))
			about = about.And(journal.Machine, setter.ID)
			if err := tx.StartCounter(ctx, setter.ID, &s.SetAt); err != nil {
				return farm.Done{}, err
			}
		}
		if _, err := snapshot.AssignCodes(ctx, tx.Tx, req.Date(b.Now())); err != nil {
			return farm.Done{}, err
		}
		said := fmt.Sprintf("Set %s as %s in %s.", wording.Plural(eggs, "egg"), code, w.MachineByID[s.SetterID].Name)
		if len(unrested) > 0 {
			said += " Before their rest was over: " + strings.Join(unrested, " ")
		}
		return journal.Record(ctx, tx, about, u, "%s", said)
	})
}

// asPlanned notes of which planned batch a batch is; taken back with the batch, the plan stands
// again.
func asPlanned(ctx context.Context, tx *farm.Tx, plannedID, batchID int64) error {
	p, err := seasonrows.On(tx).Planned(ctx, plannedID)
	if err != nil {
		return err
	}
	if p.BatchID != nil || p.DroppedAt != nil {
		return farm.Problemf("planned", "That planned batch is set already, or not planned any more.")
	}
	p.BatchID = &batchID
	_, err = seasonrows.On(tx).SavePlanned(ctx, p)
	return err
}

// went says which eggs of a pick somebody else has taken.
func went(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot, pick Pick, left int) string {
	if len(pick.Only) > 0 {
		if gone, err := stockrows.On(tx).GoneMarks(ctx, pick.Only); err == nil && len(gone) > 0 {
			return fmt.Sprintf("%s of %s went meanwhile.", strings.Join(gone, ", "), w.PenByID[pick.PenID].Name)
		}
	}
	return fmt.Sprintf(
		"Of the eggs of %s from %s only %d are left in store, %d were picked.", pick.LaidOn.Format("2 Jan"),
		w.PenByID[pick.PenID].Name, left, pick.Eggs,
	)
}

// SingleEggs lists the eggs in store of a pen and lay day, one by one.
func (b *Service) SingleEggs(
	ctx context.Context, m *farm.Member, penID int64, laidOn time.Time, trial bool,
) (eggs []stockrows.StoredEgg, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		eggs, err = stockrows.On(tx).StoredEggs(ctx, penID, laidOn, trial, b.Now())
		return err
	})
	return
}
