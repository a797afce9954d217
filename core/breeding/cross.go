package breeding

import (
	"bytes"
	_ "embed"
	"fmt"
	"slices"
	"sync"

	"github.com/pelletier/go-toml/v2"

	"metrogon/core/species"
)

// Gene is a trait that one gene decides, in two forms: with it, or without.
type Gene struct {
	ID        string   `toml:"id"`
	Name      string   `toml:"name"`
	Species   []string `toml:"species"`
	With      string   `toml:"with"`    // what shows with one copy, or two
	Without   string   `toml:"without"` // and with none
	Shows     string   `toml:"shows"`   // "eggs": in those that daughters lay; else in the young
	SexLinked bool     `toml:"sex_linked"`
	Rule      string   `toml:"rule"`
	species.Origin
}

//go:embed genes.toml
var geneFile []byte

var genes = sync.OnceValues(func() ([]Gene, error) {
	var file struct {
		Gene []Gene `toml:"gene"`
	}
	d := toml.NewDecoder(bytes.NewReader(geneFile)).DisallowUnknownFields()
	err := d.Decode(&file)
	return file.Gene, err
})

// Genes lists those of a species.
func Genes(speciesID string) (all []Gene) {
	known, err := genes()
	if err != nil {
		panic(err) // a broken data file cannot pass the tests
	}
	for _, g := range known {
		if slices.Contains(g.Species, speciesID) {
			all = append(all, g)
		}
	}
	return all
}

// Copies is how many copies of a gene a parent has, as far as is known.
type Copies string

// What may be known of a parent.
const (
	Two     Copies = "two"     // bred pure
	One     Copies = "one"     // it shows, and one of its parents did not have it
	None    Copies = "none"    // it does not show
	Shows   Copies = "shows"   // one or two: nobody knows
	Unknown Copies = "unknown" // nothing is known
)

// CopiesKnown lists what may be said of a parent: a hen has one Z chromosome and so at most one copy
// of what lies on it.
func (g Gene) CopiesKnown(male bool) []Copies {
	if g.SexLinked && !male {
		return []Copies{One, None, Unknown}
	}
	return []Copies{Two, One, Shows, None, Unknown}
}

// may lists the numbers of copies that are meant.
func (c Copies) may(most int) []int {
	switch c {
	case Two:
		return []int{2}
	case One:
		return []int{1}
	case None:
		return []int{0}
	case Shows:
		return []int{1, 2}[:most]
	}
	return []int{0, 1, 2}[:most+1]
}

// Share of the young of one sex that have the gene, in hundredths from 0 to 100; Low and High differ
// where a parent's copies are not known.
type Share struct{ Low, High float64 }

// Crossed is what comes of a cross.
type Crossed struct {
	Sons, Daughters Share // with the gene
	Pure            Share // of sons and daughters alike, with two copies; of sons where it is sex-linked
	// Sexes tells that sons and daughters can be told apart by it, every one.
	Sexes bool
}

// Cross gives the shares of young of a sire and a dam.
func (g Gene) Cross(sire, dam Copies) (Crossed, error) {
	for _, p := range []struct {
		who  string
		c    Copies
		male bool
	}{{"the sire", sire, true}, {"the dam", dam, false}} {
		if !slices.Contains(g.CopiesKnown(p.male), p.c) {
			return Crossed{}, fmt.Errorf("%s: %q copies of %s are not possible", p.who, p.c, g.Name)
		}
	}
	most := 2
	if g.SexLinked {
		most = 1
	}
	all := Share{101, -1}
	out := Crossed{Sons: all, Daughters: all, Pure: all}
	for _, s := range sire.may(2) {
		for _, d := range dam.may(most) {
			fromSire, fromDam := float64(s)/2, float64(d)/float64(most)
			either := 1 - (1-fromSire)*(1-fromDam)
			out.Sons.hold(either)
			out.Pure.hold(fromSire * fromDam)
			if g.SexLinked {
				out.Daughters.hold(fromSire)
			} else {
				out.Daughters.hold(either)
			}
		}
	}
	out.Sexes = g.SexLinked && (out.Sons.Low == 100 && out.Daughters.High == 0)
	return out, nil
}

func (s *Share) hold(x float64) { s.Low, s.High = min(s.Low, 100*x), max(s.High, 100*x) }

// Open tells that it may be anything: neither parent is known.
func (s Share) Open() bool { return s.Low == 0 && s.High == 100 }

// String reads as people say it.
func (s Share) String() string {
	switch {
	case s.Low == s.High && s.Low == 100:
		return "all"
	case s.Low == s.High && s.Low == 0:
		return "none"
	case s.Low == s.High:
		return fmt.Sprintf("%.0f in 100", s.Low)
	}
	return fmt.Sprintf("%.0f to %.0f in 100", s.Low, s.High)
}
