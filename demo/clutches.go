package demo

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/candling"
	"metrogon/core/reptile"
	"metrogon/farm"
	"metrogon/farm/clutch"
	flocks "metrogon/farm/flock"
	"metrogon/farm/journal"
	"metrogon/farm/lineage"
	"metrogon/farm/services"
	"metrogon/store"
	"metrogon/store/breeders"
)

// keeper lives through the clutches of the farm, day by day, as somebody who keeps them would write them down.
type keeper struct {
	*services.Services
	*loader
	at time.Time // what the clock shows
}

// laid is a clutch of the story: days before now, good eggs, slugs; how many of the eggs never lived.
type laid struct {
	ago               int
	good, slugs, dead int
	massG, tempC      float64
	beside            bool // in the box of the one before
	over              bool // its whole life is told
}

// clutches tells the clutches of the pairs: those of past seasons, and those that lie in their boxes now.
func (l *loader) clutches(ctx context.Context, db *store.DB, seasons int) error {
	k := &keeper{loader: l}
	k.Services = services.New(db, func() time.Time { return k.at })
	for i, names := range [][2]string{{"Opal", "Flint"}, {"Sorrel", "Ash"}} {
		if err := k.named(ctx, 6+i, names); err != nil {
			return err
		}
	}
	for s := seasons; s >= 1; s-- {
		year := 365*s - 60
		geckos := []laid{
			{ago: year, good: 2, massG: 6.1, tempC: 28, over: true},
			{ago: year - 19, good: 2, slugs: s % 2, dead: 1, massG: 5.9, tempC: 28, beside: true, over: true},
		}
		snakes := []laid{{ago: year - 10, good: 14, slugs: 2, dead: 1 + s%3, massG: 126, tempC: 28, over: true}}
		if err := k.season(ctx, 6, "Gecko box", geckos); err != nil {
			return err
		}
		if err := k.season(ctx, 7, "Snake box", snakes); err != nil {
			return err
		}
	}
	if err := k.season(ctx, 6, "Box 1", []laid{
		{ago: 38, good: 2, massG: 6.2, tempC: 28}, {ago: 19, good: 2, slugs: 1, massG: 6.0, tempC: 28, beside: true},
	}); err != nil {
		return err
	}
	return k.season(ctx, 7, "Box 2", []laid{{ago: 44, good: 13, slugs: 2, dead: 1, massG: 118, tempC: 28}})
}

// named gives the pair names.
func (k *keeper) named(ctx context.Context, pen int, names [2]string) error {
	k.at = k.now
	for i, sex := range []string{lineage.Female, lineage.Male} {
		_, err := k.Flock.PutIn(ctx, farm.NewRequest(k.m), flocks.PutIn{
			PenID: k.pens[pen].id, How: flocks.Already, On: k.from,
			Bird: breeders.Bird{Name: names[i], Species: k.pens[pen].species, Sex: sex, Breed: k.pens[pen].breed},
		})
		if err != nil {
			return fmt.Errorf("%s: %w", names[i], err)
		}
	}
	return nil
}

// season tells the clutches of one female, one after the other.
func (k *keeper) season(ctx context.Context, pen int, box string, all []laid) error {
	var ids []int64
	for _, x := range all {
		id, err := k.found(ctx, pen, box, x, ids)
		if err != nil {
			return err
		}
		ids = append(ids, id)
		if err := k.grows(ctx, id, x); err != nil {
			return fmt.Errorf("clutch %d days ago: %w", x.ago, err)
		}
	}
	return nil
}

// on is the clock at an hour of a day of a clutch; told is whether that has come.
func (k *keeper) on(x laid, day, hour int) (told bool) {
	k.at = calendar.WallTime{Hour: hour}.On(k.now, day-x.ago, k.m.Place)
	return !k.at.After(k.now)
}

func (k *keeper) found(ctx context.Context, pen int, box string, x laid, before []int64) (int64, error) {
	k.on(x, 0, 7)
	n, err := k.Clutches.New(ctx, k.m, "", k.m.Date(k.at))
	if err != nil {
		return 0, err
	}
	mother := dam(n.Dams, k.pens[pen].id)
	if n, err = k.Clutches.New(ctx, k.m, mother, k.m.Date(k.at)); err != nil {
		return 0, err
	}
	f := clutch.Found{
		PenID: k.pens[pen].id, Sired: clutch.SiredOne, LaidFrom: k.at.Add(-10 * time.Hour), LaidTo: k.at, Good: x.good,
		Slugs: x.slugs, Marked: true, MassG: &x.massG, Temp: clutch.Temp{C: x.tempC},
	}
	dry, water := 150.0, 140.0
	f.Box = clutch.NewBox{
		MachineID: k.box["Gecko shelf"], Name: box, Kind: string(reptile.Closed), Substrate: "vermiculite", DryG: &dry,
		WaterG: &water, Cols: 4, Rows: 2,
	}
	if x.good > 4 {
		dry, water = 500, 480
		f.Box.Cols, f.Box.Rows, f.Stuck = 5, 4, []int{4, 3}
	}
	if _, err := fmt.Sscanf(mother, "%d-%d", &f.PenID, &f.DamID); err != nil {
		return 0, err
	}
	for _, s := range n.Sires {
		if s.Kind.ID == k.pens[pen].species {
			if _, err := fmt.Sscan(s.Value, &f.SireID); err != nil {
				return 0, err
			}
		}
	}
	if x.beside {
		p, err := k.Clutches.Clutch(ctx, k.m, before[len(before)-1])
		if err != nil {
			return 0, err
		}
		f.BoxID = p.Box.ID
	}
	done, err := k.Clutches.Found(ctx, farm.NewRequest(k.m), f)
	return done.Of(journal.Batch), err
}

// dam is the choice of the pen's female.
func dam(all []clutch.Place, pen int64) string {
	i := slices.IndexFunc(all, func(p clutch.Place) bool {
		var id, female int64
		_, err := fmt.Sscanf(p.Value, "%d-%d", &id, &female)
		return err == nil && id == pen && female != 0
	})
	return all[max(0, i)].Value
}

// grows tells what was done and seen from its first day to now, or to its end.
func (k *keeper) grows(ctx context.Context, id int64, x laid) error {
	p, err := k.Clutches.Clutch(ctx, k.m, id)
	if err != nil {
		return err
	}
	var live, dead []int64
	for _, e := range p.Lying {
		if e.Beside {
			continue
		}
		if len(live) < x.good-x.dead {
			live = append(live, e.ID)
		} else {
			dead = append(dead, e.ID)
		}
	}
	if !x.beside {
		if err := k.weighs(ctx, p, x); err != nil {
			return err
		}
	}
	if !x.over && !x.beside && x.ago > 30 && k.on(x, 24, 18) {
		_, err := k.Clutches.SetTemp(ctx, farm.NewRequest(k.m), id, clutch.Warming{
			Temp: clutch.Temp{C: 25.5}, From: k.at.AddDate(0, 0, -5), Until: k.at,
		})
		if err != nil {
			return err
		}
	}
	if err := k.looks(ctx, id, x, live, dead); err != nil {
		return err
	}
	return k.hatches(ctx, id, x, live, dead)
}

// weighs tells the box on the scale, every ten days or so.
func (k *keeper) weighs(ctx context.Context, p clutch.Page, x laid) error {
	mass, lost := 420.0, 4.0
	if x.good > 4 {
		mass, lost = 1360, 15
	}
	for i, day := range []int{1, 9, 20, 30, 41, 52} {
		if !k.on(x, day, 8) || x.over && i > 2 {
			break
		}
		w := clutch.Weighing{MassG: mass - lost*float64(min(i, 1)) - float64(i)}
		if i > 0 && k.now.Sub(k.at) > 2*calendar.Day {
			w.GaveG = mass - w.MassG
		}
		if _, err := k.Clutches.Weigh(ctx, farm.NewRequest(k.m), p.Box.ID, w); err != nil {
			return err
		}
	}
	for _, day := range []int{14, x.ago - 2} {
		if !k.on(x, day, 8) || x.over && day > 30 {
			continue
		}
		if _, err := k.Clutches.Air(ctx, farm.NewRequest(k.m), p.Box.ID, 0, time.Time{}); err != nil {
			return err
		}
	}
	return nil
}

// looks tells what the lamp showed.
func (k *keeper) looks(ctx context.Context, id int64, x laid, live, dead []int64) error {
	see := func(eggs []int64, signs ...reptile.Sign) error {
		if len(eggs) == 0 {
			return nil
		}
		_, err := k.Clutches.Look(ctx, farm.NewRequest(k.m), id, clutch.Look{Eggs: eggs, Signs: signs})
		return err
	}
	if k.on(x, 12, 21) {
		if err := cmp.Or(see(live, reptile.Veins), see(dead, reptile.Fine)); err != nil {
			return err
		}
		if len(live) > 4 {
			if err := see(live[:1], reptile.Dented, reptile.Veins); err != nil {
				return err
			}
		}
	}
	if k.on(x, 30, 21) && x.good > 4 {
		mass := x.massG * 1.27
		_, err := k.Clutches.WeighEggs(ctx, farm.NewRequest(k.m), id, x.good, mass, time.Time{})
		return cmp.Or(err, see(dead, reptile.Pale, reptile.Mouldy))
	}
	return nil
}

// hatches tells its young, and what became of the rest.
func (k *keeper) hatches(ctx context.Context, id int64, x laid, live, dead []int64) error {
	p, err := k.Clutches.Clutch(ctx, k.m, id)
	if err != nil {
		return err
	}
	due := int(p.HatchDay)
	for i, egg := range live {
		day := due + []int{0, 1, 1, 2, 3}[i%5] - 1
		if k.on(x, day, 6) {
			if _, err := k.Clutches.Pip(ctx, farm.NewRequest(k.m), id, []int64{egg}, time.Time{}); err != nil {
				return err
			}
		}
		if !k.on(x, day+1, 19) {
			continue
		}
		if _, err := k.Clutches.Out(ctx, farm.NewRequest(k.m), id, []int64{egg}, false, time.Time{}); err != nil {
			return err
		}
		if !k.on(x, day+3, 9) {
			continue
		}
		if err := k.leaves(ctx, id, egg, x, i); err != nil {
			return err
		}
	}
	if !x.over {
		return nil
	}
	p, err = k.Clutches.Clutch(ctx, k.m, id)
	if err != nil {
		return err
	}
	k.at = p.At(calendar.ClearOut).Add(2 * time.Hour)
	if len(dead) > 0 {
		_, err = k.Clutches.Open(ctx, farm.NewRequest(k.m), id, clutch.Opened{
			Eggs: dead, Stage: candling.Early, Cause: reptile.Unknown,
		})
		if err != nil {
			return err
		}
	}
	_, err = k.Hatch.Close(ctx, farm.NewRequest(k.m), id, time.Time{})
	return err
}

// leaves tells that a young left the box.
func (k *keeper) leaves(ctx context.Context, id, egg int64, x laid, i int) error {
	p, err := k.Clutches.Clutch(ctx, k.m, id)
	if err != nil {
		return err
	}
	j := slices.IndexFunc(p.Young, func(y clutch.Hatchling) bool { return *y.EggID == egg })
	y := p.Young[j]
	weight := x.massG/float64(x.good) + 0.1*float64(i%4)
	left := k.at
	y.LeftAt, y.WeightG = &left, &weight
	if i%3 == 0 && k.on(x, int(p.HatchDay)+12, 9) {
		shed, fed := k.m.Date(left.AddDate(0, 0, 2)), k.m.Date(left.AddDate(0, 0, 5))
		y.ShedOn, y.FedOn, y.Sex = &shed, &fed, lineage.Female
	}
	_, err = k.Clutches.Hatchling(ctx, farm.NewRequest(k.m), id, y)
	return err
}
