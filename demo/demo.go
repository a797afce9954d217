// Package demo makes the demo farm up, relative to a moment, the same each time
// for the same moment: pens, machines, past seasons, and a present in which
// something is always stored, turning, due for candling, in lockdown, hatching.
// All names are invented.
package demo

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"time"

	"metrogon/core/calendar"
	"metrogon/farm"
	"metrogon/farm/people"
	"metrogon/farm/services"
	"metrogon/store"
	peoplerows "metrogon/store/people"
	stockrows "metrogon/store/stock"
)

// The demo farm and its owner's account.
const (
	Name     = "Quillmarsh Fold"
	Zone     = "Europe/London"
	Email    = "ida@quillmarsh.example"
	Password = "seven-speckled-eggs"
	helper   = "tobin@quillmarsh.example"
)

var homePens = []pen{
	{
		name: "Barred", species: "chicken", breed: "Barred Fold", females: 10, males: 1, perDay: 6, fertile: .90,
		hatches: .84,
	},
	{
		name: "Speckled", species: "chicken", breed: "Speckled Fold", females: 9, males: 1, perDay: 5, fertile: .82,
		hatches: .80,
	},
	{
		name: "Lavender bantams", species: "chicken", breed: "Lavender", bantam: true, females: 14, males: 1,
		perDay: 4, fertile: .68, hatches: .81,
	},
	{
		name: "Oat line", species: "coturnix-quail", breed: "Oat", females: 8, males: 2, perDay: 7, fertile: .86,
		hatches: .78,
	},
	{
		name: "Marsh ducks", species: "duck", breed: "Marsh runner", females: 5, males: 1, perDay: 4, fertile: .88,
		hatches: .72,
	},
	{
		name: "Bronze turkeys", species: "turkey", breed: "Bronze", females: 6, males: 1, perDay: 2, fertile: .80,
		hatches: .75,
	},
	{name: "Opal × Flint", species: "leopard-gecko", breed: "Opal", females: 1, males: 1, fertile: .9, hatches: .9},
	{name: "Sorrel × Ash", species: "corn-snake", breed: "Sorrel", females: 1, males: 1, fertile: .9, hatches: .85},
}

// There tells whether the demo farm is loaded.
func There(ctx context.Context, db *store.DB) (bool, error) {
	all, err := peoplerows.Of(db).FarmsByName(ctx, Name)
	return len(all) > 0, err
}

type pen struct {
	name, species, breed string
	bantam               bool
	females, males       int
	perDay               float64 // eggs
	fertile, hatches     float64 // of set, and of fertile when fresh
	id                   int64
}

func flock(many bool) []pen {
	pens := slices.Clone(homePens)
	for i := range 32 {
		if !many {
			break
		}
		kind := []string{"chicken", "coturnix-quail", "duck", "chicken"}[i%4]
		pens = append(pens, pen{
			name: fmt.Sprintf("Line %02d", i+1), species: kind, females: 8, males: 1, perDay: 3,
			fertile: .7 + .006*float64(i), hatches: .78,
		})
	}
	return pens
}

var boxes = []struct {
	name, kind string
	counter    int               // begins at
	rooms      map[string][2]int // setting, hatching
}{
	{
		"Cabinet", "cabinet", 0,
		map[string][2]int{"chicken": {180, 0}, "duck": {110, 0}, "turkey": {100, 0}, "coturnix-quail": {450, 0}},
	},
	{"Tabletop", "all-in-one", 1, map[string][2]int{"chicken": {48, 40}, "coturnix-quail": {120, 100}}},
	{"Hatch box", "hatcher", 0, map[string][2]int{"chicken": {0, 60}, "duck": {0, 40}, "turkey": {0, 36}}},
	{"Small hatcher", "hatcher", 0, map[string][2]int{"coturnix-quail": {0, 90}, "duck": {0, 24}, "chicken": {0, 30}}},
	{"Still box", "still-air", 0, map[string][2]int{"chicken": {24, 0}, "duck": {14, 0}}},
	{"Broody Wren", "broody-hen", 0, map[string][2]int{"chicken": {10, 10}, "duck": {8, 8}}},
	{"Gecko shelf", "reptile-box", 0, map[string][2]int{"leopard-gecko": {24, 0}, "corn-snake": {40, 0}}},
}

// Load makes the farm, with so many past seasons; from 5 on it is a big farm of
// 40 pens.
func Load(ctx context.Context, db *store.DB, now time.Time, seasons int) (err error) {
	return LoadIn(ctx, db, Zone, now, seasons)
}

// LoadIn makes it in another zone: what the clock shows there is the same everywhere.
func LoadIn(ctx context.Context, db *store.DB, zone string, now time.Time, seasons int) (err error) {
	now = now.Truncate(time.Minute)
	books := services.New(db, func() time.Time { return now })
	owner, err := books.People.SetUp(
		ctx, people.NewFarm{Farm: Name, Zone: zone, Name: "Ida Fennimoor", Email: Email, Password: Password}, false,
	)
	if err != nil {
		return err
	}
	m, err := books.People.Member(context.WithoutCancel(ctx), owner)
	if err != nil {
		return err
	}
	return whole(ctx, db, m, func() error {
		if err := books.People.AddPerson(ctx, m, "Tobin Reck", helper, Password, farm.HelperRole); err != nil {
			return err
		}
		return live(ctx, db, m, now, seasons)
	})
}

// Beside makes the demo farm for somebody who has an account, beside their own.
func Beside(ctx context.Context, db *store.DB, now time.Time, personID int64) (farmID int64, err error) {
	now = now.Truncate(time.Minute)
	books := services.New(db, func() time.Time { return now })
	farmID, err = peoplerows.Of(db).AddDemo(ctx, peoplerows.Farm{Name: Name, Zone: Zone}, personID, now)
	if err != nil {
		return 0, err
	}
	m, err := books.People.Signed(ctx, people.SignedIn{PersonID: personID, FarmID: farmID})
	if err != nil {
		return 0, err
	}
	return farmID, whole(ctx, db, m, func() error { return live(ctx, db, m, now, 1) })
}

// whole makes a farm up, or leaves none: half a farm is none.
func whole(ctx context.Context, db *store.DB, m *farm.Member, load func() error) error {
	err := load()
	if err == nil {
		return nil
	}
	return errors.Join(err, peoplerows.Of(db).DropFarm(context.WithoutCancel(ctx), m.FarmID))
}

// live makes the past seasons and the present of a farm up.
func live(ctx context.Context, db *store.DB, m *farm.Member, now time.Time, seasons int) (err error) {
	l := &loader{
		m: m, now: now, big: seasons >= 5, dice: rand.New(rand.NewPCG(7, uint64(seasons))), box: map[string]int64{},
	}
	steps := []func(context.Context) error{func(ctx context.Context) error { return l.stock(ctx, flock(l.big), seasons) }}
	for s := seasons; s >= 1; s-- {
		steps = append(steps, func(ctx context.Context) error { return l.season(ctx, l.now.AddDate(-s, 1, 0)) })
	}
	for _, step := range append(steps, l.present) {
		err := db.Write(ctx, m.FarmID, func(tx *store.Tx) error { l.tx = tx; return step(ctx) })
		if err != nil {
			return err
		}
		if !l.big {
			continue
		}
		// Large tables grow under their plans, so PostgreSQL is told their new size.
		if _, err := db.Pool.Exec(ctx, `analyze`); err != nil {
			return err
		}
	}
	if err := l.told(ctx, db); err != nil {
		return err
	}
	if err := l.clutches(ctx, db, seasons); err != nil {
		return err
	}
	if !l.big {
		return nil
	}
	_, err = db.Pool.Exec(ctx, `vacuum analyze`) // and what loading has left behind is cleared away
	return err
}

type loader struct {
	tx   *store.Tx
	m    *farm.Member
	now  time.Time
	from time.Time // the pens' first day
	big  bool      // many pens, larger lots, set less often
	dice *rand.Rand
	pens []pen
	box  map[string]int64
	// instruments that send
	probes []probed
}

func (l *loader) stock(ctx context.Context, pens []pen, seasons int) (err error) {
	from := l.m.Date(l.now).AddDate(-seasons, -1, 0)
	l.from = from
	for _, p := range pens {
		if p.id, err = l.tx.SavePen(
			ctx,
			store.Pen{
				Name: p.name, Species: p.species, Breed: p.breed, Bantam: p.bantam, Females: p.females, Males: p.males,
				FromOn: from,
			},
		); err != nil {
			return err
		}
		l.pens = append(l.pens, p)
	}
	for _, b := range boxes {
		var rooms []store.Room
		for _, kind := range slices.Sorted(maps.Keys(b.rooms)) {
			r := b.rooms[kind]
			room := store.Room{Species: kind, Setting: r[0], Hatching: r[1], PerPlace: 1}
			if kind == "coturnix-quail" {
				room.PerPlace = 4
			}
			rooms = append(rooms, room)
		}
		machine := store.Machine{
			Name: b.name, Kind: b.kind, CounterFrom: b.counter, ByHand: b.kind == "still-air", CleanDays: 1,
		}
		if b.name == "Cabinet" { // it runs through, and was started on some day
			at := l.now.AddDate(0, 0, -40)
			machine.CounterStartedAt, machine.WaterML = &at, 2800
		}
		if l.box[b.name], err = l.tx.SaveMachine(ctx, machine, rooms); err != nil {
			return err
		}
	}
	return nil
}

// a lot is eggs of one pen, laid so many days before the setting
type lot struct {
	pen  int // index
	age  int
	eggs int
}

type life struct {
	setter, hatcher string
	at              time.Time
	lots            []lot
	until           time.Time // what happened by then is told
}

// season makes one season up: for twenty-one weeks each kind is set in turn.
func (l *loader) season(ctx context.Context, start time.Time) error {
	var lives []life
	for week := range 21 {
		at := start.AddDate(0, 0, 7*week)
		var chickens []lot
		for i, p := range l.pens {
			var lots []lot
			n := int(p.perDay*3 + float64(l.dice.IntN(3)))
			every := 3
			if l.big {
				n, every = 3*n, 5
			}
			for k := range 3 {
				lots = append(lots, lot{i, 1 + 2*k + l.dice.IntN(2), 1 + n/3})
			}
			switch {
			case p.perDay == 0: // clutches have a story of their own
			case p.species == "chicken" && i < 3:
				chickens = append(chickens, lots...)
			case p.species == "chicken" && (week+i)%every == 0, p.species == "coturnix-quail" && (week+i)%every == 0,
				p.species == "duck" && (week+i)%(every+1) == 1, p.species == "turkey" && (week+i)%5 == 2:
				where := map[string][2]string{
					"chicken": {"Tabletop", "Tabletop"}, "coturnix-quail": {"Tabletop", "Small hatcher"},
				}[p.species]
				if where[0] == "" {
					where = [2]string{"Cabinet", "Hatch box"}
				}
				lives = append(lives, life{where[0], where[1], at, lots, l.now})
			}
		}
		if week%2 == 0 {
			lives = append(lives, life{"Cabinet", "Hatch box", at, chickens, l.now})
		}
	}
	return l.live(ctx, lives)
}

// present leaves something in every state: each batch is as many days old as
// shows it in one.
func (l *loader) present(ctx context.Context) error {
	ago := func(days int, hour int) time.Time {
		return calendar.WallTime{Hour: hour}.On(l.now, -days, l.m.Place)
	}
	hens := l.now.Add(-21*calendar.Day - 3*time.Hour)
	ducks := hens.AddDate(0, 0, -7) // a week before, so that they go into lockdown on one day
	if early := (calendar.WallTime{Hour: 7, Minute: 1}).On(hens, -7, l.m.Place); ducks.Before(early) {
		ducks = early
	}
	err := l.live(ctx, []life{
		// hatching
		{
			"Cabinet", "Hatch box", hens,
			[]lot{{0, 2, 9}, {0, 4, 8}, {1, 3, 8}, {1, 5, 6}}, l.now,
		},
		// lockdown due
		{
			"Tabletop", "Small hatcher", ago(15, 9), []lot{{3, 1, 20}, {3, 3, 18}, {3, 5, 14}},
			l.now.Add(-36 * time.Hour),
		},
		// to be candled
		{
			"Cabinet", "Hatch box", ago(7, 18), []lot{{0, 1, 6}, {0, 3, 7}, {1, 2, 6}, {2, 4, 7}},
			l.now.Add(-36 * time.Hour),
		},
		{"Cabinet", "Small hatcher", ago(10, 18), []lot{{4, 2, 10}, {4, 6, 8}}, l.now.Add(-30 * time.Hour)},
		{"Cabinet", "Hatch box", ago(4, 18), []lot{{5, 2, 6}, {5, 5, 5}, {5, 7, 4}}, l.now},
		{"Still box", "Hatch box", ago(2, 18), []lot{{2, 1, 7}, {2, 3, 6}}, l.now},
		// hatching beside the first
		{"Cabinet", "Hatch box", ducks, []lot{{4, 2, 7}, {4, 4, 6}}, l.now},
	})
	if err != nil {
		return err
	}
	if err := l.watched(ctx); err != nil {
		return err
	}
	if err := l.birds(ctx); err != nil {
		return err
	}
	if err := l.room(ctx); err != nil {
		return err
	}
	if err := l.ahead(ctx); err != nil {
		return err
	}
	return l.after(ctx)
}

func collection(p pen, on time.Time, eggs, rejected int) stockrows.Collection {
	return stockrows.Collection{PenID: p.id, LaidOn: on, Eggs: eggs, Rejected: rejected}
}
