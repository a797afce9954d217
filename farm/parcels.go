package farm

import (
	"context"
	"fmt"
	"time"

	"metrogon/core/species"
	"metrogon/core/wording"
	"metrogon/store"
)

// ParcelView is eggs ordered from a supplier, and what became of them.
type ParcelView struct {
	store.Parcel
	From    Pen
	Kind    *species.Profile
	Resting bool
	Left    time.Duration // to rest
}

// OnTheWay tells that it has not come yet.
func (v ParcelView) OnTheWay() bool { return v.ArrivedAt == nil }

// Parcels lists the newest, and the suppliers.
func (b *Service) Parcels(ctx context.Context, m *Member) (all []ParcelView, suppliers []Pen, places []PlaceView, err error) {
	err = b.Read(ctx, m, func(tx *Tx) error {
		w, err := tx.Snapshot(ctx)
		if err != nil {
			return err
		}
		for _, p := range w.Pens {
			if p.Supplier && p.UntilOn == nil {
				suppliers = append(suppliers, p)
			}
		}
		up, err := w.Upkeep(ctx, tx)
		if err != nil {
			return err
		}
		places = w.StorePlaces(up)
		all, err = w.Parcels(ctx, tx, 40)
		return err
	})
	return
}

func (w *Snapshot) Parcels(ctx context.Context, tx *Tx, most int) (all []ParcelView, err error) {
	rows, err := tx.Parcels(ctx, most)
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
	return all, nil
}

// Order notes eggs that a supplier is to send.
func (b *Service) Order(ctx context.Context, m *Member, key string, o store.Parcel) (Done, error) {
	return b.Act(ctx, m, key, func(tx *Tx) (Done, error) {
		w, err := tx.Snapshot(ctx)
		if err != nil {
			return Done{}, err
		}
		var p Problems
		from, ok := w.PenByID[o.PenID]
		if !ok || !from.Supplier {
			p.Addf("supplier", "Pick whom the eggs come from.")
		}
		p.Count("ordered", "The number of eggs ordered", o.Ordered, 1, MaxEggs)
		p.Date("ordered_on", "The day of the order", o.OrderedOn, m.Date(w.Now))
		o.Note = p.Name("note", "The note", o.Note, 500, false)
		if err := p.Err(); err != nil {
			return Done{}, err
		}
		id, err := tx.AddParcel(ctx, o)
		if err != nil {
			return Done{}, err
		}
		return Record(ctx, tx, On("parcel", id).And("pen", o.PenID), Undo{dropParcel.Of(id)}, "%s ordered from %s.", wording.Plural(o.Ordered, "egg"), from.Name)
	})
}

// Arrival is a parcel as it was opened.
type Arrival struct {
	Sent, Broken     int
	Loose, Displaced int // air cells, of the sound ones
	At               time.Time
	LaidOn           time.Time // about
	RestHours        int
	PlaceID          int64
	Note             string
}

// The bounds of resting shipped eggs, in hours [common practice].
const (
	LeastRest = 12
	MostRest  = 48
)

// Arrived brings a parcel's sound eggs into store, where they rest: pointed end
// down, at room temperature, not turned, so that the air cell settles.
func (b *Service) Arrived(ctx context.Context, m *Member, key string, id int64, a Arrival) (Done, error) {
	return b.Act(ctx, m, key, func(tx *Tx) (Done, error) {
		w, err := tx.Snapshot(ctx)
		if err != nil {
			return Done{}, err
		}
		parcel, err := tx.Parcel(ctx, id)
		if err != nil {
			return Done{}, err
		}
		if parcel.ArrivedAt != nil {
			return Done{}, Problemf("sent", "This parcel was opened already; take that back first.")
		}
		var p Problems
		p.Count("sent", "The number of eggs sent", a.Sent, 1, MaxEggs)
		p.Count("broken", "The number of broken eggs", a.Broken, 0, max(0, a.Sent))
		p.Count("loose", "The number of loose air cells", a.Loose, 0, max(0, a.Sent-a.Broken))
		p.Count("displaced", "The number of displaced air cells", a.Displaced, 0, max(0, a.Sent-a.Broken))
		p.Count("rest", "The rest in hours", a.RestHours, LeastRest, MostRest)
		p.Date("laid_on", "The day of laying", a.LaidOn, m.Date(w.Now))
		if a.At.After(w.Now.Add(time.Hour)) || a.At.Before(w.Now.AddDate(0, -1, 0)) {
			p.Addf("at", "The moment of arrival lies too far off; it may be within the last month.")
		}
		a.Note = p.Name("note", "The note", a.Note, 500, false)
		up, err := w.Upkeep(ctx, tx)
		if err != nil {
			return Done{}, err
		}
		row := store.Collection{PenID: parcel.PenID, LaidOn: a.LaidOn, At: &a.At, Eggs: a.Sent - a.Broken, Reasons: map[string]int{"broken": a.Broken}, Note: a.Note}
		if a.PlaceID != 0 {
			row.PlaceID = &a.PlaceID
			if known := w.PlaceName(up, a.PlaceID); known == "" {
				p.Addf("place", "Pick where the eggs rest.")
			}
		}
		if err := p.Err(); err != nil {
			return Done{}, err
		}
		ready := a.At.Add(time.Duration(a.RestHours) * time.Hour)
		row.ReadyAt = &ready
		ids, err := tx.Collect(ctx, []store.Collection{row})
		if err != nil {
			return Done{}, err
		}
		codes, err := AssignCodes(ctx, tx.Tx, m.Date(b.Now()))
		if err != nil {
			return Done{}, err
		}
		before := parcel
		parcel.Sent, parcel.Broken, parcel.Loose, parcel.Displaced, parcel.ArrivedAt, parcel.CollectionID, parcel.Note = &a.Sent, &a.Broken, &a.Loose, &a.Displaced, &a.At, &ids[0], a.Note
		if err := tx.SaveParcel(ctx, parcel); err != nil {
			return Done{}, err
		}
		said := fmt.Sprintf("%s from %s in store, %d broken. They rest until %s", wording.Plural(row.Eggs, "egg"), w.PenByID[parcel.PenID].Name, a.Broken, m.Moment(ready))
		if len(codes) > 1 {
			said += fmt.Sprintf("; mark them %s to %s", codes[0], codes[len(codes)-1])
		}
		return Record(ctx, tx, On("parcel", id).And("pen", parcel.PenID), Undo{dropCollections.Of(ids), parcelBefore.Of(before)}, "%s.", said)
	})
}

func (w *Snapshot) PlaceName(up store.Upkeep, id int64) string {
	for _, p := range up.Places {
		if p.ID == id {
			return p.Name
		}
	}
	return ""
}

// Moment writes day and hour as the member reads them.
func (m *Member) Moment(at time.Time) string { return m.ShortDay(at) + ", " + m.Hours(at) }

// Hours writes the hour of a moment as the member reads it.
func (m *Member) Hours(at time.Time) string {
	if m.Clock == 12 {
		return at.In(m.Place).Format("3:04 pm")
	}
	return at.In(m.Place).Format("15:04")
}
