package ahead

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"
	"time"

	"metrogon/core/brooding"
	"metrogon/core/calendar"
	planner "metrogon/core/season"
	"metrogon/core/species"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/snapshot"
	rows "metrogon/store/season"
)

// Trouble is what stands against a planned batch, in a sentence.
type Trouble struct {
	planner.Trouble
	Says string
}

// Cure is a change after which a planned batch clashes with nothing; what is zero stays.
type Cure struct {
	Says      string
	SetterID  int64
	HatcherID int64
	Days      int // later; below 0: earlier
	Eggs      int // in all
}

// Yard is all that stands, is planned, or binds.
func (s *Outlook) Yard() planner.Yard {
	y := planner.Yard{Places: -1, Clean: map[int64]int{}}
	for _, x := range s.W.Machines {
		y.Clean[x.ID] = x.CleanDays
		if x.UntilOn != nil {
			y.Shut = append(y.Shut, planner.Shut{
				MachineID: x.ID, From: s.midnight(x.UntilOn.AddDate(0, 0, 1)), To: s.midnight(s.Date(3 * MostDays)),
				Why: "it is not used any more",
			})
		}
	}
	y.Stays = append(s.W.AllStays(s.W.OpenRead()), s.W.PlannedStays(s.Ahead, 0)...)
	for _, c := range s.Book.Closures {
		to := s.Date(3 * MostDays)
		if c.ToOn != nil {
			to = *c.ToOn
		}
		y.Shut = append(
			y.Shut, planner.Shut{MachineID: c.MachineID, From: s.midnight(c.FromOn), To: s.midnight(to), Why: c.Why},
		)
	}
	for _, a := range s.Book.Away {
		y.Away = append(
			y.Away, planner.Absence{From: s.midnight(a.FromOn), To: s.midnight(a.ToOn), Not: a.Actions, Why: a.Why},
		)
	}
	if len(s.Book.Brooders) > 0 {
		y.Places = s.BrooderPlaces()
	}
	for _, c := range s.comers() {
		y.Groups = append(y.Groups, planner.Group{BatchID: c.StayID, From: s.midnight(c.From), To: s.midnight(c.To),
			Places: c.Places})
	}
	return y
}

// young is what is to be expected of eggs set at a moment.
func (s *Outlook) young(eggs []rows.PlannedEggs, at time.Time) (sum float64) {
	for _, n := range s.youngOf(eggs, s.W.Member.Date(at)) {
		sum += n
	}
	return sum
}

// midnight is when a date begins on the farm.
func (s *Outlook) midnight(on time.Time) time.Time {
	return time.Date(on.Year(), on.Month(), on.Day(), 0, 0, 0, 0, s.W.Member.Place)
}

// Comer is young that are in the brooders, or will be.
type Comer struct {
	brooding.Group // by dates
	Code           string
	BatchID        int64 // 0: of a planned batch, or bought
	StayID         int64 // of a planned batch as its stays are known; 0: it stands
	Young          float64
}

// comers are the young that take room in the brooders: those that are in, those to be expected of what
// stands, and of what is planned.
func (s *Outlook) comers() (all []Comer) {
	for _, b := range s.Book.Broods {
		if kind := s.W.Kinds[b.Species]; b.BrooderID != nil && kind != nil {
			c := Comer{Group: brooding.GroupOf(kind, float64(b.Alive), b.BeganOn, true), Young: float64(b.Alive)}
			if b.BatchID != nil {
				c.BatchID = *b.BatchID
			}
			all = append(all, c)
		}
	}
	for _, v := range s.Open {
		if v.Kind.IsAltricial() { // no brooder keeps them
			continue
		}
		young := 0.0
		for _, n := range s.Stands[v.ID].ByPen {
			young += n
		}
		c := s.comer(v, max(0, young-s.Housed(v.ID)))
		c.BatchID = v.ID
		all = append(all, c)
	}
	for _, p := range s.Ahead {
		if p.Kind.IsAltricial() {
			continue
		}
		c := s.comer(p.BatchView, s.young(p.Eggs, p.SetAt))
		c.StayID = p.StayID()
		all = append(all, c)
	}
	return all
}

// comer is a batch's young that will be in the brooder.
func (s *Outlook) comer(v snapshot.BatchView, young float64) Comer {
	return Comer{
		Group: brooding.GroupOf(v.Kind, young, PullDay(s.W.Member, v), false), Code: v.Code, Young: young,
	}
}

// Comers tells of the young that are in the brooders, or will be.
func Comers(ctx context.Context, tx *farm.Tx) ([]Comer, error) {
	s, err := Of(ctx, tx)
	if err != nil {
		return nil, err
	}
	s.Supply.Laid(s, 1)
	return s.comers(), nil
}

// groupOf is what a planned batch's young take in the brooder.
func (s *Outlook) groupOf(p snapshot.Planned) planner.Group {
	c := s.comer(p.BatchView, s.young(p.Eggs, p.SetAt))
	return planner.Group{BatchID: p.StayID(), From: s.midnight(c.From), To: s.midnight(c.To), Places: c.Places}
}

// Against lists what stands against a planned batch where and when it is, with the eggs that
// are left for it.
func (s *Outlook) Against(y planner.Yard, p snapshot.Planned, eggs Supply) []Trouble {
	there := 0
	for _, e := range eggs.Of(p).ForPlanned(s, p, max(0, s.Day(p.SetOn))) {
		there += e.Eggs
	}
	return s.Troubles(y, p, there)
}

// Troubles are those of a planned batch of whose eggs so many will be there.
func (s *Outlook) Troubles(y planner.Yard, p snapshot.Planned, there int) (all []Trouble) {
	m := s.W.Member
	move := planner.Move{
		Stays: p.Stays(s.W), SetOn: s.midnight(m.Date(p.SetAt)), PullOn: s.midnight(PullDay(m, p.BatchView)),
		Young: s.groupOf(p),
	}
	if lock := p.At(calendar.Lockdown); !lock.IsZero() {
		move.LockOn = s.midnight(m.Date(lock))
	}
	for _, t := range y.Against(move) {
		all = append(all, Trouble{t, s.sentence(t, p)})
	}
	return append(all, s.lacks(p, there)...)
}

// lacks tells of eggs that are not there, or too old by then.
func (s *Outlook) lacks(p snapshot.Planned, there int) []Trouble {
	day := max(0, s.Day(p.SetOn))
	if there >= p.Count {
		return nil
	}
	says := fmt.Sprintf("Only %d of these %d eggs will be there and at most %d days old on %s.",
		there, p.Count, MaxAge(p.Kind), s.Says(day))
	if p.Count == 0 {
		says = "No eggs are planned for it."
	}
	return []Trouble{
		{planner.Trouble{Reason: planner.EggsReason, MachineID: p.SetterID, From: p.SetAt, To: p.SetAt}, says},
	}
}

// sentence tells a trouble in words.
func (s *Outlook) sentence(t planner.Trouble, p snapshot.Planned) string {
	machine, day := s.W.MachineByID[t.MachineID].Name, s.W.Member.ShortDay
	why := ""
	if t.Why != "" {
		why = " (" + t.Why + ")"
	}
	switch t.Reason {
	case planner.RoomReason:
		if t.Clash.Stay.Room > 0 {
			return fmt.Sprintf("%s would be %.0f %% full from %s.", machine, 100*t.Clash.Share, day(t.From))
		}
		return t.Clash.Why(machine, day)
	case planner.CleaningReason:
		if t.Clash.Stay.BatchID == p.StayID() {
			return fmt.Sprintf("%s is being cleaned after %s until %s.", machine, t.Clash.With.Code, day(t.To))
		}
		return fmt.Sprintf("%s would not be clean for %s on %s.", machine, t.Clash.Stay.Code, day(t.Clash.Stay.From))
	case planner.ClosedReason:
		return fmt.Sprintf("%s takes no eggs from %s on%s.", machine, day(t.From), why)
	case planner.AwayReason:
		what := map[string]string{"set": "Setting", "lockdown": "Lockdown", "pull": "The pull"}[t.Action]
		return fmt.Sprintf("%s falls on days away, %s to %s%s.", what, day(t.From), day(t.To.Add(-time.Hour)), why)
	case planner.BrooderReason:
		return fmt.Sprintf(
			"The brooder is full from %s: %s too few.", day(t.From), wording.Plural(int(math.Ceil(t.Over)), "place"),
		)
	}
	if t.Clash.Stay.BatchID != p.StayID() { // the other one comes later
		return fmt.Sprintf(
			"%s needs %s for %s on %s, while these eggs are in it.", t.Clash.Stay.Code, machine,
			phase(t.Clash.Stay.Phase), day(t.Clash.Stay.From),
		)
	}
	return t.Clash.Why(machine, day)
}

func phase(p planner.Phase) string {
	if p == planner.Locked {
		return "lockdown"
	}
	return "turning"
}

// On changes a planned batch.
func (s *Outlook) On(p snapshot.Planned, c Cure) (snapshot.Planned, error) {
	p.SetterID, p.HatcherID = cmp.Or(c.SetterID, p.SetterID), cmp.Or(c.HatcherID, p.HatcherID)
	p.SetOn = p.SetOn.AddDate(0, 0, c.Days)
	if c.Eggs > 0 {
		p.Eggs = Fewer(p.Eggs, c.Eggs)
	}
	err := s.W.WorkOut(&p)
	return p, err
}

// Fewer leaves so many eggs, from each pen its share, the freshest in store: they keep longest.
func Fewer(eggs []rows.PlannedEggs, n int) (left []rows.PlannedEggs) {
	eggs = slices.Clone(eggs)
	all := 0
	for _, e := range eggs {
		all += e.Eggs
	}
	slices.SortStableFunc(eggs, func(a, b rows.PlannedEggs) int { return a.LaidOn.Compare(b.LaidOn) })
	for all > n {
		last := len(eggs) - 1
		drop := min(eggs[last].Eggs, all-n)
		eggs[last].Eggs, all = eggs[last].Eggs-drop, all-drop
		if eggs[last].Eggs == 0 {
			eggs = eggs[:last]
		}
	}
	return eggs
}

const (
	// cureDays is how far from its day a planned batch may go to be cured.
	cureDays = 10
	// MostCures are offered; nobody reads more.
	MostCures = 4
	// roomiest are how many machines are tried in pairs.
	roomiest = 5
)

// Cures finds the nearest changes after which a planned batch clashes with nothing: another
// hatcher, another setter, both, fewer eggs, some days earlier or later.
func (s *Outlook) Cures(y planner.Yard, p snapshot.Planned, eggs Supply) (all []Cure) {
	try := func(c Cure) bool {
		if len(all) == MostCures {
			return false
		}
		changed, err := s.On(p, c)
		if err != nil || changed.SetOn.Before(s.Today) || changed.Count == 0 || len(s.Against(y, changed, eggs)) > 0 {
			return false
		}
		all = append(all, c)
		return true
	}
	for _, h := range s.MachinesFor(p.Kind, true) {
		if h.ID != p.HatcherID {
			try(Cure{Says: h.Name + " is free for the hatch", HatcherID: h.ID})
		}
	}
	for _, x := range s.MachinesFor(p.Kind, false) {
		if x.ID != p.SetterID {
			try(Cure{Says: "set in " + x.Name, SetterID: x.ID})
		}
	}
	if n := s.Most(y, p, eggs); n >= FewestEggs && len(all) < MostCures {
		all = append(all, Cure{Says: wording.Plural(p.Count-n, "egg") + " fewer", Eggs: n})
	}
	earlier, later := false, false
	for d := 1; d <= cureDays && !(earlier && later); d++ {
		earlier = earlier || try(Cure{Says: wording.Plural(d, "day") + " earlier", Days: -d})
		later = later || try(Cure{Says: wording.Plural(d, "day") + " later", Days: d})
	}
	if len(all) == 0 {
		all = s.elsewhere(y, p, eggs)
	}
	return all
}

// elsewhere finds other machines for all of the eggs, or for most of them.
func (s *Outlook) elsewhere(y planner.Yard, p snapshot.Planned, eggs Supply) (all []Cure) {
	for _, x := range s.roomiest(p.Kind, false) {
		for _, h := range s.roomiest(p.Kind, true) {
			c := Cure{Says: "set in " + x.Name + ", hatch in " + h.Name, SetterID: x.ID, HatcherID: h.ID}
			if x.ID == h.ID {
				c.Says = "set and hatch in " + x.Name
			}
			changed, err := s.On(p, c)
			if err != nil {
				continue
			}
			if len(s.Against(y, changed, eggs)) > 0 {
				c.Eggs = s.Most(y, changed, eggs)
				c.Says = fmt.Sprintf("%s, %s", wording.Plural(c.Eggs, "egg")+" only", c.Says)
			}
			if len(s.Against(y, changed, eggs)) == 0 || c.Eggs >= FewestEggs {
				all = append(all, c)
			}
		}
	}
	slices.SortStableFunc(all, func(a, b Cure) int { // all of the eggs first, then the most
		return cmp.Compare(cmp.Or(b.Eggs, farm.MaxEggs), cmp.Or(a.Eggs, farm.MaxEggs))
	})
	return all[:min(len(all), 3)]
}

// Most is the largest number of the eggs with which it fits, 0 for none.
func (s *Outlook) Most(y planner.Yard, p snapshot.Planned, eggs Supply) int {
	low, high := 0, p.Count // low fits, high does not
	for high-low > 1 {
		n := (low + high) / 2
		changed, err := s.On(p, Cure{Eggs: n})
		if err == nil && len(s.Against(y, changed, eggs)) == 0 {
			low = n
		} else {
			high = n
		}
	}
	return low
}

// roomiest are the machines that hold most of a kind.
func (s *Outlook) roomiest(kind *species.Profile, hatch bool) []snapshot.Machine {
	all := s.MachinesFor(kind, hatch)
	room := func(x snapshot.Machine) int {
		if hatch {
			return s.W.Rooms[x.ID][kind.ID].Hatching
		}
		return s.W.Rooms[x.ID][kind.ID].Setting
	}
	slices.SortStableFunc(all, func(a, b snapshot.Machine) int { return room(b) - room(a) })
	return all[:min(len(all), roomiest)]
}

// MachinesFor are those in which a kind may hatch, or turn.
func (s *Outlook) MachinesFor(kind *species.Profile, hatch bool) (all []snapshot.Machine) {
	for _, x := range s.W.Machines {
		room := s.W.Rooms[x.ID][kind.ID]
		if x.UntilOn != nil && x.UntilOn.Before(s.Today) {
			continue
		}
		if hatch && room.Hatching > 0 || !hatch && room.Setting > 0 {
			all = append(all, x)
		}
	}
	return all
}
