package demo

import (
	"context"
	"fmt"
	"math"
	"slices"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/tray"
	"metrogon/farm/snapshot"
	"metrogon/store"
	"metrogon/store/stock"
	"metrogon/store/weigh"
)

// room fills the egg room of today: places, stock, parcels, and what goes with
// setting: ways with the kinds, trays, machines being made ready.
func (l *loader) room(ctx context.Context) error {
	places := map[string]*int64{}
	for _, x := range []struct {
		name     string
		temp, rh float64
	}{{"Cellar", 14.5, 74}, {"Pantry shelf", 19, 62}} {
		id, err := stock.On(l.tx).SaveStoragePlace(ctx, stock.StoragePlace{Name: x.name, TempC: &x.temp, RHPct: &x.rh})
		if err != nil {
			return err
		}
		places[x.name] = &id
		if err := l.care(ctx, store.Care{Kind: "tilt", PlaceID: &id, At: l.now.Add(-26 * time.Hour)}); err != nil {
			return err
		}
	}
	today := l.m.Date(l.now)
	var gathered []stock.Collection
	for i, p := range l.pens[:6] {
		where := "Cellar"
		if p.species == "coturnix-quail" {
			where = "Pantry shelf"
		}
		for age := range 6 + 2*(i%3) {
			n := int(p.perDay) - l.dice.IntN(3)
			if n <= 0 || (age == 0 && i > 1) {
				continue
			}
			c := collection(p, today.AddDate(0, 0, -age), n, 0)
			at := calendar.WallTime{Hour: 8, Minute: 7 * i}.On(l.now, -age, l.m.Place)
			if at.After(l.now) {
				at = l.now
			}
			c.At, c.PlaceID, c.Washing, c.Reasons = &at, places[where], "dry-brushed", map[string]int{
				"crack": l.dice.IntN(6) / 5, "dirty": l.dice.IntN(9) / 8,
			}
			if p.name == "Barred" {
				mass := 57 + float64(l.dice.IntN(40))/10
				c.MassG = &mass
			}
			gathered = append(gathered, c)
		}
	}
	if _, err := stock.On(l.tx).Collect(ctx, gathered); err != nil {
		return err
	}
	for _, step := range []func(context.Context) error{l.parcels, l.ways, l.readying} {
		if err := step(ctx); err != nil {
			return err
		}
	}
	if _, err := snapshot.AssignCodes(ctx, l.tx, today); err != nil {
		return err
	}
	if err := l.weighings(ctx); err != nil {
		return err
	}
	if err := l.trays(ctx); err != nil {
		return err
	}
	if err := l.sold(ctx); err != nil {
		return err
	}
	return l.moved(ctx)
}

// weighings: the ducks lose too little so far, the hens' eggs about enough.
func (l *loader) weighings(ctx context.Context) error {
	open, err := l.tx.OpenBatches(ctx)
	if err != nil {
		return err
	}
	for _, b := range open {
		perDay := map[string]float64{"duck": .0038, "chicken": .0062}[b.Species]
		if perDay == 0 || b.LockedAt != nil || b.SetterID != l.box["Cabinet"] {
			continue
		}
		eggs, err := l.tx.BatchEggs(ctx, b.ID)
		if err != nil {
			return err
		}
		fresh := map[string]float64{"duck": 74, "chicken": 58.4}[b.Species]
		for _, day := range []float64{0, 3, 6, 9} {
			at := calendar.After(b.SetAt, day+.02)
			if at.After(l.now.Add(-time.Hour)) {
				break
			}
			mass := math.Round(10*float64(len(eggs))*fresh*(1-perDay*day-.0006*l.dice.Float64())) / 10
			if _, err := weigh.On(l.tx).AddWeighing(
				ctx, weigh.Weighing{BatchID: b.ID, At: at, Eggs: len(eggs), MassG: mass, RHPct: 52, TempC: 37.5},
			); err != nil {
				return err
			}
		}
	}
	for i, c := range []struct {
		what     string
		from, to float64
		minutes  int
	}{{"a second sponge", 42, 51, 40}, {"a sponge out", 52, 44, 35}, {"opening the vents", 55, 50, 25}} {
		r := weigh.Response{
			MachineID: l.box["Cabinet"], At: l.now.AddDate(0, 0, -30+7*i), What: c.what, FromPct: c.from, ToPct: &c.to,
			Minutes: &c.minutes,
		}
		if _, err := weigh.On(l.tx).AddResponse(ctx, r); err != nil {
			return err
		}
	}
	warm, moist := 37.5, 52.0
	if _, err := weigh.On(l.tx).AddAir(ctx, weigh.Air{
		MachineID: l.box["Cabinet"], At: l.now.AddDate(0, 0, -4), TempC: &warm, RHPct: &moist, PersonID: &l.m.PersonID,
	}); err != nil {
		return err
	}
	for _, f := range []struct {
		machine string
		hours   int // ago
		ml      float64
	}{
		{"Cabinet", 288, 0}, {"Cabinet", 240, 1600}, {"Cabinet", 168, 2400}, {"Cabinet", 96, 2300}, {"Cabinet", 24, 2400},
	} {
		filled := weigh.WaterEvent{
			MachineID: l.box[f.machine], At: l.now.Add(-time.Duration(f.hours) * time.Hour), Kind: "full", ML: f.ml,
		}
		if _, err := weigh.On(l.tx).AddWater(ctx, filled, l.m.PersonID); err != nil {
			return err
		}
	}
	cabinet, ajar := l.box["Cabinet"], 40
	if _, err := l.tx.AddNote(ctx, store.Note{
		MachineID: &cabinet, At: l.now.AddDate(0, 0, -3), Kind: "lid", Minutes: &ajar, Says: "found at the evening round",
		PersonID: &l.m.PersonID,
	}); err != nil {
		return err
	}
	return weigh.On(l.tx).AddReading(ctx, l.now.Add(-10*time.Minute), 612.4, "") // a tray of quail
}

func (l *loader) care(ctx context.Context, c store.Care) error {
	_, err := l.tx.AddCare(ctx, c, l.m.PersonID)
	return err
}

// parcels: one rests since this morning, one is on its way.
func (l *loader) parcels(ctx context.Context) error {
	today := l.m.Date(l.now)
	for _, x := range []struct {
		from, species, breed string
		ordered, sent        int
	}{{"Hollin Ridge", "chicken", "Marbled", 24, 26}, {"Dunlin Yard", "coturnix-quail", "Dune", 30, 0}} {
		pen, err := l.tx.SavePen(ctx, store.Pen{
			Name: x.from, Species: x.species, Breed: x.breed, FromOn: today.AddDate(0, -2, 0), Supplier: true,
		})
		if err != nil {
			return err
		}
		p := stock.Parcel{PenID: pen, Ordered: x.ordered, OrderedOn: today.AddDate(0, 0, -6)}
		if x.sent == 0 {
			in, day := l.box["Tabletop"], today.AddDate(0, 0, 2)
			p.SetterID, p.ExpectedOn = &in, &day
		}
		if p.ID, err = stock.On(l.tx).AddParcel(ctx, p); err != nil {
			return err
		}
		if x.sent == 0 {
			continue
		}
		at, broken, loose, displaced := l.now.Add(-4*time.Hour), 1, 3, 1
		ready := at.Add(24 * time.Hour)
		ids, err := stock.On(l.tx).Collect(
			ctx,
			[]stock.Collection{
				{
					PenID: pen, LaidOn: today.AddDate(0, 0, -4), At: &at, ReadyAt: &ready, Eggs: x.sent - broken,
					Reasons: map[string]int{"broken": broken}, Note: "Box dented on one side.",
				},
			},
		)
		if err != nil {
			return err
		}
		p.Sent, p.Broken, p.Loose, p.Displaced = &x.sent, &broken, &loose, &displaced
		p.ArrivedAt, p.CollectionID, p.Note = &at, &ids[0], "Box dented on one side."
		if err := stock.On(l.tx).SaveParcel(ctx, p); err != nil {
			return err
		}
	}
	return nil
}

// ways are the farm's own with some kinds.
func (l *loader) ways(ctx context.Context) error {
	for _, m := range []store.Method{
		{Species: "chicken", School: "by weight", HandTurns: 5, Washing: "dry-brushed"},
		{Species: "duck", School: "wet", HandTurns: 5, Washing: "unwashed", Mistings: 1, CoolMin: 15},
	} {
		if err := l.tx.SetMethod(ctx, m); err != nil {
			return err
		}
	}
	return l.tx.SetFigures(ctx, "duck", []store.Figure{{Figure: "humidity_set_pct", At: 54, Low: 50, High: 58}})
}

// readying leaves the small hatcher ready and filled, and the still box turned twice today.
func (l *loader) readying(ctx context.Context) error {
	hatcher := l.box["Small hatcher"]
	for _, step := range []struct {
		name  string
		hours int
	}{
		{"clean", 34}, {"place", 34}, {"outlet", 34}, {"water", 33}, {"floor", 33}, {"warm", 32}, {"thermometers", 8},
	} {
		at := l.now.Add(-time.Duration(step.hours) * time.Hour)
		if err := l.care(ctx, store.Care{Kind: snapshot.StepPrefix + step.name, MachineID: &hatcher, At: at}); err != nil {
			return err
		}
	}
	full := weigh.WaterEvent{MachineID: hatcher, At: l.now.Add(-8 * time.Hour), Kind: "full"}
	if _, err := weigh.On(l.tx).AddWater(ctx, full, l.m.PersonID); err != nil {
		return err
	}
	open, err := l.tx.OpenBatches(ctx)
	for _, b := range open {
		if b.SetterID != l.box["Still box"] {
			continue
		}
		for _, hours := range []int{26, 20, 15, 4, 1} {
			if err := l.care(
				ctx, store.Care{Kind: "turn", BatchID: &b.ID, At: l.now.Add(-time.Duration(hours) * time.Hour)},
			); err != nil {
				return err
			}
		}
	}
	return err
}

// sold takes some eggs of yesterday out of the store.
func (l *loader) sold(ctx context.Context) error {
	price := 6.0
	for _, out := range []stock.EggOut{{Why: "sold", Who: "Perrin Oake", Price: &price}, {Why: "eaten"}} {
		eggs, err := stock.On(l.tx).PickStored(ctx, nil, l.pens[1].id, l.m.Date(l.now).AddDate(0, 0, -2), 2)
		if err != nil {
			return err
		}
		var ids []int64
		for _, e := range eggs {
			ids = append(ids, e.ID)
		}
		out.At = l.now.Add(-22 * time.Hour)
		if _, err := stock.On(l.tx).TakeOut(ctx, ids, out, l.m.PersonID); err != nil {
			return err
		}
	}
	return nil
}

// moved brings the eggs of the still box there from the tabletop, which had to make room, and a part of them
// to the cabinet.
func (l *loader) moved(ctx context.Context) error {
	open, err := l.tx.OpenBatches(ctx)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(open, func(b store.Batch) bool { return b.SetterID == l.box["Still box"] })
	b, yesterday := open[i], l.now.Add(-20*time.Hour)
	if _, err := l.tx.AddMove(ctx, store.BatchMove{
		BatchID: b.ID, FromID: l.box["Tabletop"], ToID: l.box["Still box"], At: b.SetAt.Add(6 * time.Hour),
		Why: "to make room for the quail",
	}, l.m.PersonID); err != nil {
		return err
	}
	if _, err := l.tx.SetWay(ctx, b.ID, store.Way{School: "wet", HandTurns: 5}, b.SetAt, l.m.PersonID); err != nil {
		return err
	}
	eggs, err := l.tx.BatchEggs(ctx, b.ID)
	if err != nil {
		return err
	}
	var part []int64
	for i, e := range eggs {
		if i%2 == 1 {
			part = append(part, e.ID)
		}
	}
	id, code, err := l.tx.AddPart(ctx, b, yesterday)
	if err != nil {
		return err
	}
	if err := l.tx.HandEggs(ctx, part, b.ID, id, yesterday); err != nil {
		return err
	}
	if err := l.tx.StandIn(ctx, id, l.box["Cabinet"], b.HatcherID); err != nil {
		return err
	}
	wren := l.box["Broody Wren"]
	if err := l.care(ctx, store.Care{Kind: "dummies", MachineID: &wren, At: l.now.Add(-3 * calendar.Day)}); err != nil {
		return err
	}
	if _, err := l.tx.AddSwap(ctx, store.Swap{HenID: wren, BatchID: b.ID, Eggs: 3}); err != nil {
		return err
	}
	_, err = l.tx.AddEntry(ctx, store.Line{
		PersonID: l.m.PersonID, BatchID: b.ID, At: yesterday, About: []store.Subject{{Kind: "batch", ID: b.ID}},
		Said: fmt.Sprintf("%s dealt out evenly: %d to Still box as %s and %d to Cabinet as %s.", b.Code,
			len(eggs)-len(part), b.Code, len(part), code),
	})
	if err != nil {
		return err
	}
	return l.tx.Reckon(ctx, id, b.ID)
}

// trays in the cabinet, with the eggs that turn there laid by pen.
func (l *loader) trays(ctx context.Context) error {
	var trays []int64
	var free []tray.Spot
	for i, name := range []string{"Upper", "Middle", "Lower"} {
		t := store.Tray{MachineID: l.box["Cabinet"], Name: name, TrayRows: 6, TrayColumns: 10}
		if i == 0 {
			t.Warm = []int{24, 25, 34, 35}
		}
		if i == 2 {
			t.Cool = []int{0, 9, 50, 59}
		}
		id, err := l.tx.SaveTray(ctx, t)
		if err != nil {
			return err
		}
		trays = append(trays, id)
		for place := range 60 {
			free = append(free, tray.Spot{Tray: i, Place: place})
		}
	}
	if _, err := l.tx.SaveTray(
		ctx, store.Tray{MachineID: l.box["Tabletop"], Name: "Rack", TrayRows: 5, TrayColumns: 8},
	); err != nil {
		return err
	}
	open, err := l.tx.OpenBatches(ctx)
	if err != nil {
		return err
	}
	for _, b := range open {
		if b.SetterID != l.box["Cabinet"] || b.LockedAt != nil {
			continue
		}
		all, err := l.tx.BatchEggs(ctx, b.ID)
		if err != nil {
			return err
		}
		var eggs []tray.Egg
		for _, e := range all {
			if e.Fate == nil {
				eggs = append(eggs, tray.Egg{ID: e.ID, Pen: e.PenID})
			}
		}
		var lies []store.Placement
		last := -1
		laid := tray.Blocks(eggs, free, func(tray.Spot) int { return 1 })
		for id, spot := range laid {
			lies = append(lies, store.Placement{EggID: id, TrayID: &trays[spot.Tray], Place: &spot.Place})
			for i, f := range free {
				if f == spot {
					last = max(last, i)
				}
			}
		}
		free = free[last+1:]
		if err := l.tx.PlaceEggs(ctx, lies); err != nil {
			return err
		}
	}
	return nil
}
