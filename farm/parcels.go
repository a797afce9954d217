package farm

import (
	"context"
	"fmt"
	"time"

	"metrogon/core/species"
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
func (b *Books) Parcels(ctx context.Context, m *Member) (all []ParcelView, suppliers []Pen, places []PlaceView, err error) {
	err = b.read(ctx, m, func(tx *Tx) error {
		w, err := tx.snapshot(ctx)
		if err != nil {
			return err
		}
		for _, p := range w.penList {
			if p.Supplier && p.UntilOn == nil {
				suppliers = append(suppliers, p)
			}
		}
		up, err := w.upkeep(ctx, tx)
		if err != nil {
			return err
		}
		places = w.storePlaces(up)
		all, err = w.parcels(ctx, tx, 40)
		return err
	})
	return
}

func (w *Snapshot) parcels(ctx context.Context, tx *Tx, most int) (all []ParcelView, err error) {
	rows, err := tx.Parcels(ctx, most)
	if err != nil {
		return nil, err
	}
	for _, p := range rows {
		v := ParcelView{Parcel: p, From: w.pens[p.PenID]}
		if v.Kind, err = w.kind(v.From.Species); err != nil {
			return nil, err
		}
		if p.ReadyAt != nil && p.ReadyAt.After(w.now) {
			v.Resting, v.Left = true, p.ReadyAt.Sub(w.now)
		}
		all = append(all, v)
	}
	return all, nil
}

// Order notes eggs that a supplier is to send.
func (b *Books) Order(ctx context.Context, m *Member, key string, o store.Parcel) (Done, error) {
	return b.act(ctx, m, key, func(tx *Tx) (Done, error) {
		w, err := tx.snapshot(ctx)
		if err != nil {
			return Done{}, err
		}
		var p Problems
		from, ok := w.pens[o.PenID]
		if !ok || !from.Supplier {
			p.add("supplier", "Pick whom the eggs come from.")
		}
		p.count("ordered", "The number of eggs ordered", o.Ordered, 1, MaxEggs)
		p.date("ordered_on", "The day of the order", o.OrderedOn, m.Date(w.now))
		o.Note = p.name("note", "The note", o.Note, 500, false)
		if err := p.err(); err != nil {
			return Done{}, err
		}
		id, err := tx.AddParcel(ctx, o)
		if err != nil {
			return Done{}, err
		}
		return write(ctx, tx, On("parcel", id).And("pen", o.PenID), undo{dropParcel.Of(id)}, "%s ordered from %s.", plural(o.Ordered, "egg"), from.Name)
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
func (b *Books) Arrived(ctx context.Context, m *Member, key string, id int64, a Arrival) (Done, error) {
	return b.act(ctx, m, key, func(tx *Tx) (Done, error) {
		w, err := tx.snapshot(ctx)
		if err != nil {
			return Done{}, err
		}
		parcel, err := tx.Parcel(ctx, id)
		if err != nil {
			return Done{}, err
		}
		if parcel.ArrivedAt != nil {
			return Done{}, problem("sent", "This parcel was opened already; take that back first.")
		}
		var p Problems
		p.count("sent", "The number of eggs sent", a.Sent, 1, MaxEggs)
		p.count("broken", "The number of broken eggs", a.Broken, 0, max(0, a.Sent))
		p.count("loose", "The number of loose air cells", a.Loose, 0, max(0, a.Sent-a.Broken))
		p.count("displaced", "The number of displaced air cells", a.Displaced, 0, max(0, a.Sent-a.Broken))
		p.count("rest", "The rest in hours", a.RestHours, LeastRest, MostRest)
		p.date("laid_on", "The day of laying", a.LaidOn, m.Date(w.now))
		if a.At.After(w.now.Add(time.Hour)) || a.At.Before(w.now.AddDate(0, -1, 0)) {
			p.add("at", "The moment of arrival lies too far off; it may be within the last month.")
		}
		a.Note = p.name("note", "The note", a.Note, 500, false)
		up, err := w.upkeep(ctx, tx)
		if err != nil {
			return Done{}, err
		}
		row := store.Collection{PenID: parcel.PenID, LaidOn: a.LaidOn, At: &a.At, Eggs: a.Sent - a.Broken, Reasons: map[string]int{"broken": a.Broken}, Note: a.Note}
		if a.PlaceID != 0 {
			row.PlaceID = &a.PlaceID
			if known := w.placeName(up, a.PlaceID); known == "" {
				p.add("place", "Pick where the eggs rest.")
			}
		}
		if err := p.err(); err != nil {
			return Done{}, err
		}
		ready := a.At.Add(time.Duration(a.RestHours) * time.Hour)
		row.ReadyAt = &ready
		ids, err := tx.Collect(ctx, []store.Collection{row})
		if err != nil {
			return Done{}, err
		}
		codes, err := MarkEggs(ctx, tx.Tx, m.Date(b.Now()))
		if err != nil {
			return Done{}, err
		}
		before := parcel
		parcel.Sent, parcel.Broken, parcel.Loose, parcel.Displaced, parcel.ArrivedAt, parcel.CollectionID, parcel.Note = &a.Sent, &a.Broken, &a.Loose, &a.Displaced, &a.At, &ids[0], a.Note
		if err := tx.SaveParcel(ctx, parcel); err != nil {
			return Done{}, err
		}
		said := fmt.Sprintf("%s from %s in store, %d broken. They rest until %s", plural(row.Eggs, "egg"), w.pens[parcel.PenID].Name, a.Broken, m.moment(ready))
		if len(codes) > 1 {
			said += fmt.Sprintf("; mark them %s to %s", codes[0], codes[len(codes)-1])
		}
		return write(ctx, tx, On("parcel", id).And("pen", parcel.PenID), undo{dropCollections.Of(ids), parcelBefore.Of(before)}, "%s.", said)
	})
}

func (w *Snapshot) placeName(up store.Upkeep, id int64) string {
	for _, p := range up.Places {
		if p.ID == id {
			return p.Name
		}
	}
	return ""
}

// moment writes day and hour as the member reads them.
func (m *Member) moment(at time.Time) string { return m.ShortDay(at) + ", " + m.Hours(at) }

// Hours writes the hour of a moment as the member reads it.
func (m *Member) Hours(at time.Time) string {
	if m.Clock == 12 {
		return at.In(m.Place).Format("3:04 pm")
	}
	return at.In(m.Place).Format("15:04")
}
