package hatch

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"metrogon/core/hatching"
	"metrogon/core/outcome"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
	hatchrows "metrogon/store/hatch"
)

// What can be done beside a machine that hatches, besides a pip, a zip and a young out.
const (
	Look     = snapshot.Looked // nothing new
	Open     = "open"          // the lid was opened
	Tell     = "tell"          // young told apart
	TakeOut  = "take-out"      // young to where it is warm
	TakeBack = "take-back"     // what another key did
)

// Tap is one thing done at the hatch watch, perhaps while the phone had no signal. Its key makes it
// happen once, however often it is sent.
type Tap struct {
	Key     string    `json:"key"`
	Kind    string    `json:"kind"` // pip, zip, out, or one of the above
	Batch   int64     `json:"batch"`
	Egg     int64     `json:"egg"`
	Pen     int64     `json:"pen"` // where the egg is not known
	Trial   bool      `json:"trial"`
	N       int       `json:"n"`
	At      time.Time `json:"at"`
	Ago     int       `json:"ago"` // minutes before that
	Minutes int       `json:"minutes"`
	Why     string    `json:"why"`
	Place   string    `json:"place"`
	Of      string    `json:"of"` // the key that a take-back takes back
	Told    Told      `json:"told"`
}

// Told is what is told of young, alike of N of them.
type Told struct {
	Colour  string   `json:"colour"`
	Sex     string   `json:"sex"`
	Band    string   `json:"band"`
	WeightG float64  `json:"weight_g"`
	Signs   []string `json:"signs"`
	Died    bool     `json:"died"`
	Note    string   `json:"note"`
}

// Signs of a young that are worth a note.
var Signs = []string{"assisted", "weak", "splayed", "curled", "navel", "sticky"}

// Apply does what was tapped beside a machine.
func (b *Service) Apply(ctx context.Context, req farm.Request, machineID int64, taps []Tap) ([]farm.OpDone, error) {
	return farm.EachOp(req, fmt.Sprintf("watch %d", machineID), taps, func(t Tap) string { return t.Key },
		func(req farm.Request, t Tap) (farm.Done, error) { return b.tap(ctx, req, machineID, t) })
}

// mostAgo is how long after something was seen it can be told by a tap, minutes: two days.
const mostAgo = 2 * 24 * 60

func (b *Service) tap(ctx context.Context, req farm.Request, machineID int64, t Tap) (farm.Done, error) {
	if t.Ago < 0 || t.Ago > mostAgo {
		return farm.Done{}, farm.Problemf("ago", "It may be 0 to 48 hours ago.")
	}
	at := b.Made(t.At).Add(-time.Duration(t.Ago) * time.Minute)
	switch t.Kind {
	case hatching.Pip, hatching.Zip, Look:
		return b.sign(ctx, req, t, at)
	case hatching.Out:
		if t.Egg != 0 {
			return b.End(ctx, req, t.Batch, Ending{Eggs: []int64{t.Egg}, Fate: outcome.Hatched, At: at})
		}
		y := Young{At: at, ByPen: map[int64]int{t.Pen: t.N}}
		if t.Trial {
			y.ByPen, y.OnTrial = nil, y.ByPen
		}
		return b.Hatched(ctx, req, t.Batch, y)
	case Open:
		return b.opened(ctx, req, machineID, t, at)
	case Tell:
		return b.tell(ctx, req, t, at)
	case TakeOut:
		return b.takeOut(ctx, req, t, at)
	case TakeBack:
		return journal.TakeBackOf(ctx, b.Service, req, t.Of)
	}
	return farm.Done{}, farm.Problemf("kind", "%.20q is nothing that can be done at the hatch watch.", t.Kind)
}

// sign notes a pip, a zip, or that nothing new is to be seen.
func (b *Service) sign(ctx context.Context, req farm.Request, t Tap, at time.Time) (farm.Done, error) {
	return b.onPens(ctx, req, t.Batch, func(tx *farm.Tx, batch store.Batch, pens []snapshot.PenEggs) (farm.Done, error) {
		at, err := snapshot.When(tx, batch, at)
		if err != nil {
			return farm.Done{}, err
		}
		s, of := hatchrows.HatchSign{BatchID: batch.ID, Kind: t.Kind, N: 1, At: at}, ""
		if t.Kind != Look {
			if of, err = whose(&s, t, pens); err != nil {
				return farm.Done{}, err
			}
		}
		id, err := hatchrows.On(tx).AddSign(ctx, s, req.PersonID)
		if err != nil {
			return farm.Done{}, err
		}
		said := map[string]string{
			Look: "looked, nothing new", hatching.Pip: of + " pipped", hatching.Zip: of + " zipped",
		}[t.Kind]
		return journal.Record(
			ctx, tx, journal.On(journal.Batch, batch.ID), journal.Undo{dropSigns.Of([]int64{id})}, "%s: %s.", batch.Code, said,
		)
	})
}

// whose puts into a sign which egg it is of, or how many of which pen, and names them.
func whose(s *hatchrows.HatchSign, t Tap, pens []snapshot.PenEggs) (string, error) {
	for _, p := range pens {
		if t.Egg == 0 && p.ID == t.Pen && p.Trial == t.Trial {
			var problems farm.Problems
			problems.Count("n", "The number of eggs", t.N, 1, p.Alive)
			s.PenID, s.Trial, s.N = &p.ID, p.Trial, t.N
			return fmt.Sprintf("%s of %s", wording.Plural(t.N, "egg"), p.Label()), problems.Err()
		}
		for _, e := range p.Eggs {
			if t.Egg == 0 || e.ID != t.Egg {
				continue
			}
			if e.Fate != nil {
				return "", farm.Problemf("egg", "Egg %s is %s already.", snapshot.CodeOf(e.Mark, e.No), *e.Fate)
			}
			s.PenID, s.Trial, s.EggID = &p.ID, p.Trial, &e.ID
			return "egg " + snapshot.CodeOf(e.Mark, e.No), nil
		}
	}
	return "", farm.ErrNone
}

// opened notes that the lid was opened, and why.
func (b *Service) opened(
	ctx context.Context, req farm.Request, machineID int64, t Tap, at time.Time,
) (farm.Done, error) {
	return snapshot.OnMachine(ctx, b.Service, req, farm.Helping, machineID,
		func(tx *farm.Tx, x snapshot.Machine) (farm.Done, error) {
			var p farm.Problems
			why := p.Name("why", "Why it was opened", t.Why, 60, true)
			p.Count("minutes", "The minutes that it was open", t.Minutes, 0, 1440)
			if err := p.Err(); err != nil {
				return farm.Done{}, err
			}
			id, err := hatchrows.On(tx).AddOpening(
				ctx, store.LidOpening{MachineID: machineID, At: at, Minutes: t.Minutes, Why: why}, req.PersonID,
			)
			if err != nil {
				return farm.Done{}, err
			}
			return journal.Record(
				ctx, tx, journal.On(journal.Machine, machineID), journal.Undo{dropOpenings.Of([]int64{id})},
				"%s opened for %s: %s.", x.Name, wording.Plural(t.Minutes, "minute"), why,
			)
		})
}

// tell notes what is seen of young that are out.
func (b *Service) tell(ctx context.Context, req farm.Request, t Tap, at time.Time) (farm.Done, error) {
	return b.onPens(ctx, req, t.Batch, func(tx *farm.Tx, batch store.Batch, pens []snapshot.PenEggs) (farm.Done, error) {
		at, err := snapshot.When(tx, batch, at)
		if err != nil {
			return farm.Done{}, err
		}
		i := slices.IndexFunc(pens, func(p snapshot.PenEggs) bool { return p.ID == t.Pen && p.Trial == t.Trial })
		if i < 0 {
			return farm.Done{}, farm.ErrNone
		}
		rows, err := hatchrows.On(tx).Hatch(ctx, batch.HatcherID, []int64{batch.ID}, nil, batch.SetAt)
		if err != nil {
			return farm.Done{}, err
		}
		one, err := t.Told.young(batch.ID, t, at, t.left(pens[i], rows.Young))
		if err != nil {
			return farm.Done{}, err
		}
		if t.Egg != 0 && !slices.ContainsFunc(pens[i].Eggs, t.isOut) {
			return farm.Done{}, farm.ErrNone
		}
		var ids []int64
		for range t.N {
			id, err := hatchrows.On(tx).AddOneYoung(ctx, one)
			if err != nil {
				return farm.Done{}, err
			}
			ids = append(ids, id)
		}
		return journal.Record(
			ctx, tx, journal.On(journal.Batch, batch.ID), journal.Undo{dropOnes.Of(ids)}, "%s: %d young of %s: %s.",
			batch.Code, t.N, pens[i].Label(), t.Told,
		)
	})
}

// left is how many young of a pen are out and not told apart yet.
func (t Tap) left(p snapshot.PenEggs, told []hatchrows.OneYoung) int {
	n := p.Hatched
	for _, y := range told {
		n -= farm.OneIf(y.PenID == t.Pen && y.Trial == t.Trial)
	}
	return n
}

// isOut tells whether an egg is the one tapped, and hatched.
func (t Tap) isOut(e store.Egg) bool { return e.ID == t.Egg && snapshot.FateOf(e) == outcome.Hatched }

// young is a row of what is told, of which so many more can be.
func (x Told) young(batchID int64, t Tap, at time.Time, left int) (one hatchrows.OneYoung, err error) {
	var p farm.Problems
	switch {
	case left <= 0:
		p.Addf("n", "No young of this pen are out that are not told apart yet.")
	case t.N > left:
		p.Addf("n", "%d young of this pen are out and not told apart yet; it may be 1 to %d.", left, left)
	default:
		p.Count("n", "The number of young", t.N, 1, 500)
	}
	if x.Band != "" && t.N != 1 {
		p.Addf("band", "A band belongs to one young.")
	}
	one = hatchrows.OneYoung{
		BatchID: batchID, PenID: t.Pen, Trial: t.Trial, At: at, Sex: x.Sex, Signs: x.Signs,
		Colour: p.Name("colour", "The colour", x.Colour, 40, false),
		Band:   p.Name("band", "The band or mark", x.Band, 30, false),
		Note:   p.Name("note", "The note", x.Note, 300, false),
	}
	x.check(&p)
	switch {
	case x.WeightG == 0:
	case !(x.WeightG > 0.3 && x.WeightG < 400):
		p.Addf("weight", "The weight of a young may be 0.3 to 400 g.")
	default:
		one.WeightG = &x.WeightG
	}
	if t.Egg != 0 {
		one.EggID = &t.Egg
	}
	if x.Died {
		one.DiedAt = &at
	}
	if x.String() == "" {
		p.Addf("told", "Say what is to be noted of them.")
	}
	return one, p.Err()
}

func (x Told) check(p *farm.Problems) {
	if x.Sex != "" && x.Sex != "male" && x.Sex != "female" {
		p.Addf("sex", "A young is male or female, or it is not told.")
	}
	for _, s := range x.Signs {
		if !slices.Contains(Signs, s) {
			p.Addf("signs", "%.20q is no sign of a young.", s)
		}
	}
}

// String puts what is told into words.
func (x Told) String() string {
	words := slices.Clone(x.Signs)
	for _, s := range []string{x.Sex, x.Colour, x.Band, x.Note} {
		if s = strings.TrimSpace(s); s != "" {
			words = append(words, s)
		}
	}
	if x.WeightG > 0 {
		words = append(words, fmt.Sprintf("%g g", x.WeightG))
	}
	if x.Died {
		words = append(words, "died")
	}
	return strings.Join(words, ", ")
}

// takeOut notes that young went to where they are warm.
func (b *Service) takeOut(ctx context.Context, req farm.Request, t Tap, at time.Time) (farm.Done, error) {
	return b.onPens(ctx, req, t.Batch, func(tx *farm.Tx, batch store.Batch, pens []snapshot.PenEggs) (farm.Done, error) {
		at, err := snapshot.When(tx, batch, at)
		if err != nil {
			return farm.Done{}, err
		}
		rows, err := hatchrows.On(tx).Hatch(ctx, batch.HatcherID, []int64{batch.ID}, nil, batch.SetAt)
		if err != nil {
			return farm.Done{}, err
		}
		inside := 0
		for _, p := range pens {
			inside += p.Hatched
		}
		for _, x := range rows.Taken {
			inside -= x.Young
		}
		var p farm.Problems
		place := p.Name("place", "Where they go", t.Place, 60, true)
		p.Count("n", "The number of young", t.N, 1, max(1, inside))
		if inside < 1 {
			p.Addf("n", "No young are out that are still in the machine.")
		}
		if err := p.Err(); err != nil {
			return farm.Done{}, err
		}
		id, err := hatchrows.On(tx).AddTaken(
			ctx, hatchrows.Taken{BatchID: batch.ID, At: at, Young: t.N, Place: place}, req.PersonID,
		)
		if err != nil {
			return farm.Done{}, err
		}
		done, err := journal.Record(
			ctx, tx, journal.On(journal.Batch, batch.ID), journal.Undo{dropTaken.Of([]int64{id})}, "%s: %d young to %s.",
			batch.Code, t.N, place,
		)
		if strings.Contains(strings.ToLower(place), "brooder") { // a name alone keeps no count
			done.Said += " To count them there, bring them in under Brooders."
		}
		return done, err
	})
}
