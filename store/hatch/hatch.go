package hatch

import (
	"context"
	"slices"
	"time"

	"github.com/jackc/pgx/v5"

	"metrogon/store"
)

// HatchSign is what was seen of a hatch: a pip or a zip, of an egg or of N of a pen, or that
// somebody looked.
type HatchSign struct {
	ID      int64
	BatchID int64
	PenID   *int64
	Trial   bool
	EggID   *int64
	Kind    string
	N       int
	At      time.Time
}

// YoungCount is so many young of a pen that were counted at a moment; below 0: found out egg by
// egg since.
type YoungCount struct {
	ID, BatchID, PenID int64
	Trial              bool
	Young              int
	At                 time.Time
}

// OneYoung is a young that was told apart.
type OneYoung struct {
	ID, BatchID, PenID int64
	Trial              bool
	EggID              *int64
	At                 time.Time
	Colour, Sex, Band  string
	WeightG            *float64
	Signs              []string
	DiedAt             *time.Time
	Note               string
}

// Taken is young that were taken out of the machine.
type Taken struct {
	ID, BatchID int64
	At          time.Time
	Young       int
	Place       string
}

// HatchBasket is where the basket of a pen stands.
type HatchBasket struct {
	BatchID, PenID int64
	Trial          bool
	Name           string
}

// Lesson is what a load told once it was over.
type Lesson struct {
	BatchID                         int64
	Species                         string
	MachineID                       int64
	ShiftH                          float64
	FirstHeld, MiddleHeld, LastHeld *bool
}

// Hatch is what was written down of batches while they hatch.
type Hatch struct {
	Eggs     map[int64][]store.Egg
	Hens     map[int64]string // of eggs whose hen is known, by egg
	Counts   []YoungCount
	Signs    []HatchSign
	Young    []OneYoung
	Openings []store.LidOpening
	Taken    []Taken
	Baskets  []HatchBasket
	Lessons  []Lesson // of these kinds, the newest first
}

// Hatch reads it in one round trip; openings are those of the machine since a moment.
func (tx Tx) Hatch(
	ctx context.Context, machineID int64, batches []int64, kinds []string, since time.Time,
) (h Hatch, err error) {
	var hens []struct {
		ID  int64
		Hen string
	}
	q := &pgx.Batch{}
	store.Ask(q, &hens, `
		select e.id, c.hen
		from eggs e
		join collections c on c.farm_id = $1 and c.id = e.collection_id
		where e.farm_id = $1 and e.batch_id = any ($2) and c.hen <> ''`, tx.FarmID, batches)
	store.Ask(q, &h.Young, `
		select id, batch_id, pen_id, trial, egg_id, at, colour, sex, band, weight_g, signs, died_at, note
		from young
		where farm_id = $1 and batch_id = any ($2)
		order by id`, tx.FarmID, batches)
	store.Ask(q, &h.Openings, `
		select l.id, l.machine_id, l.at, l.minutes, l.why, coalesce(p.name, '') as person_name
		from lid_openings l
		left join people p on p.id = l.person_id
		where l.farm_id = $1 and l.machine_id = $2 and l.at >= $3
		order by l.at desc, l.id desc`, tx.FarmID, machineID, since)
	store.Ask(q, &h.Baskets, `
		select batch_id, pen_id, trial, name
		from hatch_baskets
		where farm_id = $1 and batch_id = any ($2)`, tx.FarmID, batches)
	take := tx.askEvents(q, &h, batches, kinds)
	err = tx.SendBatch(ctx, q).Close()
	take()
	h.Hens = map[int64]string{}
	for _, x := range hens {
		h.Hens[x.ID] = x.Hen
	}
	return h, err
}

// HatchEvents reads of it what a forecast is made from.
func (tx Tx) HatchEvents(ctx context.Context, batches []int64, kinds []string) (h Hatch, err error) {
	q := &pgx.Batch{}
	take := tx.askEvents(q, &h, batches, kinds)
	err = tx.SendBatch(ctx, q).Close()
	take()
	return h, err
}

// askEvents asks for eggs, signs, counts, what was taken out, and what past loads told; take sorts the eggs once
// they came.
func (tx Tx) askEvents(q *pgx.Batch, h *Hatch, batches []int64, kinds []string) (take func()) {
	var rows []struct {
		store.Egg
		BatchID int64
	}
	store.Ask(q, &rows, `
		select e.batch_id,`+store.EggColumns+`
		from eggs e
		left join calls c on c.farm_id = $1 and c.egg_id = e.id
		left join candlings s on s.farm_id = $1 and s.id = c.candling_id
		where e.farm_id = $1 and e.batch_id = any ($2)
		group by e.farm_id, e.id
		order by e.batch_id, e.no`, tx.FarmID, batches)
	store.Ask(q, &h.Counts, `
		select id, batch_id, pen_id, trial, young, at
		from young_counts
		where farm_id = $1 and batch_id = any ($2) and not settled
		order by at, id`, tx.FarmID, batches)
	store.Ask(q, &h.Signs, `
		select id, batch_id, pen_id, trial, egg_id, kind, n, at
		from hatch_signs
		where farm_id = $1 and batch_id = any ($2)
		order by at, id`, tx.FarmID, batches)
	store.Ask(q, &h.Taken, `
		select id, batch_id, at, young, place
		from pulls
		where farm_id = $1 and batch_id = any ($2)
		order by at, id`, tx.FarmID, batches)
	store.Ask(q, &h.Lessons, `
		select batch_id, species, machine_id, shift_h, first_held, middle_held, last_held
		from hatch_lessons
		where farm_id = $1 and species = any ($2)
		order by batch_id desc
		limit 60`, tx.FarmID, kinds)
	return func() {
		h.Eggs = map[int64][]store.Egg{}
		for _, r := range rows {
			h.Eggs[r.BatchID] = append(h.Eggs[r.BatchID], r.Egg)
		}
	}
}

// AddSign notes a sign and returns its id.
func (tx Tx) AddSign(ctx context.Context, s HatchSign, personID int64) (int64, error) {
	return store.Value[int64](ctx, tx, `
		insert into hatch_signs (farm_id, batch_id, pen_id, trial, egg_id, kind, n, at, person_id)
		values ($1, $2, $3, $4, $5, $6, $7, $8, nullif($9::bigint, 0))
		returning id`, tx.FarmID, s.BatchID, s.PenID, s.Trial, s.EggID, s.Kind, s.N, s.At, personID)
}

// AddOneYoung notes a young and returns its id.
func (tx Tx) AddOneYoung(ctx context.Context, y OneYoung) (int64, error) {
	if y.Signs == nil {
		y.Signs = []string{}
	}
	return store.Value[int64](ctx, tx, `
		insert into young (farm_id, batch_id, pen_id, trial, egg_id, at, colour, sex, band, weight_g, signs, died_at, note)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13)
		returning id`,
		tx.FarmID, y.BatchID, y.PenID, y.Trial, y.EggID, y.At, y.Colour, y.Sex, y.Band, y.WeightG, y.Signs, y.DiedAt, y.Note)
}

// AddOpening notes that a lid was opened and returns its id.
func (tx Tx) AddOpening(ctx context.Context, o store.LidOpening, personID int64) (int64, error) {
	return store.Value[int64](ctx, tx, `
		insert into lid_openings (farm_id, machine_id, at, minutes, why, person_id)
		values ($1, $2, $3, $4, $5, nullif($6::bigint, 0))
		returning id`, tx.FarmID, o.MachineID, o.At, o.Minutes, o.Why, personID)
}

// AddTaken notes young that were taken out and returns its id.
func (tx Tx) AddTaken(ctx context.Context, t Taken, personID int64) (int64, error) {
	return store.Value[int64](ctx, tx, `
		insert into pulls (farm_id, batch_id, at, young, place, person_id)
		values ($1, $2, $3, $4, $5, nullif($6::bigint, 0))
		returning id`, tx.FarmID, t.BatchID, t.At, t.Young, t.Place, personID)
}

// NameBasket keeps where a basket stands; without a name it is forgotten.
func (tx Tx) NameBasket(ctx context.Context, b HatchBasket) error {
	if b.Name == "" {
		_, err := tx.Exec(ctx, `
			delete from hatch_baskets
			where farm_id = $1 and batch_id = $2 and pen_id = $3 and trial = $4`, tx.FarmID, b.BatchID, b.PenID, b.Trial)
		return err
	}
	_, err := tx.Exec(ctx, `
		insert into hatch_baskets (farm_id, batch_id, pen_id, trial, name)
		values ($1, $2, $3, $4, $5)
		on conflict (farm_id, batch_id, pen_id, trial) do update set name = excluded.name`,
		tx.FarmID, b.BatchID, b.PenID, b.Trial, b.Name)
	return err
}

// SaveLesson keeps what a load told; DropLesson forgets it.
func (tx Tx) SaveLesson(ctx context.Context, l Lesson) error {
	_, err := tx.Exec(ctx, `
		insert into hatch_lessons (farm_id, batch_id, species, machine_id, shift_h, first_held, middle_held, last_held)
		values ($1, $2, $3, $4, $5, $6, $7, $8)
		on conflict (farm_id, batch_id) do update
		set shift_h = excluded.shift_h, first_held = excluded.first_held, middle_held = excluded.middle_held,
			last_held = excluded.last_held`,
		tx.FarmID, l.BatchID, l.Species, l.MachineID, l.ShiftH, l.FirstHeld, l.MiddleHeld, l.LastHeld)
	return err
}

// DropLesson forgets what a load told.
func (tx Tx) DropLesson(ctx context.Context, batchID int64) error {
	_, err := tx.Exec(ctx, `delete from hatch_lessons where farm_id = $1 and batch_id = $2`, tx.FarmID, batchID)
	return err
}

// hatchRows are the tables of a hatch of which a row is taken back as if it had never been.
var hatchRows = map[string]string{
	"hatch_signs":  `delete from hatch_signs where farm_id = $1 and id = any ($2)`,
	"young":        `delete from young where farm_id = $1 and id = any ($2)`,
	"lid_openings": `delete from lid_openings where farm_id = $1 and id = any ($2)`,
	"pulls":        `delete from pulls where farm_id = $1 and id = any ($2)`,
}

// DropHatch takes rows out of the table hatch_signs, young, lid_openings or pulls.
func (tx Tx) DropHatch(ctx context.Context, table string, ids []int64) error {
	_, err := tx.Exec(ctx, hatchRows[table], tx.FarmID, ids)
	return err
}

// YoungOf adds up the young of a batch that were counted without their eggs, by pen.
func (h Hatch) YoungOf(batchID int64) (all []store.Young) {
	for _, c := range h.Counts {
		if c.BatchID != batchID {
			continue
		}
		i := slices.IndexFunc(all, func(y store.Young) bool { return y.PenID == c.PenID && y.Trial == c.Trial })
		if i < 0 {
			i = len(all)
			all = append(all, store.Young{BatchID: batchID, PenID: c.PenID, Trial: c.Trial})
		}
		all[i].Young += c.Young
	}
	return all
}
