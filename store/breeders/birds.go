package breeders

import (
	"cmp"
	"context"
	"slices"
	"time"

	"github.com/jackc/pgx/v5"

	"metrogon/store"
)

// Bird is one that is a parent, or will be; reptiles as well.
type Bird struct {
	ID            int64
	Name, Mark    string
	Species       string
	Breed, Sex    string // male or female
	HatchedOn     *time.Time
	BatchID       *int64 // in which it hatched here
	SireID, DamID *int64
	Origin        string // from whom, where it was bought
	WeightG       *float64
	Shell         string
	Note          string
	GoneOn        *time.Time
	Gone          string // retired, sold, died, culled; "": it is here
}

// BirdStay is a bird's time in a pen.
type BirdStay struct {
	ID, BirdID, PenID int64
	Sex               string // the bird's
	FromOn            time.Time
	UntilOn           *time.Time
}

const birdColumns = `
	id, name, mark, species, breed, sex, hatched_on, batch_id, sire_id, dam_id, origin, weight_g, shell, note,
	gone_on, gone`

// Flock reads all birds by name, and when each was where, the oldest first, in one round trip.
func (tx Tx) Flock(ctx context.Context) (birds []Bird, stays []BirdStay, err error) {
	q := &pgx.Batch{}
	store.Ask(q, &birds, `select `+birdColumns+` from birds where farm_id = $1 order by name`, tx.FarmID)
	store.Ask(q, &stays, `
		select s.id, s.bird_id, s.pen_id, b.sex, s.from_on, s.until_on
		from bird_stays s
		join birds b on b.farm_id = $1 and b.id = s.bird_id
		where s.farm_id = $1
		order by s.from_on, s.id`, tx.FarmID)
	return birds, stays, tx.SendBatch(ctx, q).Close()
}

// SaveBird makes a bird (ID 0) or changes one, and returns its id.
func (tx Tx) SaveBird(ctx context.Context, b Bird) (int64, error) {
	if b.ID == 0 {
		return store.Value[int64](ctx, tx, `
			insert into birds (
				farm_id, name, mark, species, breed, sex, hatched_on, batch_id, sire_id, dam_id, origin, weight_g,
				shell, note, gone_on, gone
			)
			values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15, $16)
			returning id`,
			tx.FarmID, b.Name, b.Mark, b.Species, b.Breed, b.Sex, b.HatchedOn, b.BatchID, b.SireID, b.DamID, b.Origin,
			b.WeightG, b.Shell, b.Note, b.GoneOn, b.Gone)
	}
	return store.Value[int64](ctx, tx, `
		update birds
		set name = $3, mark = $4, species = $5, breed = $6, sex = $7, hatched_on = $8, batch_id = $9, sire_id = $10,
			dam_id = $11, origin = $12, weight_g = $13, shell = $14, note = $15, gone_on = $16, gone = $17
		where farm_id = $1 and id = $2
		returning id`,
		tx.FarmID, b.ID, b.Name, b.Mark, b.Species, b.Breed, b.Sex, b.HatchedOn, b.BatchID, b.SireID, b.DamID,
		b.Origin, b.WeightG, b.Shell, b.Note, b.GoneOn, b.Gone)
}

// DropBird forgets a bird that has no young here.
func (tx Tx) DropBird(ctx context.Context, id int64) error {
	_, err := tx.Exec(ctx, `delete from birds where farm_id = $1 and id = $2`, tx.FarmID, id)
	return err
}

// SaveStay begins a stay (ID 0) or changes one, and returns its id.
func (tx Tx) SaveStay(ctx context.Context, s BirdStay) (int64, error) {
	if s.ID == 0 {
		return store.Value[int64](ctx, tx, `
			insert into bird_stays (farm_id, bird_id, pen_id, from_on, until_on)
			values ($1, $2, $3, $4, $5)
			returning id`, tx.FarmID, s.BirdID, s.PenID, s.FromOn, s.UntilOn)
	}
	return store.Value[int64](ctx, tx, `
		update bird_stays
		set from_on = $3, until_on = $4
		where farm_id = $1 and id = $2
		returning id`, tx.FarmID, s.ID, s.FromOn, s.UntilOn)
}

// DropStay forgets one.
func (tx Tx) DropStay(ctx context.Context, id int64) error {
	_, err := tx.Exec(ctx, `delete from bird_stays where farm_id = $1 and id = $2`, tx.FarmID, id)
	return err
}

// SetPenCounts says how many males and females a pen has.
func (tx Tx) SetPenCounts(ctx context.Context, penID int64, males, females int) error {
	_, err := tx.Exec(ctx, `
		update pens set males = $3, females = $4
		where farm_id = $1 and id = $2`, tx.FarmID, penID, males, females)
	return err
}

// Fact is the eggs of one pen in one batch that share all by which rates are told apart.
type Fact struct {
	PenID, BatchID                         int64
	LaidOn                                 time.Time
	Trial                                  bool
	Hen, Washing, Spot                     string
	Eggs, Examined, Fertile                int
	Hatched, HatchedFertile, HatchedUnseen int
	Counted, CountedFertile, CountedUnseen int
	Early, Middle, Late, Pipped, Quit      int // of fertile ones that died
}

// BatchFacts is what rates need to know of a batch.
type BatchFacts struct {
	ID                  int64
	Code, Species       string
	SetterID, HatcherID int64
	SetAt               time.Time
	Closed              bool
	MovedEgg            *int64 // one of its eggs, where it was moved or left another batch
}

// Facts lists all eggs that were ever set, summed as far as they are alike, by batch, the oldest
// first, and pen; and the batches.
func (tx Tx) Facts(ctx context.Context) (facts []Fact, batches []BatchFacts, err error) {
	q := &pgx.Batch{}
	store.Ask(q, &batches, `
		select id, code, species, setter_id, hatcher_id, set_at, closed_at is not null as closed, case
				when split_from is not null
					or exists (select from moves m where m.farm_id = $1 and m.batch_id = batches.id)
				then (select min(e.id) from eggs e where e.farm_id = $1 and e.batch_id = batches.id)
			end as moved_egg
		from batches
		where farm_id = $1
		order by set_at, id`, tx.FarmID)
	store.Ask(q, &facts, `
		select pen_id, batch_id, laid_on, trial, hen, washing, spot, eggs, examined, fertile, hatched, hatched_fertile,
			hatched_unseen, counted, counted_fertile, counted_unseen, early, middle, late, pipped, quit
		from egg_sums
		where farm_id = $1`, tx.FarmID)
	if err := tx.SendBatch(ctx, q).Close(); err != nil {
		return nil, nil, err
	}
	place := make(map[int64]int, len(batches))
	for i, b := range batches {
		place[b.ID] = i
	}
	slices.SortFunc(facts, func(a, b Fact) int {
		return cmp.Or(
			place[a.BatchID]-place[b.BatchID], cmp.Compare(a.PenID, b.PenID), a.LaidOn.Compare(b.LaidOn),
			cmp.Compare(a.Hen, b.Hen), cmp.Compare(a.Washing, b.Washing), cmp.Compare(a.Spot, b.Spot),
		)
	})
	return facts, batches, nil
}

// Candler is how many calls somebody made in a batch.
type Candler struct {
	BatchID int64
	Who     string
	Calls   int
}

// Candlers tells who candled each batch.
func (tx Tx) Candlers(ctx context.Context) ([]Candler, error) {
	return store.List[Candler](ctx, tx, `
		select s.batch_id, coalesce(p.name, 'not noted') as who, count(*)::int as calls
		from candlings s
		join calls c on c.farm_id = $1 and c.candling_id = s.id
		left join people p on p.id = c.person_id
		where s.farm_id = $1
		group by 1, 2
		order by 1, 3 desc, 2`, tx.FarmID)
}

// BasketName is where the basket of a pen's eggs stood in the hatcher.
type BasketName struct {
	BatchID, PenID int64
	Name           string
}

// BasketNames lists those of all hatches.
func (tx Tx) BasketNames(ctx context.Context) ([]BasketName, error) {
	return store.List[BasketName](ctx, tx, `
		select batch_id, pen_id, name
		from hatch_baskets
		where farm_id = $1 and not trial
		order by batch_id, pen_id`, tx.FarmID)
}

// EggBehind is one egg behind a figure.
type EggBehind struct {
	ID, BatchID, PenID int64
	No                 int
	Mark, Hen          string
	LaidOn             time.Time
	Fate, Stage        *string
	Opened             *string
	Fertile            *bool
	Calls              []string
}

// EggsBehind lists the eggs of facts, so many at most.
func (tx Tx) EggsBehind(ctx context.Context, of []Fact, most int) ([]EggBehind, error) {
	var pens, batches []int64
	var laid []time.Time
	var hens, washing, spots []string
	for _, f := range of {
		pens, batches, laid = append(pens, f.PenID), append(batches, f.BatchID), append(laid, f.LaidOn)
		hens, washing, spots = append(hens, f.Hen), append(washing, f.Washing), append(spots, f.Spot)
	}
	return store.List[EggBehind](ctx, tx, `
		select e.id, e.batch_id, e.pen_id, coalesce(e.no, 0) as no, coalesce(e.mark, '') as mark, c.hen, e.laid_on,
			e.fate, e.stage, e.opened, e.fertile,
			array(
				select call from calls where farm_id = $1 and egg_id = e.id order by id
			) as calls
		from unnest($2::bigint[], $3::bigint[], $4::date[], $5::text[], $6::text[], $7::text[])
			with ordinality f (pen_id, batch_id, laid_on, hen, washing, spot, n)
		join eggs e on e.farm_id = $1 and e.batch_id = f.batch_id and e.pen_id = f.pen_id and e.laid_on = f.laid_on
			and not e.trial and e.fate is distinct from 'broken'
		join collections c on c.farm_id = $1 and c.id = e.collection_id and c.hen = f.hen and c.washing = f.washing
		left join trays t on t.farm_id = $1 and t.id = e.tray_id
		where f.spot = case when e.place = any (t.warm) then 'warm' when e.place = any (t.cool) then 'cool' else '' end
		order by f.n desc, e.no
		limit $8`, tx.FarmID, pens, batches, laid, hens, washing, spots, most)
}
