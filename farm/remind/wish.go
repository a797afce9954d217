package remind

import (
	"context"
	"errors"
	"slices"
	"time"

	"metrogon/core/calendar"
	"metrogon/farm"
	"metrogon/farm/chores"
	rows "metrogon/store/remind"
)

// Wish is of what a person is reminded on a farm, when, and how.
type Wish = rows.Wish

// mostQuiet is how long quiet hours may last, so that some of every day is left in which something is said.
const mostQuiet = 20 * time.Hour

// Wish gives of what the member wants to be reminded, or what is usual.
func (b *Service) Wish(ctx context.Context, m *farm.Member) (w Wish, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		w, err = rows.On(tx).Wish(ctx, m.PersonID)
		if errors.Is(err, farm.ErrNone) {
			w, err = Wish{Evening: true, Late: true, QuietFrom: "22:00", QuietTo: "06:00"}, nil
		}
		return err
	})
	return w, err
}

// SaveWish keeps of what the member wants to be reminded.
func (b *Service) SaveWish(ctx context.Context, req farm.Request, w Wish) (farm.Done, error) {
	return b.Act(ctx, req, farm.Reading, func(tx *farm.Tx) (farm.Done, error) {
		var p farm.Problems
		for _, k := range w.Kinds {
			if !slices.ContainsFunc(chores.Kinds, func(x chores.Kind) bool { return x.ID == k && x.Name != "" }) {
				p.Addf("kind", "%q is nothing to be reminded of.", k)
			}
		}
		from, err := calendar.ParseWallTime(w.QuietFrom)
		if err != nil {
			p.Addf("quiet_from", "%v.", err)
		}
		to, wrong := calendar.ParseWallTime(w.QuietTo)
		if wrong != nil {
			p.Addf("quiet_to", "%v.", wrong)
		}
		if err == nil && wrong == nil && lasting(from, to) > mostQuiet {
			p.Addf("quiet_to", "Quiet hours may last 20 hours; these last nearly the whole day.")
		}
		if (w.ByMail || w.ByPush) && !w.Evening && !w.HourBefore && !w.Late {
			p.Addf("when", "Say when you want to be reminded.")
		}
		if err := p.Err(); err != nil {
			return farm.Done{}, err
		}
		w.PersonID = req.PersonID
		return farm.Done{Said: "Your reminders are kept."}, rows.On(tx).SaveWish(ctx, w)
	})
}

// lasting is how long it is from one hour of the day to the next time it is another; none where they are one.
func lasting(from, to calendar.WallTime) time.Duration {
	minutes := 60*(to.Hour-from.Hour) + to.Minute - from.Minute
	return time.Duration((minutes+24*60)%(24*60)) * time.Minute
}

// quietEnd gives until when nothing is sent to somebody, by the farm's clock; now itself outside quiet hours. Hours
// that cannot be read are none.
func quietEnd(now time.Time, place *time.Location, w Wish) time.Time {
	from, err := calendar.ParseWallTime(w.QuietFrom)
	to, wrong := calendar.ParseWallTime(w.QuietTo)
	long := lasting(from, to)
	if err != nil || wrong != nil || long == 0 {
		return now
	}
	local := now.In(place)
	at := calendar.WallTime{Hour: local.Hour(), Minute: local.Minute()}
	if lasting(from, at) >= long {
		return now
	}
	for days := range 3 { // the end is later to-day or to-morrow; a day more where the clock was changed
		if end := to.On(local, days, place); end.After(now) {
			return end
		}
	}
	return now
}
