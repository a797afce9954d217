package breeding

import (
	"fmt"
	"slices"
)

// Parents of a bird; "" or 0 as a caller's ids have it: one that nobody knows.
type Parents[ID comparable] struct{ Sire, Dam ID }

// Pedigree is birds with their parents.
type Pedigree[ID comparable] struct {
	parents map[ID]Parents[ID]
	age     map[ID]int // every bird's is greater than its parents'
	none    ID
	memory  map[[2]ID]float64
}

// NewPedigree orders birds after their parents. A parent that is no bird of the pedigree, and a
// bird that descends from itself, are errors that name it.
func NewPedigree[ID comparable](birds []ID, parents map[ID]Parents[ID]) (*Pedigree[ID], error) {
	p := &Pedigree[ID]{parents: parents, age: map[ID]int{}, memory: map[[2]ID]float64{}}
	known := map[ID]bool{}
	for _, b := range birds {
		if known[b] {
			return nil, fmt.Errorf("%v is there twice; every bird may be there once", b)
		}
		known[b] = true
	}
	const open = -1
	placed := 0
	var visit func(b ID) error
	visit = func(b ID) error {
		switch p.age[b] {
		case 0:
		case open:
			return fmt.Errorf("%v descends from itself; a parent may be any bird hatched before", b)
		default:
			return nil
		}
		p.age[b] = open
		for _, of := range []ID{parents[b].Sire, parents[b].Dam} {
			if of == p.none {
				continue
			}
			if !known[of] {
				return fmt.Errorf("%v, a parent of %v, is not known; it may be one of the birds or none", of, b)
			}
			if err := visit(of); err != nil {
				return err
			}
		}
		placed++
		p.age[b] = placed
		return nil
	}
	for _, b := range birds {
		if err := visit(b); err != nil {
			return nil, err
		}
	}
	return p, nil
}

// Has tells whether a bird is one of the pedigree.
func (p *Pedigree[ID]) Has(b ID) bool { return p.age[b] > 0 }

// Inbreeding is Wright's coefficient of a bird, 0 to 1: the chance that the two copies of a gene
// that it has are one and the same ancestor's. Birds without parents are taken for unrelated.
//
// Wright 1922, Coefficients of inbreeding and relationship, The American Naturalist 56.
func (p *Pedigree[ID]) Inbreeding(b ID) float64 {
	of := p.parents[b]
	return p.Mating(of.Sire, of.Dam)
}

// Mating is the coefficient that young of two birds would have.
func (p *Pedigree[ID]) Mating(sire, dam ID) float64 {
	if sire == p.none || dam == p.none {
		return 0
	}
	if sire == dam {
		return (1 + p.Inbreeding(sire)) / 2
	}
	if p.age[sire] > p.age[dam] { // the younger one is taken apart into its parents
		sire, dam = dam, sire
	}
	key := [2]ID{sire, dam}
	if f, ok := p.memory[key]; ok {
		return f
	}
	of := p.parents[dam]
	f := (p.Mating(sire, of.Sire) + p.Mating(sire, of.Dam)) / 2
	p.memory[key] = f
	return f
}

// Ancestor is one of those that both parents of a mating descend from.
type Ancestor[ID comparable] struct {
	Bird ID
	Sire int // generations from it to the sire; 0: it is him
	Dam  int
}

// Common lists the nearest ancestors that two birds share, those first that are fewest
// generations away.
func (p *Pedigree[ID]) Common(sire, dam ID) (all []Ancestor[ID]) {
	left, right := p.generations(sire), p.generations(dam)
	for b, s := range left {
		d, both := right[b]
		if !both {
			continue
		}
		all = append(all, Ancestor[ID]{Bird: b, Sire: s, Dam: d})
	}
	nearest := all[:0:0]
	for _, a := range all { // an ancestor of a common ancestor's own line says nothing new
		if !slices.ContainsFunc(all, func(o Ancestor[ID]) bool {
			_, through := p.generations(o.Bird)[a.Bird]
			return through && o.Sire < a.Sire && o.Dam < a.Dam
		}) {
			nearest = append(nearest, a)
		}
	}
	slices.SortFunc(nearest, func(a, b Ancestor[ID]) int {
		if d := a.Sire + a.Dam - b.Sire - b.Dam; d != 0 {
			return d
		}
		return p.age[a.Bird] - p.age[b.Bird]
	})
	return nearest
}

// generations gives how many generations back each ancestor of a bird stands, itself included.
func (p *Pedigree[ID]) generations(b ID) map[ID]int {
	all := map[ID]int{}
	next := []ID{b}
	for g := 0; len(next) > 0; g++ {
		var before []ID
		for _, x := range next {
			if _, seen := all[x]; x == p.none || seen {
				continue
			}
			all[x] = g
			before = append(before, p.parents[x].Sire, p.parents[x].Dam)
		}
		next = before
	}
	return all
}

// Closeness puts a coefficient of inbreeding into words [common practice].
func Closeness(f float64) string {
	switch {
	case f == 0:
		return "not related, as far as is known"
	case f < 0.0625:
		return "distantly related"
	case f < 0.125:
		return "like first cousins"
	case f < 0.25:
		return "like half brother and sister"
	}
	return "as close as brother and sister, or closer"
}
