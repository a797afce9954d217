// Package services puts the rooms of the farm together over one database.
package services

import (
	"context"
	"slices"

	"metrogon/farm"
	"metrogon/farm/ahead"
	"metrogon/farm/alarms"
	"metrogon/farm/books"
	"metrogon/farm/breeders"
	"metrogon/farm/brood"
	"metrogon/farm/candle"
	"metrogon/farm/chores"
	"metrogon/farm/clutch"
	"metrogon/farm/days"
	"metrogon/farm/find"
	"metrogon/farm/flock"
	"metrogon/farm/gauges"
	"metrogon/farm/handover"
	"metrogon/farm/hatch"
	"metrogon/farm/incubate"
	"metrogon/farm/journal"
	"metrogon/farm/kinds"
	"metrogon/farm/machines"
	"metrogon/farm/moving"
	"metrogon/farm/notes"
	"metrogon/farm/outage"
	"metrogon/farm/people"
	"metrogon/farm/probes"
	"metrogon/farm/remind"
	"metrogon/farm/report"
	"metrogon/farm/season"
	"metrogon/farm/stock"
	"metrogon/farm/supplies"
	"metrogon/farm/today"
	"metrogon/farm/weigh"
	"metrogon/farm/wishes"
	"metrogon/store"
)

// Services are all that a farm can do, by stage of the work.
type Services struct {
	*farm.Service
	Stock    *stock.Service
	Incubate *incubate.Service
	Candle   *candle.Service
	Clutches *clutch.Service
	Weigh    *weigh.Service
	Hatch    *hatch.Service
	Flock    *flock.Service
	Breeders *breeders.Service
	Kinds    *kinds.Service
	Machines *machines.Service
	People   *people.Service
	Season   *season.Service
	Days     *days.Service
	Wishes   *wishes.Service
	Today    *today.Service
	Handover *handover.Service
	Remind   *remind.Service
	Books    *books.Service
	Find     *find.Service
	Notes    *notes.Service
	Moving   *moving.Service
	Outage   *outage.Service
	Report   *report.Service
	Brood    *brood.Service
	Gauges   *gauges.Service
	Probes   *probes.Service
	Alarms   *alarms.Service
	Supplies *supplies.Service
}

// New opens the rooms on a database.
func New(db *store.DB, clock farm.Clock) *Services {
	on := farm.New(db, clock)
	cells := &weigh.Service{Service: on}
	all := []chores.Provider{
		incubate.Chores, machines.Chores, weigh.Chores, stock.Chores, season.Chores, breeders.Chores,
		outage.Chores, report.Chores, brood.Chores, supplies.Chores, gauges.Chores, alarms.Chores,
		clutch.Chores,
	}
	again := []chores.Daily{incubate.Daily, stock.Daily}
	reminders := &remind.Service{Service: on}
	lists := &handover.Service{Service: on, Chores: all, Daily: again}
	reminders.Chores = append(slices.Clone(all), lists.Missed)
	return &Services{
		Service:  on,
		Stock:    &stock.Service{Service: on},
		Incubate: &incubate.Service{Service: on},
		Clutches: &clutch.Service{Service: on},
		Candle:   &candle.Service{Service: on, Cells: cells},
		Weigh:    cells,
		Hatch:    &hatch.Service{Service: on},
		Flock:    &flock.Service{Service: on},
		Breeders: &breeders.Service{Service: on},
		Kinds:    &kinds.Service{Service: on},
		Machines: &machines.Service{Service: on},
		People:   people.New(on),
		Season:   season.New(on),
		Days:     &days.Service{Service: on},
		Wishes:   &wishes.Service{Service: on},
		Today:    &today.Service{Service: on, Chores: append(slices.Clone(all), lists.Missed)},
		Handover: lists,
		Outage:   &outage.Service{Service: on},
		Supplies: &supplies.Service{Service: on},
		Gauges:   &gauges.Service{Service: on},
		Probes:   probes.New(on),
		Alarms:   &alarms.Service{Service: on, Teller: reminders.Teller},
		Brood:    &brood.Service{Service: on, Comers: comers},
		Report:   &report.Service{Service: on, Loss: weigh.Loss, Patterns: patterns},
		Books:    &books.Service{Service: on},
		Find:     &find.Service{Service: on},
		Notes:    &notes.Service{Service: on},
		Moving:   &moving.Service{Service: on},
		Remind:   reminders,
	}
}

// Journal reads what was done on the member's farm.
func (s *Services) Journal(ctx context.Context, m *farm.Member, q journal.Query) (journal.Page, error) {
	return journal.Read(ctx, s.Service, m, q)
}

// Line finds one line of the journal, with what leans on it.
func (s *Services) Line(ctx context.Context, m *farm.Member, id int64) (journal.One, error) {
	return journal.Find(ctx, s.Service, m, id)
}

// UndoAll takes an action back with all that leans on it, as it was shown.
func (s *Services) UndoAll(
	ctx context.Context, req farm.Request, entryID int64, shown []int64,
) (farm.Done, error) {
	return journal.TakeBackAll(ctx, s.Service, req, entryID, shown)
}

// Undo takes an action back by its line in the journal.
func (s *Services) Undo(ctx context.Context, req farm.Request, entryID int64) (farm.Done, error) {
	return journal.TakeBack(ctx, s.Service, req, entryID)
}

// patterns gives the report what the rates tell.
func patterns(ctx context.Context, tx *farm.Tx, species string) (all []report.Pattern, err error) {
	found, err := breeders.Patterns(ctx, tx, species)
	for _, p := range found {
		all = append(all, report.Pattern(p))
	}
	return all, err
}

// comers gives the brooder page the young as the season counts them.
func comers(ctx context.Context, tx *farm.Tx) (all []brood.Comer, err error) {
	found, err := ahead.Comers(ctx, tx)
	for _, c := range found {
		all = append(all, brood.Comer(c))
	}
	return all, err
}
