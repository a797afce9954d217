package farm

import (
	"slices"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/candling"
	"metrogon/core/species"
	"metrogon/core/units"
	"metrogon/store/people"
)

// Member is a person at work on a farm.
type Member struct {
	people.Member
	Place *time.Location
	Hour  calendar.WallTime // of chores
}

func NewMember(m people.Member) (*Member, error) {
	place, err := time.LoadLocation(m.Zone)
	if err != nil {
		return nil, err
	}
	hour, err := calendar.ParseWallTime(m.ChoreAt)
	return &Member{m, place, hour}, err
}

// ReptilesOnly tells a farm of reptiles alone: it is told nothing of hens, of turning, tilting or keeping eggs.
func (m *Member) ReptilesOnly() bool {
	return m.Reptiles && !m.Birds && !slices.ContainsFunc(m.Kinds, func(id string) bool {
		p, err := species.Find(id)
		return err == nil && !p.IsReptile()
	})
}

// Units are how the member reads figures.
func (m *Member) Units() units.Reader {
	return units.Reader{Fahrenheit: m.Temperature == "F", Ounces: m.Mass == "oz"}
}

// TakesOut tells whether an egg called so is taken out of the machine here.
func (m *Member) TakesOut(c candling.Call) bool { return slices.Contains(m.OutCalls, string(c)) }

// Counting is how the member numbers days.
func (m *Member) Counting() calendar.Counting { return calendar.Counting(m.CountFrom) }

// Date is the calendar date that the farm's clock shows at a moment, as
// midnight UTC, the way dates are kept.
func (m *Member) Date(at time.Time) time.Time {
	y, mo, d := at.In(m.Place).Date()
	return time.Date(y, mo, d, 0, 0, 0, 0, time.UTC)
}

// AgeDays counts the nights between a lay date and a date.
func AgeDays(laidOn, on time.Time) int { return int(on.Sub(laidOn).Hours() / 24) }

// Moment writes day and hour as the member reads them.
func (m *Member) Moment(at time.Time) string { return m.ShortDay(at) + ", " + m.Hours(at) }

// Hours writes the hour of a moment as the member reads it.
func (m *Member) Hours(at time.Time) string {
	if m.Clock == 12 {
		return at.In(m.Place).Format("3:04 pm")
	}
	return at.In(m.Place).Format("15:04")
}

// Earliest and Latest are the one of two moments.
func Earliest(a, b time.Time) time.Time {
	if a.Before(b) {
		return a
	}
	return b
}

func Latest(a, b time.Time) time.Time {
	if a.After(b) {
		return a
	}
	return b
}

// ShortDay writes a moment's date on the farm.
func (m *Member) ShortDay(at time.Time) string { return at.In(m.Place).Format("Mon 2 Jan") }

// Offered are all kinds that the farm may keep: the shipped ones, then its own.
func (m *Member) Offered() []*species.Profile {
	all := slices.Clone(species.All())
	for _, id := range m.OwnKinds {
		if p, err := species.Find(id); err == nil {
			all = append(all, p)
		}
	}
	return all
}

// Span writes dates: "Mon 3 May to Fri 7 May", "from Mon 3 May on".
func Span(from time.Time, to *time.Time) string {
	if to == nil {
		return "from " + from.Format("Mon 2 Jan") + " on"
	}
	return from.Format("Mon 2 Jan") + " to " + to.Format("Mon 2 Jan")
}

// OneIf is 1 where something is so, and 0 where it is not.
func OneIf(b bool) int {
	if b {
		return 1
	}
	return 0
}
