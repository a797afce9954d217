package stock

import (
	"context"
	"fmt"
	"slices"
	"time"

	"metrogon/core/grading"
	"metrogon/core/marks"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	rows "metrogon/store/stock"
)

// ParcelPage is the newest parcels, with what an order has to know.
type ParcelPage struct {
	Parcels   []snapshot.ParcelView
	Suppliers []snapshot.Pen
	Places    []snapshot.PlaceView
	Setters   []snapshot.Machine // that take a supplier's eggs
}

// Parcels lists the newest, and the suppliers.
func (b *Service) Parcels(ctx context.Context, m *farm.Member) (page ParcelPage, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return err
		}
		for _, p := range w.Pens {
			if p.Supplier && p.UntilOn == nil {
				page.Suppliers = append(page.Suppliers, p)
			}
		}
		up, err := w.Upkeep(ctx, tx)
		if err != nil {
			return err
		}
		page.Places, page.Setters = w.StorePlaces(up), setters(w, page.Suppliers)
		page.Parcels, err = w.Parcels(ctx, tx, 40)
		return err
	})
	return page, err
}

// Order notes eggs that a supplier is to send.
func (b *Service) Order(ctx context.Context, req farm.Request, o rows.Parcel) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return farm.Done{}, err
		}
		var p farm.Problems
		from, ok := w.PenByID[o.PenID]
		if !ok || !from.Supplier {
			p.Addf("supplier", "Pick whom the eggs come from.")
		}
		p.Count("ordered", "The number of eggs ordered", o.Ordered, 1, farm.MaxEggs)
		p.Date("ordered_on", "The day of the order", o.OrderedOn, req.Date(w.Now))
		o.Note = p.Name("note", "The note", o.Note, 500, false)
		if o.ExpectedOn != nil {
			p.Date("expected_on", "The day on which it is expected", *o.ExpectedOn, req.Date(w.Now).AddDate(1, 0, 0))
		}
		if o.SetterID != nil && w.Rooms[*o.SetterID][from.Species].Setting == 0 {
			p.Addf("setter", "Pick a machine that takes these eggs.")
		}
		if err := p.Err(); err != nil {
			return farm.Done{}, err
		}
		id, err := rows.On(tx).AddParcel(ctx, o)
		if err != nil {
			return farm.Done{}, err
		}
		return journal.Record(
			ctx, tx, journal.On(journal.Parcel, id).And(journal.Pen, o.PenID), journal.Undo{dropParcel.Of(id)},
			"%s ordered from %s%s.", wording.Plural(o.Ordered, "egg"), from.Name, expected(o),
		)
	})
}

func expected(o rows.Parcel) string {
	if o.ExpectedOn == nil {
		return ""
	}
	return o.ExpectedOn.Format(", expected Mon 2 Jan")
}

// setters are the machines in use that take eggs of one of the suppliers.
func setters(w *snapshot.Snapshot, suppliers []snapshot.Pen) (all []snapshot.Machine) {
	for _, x := range w.Machines {
		takes := func(p snapshot.Pen) bool { return w.Rooms[x.ID][p.Species].Setting > 0 }
		if x.UntilOn == nil && slices.ContainsFunc(suppliers, takes) {
			all = append(all, x)
		}
	}
	return all
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

// Arrived brings a parcel's sound eggs into store, where they rest: pointed end
// down, at room temperature, not turned, so that the air cell settles.
func (b *Service) Arrived(ctx context.Context, req farm.Request, id int64, a Arrival) (farm.Done, error) {
	return b.Act(ctx, req, farm.Helping, func(tx *farm.Tx) (farm.Done, error) {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return farm.Done{}, err
		}
		parcel, err := rows.On(tx).Parcel(ctx, id)
		if err != nil {
			return farm.Done{}, err
		}
		if parcel.ArrivedAt != nil {
			return farm.Done{}, farm.Problemf("sent", "This parcel was opened already; take that back first.")
		}
		var p farm.Problems
		p.Count("sent", "The number of eggs sent", a.Sent, 1, farm.MaxEggs)
		p.Count("broken", "The number of broken eggs", a.Broken, 0, max(0, a.Sent))
		p.Count("loose", "The number of loose air cells", a.Loose, 0, max(0, a.Sent-a.Broken))
		p.Count("displaced", "The number of displaced air cells", a.Displaced, 0, max(0, a.Sent-a.Broken))
		p.Count("rest", "The rest in hours", a.RestHours, snapshot.LeastRest, snapshot.MostRest)
		p.Date("laid_on", "The day of laying", a.LaidOn, req.Date(w.Now))
		if a.At.After(w.Now.Add(time.Hour)) || a.At.Before(w.Now.AddDate(0, -1, 0)) {
			p.Addf("at", "The moment of arrival lies too far off; it may be within the last month.")
		}
		a.Note = p.Name("note", "The note", a.Note, 500, false)
		up, err := w.Upkeep(ctx, tx)
		if err != nil {
			return farm.Done{}, err
		}
		row := rows.Collection{
			PenID: parcel.PenID, LaidOn: a.LaidOn, At: &a.At, Eggs: a.Sent - a.Broken,
			Reasons: map[string]int{grading.Broken: a.Broken}, Note: a.Note,
		}
		if a.PlaceID != 0 {
			row.PlaceID = &a.PlaceID
			if known := w.PlaceName(up, a.PlaceID); known == "" {
				p.Addf("place", "Pick where the eggs rest.")
			}
		}
		if err := p.Err(); err != nil {
			return farm.Done{}, err
		}
		ready := a.At.Add(time.Duration(a.RestHours) * time.Hour)
		row.ReadyAt = &ready
		ids, err := rows.On(tx).Collect(ctx, []rows.Collection{row})
		if err != nil {
			return farm.Done{}, err
		}
		codes, err := snapshot.AssignCodes(ctx, tx.Tx, req.Date(b.Now()))
		if err != nil {
			return farm.Done{}, err
		}
		before := parcel
		parcel.Sent, parcel.Broken, parcel.Loose, parcel.Displaced = &a.Sent, &a.Broken, &a.Loose, &a.Displaced
		parcel.ArrivedAt, parcel.CollectionID, parcel.Note = &a.At, &ids[0], a.Note
		if err := rows.On(tx).SaveParcel(ctx, parcel); err != nil {
			return farm.Done{}, err
		}
		said := fmt.Sprintf(
			"%s from %s in store, %d broken. They rest until %s", wording.Plural(row.Eggs, "egg"),
			w.PenByID[parcel.PenID].Name, a.Broken, req.Moment(ready),
		)
		if len(codes) > 0 {
			said += "; mark them " + marks.List(codes)
		}
		return journal.Record(
			ctx, tx, journal.On(journal.Parcel, id).And(journal.Pen, parcel.PenID),
			journal.Undo{dropCollections.Of(ids), parcelBefore.Of(before)}, "%s.", said,
		)
	})
}
