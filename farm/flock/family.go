package flock

import (
	"context"
	"math"
	"slices"
	"strings"

	"metrogon/core/breeding"
	"metrogon/core/species"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/lineage"
	"metrogon/farm/snapshot"
	"metrogon/store"
	"metrogon/store/breeders"
)

// BirdRow is a bird as it is listed.
type BirdRow struct {
	breeders.Bird
	Kind       *species.Profile
	Pen        *snapshot.Pen // where it is now
	Sire, Dam  string        // names; "": not known
	Inbreeding float64
	Young      int // birds on the list that descend from it directly
}

// Birds lists all birds: those that are here first, by kind and name.
func (s *Service) Birds(ctx context.Context, m *farm.Member) (all []BirdRow, err error) {
	err = s.withFlock(ctx, m, func(tx *farm.Tx, r *registry) error {
		for _, b := range r.flock.ByName {
			all = append(all, r.row(b))
		}
		return nil
	})
	slices.SortStableFunc(all, func(a, b BirdRow) int {
		if d := farm.OneIf(a.GoneOn != nil) - farm.OneIf(b.GoneOn != nil); d != 0 {
			return d
		}
		return snapshot.CompareKinds(a.Kind, b.Kind)
	})
	return all, err
}

// registry is the farm's birds with how they are related.
type registry struct {
	w        *snapshot.Snapshot
	flock    lineage.Flock
	pedigree *breeding.Pedigree[int64]
	young    map[int64][]breeders.Bird
}

func (s *Service) withFlock(ctx context.Context, m *farm.Member, work func(*farm.Tx, *registry) error) error {
	return s.Read(ctx, m, func(tx *farm.Tx) error {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return err
		}
		flock, err := lineage.Of(ctx, tx, w)
		if err != nil {
			return err
		}
		r := &registry{w: w, flock: flock, young: map[int64][]breeders.Bird{}}
		if r.pedigree, err = breeding.NewPedigree(flock.Pedigree()); err != nil {
			return err
		}
		for _, b := range flock.ByName {
			of := lineage.ParentsOf(b)
			for _, parent := range []int64{of.Sire, of.Dam} {
				if parent != 0 {
					r.young[parent] = append(r.young[parent], b)
				}
			}
		}
		return work(tx, r)
	})
}

func (r *registry) row(b breeders.Bird) BirdRow {
	of := lineage.ParentsOf(b)
	row := BirdRow{
		Bird: b, Kind: r.w.Kinds[b.Species], Sire: r.flock.Birds[of.Sire].Name, Dam: r.flock.Birds[of.Dam].Name,
		Inbreeding: r.pedigree.Inbreeding(b.ID), Young: len(r.young[b.ID]),
	}
	for _, s := range staysOf(r.flock, b.ID) {
		if pen := r.w.PenByID[s.PenID]; s.UntilOn == nil && pen.UntilOn == nil {
			row.Pen = &pen
		}
	}
	return row
}

// Generations that a family is drawn over, the bird's own included.
const Generations = 4

// Relative is an ancestor in its place in a family: the bird is number 1 of generation 0, and the
// parents of number n are 2n and 2n+1.
type Relative struct {
	Generation, No int
	Bird           *breeders.Bird // nil: not known
	Again          bool           // it stands further up in the family as well
}

// StayRow is a bird's time in a pen.
type StayRow struct {
	breeders.BirdStay
	Pen snapshot.Pen
}

// Family is a bird with its ancestors and its young.
type Family struct {
	BirdRow
	Ancestors []Relative
	Known     bool // at least one ancestor is known
	Common    []string
	Stays     []StayRow // the newest first
	Children  []BirdRow
	Batch     *store.Batch
	Choices   Choices
}

// Choices are what a bird's form offers.
type Choices struct {
	Sires, Dams []breeders.Bird
	Pens        []snapshot.Pen
}

// Bird shows one.
func (s *Service) Bird(ctx context.Context, m *farm.Member, id int64) (f Family, err error) {
	err = s.withFlock(ctx, m, func(tx *farm.Tx, r *registry) error {
		b, ok := r.flock.Birds[id]
		if !ok {
			return farm.ErrNone
		}
		f.BirdRow = r.row(b)
		r.ancestors(&f, b.ID)
		of := lineage.ParentsOf(b)
		for _, a := range r.pedigree.Common(of.Sire, of.Dam) {
			f.Common = append(f.Common, r.flock.Birds[a.Bird].Name)
		}
		for _, stay := range slices.Backward(staysOf(r.flock, id)) {
			f.Stays = append(f.Stays, StayRow{stay, r.w.PenByID[stay.PenID]})
		}
		for _, young := range r.young[id] {
			f.Children = append(f.Children, r.row(young))
		}
		f.Choices = r.choices(b.Species, b.ID)
		if b.BatchID != nil {
			batch, err := tx.Batch(ctx, *b.BatchID)
			f.Batch = &batch
			return err
		}
		return nil
	})
	return f, err
}

func (r *registry) ancestors(f *Family, id int64) {
	of := map[int]int64{1: id}
	seen := map[int64]bool{}
	for no := 1; no < 1<<Generations; no++ {
		b, known := r.flock.Birds[of[no]]
		rel := Relative{Generation: int(math.Log2(float64(no))), No: no}
		if known {
			rel.Bird, rel.Again = &b, seen[b.ID]
			seen[b.ID] = true
			p := lineage.ParentsOf(b)
			of[2*no], of[2*no+1] = p.Sire, p.Dam
			f.Known = f.Known || no > 1
		}
		f.Ancestors = append(f.Ancestors, rel)
	}
}

func (r *registry) choices(speciesID string, but int64) (c Choices) {
	for _, b := range r.flock.ByName {
		switch {
		case b.Species != speciesID || b.ID == but:
		case b.Sex == lineage.Male:
			c.Sires = append(c.Sires, b)
		default:
			c.Dams = append(c.Dams, b)
		}
	}
	for _, p := range r.w.Pens {
		if p.Species == speciesID && !p.Supplier && p.UntilOn == nil {
			c.Pens = append(c.Pens, p)
		}
	}
	return c
}

// NewBird is what the form of a new bird begins with.
type NewBird struct {
	breeders.Bird
	Choices
	Batch    *store.Batch
	Why      string // why a parent is not filled in
	PenNamed string
}

// NewBird begins a bird of a species: bought, or kept of a pen's young in a batch (0: none), with the
// parents that are sure.
func (s *Service) NewBird(
	ctx context.Context, m *farm.Member, speciesID string, batchID, penID int64,
) (n NewBird, err error) {
	err = s.withFlock(ctx, m, func(tx *farm.Tx, r *registry) error {
		n.Species = speciesID
		if batchID != 0 {
			batch, err := tx.Batch(ctx, batchID)
			if err != nil {
				return err
			}
			n.Batch, n.BatchID, n.Species = &batch, &batch.ID, batch.Species
			if err := r.parents(ctx, tx, &n, batch, penID); err != nil {
				return err
			}
		}
		if n.Species == "" && len(r.w.Pens) > 0 {
			n.Species = r.w.Pens[0].Species
		}
		n.Choices = r.choices(n.Species, 0)
		return nil
	})
	return n, err
}

// parents fills in those of a pen's young in a batch, as far as all its eggs have the same.
func (r *registry) parents(ctx context.Context, tx *farm.Tx, n *NewBird, batch store.Batch, penID int64) error {
	kind := r.w.Kinds[batch.Species]
	if kind != nil && !kind.IsReptile() {
		on := r.w.Member.Date(batch.SetAt).AddDate(0, 0, int(kind.HatchDays.At))
		n.HatchedOn = &on
	}
	pen, ok := r.w.PenByID[penID]
	if !ok {
		return nil
	}
	n.Breed, n.PenNamed = pen.Breed, pen.Name
	if pen.Supplier {
		n.Origin = "eggs from " + pen.Name
		return nil
	}
	facts, err := lineage.ReadFacts(ctx, tx, r.w)
	if err != nil {
		return err
	}
	sires, dams := map[int64]bool{}, map[int64]bool{}
	sure := true
	for _, f := range facts.Of(pen) {
		if f.BatchID != batch.ID {
			continue
		}
		sure = sure && f.Sire.How == breeding.Sure
		sires[f.Sire.Bird()], dams[f.Dam] = true, true
	}
	var why []string
	if sire := only(sires); sure && sire > 0 {
		n.SireID = &sire
	} else {
		why = append(why, "the sire is not certain")
	}
	if dam := only(dams); dam > 0 {
		n.DamID = &dam
	} else {
		why = append(why, "nobody noted one hen for all of its eggs")
	}
	n.Why = strings.Join(why, ", and ")
	return nil
}

// only gives the one that is there; 0 where there are several.
func only(ids map[int64]bool) (one int64) {
	for id := range ids {
		if one = id; len(ids) > 1 {
			return 0
		}
	}
	return one
}

// Partner is a bird that another may be mated with.
type Partner struct {
	BirdRow
	Young float64 // inbreeding of their young
}

// Crossing is what comes of a trait in a mating.
type Crossing struct {
	breeding.Gene
	Sire, Dam       breeding.Copies
	SireMay, DamMay []breeding.Copies
	breeding.Crossed
}

// Mating is what comes of two birds.
type Mating struct {
	Kinds     []*species.Profile // of which there are birds of both sexes
	Kind      *species.Profile
	Sires     []BirdRow
	Dams      []BirdRow
	Sire, Dam *BirdRow
	F         float64
	Common    []string
	Partners  []Partner // for the one that is picked, the least related first
	Genes     []Crossing
}

// Mating plans one: sire and dam may be 0, not picked yet. Copies say what is known of a trait in
// the sire and the dam, by gene.
func (s *Service) Mating(
	ctx context.Context, m *farm.Member, kind string, sire, dam int64, copies map[string][2]breeding.Copies,
) (p Mating, err error) {
	err = s.withFlock(ctx, m, func(tx *farm.Tx, r *registry) error {
		if b, ok := r.flock.Birds[max(sire, dam)]; ok {
			kind = b.Species
		}
		p.kinds(r, kind)
		if p.Kind == nil {
			return nil
		}
		for _, b := range r.flock.ByName {
			if b.Species != p.Kind.ID || b.GoneOn != nil && b.ID != sire && b.ID != dam {
				continue
			}
			row := r.row(b)
			switch {
			case b.Sex == lineage.Male:
				p.Sires = append(p.Sires, row)
			default:
				p.Dams = append(p.Dams, row)
			}
			switch b.ID {
			case sire:
				p.Sire = &row
			case dam:
				p.Dam = &row
			}
		}
		p.relate(r)
		return p.cross(copies)
	})
	return p, err
}

func (p *Mating) kinds(r *registry, kind string) {
	for _, b := range r.flock.ByName {
		profile := r.w.Kinds[b.Species]
		if profile != nil && !slices.Contains(p.Kinds, profile) {
			p.Kinds = append(p.Kinds, profile)
		}
	}
	slices.SortFunc(p.Kinds, snapshot.CompareKinds)
	for _, k := range p.Kinds {
		if p.Kind == nil || k.ID == kind {
			p.Kind = k
		}
	}
}

// relate tells how closely the two are related, and of one alone who would suit.
func (p *Mating) relate(r *registry) {
	switch {
	case p.Sire != nil && p.Dam != nil:
		p.F = r.pedigree.Mating(p.Sire.ID, p.Dam.ID)
		for _, a := range r.pedigree.Common(p.Sire.ID, p.Dam.ID) {
			p.Common = append(p.Common, r.flock.Birds[a.Bird].Name)
		}
	case p.Sire != nil:
		for _, d := range p.Dams {
			p.Partners = append(p.Partners, Partner{d, r.pedigree.Mating(p.Sire.ID, d.ID)})
		}
	case p.Dam != nil:
		for _, s := range p.Sires {
			p.Partners = append(p.Partners, Partner{s, r.pedigree.Mating(s.ID, p.Dam.ID)})
		}
	}
	slices.SortStableFunc(p.Partners, func(a, b Partner) int {
		switch {
		case a.Young < b.Young:
			return -1
		case a.Young > b.Young:
			return 1
		}
		return 0
	})
}

func (p *Mating) cross(copies map[string][2]breeding.Copies) error {
	for _, g := range breeding.Genes(p.Kind.ID) {
		c := Crossing{
			Gene: g, Sire: breeding.Unknown, Dam: breeding.Unknown, SireMay: g.CopiesKnown(true), DamMay: g.CopiesKnown(false),
		}
		if known, ok := copies[g.ID]; ok {
			if slices.Contains(c.SireMay, known[0]) {
				c.Sire = known[0]
			}
			if slices.Contains(c.DamMay, known[1]) {
				c.Dam = known[1]
			}
		}
		var err error
		if c.Crossed, err = g.Cross(c.Sire, c.Dam); err != nil {
			return err
		}
		p.Genes = append(p.Genes, c)
	}
	return nil
}

// Selection is what generations of one kind were like, and how much of what was selected came
// through.
type Selection struct {
	Kinds       []*species.Profile
	Kind        *species.Profile
	Generations []GenerationRow
	Realised    float64
	StdError    float64
	Known       bool // Realised is
	Unmeasured  int  // birds without a weight
}

// FewSays why it is not said how much of what was selected came through.
func (s Selection) FewSays() string {
	birds := 0
	for _, g := range s.Generations {
		birds += g.Birds
	}
	switch {
	case len(s.Generations) < 3:
		return "From three measured generations on this shows how much is inherited."
	case birds < breeding.LeastMeasured:
		return wording.TooFew(birds, breeding.LeastMeasured, "bird")
	}
	return "Too few birds to say how much of it is inherited."
}

// GenerationRow is one generation: founders are the first, and young one after their later parent.
type GenerationRow struct {
	No int
	breeding.Generation
	Shells []ShellShare
}

// ShellShare is how many birds of a generation have a colour of shell.
type ShellShare struct {
	Colour string
	Birds  int
	Of     int
}

// Selection draws the response of a kind's birds to selection by weight, and of their shells.
func (s *Service) Selection(ctx context.Context, m *farm.Member, kind string) (all Selection, err error) {
	err = s.withFlock(ctx, m, func(tx *farm.Tx, r *registry) error {
		var p Mating
		p.kinds(r, kind)
		if all.Kinds, all.Kind = p.Kinds, p.Kind; all.Kind == nil {
			return nil
		}
		weights, parents := map[int][]float64{}, map[int][]bool{}
		shells := map[int]map[string]int{}
		last := 0
		for _, b := range r.flock.ByName {
			if b.Species != all.Kind.ID {
				continue
			}
			no := r.generation(b.ID)
			last = max(last, no)
			if b.Shell != "" {
				if shells[no] == nil {
					shells[no] = map[string]int{}
				}
				shells[no][strings.ToLower(b.Shell)]++
			}
			if b.WeightG == nil {
				all.Unmeasured++
				continue
			}
			weights[no] = append(weights[no], *b.WeightG)
			parents[no] = append(parents[no], len(r.young[b.ID]) > 0)
		}
		var gs []breeding.Generation
		for no := 0; no <= last; no++ {
			row := GenerationRow{No: no, Generation: breeding.GenerationOf(weights[no], parents[no])}
			row.shells(shells[no])
			all.Generations = append(all.Generations, row)
			if row.Birds > 0 {
				gs = append(gs, row.Generation)
			}
		}
		all.Realised, all.StdError, all.Known = breeding.Realised(gs)
		return nil
	})
	return all, err
}

func (g *GenerationRow) shells(of map[string]int) {
	n := 0
	for _, birds := range of {
		n += birds
	}
	for colour, birds := range of {
		g.Shells = append(g.Shells, ShellShare{colour, birds, n})
	}
	slices.SortFunc(g.Shells, func(a, b ShellShare) int { return strings.Compare(a.Colour, b.Colour) })
}

// generation of a bird: one after the later of its parents, 0 where none is known.
func (r *registry) generation(id int64) int {
	p := lineage.ParentsOf(r.flock.Birds[id])
	no := 0
	for _, parent := range []int64{p.Sire, p.Dam} {
		if parent != 0 {
			no = max(no, r.generation(parent)+1)
		}
	}
	return no
}
