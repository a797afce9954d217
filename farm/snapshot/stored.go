package snapshot

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"metrogon/core/method"
	"metrogon/core/species"
	"metrogon/core/storage"
	"metrogon/core/units"
	"metrogon/farm"
	"metrogon/store"
	stockrows "metrogon/store/stock"
	"metrogon/store/upkeep"
	"metrogon/store/weigh"
)

// StockRow is one pen's eggs in store, by age.
type StockRow struct {
	Pen
	Kind *species.Profile
	Lots []Lot // oldest first
	Eggs int
}

// Lot is the eggs of a pen and a lay day.
type Lot struct {
	PenID   int64
	LaidOn  time.Time
	Trial   bool // rejected or doubtful ones, to be set apart
	Age     int  // days
	Eggs    int
	Keeping storage.Keeping
	BestOn  time.Time // the last day on which they are at their best
	LastOn  time.Time // the last day before most would stop
	Resting int       // of them, shipped ones that are not to be set yet
	ReadyAt *time.Time
	Young   float64 // to be expected of them, where they are past the day at which most stop
}

// Past tells that they are past the day at which most stop.
func (l Lot) Past() bool { return l.Keeping == storage.Stale || l.Keeping == storage.Late }

// LotOn judges eggs on a date.
func LotOn(kind *species.Profile, s stockrows.Stock, on time.Time) Lot {
	age := farm.AgeDays(s.LaidOn, on)
	return Lot{
		PenID: s.PenID, LaidOn: s.LaidOn, Trial: s.Trial, Age: age, Eggs: s.Eggs, Keeping: storage.KeepingAt(kind, age),
		BestOn: s.LaidOn.AddDate(0, 0, int(kind.StorageBestDays.At)), LastOn: s.LaidOn.AddDate(
			0, 0, int(kind.StorageLimitDays.At),
		),
		Resting: s.Resting, ReadyAt: s.ReadyAt,
	}
}

// EggRoom is what is in store.
type EggRoom struct {
	Pens       []Pen // in use, for collecting
	Next       int64 // the pen to collect from next: the first without eggs of today
	Usual      map[int64]method.Washing
	Stock      []StockRow
	Eggs       int
	Turning    int     // of them, eggs that pass their best or last day tomorrow
	Past       int     // past the day at which most stop
	PastYoung  float64 // that these may still give
	Resting    int
	Gatherings []stockrows.Gathering
	Places     []PlaceView
	Today      time.Time
}

func (w *Snapshot) EggRoom(ctx context.Context, tx *farm.Tx) (EggRoom, error) {
	room := EggRoom{Today: w.Member.Date(w.Now)}
	for _, p := range w.Pens {
		if !p.Supplier && !w.IsReptiles(p) && (p.UntilOn == nil || !p.UntilOn.Before(room.Today)) {
			room.Pens = append(room.Pens, p)
		}
	}
	stock, err := w.Stock(ctx, tx)
	if err != nil {
		return room, err
	}
	by := map[int64]*StockRow{}
	for _, s := range stock {
		row := by[s.PenID]
		if row == nil {
			kind, err := w.Kind(w.PenByID[s.PenID].Species)
			if err != nil {
				return room, err
			}
			row = &StockRow{Pen: w.PenByID[s.PenID], Kind: kind}
			by[s.PenID] = row
		}
		room.add(row, LotOn(row.Kind, s, room.Today))
	}
	for _, row := range by {
		young, err := w.lateYoung(ctx, tx, row)
		if err != nil {
			return room, err
		}
		room.PastYoung += young
		room.Stock = append(room.Stock, *row)
	}
	slices.SortFunc(room.Stock, func(a, b StockRow) int {
		if d := CompareKinds(a.Kind, b.Kind); d != 0 {
			return d
		}
		return strings.Compare(a.Name, b.Name)
	})
	return room, nil
}

// add counts a lot.
func (r *EggRoom) add(row *StockRow, l Lot) {
	row.Lots = append(row.Lots, l)
	row.Eggs += l.Eggs
	r.Eggs += l.Eggs
	r.Resting += l.Resting
	if l.Past() {
		r.Past += l.Eggs
	} else if storage.KeepingAt(row.Kind, l.Age+1) != l.Keeping {
		r.Turning += l.Eggs
	}
}

// lateYoung reckons what eggs past the day at which most stop may still give, as
// Set does, and keeps it with their lots.
func (w *Snapshot) lateYoung(ctx context.Context, tx *farm.Tx, row *StockRow) (young float64, err error) {
	if !slices.ContainsFunc(row.Lots, Lot.Past) {
		return 0, nil
	}
	records, err := ReadAges(ctx, tx, row.Kind.ID)
	if err != nil {
		return 0, err
	}
	x := w.Beliefs(records)
	for i, l := range row.Lots {
		if l.Past() {
			row.Lots[i].Young = x.Expect(row.Kind, row.ID, l.Age, l.Eggs)
			young += row.Lots[i].Young
		}
	}
	return young, nil
}

// ParcelView is eggs ordered from a supplier, and what became of them.
type ParcelView struct {
	stockrows.Parcel
	From    Pen
	Kind    *species.Profile
	Resting bool
	Left    time.Duration // to rest
}

// OnTheWay tells that it has not come yet.
func (v ParcelView) OnTheWay() bool { return v.ArrivedAt == nil }

// Parcels are the newest, so many at most; they are read once.
func (w *Snapshot) Parcels(ctx context.Context, tx *farm.Tx, most int) (all []ParcelView, err error) {
	if len(w.parcels.all) > 0 && w.parcels.most >= most {
		return w.parcels.all[:min(most, len(w.parcels.all))], nil
	}
	rows, err := stockrows.On(tx).Parcels(ctx, most)
	if err != nil {
		return nil, err
	}
	for _, p := range rows {
		v := ParcelView{Parcel: p, From: w.PenByID[p.PenID]}
		if v.Kind, err = w.Kind(v.From.Species); err != nil {
			return nil, err
		}
		if p.ReadyAt != nil && p.ReadyAt.After(w.Now) {
			v.Resting, v.Left = true, p.ReadyAt.Sub(w.Now)
		}
		all = append(all, v)
	}
	w.parcels.all, w.parcels.most = all, most
	return all, nil
}

func (w *Snapshot) PlaceName(up upkeep.Upkeep, id int64) string {
	for _, p := range up.Places {
		if p.ID == id {
			return p.Name
		}
	}
	return ""
}

// Records that other rooms show as they are kept.
type (
	StoragePlace = stockrows.StoragePlace
	LogEntry     = store.LogEntry
	StoredEgg    = stockrows.StoredEgg
	Parcel       = stockrows.Parcel
	Tray         = store.Tray
	EggOut       = stockrows.EggOut
	Response     = weigh.Response
)

// PlaceView is a storage place with what lies in it and what it needs. ID 0 is
// no place in particular.
type PlaceView struct {
	stockrows.StoragePlace
	Eggs     int
	Oldest   time.Time
	Resting  int // of them, shipped eggs that are not to be tilted yet
	TiltedAt *time.Time
	Tilts    int // today
	TiltDue  bool
	Advice   species.Figure // °C for eggs that wait as long as the oldest may
	Warnings []string
}

// StorePlaces lists storage places in use, and nowhere in particular if eggs are there.
func (w *Snapshot) StorePlaces(up upkeep.Upkeep) (all []PlaceView) {
	list := up.Places
	if slices.ContainsFunc(up.Stored, func(s upkeep.Stored) bool { return s.PlaceID == nil }) {
		list = append(slices.Clone(list), stockrows.StoragePlace{Name: "No place noted"})
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
		for _, c := range up.Tilted {
			if c.PlaceID == p.ID {
				v.Tilts = c.Times
			}
		}
		v.TiltDue = p.ID != 0 && v.Eggs > v.Resting && v.Tilts < w.Member.Tilts
		days := 0.0
		if v.Eggs > 0 {
			days = float64(farm.AgeDays(v.Oldest, w.Member.Date(w.Now)))
		}
		v.Advice = storage.AdviseTemperature(max(days, 4))
		v.Warnings = placeWarnings(p, w.Member.Units())
		all = append(all, v)
	}
	return
}

func placeWarnings(p stockrows.StoragePlace, r units.Reader) (all []string) {
	if h := p.WarmH; h != nil && *h >= 1 {
		all = append(all, fmt.Sprintf("over %s for %.0f of the last 48 hours: the germ begins to grow, so set these eggs "+
			"soon, or cool them", r.Temp(storage.GrowsAboveC), *h))
	} else if t := p.TempC; t != nil && *t > storage.GrowsAboveC {
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

// Tilt is tilting the eggs in a storage place through about 90°, once a day at least
// [common practice].
const Tilt = "tilt"

// The bounds of resting shipped eggs, in hours [common practice].
const (
	LeastRest = 12
	MostRest  = 48
)
