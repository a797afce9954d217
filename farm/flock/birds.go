package flock

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"metrogon/core/breeding"
	"metrogon/core/species"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/lineage"
	"metrogon/farm/snapshot"
	"metrogon/store/breeders"
)

// checkBird says what is wrong with a bird as it was typed, among those that are known.
func checkBird(w *snapshot.Snapshot, f lineage.Flock, b breeders.Bird) (breeders.Bird, error) {
	var p farm.Problems
	b.Name = p.Name("name", "The bird's name or band", b.Name, 40, true)
	b.Mark = p.Name("mark", "The mark", b.Mark, 30, false)
	b.Breed = p.Name("breed", "The breed", b.Breed, 60, false)
	b.Origin = p.Name("origin", "From whom it came", b.Origin, 80, false)
	b.Shell = p.Name("shell", "The colour of the shell", b.Shell, 40, false)
	b.Note = p.Name("note", "The note", b.Note, 500, false)
	kind, err := species.Find(b.Species)
	if err != nil {
		p.Addf("species", "Pick what kind of bird it is.")
	} else {
		b.Species = kind.ID
	}
	if b.Sex != lineage.Male && b.Sex != lineage.Female {
		p.Addf("sex", "Say whether it is male or female.")
	}
	today := w.Member.Date(w.Now)
	if b.HatchedOn != nil {
		p.Date("hatched_on", "The day on which it hatched", *b.HatchedOn, today)
	}
	p.Mass(w.Member.Units(), "weight", "The weight", b.WeightG, 1, 29999)
	for _, parent := range []struct {
		field, sex string
		id         *int64
	}{{"sire", lineage.Male, b.SireID}, {"dam", lineage.Female, b.DamID}} {
		if parent.id != nil {
			checkParent(&p, f, b, parent.field, parent.sex, *parent.id)
		}
	}
	if len(p) == 0 && b.ID != 0 {
		ids, parents := f.Pedigree()
		parents[b.ID] = lineage.ParentsOf(b)
		if _, err := breeding.NewPedigree(ids, parents); err != nil {
			p.Addf("sire", "%s would descend from itself.", b.Name)
		}
	}
	return b, p.Err()
}

func checkParent(p *farm.Problems, f lineage.Flock, b breeders.Bird, field, sex string, id int64) {
	of, known := f.Birds[id]
	switch {
	case !known || of.Sex != sex || of.Species != b.Species || id == b.ID:
		p.Addf(field, "Pick the %s among the %ss of its kind.", field, sex)
	case of.HatchedOn != nil && b.HatchedOn != nil && !of.HatchedOn.Before(*b.HatchedOn):
		p.Addf(field, "%s hatched on %s, and not before its young.", of.Name, of.HatchedOn.Format("2 Jan 2006"))
	}
}

// SaveBird makes a bird (ID 0) or changes one. Whoever is gone leaves its pen on that day.
func (s *Service) SaveBird(ctx context.Context, req farm.Request, b breeders.Bird) (farm.Done, error) {
	return s.owned(ctx, req, func(tx *farm.Tx, w *snapshot.Snapshot, f lineage.Flock) (farm.Done, error) {
		before, known := f.Birds[b.ID]
		if b.ID != 0 && !known {
			return farm.Done{}, farm.ErrNone
		}
		if known && before.Species != b.Species && len(staysOf(f, b.ID)) > 0 {
			return farm.Done{}, farm.Problemf("species", "%s was in a pen; its kind stays.", before.Name)
		}
		if known && before.Sex != b.Sex && (len(staysOf(f, b.ID)) > 0 || hasYoung(f, b.ID)) {
			return farm.Done{}, farm.Problemf("sex", "%s was in a pen, or has young; its sex stays.", before.Name)
		}
		b, err := checkBird(w, f, b)
		if err != nil {
			return farm.Done{}, err
		}
		if b.GoneOn != nil || b.Gone != "" {
			return farm.Done{}, farm.Problemf("gone", "Say on the bird's page that it is gone.")
		}
		b.GoneOn, b.Gone = before.GoneOn, before.Gone
		id, err := breeders.On(tx).SaveBird(ctx, b)
		if err != nil {
			return farm.Done{}, taken(err)
		}
		u := journal.Undo{dropBird.Of(id)}
		said := "%s is on the list of birds."
		if known {
			u, said = journal.Undo{birdBefore.Of(before)}, "%s: changed."
		}
		return journal.Record(ctx, tx, aboutBird(b, id), u, said, b.Name)
	})
}

func taken(err error) error {
	return farm.Taken(err, "name", "There is a bird of that name already; add its band, or the year.")
}

// aboutBird names the bird and its parents: a parent is not taken back before its young.
func aboutBird(b breeders.Bird, id int64) journal.Subjects {
	about := journal.On(journal.Bird, id)
	for _, parent := range []*int64{b.SireID, b.DamID} {
		if parent != nil {
			about = about.And(journal.Bird, *parent)
		}
	}
	return about
}

// owned runs a use case on the birds that is the owner's alone.
func (s *Service) owned(
	ctx context.Context, req farm.Request,
	work func(tx *farm.Tx, w *snapshot.Snapshot, f lineage.Flock) (farm.Done, error),
) (farm.Done, error) {
	return s.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return farm.Done{}, err
		}
		f, err := lineage.Of(ctx, tx, w)
		if err != nil {
			return farm.Done{}, err
		}
		return work(tx, w, f)
	})
}

func hasYoung(f lineage.Flock, bird int64) bool {
	return slices.ContainsFunc(f.ByName, func(b breeders.Bird) bool {
		of := lineage.ParentsOf(b)
		return of.Sire == bird || of.Dam == bird
	})
}

func staysOf(f lineage.Flock, bird int64) (all []breeders.BirdStay) {
	for _, s := range f.Stays {
		if s.BirdID == bird {
			all = append(all, s)
		}
	}
	return all
}

// How a bird comes into a pen.
const (
	Instead = "instead" // the males that are there go out on that day
	Beside  = "beside"  // one more
	Already = "already" // it is one of those that are counted there
)

// PutIn is a bird put into a pen.
type PutIn struct {
	PenID int64
	Bird  breeders.Bird // one that is known by its ID, or a new one
	On    time.Time
	How   string
}

// PutIn puts a bird into a pen on a day. A bird is in one pen at a time: it leaves another on that
// day. How many birds a pen has follows.
func (s *Service) PutIn(ctx context.Context, req farm.Request, in PutIn) (farm.Done, error) {
	return s.owned(ctx, req, func(tx *farm.Tx, w *snapshot.Snapshot, f lineage.Flock) (farm.Done, error) {
		pen, ok := w.PenByID[in.PenID]
		if !ok || pen.Supplier {
			return farm.Done{}, farm.ErrNone
		}
		c := change{tx: tx, w: w, f: f, on: in.On}
		if err := c.check(pen, in); err != nil {
			return farm.Done{}, err
		}
		bird, err := c.bird(ctx, pen, in.Bird)
		if err != nil {
			return farm.Done{}, err
		}
		if err := c.leaveOther(ctx, bird, pen); err != nil {
			return farm.Done{}, err
		}
		c.pen(pen)
		var gone []string
		if in.How == Instead {
			if gone, err = c.out(ctx, pen); err != nil {
				return farm.Done{}, err
			}
		}
		id, err := breeders.On(tx).SaveStay(ctx, breeders.BirdStay{BirdID: bird.ID, PenID: pen.ID, FromOn: in.On})
		if err != nil {
			return farm.Done{}, err
		}
		c.undo = append(c.undo, dropStay.Of(id))
		c.counted(pen, bird.Sex, in.How)
		if err := c.saveCounts(ctx); err != nil {
			return farm.Done{}, err
		}
		about := journal.On(journal.Pen, pen.ID).And(journal.Bird, bird.ID)
		said := fmt.Sprintf("%s is in %s since %s", bird.Name, pen.Name, in.On.Format("2 Jan"))
		if len(gone) > 0 {
			said += "; out: " + strings.Join(gone, ", ")
		}
		return journal.Record(ctx, tx, about, c.undo, "%s.", said)
	})
}

// change is a change of who is in which pen, with what undoes it.
type change struct {
	tx     *farm.Tx
	w      *snapshot.Snapshot
	f      lineage.Flock
	on     time.Time
	undo   journal.Undo
	before []counts // of the pens touched
	now    []counts
	made   []string // names given to males that had none
}

func (c *change) check(pen snapshot.Pen, in PutIn) error {
	var p farm.Problems
	if today := c.w.Member.Date(c.w.Now); in.On.After(today) {
		p.Addf("on", "Say it once the bird is in: the day may be up to today.")
	}
	if in.On.Before(pen.FromOn) {
		p.Addf("on", "%s has been there since %s; the day may be that one or later.", pen.Name,
			pen.FromOn.Format("2 Jan 2006"))
	}
	if pen.UntilOn != nil && in.On.After(*pen.UntilOn) {
		p.Addf("on", "%s ended on %s.", pen.Name, pen.UntilOn.Format("2 Jan 2006"))
	}
	if !slices.Contains([]string{Instead, Beside, Already}, in.How) {
		p.Addf("how", "Say whether it comes instead of another, beside, or is there already.")
	}
	for _, s := range c.f.Stays {
		if in.How == Instead && s.PenID == pen.ID && s.Sex == lineage.Male && s.UntilOn == nil && s.FromOn.After(in.On) {
			p.Addf("on", "%s came on %s; another can take his place from then on.", c.f.Birds[s.BirdID].Name,
				s.FromOn.Format("2 Jan 2006"))
		}
	}
	return p.Err()
}

// bird finds the bird, or makes it.
func (c *change) bird(ctx context.Context, pen snapshot.Pen, b breeders.Bird) (breeders.Bird, error) {
	if b.ID != 0 {
		known, ok := c.f.Birds[b.ID]
		switch {
		case !ok:
			return b, farm.ErrNone
		case known.Species != pen.Species:
			return b, farm.Problemf("bird", "%s is no %s.", known.Name,
				strings.ToLower(c.w.Kinds[pen.Species].Name))
		case known.GoneOn != nil && c.on.After(*known.GoneOn):
			return b, farm.Problemf("bird", "%s has been gone since %s.", known.Name, known.GoneOn.Format("2 Jan 2006"))
		case known.HatchedOn != nil && c.on.Before(*known.HatchedOn):
			return b, farm.Problemf("on", "%s hatched on %s.", known.Name, known.HatchedOn.Format("2 Jan 2006"))
		}
		return known, nil
	}
	b.Species = pen.Species
	if b.Breed == "" {
		b.Breed = pen.Breed
	}
	b, err := checkBird(c.w, c.f, b)
	if err != nil {
		return b, err
	}
	if b.ID, err = breeders.On(c.tx).SaveBird(ctx, b); err != nil {
		return b, taken(err)
	}
	c.undo = append(c.undo, dropBird.Of(b.ID))
	return b, nil
}

// leaveOther ends the bird's stay elsewhere.
func (c *change) leaveOther(ctx context.Context, b breeders.Bird, pen snapshot.Pen) error {
	for _, s := range staysOf(c.f, b.ID) {
		switch {
		case s.UntilOn != nil && !s.UntilOn.After(c.on):
			continue
		case s.PenID == pen.ID && s.UntilOn == nil:
			return farm.Problemf("bird", "%s is in %s already.", b.Name, pen.Name)
		case s.UntilOn != nil || s.FromOn.After(c.on):
			return farm.Problemf("on", "On that day %s was in %s.", b.Name, c.w.PenByID[s.PenID].Name)
		}
		if err := c.end(ctx, s); err != nil {
			return err
		}
		other := c.pen(c.w.PenByID[s.PenID])
		other.less(b.Sex)
	}
	return nil
}

// end ends a stay on the day of the change.
func (c *change) end(ctx context.Context, s breeders.BirdStay) error {
	c.undo = append(c.undo, stayBefore.Of(s))
	s.UntilOn = &c.on
	_, err := breeders.On(c.tx).SaveStay(ctx, s)
	return err
}

// out takes the males out that are in a pen, named or not, and names them.
func (c *change) out(ctx context.Context, pen snapshot.Pen) (names []string, err error) {
	n := c.pen(pen)
	for _, s := range c.f.Stays {
		if s.PenID != pen.ID || s.Sex != lineage.Male || s.UntilOn != nil || s.FromOn.After(c.on) {
			continue
		}
		if err := c.end(ctx, s); err != nil {
			return nil, err
		}
		n.less(lineage.Male)
		names = append(names, c.f.Birds[s.BirdID].Name)
	}
	for n.Males > 0 { // those that nobody named were there from the pen's first day
		name := c.nameFor(pen)
		id, err := breeders.On(c.tx).SaveBird(
			ctx, breeders.Bird{Name: name, Species: pen.Species, Breed: pen.Breed, Sex: lineage.Male},
		)
		if err != nil {
			return nil, taken(err)
		}
		stay := breeders.BirdStay{BirdID: id, PenID: pen.ID, FromOn: pen.FromOn, UntilOn: &c.on}
		if _, err := breeders.On(c.tx).SaveStay(ctx, stay); err != nil {
			return nil, err
		}
		c.undo = append(c.undo, dropBird.Of(id)) // its stay goes with it
		c.made = append(c.made, name)
		n.Males--
		names = append(names, name)
	}
	return names, nil
}

// nameFor is a free name for a male whom nobody named.
func (c *change) nameFor(pen snapshot.Pen) string {
	base := []rune("Male of " + pen.Name)
	for i := 1; ; i++ {
		end := ""
		if i > 1 {
			end = fmt.Sprintf(" (%d)", i)
		}
		name := string(base[:min(len(base), 40-len(end))]) + end
		has := func(b breeders.Bird) bool { return b.Name == name }
		if !slices.ContainsFunc(c.f.ByName, has) && !slices.Contains(c.made, name) {
			return name
		}
	}
}

// pen is how many birds a pen has, while it changes.
func (c *change) pen(p snapshot.Pen) *counts {
	i := slices.IndexFunc(c.now, func(n counts) bool { return n.Pen == p.ID })
	if i < 0 {
		i = len(c.now)
		n := counts{p.ID, int64(p.Males), int64(p.Females)}
		c.now, c.before = append(c.now, n), append(c.before, n)
	}
	return &c.now[i]
}

func (n *counts) less(sex string) {
	if sex == lineage.Male {
		n.Males = max(0, n.Males-1)
		return
	}
	n.Females = max(0, n.Females-1)
}

// counted adds a bird that was put in, unless it is one of those that were counted there and had no
// name yet.
func (c *change) counted(pen snapshot.Pen, sex, how string) {
	n := c.pen(pen)
	named := int64(1)
	for _, s := range c.f.Stays {
		if s.PenID == pen.ID && s.Sex == sex && s.UntilOn == nil {
			named++
		}
	}
	if sex == lineage.Male {
		if how != Already || named > n.Males {
			n.Males++
		}
		return
	}
	if how != Already || named > n.Females {
		n.Females++
	}
}

func (c *change) saveCounts(ctx context.Context) error {
	for i, n := range c.now {
		if n == c.before[i] {
			continue
		}
		c.undo = append(c.undo, countsBefore.Of(c.before[i]))
		if err := breeders.On(c.tx).SetPenCounts(ctx, n.Pen, int(n.Males), int(n.Females)); err != nil {
			return err
		}
	}
	return nil
}

// Leave is a bird that leaves its pen, or the farm.
type Leave struct {
	BirdID int64
	On     time.Time
	Gone   string // retired, sold, died, culled; "": it stays on the farm
}

// Leave takes a bird out of the pen where it is.
func (s *Service) Leave(ctx context.Context, req farm.Request, in Leave) (farm.Done, error) {
	return s.owned(ctx, req, func(tx *farm.Tx, w *snapshot.Snapshot, f lineage.Flock) (farm.Done, error) {
		b, ok := f.Birds[in.BirdID]
		if !ok {
			return farm.Done{}, farm.ErrNone
		}
		switch today := w.Member.Date(w.Now); {
		case in.On.After(today) || in.On.Year() < 1990:
			return farm.Done{}, farm.Problemf("on", "The day may be up to today.")
		case b.HatchedOn != nil && in.On.Before(*b.HatchedOn):
			return farm.Done{}, farm.Problemf("on", "%s hatched on %s.", b.Name, b.HatchedOn.Format("2 Jan 2006"))
		}
		c := change{tx: tx, w: w, f: f, on: in.On}
		about := journal.On(journal.Bird, b.ID)
		said := b.Name + " is out"
		for _, stay := range staysOf(f, b.ID) {
			if stay.UntilOn != nil {
				continue
			}
			if in.On.Before(stay.FromOn) {
				return farm.Done{}, farm.Problemf("on", "%s came into %s on %s.", b.Name, w.PenByID[stay.PenID].Name,
					stay.FromOn.Format("2 Jan 2006"))
			}
			if err := c.end(ctx, stay); err != nil {
				return farm.Done{}, err
			}
			c.pen(w.PenByID[stay.PenID]).less(b.Sex)
			about = about.And(journal.Pen, stay.PenID)
			said = fmt.Sprintf("%s left %s", b.Name, w.PenByID[stay.PenID].Name)
		}
		if in.Gone == "" && len(c.now) == 0 {
			return farm.Done{}, farm.Problemf("on", "%s is in no pen.", b.Name)
		}
		if in.Gone != "" {
			if !slices.Contains([]string{"retired", "sold", "died", "culled"}, in.Gone) {
				return farm.Done{}, farm.Problemf("gone", "Pick how it left: retired, sold, died, culled.")
			}
			c.undo = append(c.undo, birdBefore.Of(b))
			b.GoneOn, b.Gone = &in.On, in.Gone
			if _, err := breeders.On(tx).SaveBird(ctx, b); err != nil {
				return farm.Done{}, err
			}
			said += ": " + in.Gone
		}
		if err := c.saveCounts(ctx); err != nil {
			return farm.Done{}, err
		}
		return journal.Record(ctx, tx, about, c.undo, "%s on %s.", said, in.On.Format("2 Jan"))
	})
}
