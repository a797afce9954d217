package farm

import (
	"context"
	"fmt"
	"slices"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/grading"
	"metrogon/core/species"
	"metrogon/core/storage"
	"metrogon/core/units"
	"metrogon/core/wording"
	"metrogon/store"
)

// What web needs of the records.
type (
	StoragePlace = store.StoragePlace
	LogEntry     = store.LogEntry
	StoredEgg    = store.StoredEgg
	Parcel       = store.Parcel
	Tray         = store.Tray
)

// PlaceView is a storage place with what lies in it and what it needs. ID 0 is
// no place in particular.
type PlaceView struct {
	store.StoragePlace
	Eggs     int
	Oldest   time.Time
	Resting  int // of them, shipped eggs that are not to be tilted yet
	TiltedAt *time.Time
	TiltDue  bool
	Advice   species.Figure // °C for eggs that wait as long as the oldest may
	Warnings []string
}

func (w *Snapshot) DayBegan() time.Time {
	return calendar.WallTime{}.On(w.Now, 0, w.Member.Place)
}

// places lists storage places in use, and nowhere in particular if eggs are there.
func (w *Snapshot) StorePlaces(up store.Upkeep) (all []PlaceView) {
	list := up.Places
	if slices.ContainsFunc(up.Stored, func(s store.Stored) bool { return s.PlaceID == nil }) {
		list = append(slices.Clone(list), store.StoragePlace{Name: "No place noted"})
	}
	for _, p := range list {
		v := PlaceView{StoragePlace: p}
		for _, s := range up.Stored {
			if (s.PlaceID == nil && p.ID == 0) || (s.PlaceID != nil && *s.PlaceID == p.ID) {
				v.Eggs, v.Oldest, v.Resting = s.Eggs, s.Oldest, s.Resting
			}
		}
		if p.UntilOn != nil && v.Eggs == 0 {
			continue
		}
		for _, c := range up.Last {
			if c.Kind == Tilt && c.PlaceID != nil && *c.PlaceID == p.ID {
				v.TiltedAt = &c.At
			}
		}
		v.TiltDue = p.ID != 0 && v.Eggs > v.Resting && (v.TiltedAt == nil || v.TiltedAt.Before(w.DayBegan()))
		days := 0.0
		if v.Eggs > 0 {
			days = float64(AgeDays(v.Oldest, w.Member.Date(w.Now)))
		}
		v.Advice = storage.AdviseTemperature(max(days, 4))
		v.Warnings = placeWarnings(p, w.Member.Units())
		all = append(all, v)
	}
	return
}

func placeWarnings(p store.StoragePlace, r units.Reader) (all []string) {
	if t := p.TempC; t != nil && *t > storage.GrowsAboveC {
		all = append(all, fmt.Sprintf("too warm: above %s the germ begins to grow", r.Temp(storage.GrowsAboveC)))
	} else if t != nil && *t < storage.ChillsBelowC {
		all = append(all, "too cold for eggs that are to hatch")
	}
	if h := p.RHPct; h != nil && *h < storage.DryPct {
		all = append(all, "dry: 70 to 80 % keeps their water in")
	} else if h != nil && *h > storage.DampPct {
		all = append(all, "damp: mould grows above 80 %")
	}
	return
}

// SaveStoragePlace makes a place (ID 0) or changes it, with what its thermometer
// and hygrometer read.
func (b *Service) SaveStoragePlace(ctx context.Context, m *Member, key string, place store.StoragePlace) (Done, error) {
	return b.Act(ctx, m, key, func(tx *Tx) (Done, error) {
		var p Problems
		place.Name = p.Name("name", "The name of the place", place.Name, 60, true)
		p.Temp(m.Units(), "temp", "The temperature", place.TempC, -10, 45)
		p.Measure("rh", "The humidity", place.RHPct, 0, 100, "%")
		if err := p.Err(); err != nil {
			return Done{}, err
		}
		var err error
		if place.ID, err = tx.SaveStoragePlace(ctx, place); err != nil {
			return Done{}, Taken(err, "name", "There is a place of that name already.")
		}
		return Record(ctx, tx, On("place", place.ID), nil, "Saved the place %s.", place.Name)
	})
}

// StoragePlace is one, by its id.
func (b *Service) StoragePlace(ctx context.Context, m *Member, id int64) (v PlaceView, log []store.LogEntry, err error) {
	err = b.Read(ctx, m, func(tx *Tx) error {
		w, err := tx.Snapshot(ctx)
		if err != nil {
			return err
		}
		up, err := w.Upkeep(ctx, tx)
		if err != nil {
			return err
		}
		all := w.StorePlaces(up)
		i := slices.IndexFunc(all, func(p PlaceView) bool { return p.ID == id && id != 0 })
		if i < 0 {
			return ErrNone
		}
		v = all[i]
		log, err = tx.CareLog(ctx, 0, id, 60)
		return err
	})
	return
}

// Tilt is tilting the eggs in a storage place through about 90°, once a day at least
// [common practice]; Rest and Rested are the chores of a
// parcel's eggs.
const (
	Tilt   = "tilt"
	Rest   = "rest"
	Rested = "rested"
)

// StockChores are tilting, and what parcels ask for.
func StockChores(ctx context.Context, tx *Tx, w *Snapshot) (all []Chore, err error) {
	up, err := w.Upkeep(ctx, tx)
	if err != nil {
		return nil, err
	}
	for _, p := range w.StorePlaces(up) {
		if p.TiltDue {
			all = append(all, w.tilt(p))
		}
	}
	parcels, err := w.Parcels(ctx, tx, 20)
	if err != nil {
		return nil, err
	}
	for _, p := range parcels {
		if !p.OnTheWay() && p.Stored > 0 {
			all = append(all, w.rest(p))
		}
	}
	return all, nil
}

func (w *Snapshot) tilt(p PlaceView) Chore {
	c := Chore{About: store.Subject{Kind: "place", ID: p.ID}, Kind: Tilt, Of: p.Name}
	c.Title = fmt.Sprintf("Tilt %s in %s", wording.Plural(p.Eggs, "egg"), p.Name)
	c.Reason = "To the other side, through about 90°."
	if p.TiltedAt != nil {
		c.Reason += " Last " + w.Member.Moment(*p.TiltedAt) + "."
	}
	return c
}

func (w *Snapshot) rest(p ParcelView) Chore {
	c := Chore{About: store.Subject{Kind: "parcel", ID: p.ID}, Kind: Rested, Of: p.From.Species}
	c.Title = fmt.Sprintf("%s from %s", wording.Plural(p.Stored, "egg"), p.From.Name)
	c.Reason = "Rested; ready to set."
	if p.Resting {
		c.Kind = Rest
		c.Reason = "Rest until " + w.Member.Moment(*p.ReadyAt) +
			": pointed end down, at room temperature, neither turned nor tilted."
	}
	return c
}

// Tilted notes that the eggs of a place were tilted to the other side.
func (b *Service) Tilted(ctx context.Context, m *Member, key string, placeID int64) (Done, error) {
	return b.Act(ctx, m, key, func(tx *Tx) (Done, error) {
		up, err := tx.Upkeep(ctx, b.Now(), b.Now())
		if err != nil {
			return Done{}, err
		}
		i := slices.IndexFunc(up.Places, func(p store.StoragePlace) bool { return p.ID == placeID })
		if i < 0 {
			return Done{}, ErrNone
		}
		return RecordCare(ctx, tx, store.Care{Kind: Tilt, PlaceID: &placeID}, "Eggs in %s tilted to the other side.", up.Places[i].Name)
	})
}

// RecordCare notes care that can be taken back.
func RecordCare(ctx context.Context, tx *Tx, c store.Care, format string, args ...any) (Done, error) {
	c.At = tx.At
	id, err := tx.AddCare(ctx, c, tx.Member.PersonID)
	if err != nil {
		return Done{}, err
	}
	var about Subjects
	if c.BatchID != nil {
		about = On("batch", *c.BatchID)
	}
	if c.PlaceID != nil {
		about = On("place", *c.PlaceID)
	}
	return Record(ctx, tx, about, Undo{DropCare.Of([]int64{id})}, format, args...)
}

// BasketView is what is left in store of one collection.
type BasketView struct {
	store.Basket
	Pen
	Lot
	Hours int // of age, from the hour of gathering; from noon where it is not known
	Place string
}

// Baskets lists what is in store, collection by collection, of one pen or, with
// 0, of all.
func (b *Service) Baskets(
	ctx context.Context, m *Member, penID int64,
) (all []BasketView, places []PlaceView, rejects []RejectView, err error) {
	err = b.Read(ctx, m, func(tx *Tx) error {
		w, err := tx.Snapshot(ctx)
		if err != nil {
			return err
		}
		up, err := w.Upkeep(ctx, tx)
		if err != nil {
			return err
		}
		places = w.StorePlaces(up)
		baskets, err := tx.Baskets(ctx, penID)
		if err != nil {
			return err
		}
		for _, x := range baskets {
			kind, err := w.Kind(w.PenByID[x.PenID].Species)
			if err != nil {
				return err
			}
			resting := 0
			if x.ReadyAt != nil && x.ReadyAt.After(w.Now) {
				resting = x.Eggs
			}
			v := BasketView{Basket: x, Pen: w.PenByID[x.PenID], Lot: LotOn(kind, store.Stock{PenID: x.PenID, LaidOn: x.LaidOn, Eggs: x.Eggs, Resting: resting, ReadyAt: x.ReadyAt}, m.Date(w.Now))}
			gathered := time.Date(x.LaidOn.Year(), x.LaidOn.Month(), x.LaidOn.Day(), 12, 0, 0, 0, m.Place)
			if x.At != nil {
				gathered = *x.At
			}
			v.Hours = max(0, int(w.Now.Sub(gathered).Hours()))
			for _, p := range up.Places {
				if x.PlaceID != nil && *x.PlaceID == p.ID {
					v.Place = p.Name
				}
			}
			all = append(all, v)
		}
		rejects, err = w.rejects(ctx, tx)
		return err
	})
	return
}

// RejectView is rejected eggs that still lie about and are young enough to be set on
// trial.
type RejectView struct {
	store.Reject
	Pen
	Name string // of the reason
	Age  int
}

func (w *Snapshot) rejects(ctx context.Context, tx *Tx) (all []RejectView, err error) {
	today := w.Member.Date(w.Now)
	rows, err := tx.Rejects(ctx, today.AddDate(0, 0, -14))
	if err != nil {
		return nil, err
	}
	for _, x := range rows {
		pen, kind := w.PenByID[x.PenID], w.Kinds[w.PenByID[x.PenID].Species]
		age := AgeDays(x.LaidOn, today)
		if kind == nil || storage.Judge(kind, age) == storage.Late {
			continue
		}
		name := "rejected"
		if reason, known := grading.Known(x.Reason); known {
			name = reason.Name
		}
		if x.Reason != "broken" {
			all = append(all, RejectView{x, pen, name, age})
		}
	}
	return all, nil
}

// MoveBaskets puts collections into a storage place; 0 is no place in particular.
func (b *Service) MoveBaskets(ctx context.Context, m *Member, key string, ids []int64, placeID int64) (Done, error) {
	return b.Act(ctx, m, key, func(tx *Tx) (Done, error) {
		if len(ids) == 0 {
			return Done{}, Problemf("basket", "Mark what is to be moved.")
		}
		slices.Sort(ids)
		ids = slices.Compact(ids)
		name, to := "no place in particular", (*int64)(nil)
		if placeID != 0 {
			up, err := tx.Upkeep(ctx, b.Now(), b.Now())
			if err != nil {
				return Done{}, err
			}
			i := slices.IndexFunc(up.Places, func(p store.StoragePlace) bool { return p.ID == placeID })
			if i < 0 {
				return Done{}, ErrNone
			}
			name, to = up.Places[i].Name, &placeID
		}
		n, err := tx.MoveBasket(ctx, ids, to)
		if err != nil {
			return Done{}, err
		}
		if n != len(ids) {
			return Done{}, ErrNone
		}
		return Record(ctx, tx, nil, nil, "%s moved to %s.", wording.Plural(len(ids), "gathering"), name)
	})
}

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
	OwnEggs             float64 // that count at this age
	Share               float64 // of own eggs in the blend
	Set, Hatched        int     // of exactly this age
	Keeping             storage.Keeping
}

// Waiting explains the curve of a kind.
func (b *Service) Waiting(ctx context.Context, m *Member, kindID string) (page Waiting, err error) {
	err = b.Read(ctx, m, func(tx *Tx) error {
		w, err := tx.Snapshot(ctx)
		if err != nil {
			return err
		}
		for _, p := range w.Pens {
			if k, err := w.Kind(p.Species); err == nil && !k.IsReptile() && !slices.Contains(page.Kinds, k) {
				page.Kinds = append(page.Kinds, k)
			}
		}
		slices.SortFunc(page.Kinds, CompareKinds)
		if page.Kind, err = w.Kind(kindID); err != nil || page.Kind.IsReptile() {
			if len(page.Kinds) == 0 {
				return ErrNone
			}
			page.Kind = page.Kinds[0]
		}
		records, err := ReadAges(ctx, tx, page.Kind.ID)
		if err != nil {
			return err
		}
		page.Own, page.LeftOut = w.OwnByAge(records, page.Kind.ID)
		page.Curve = storage.Blend(page.Kind, page.Own)
		for day := 1; day <= int(page.Kind.StorageLimitDays.To)+4; day++ {
			a := WaitingAge{Days: day, Published: storage.Relative(page.Kind, float64(day)), Relative: page.Curve.Relative(float64(day)), Keeping: storage.Judge(page.Kind, day)}
			a.Share, a.OwnEggs = page.Curve.Weight(float64(day))
			for _, o := range page.Own {
				if int(o.AgeDays) == day || (day == 1 && o.AgeDays == 0) {
					a.Set, a.Hatched = a.Set+o.Set, a.Hatched+o.Hatched
				}
			}
			page.Ages = append(page.Ages, a)
		}
		return nil
	})
	return
}

// Says tells in one sentence what the curve rests on. Better or worse is said of the
// age, between the best day and the last, at which own eggs differ most from the
// published curve, if these eggs can carry it.
func (p Waiting) Says() string {
	out := ""
	if p.LeftOut > 0 {
		out = fmt.Sprintf(" Of %s young were counted by pen with eggs of other ages, so they tell nothing of waiting and are left out.",
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
		verdict = fmt.Sprintf("%s than the published curve, most at %d days", map[bool]string{true: "worse", false: "better"}[by < 0], day)
	}
	share, eggs := p.Curve.Weight(p.Kind.StorageBestDays.At)
	return fmt.Sprintf("Your own %d eggs keep %s. At %s days %.0f of them count, which is %.0f %% of the blend; the published curve counts as 40 eggs at each age.%s",
		p.Curve.Eggs, verdict, units.Number(p.Kind.StorageBestDays.At), eggs, 100*share, out)
}

// OwnByAge gives what own eggs of a kind did at each age, and of how many nothing
// is known by age, since young were counted of eggs of several ages together.
func (w *Snapshot) OwnByAge(records AgeRecords, kindID string) (own []storage.Own, leftOut int) {
	for _, r := range records.rows {
		if w.PenByID[r.PenID].Species != kindID || r.Age > 60 || w.PenByID[r.PenID].Supplier {
			continue
		}
		set, hatched, out := records.part(r).Known()
		leftOut += out
		if set == 0 {
			continue
		}
		i := slices.IndexFunc(own, func(o storage.Own) bool { return int(o.AgeDays) == r.Age })
		if i < 0 {
			i = len(own)
			own = append(own, storage.Own{AgeDays: float64(r.Age)})
		}
		own[i].Set += set
		own[i].Hatched += hatched
	}
	return
}
