package kinds

import (
	"context"
	"errors"
	"math"
	"slices"
	"strings"

	"metrogon/core/air"
	"metrogon/core/method"
	"metrogon/core/species"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
	"metrogon/store/people"
)

// KindPage is what is known of a kind: the shipped figures, the farm's own
// beside them, and its method.
type KindPage struct {
	Shipped, Own *species.Profile
	Figures      []FigureRow
	Method       method.Method
	Running      int            // batches of it that are in machines
	Humidity     species.Figure // that follows from school and figures, while turning
	Locked       species.Figure // and in lockdown
	Extension    species.Figure // % that the wet bulbs of extension tables mean, where they have the kind
}

// FigureRow is one figure with its shipped and its own value.
type FigureRow struct {
	species.Own
	Shipped species.Figure
	Days    species.Days // of candle_days
	Change  *species.Change
	Usual   *species.Figure // where the own value is unusual
	Void    string          // why the own value does not count any more
}

// IsDays tells a list of days from a figure.
func (r FigureRow) IsDays() bool { return r.Name == "candle_days" }

// Kind shows one kind with the farm's figures.
func (b *Service) Kind(ctx context.Context, m *farm.Member, id string) (page KindPage, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		shipped, err := species.Find(id)
		if err != nil {
			return farm.ErrNone
		}
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return err
		}
		all, err := tx.Setup(ctx, tx.Member.Date(tx.At))
		if err != nil {
			return err
		}
		page = KindPage{Shipped: shipped, Own: w.Kinds[shipped.ID], Method: w.Method(shipped.ID)}
		open, err := tx.OpenBatches(ctx)
		if err != nil {
			return err
		}
		for _, b := range open {
			page.Running += farm.OneIf(b.Species == shipped.ID)
		}
		page.Humidity, page.Locked = page.Method.Humidity(page.Own, false), page.Method.Humidity(page.Own, true)
		page.Extension = extension(shipped, m.AltitudeM)
		for _, o := range shipped.Changeable() {
			row := FigureRow{Own: o, Days: shipped.CandleDays}
			row.Shipped, _ = shipped.Figure(o.Name)
			for _, f := range all.Figures {
				if f.Species == shipped.ID && f.Figure == o.Name {
					row.Change = &species.Change{
						Figure: f.Figure, At: f.At, From: f.Low, To: f.High, Days: f.Days, Source: f.Source,
					}
					if usual, odd := shipped.Unusual(*row.Change); odd {
						row.Usual = &usual
					}
					if _, err := shipped.With([]species.Change{*row.Change}); err != nil {
						row.Void = told(err, m)
					}
				}
			}
			page.Figures = append(page.Figures, row)
		}
		return nil
	})
	return
}

// extension is the humidity in percent that extension tables hold while turning, from their
// wet bulbs at the kind's temperature and the farm's altitude.
func extension(p *species.Profile, altitudeM int) (f species.Figure) {
	if !p.ExtensionWetBulbF.Known() {
		return f
	}
	rh := func(fahrenheit float64) float64 {
		s, err := air.FromWetBulb(p.TemperatureC.At, (fahrenheit-32)/1.8, air.PressureAt(float64(altitudeM)))
		if err != nil {
			return 0
		}
		return math.Round(s.RHPct)
	}
	return species.Figure{
		From: rh(p.ExtensionWetBulbF.From), To: rh(p.ExtensionWetBulbF.To), Origin: p.ExtensionWetBulbF.Origin,
	}
}

// List gives the kinds that the farm keeps, then the others, with its figures.
func (b *Service) List(ctx context.Context, m *farm.Member) (kept, others []KindPage, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return err
		}
		for _, p := range m.Offered() {
			page := KindPage{Shipped: p, Own: w.Kinds[p.ID], Method: w.Method(p.ID)}
			page.Humidity, page.Locked = page.Method.Humidity(page.Own, false), page.Method.Humidity(page.Own, true)
			if slices.ContainsFunc(w.Pens, func(x snapshot.Pen) bool { return x.Species == p.ID }) {
				kept = append(kept, page)
			} else {
				others = append(others, page)
			}
		}
		return nil
	})
	return
}

// told says what is wrong with figures, with days as the member counts.
func told(err error, m *farm.Member) string {
	var clash species.DayError
	if errors.As(err, &clash) {
		return clash.Counted(m.CountFrom)
	}
	return err.Error()
}

func check(m *farm.Member, shipped *species.Profile, changes []species.Change, way method.Method) error {
	var p farm.Problems
	if _, err := shipped.With(changes); err != nil {
		p.Addf("figures", "%s.", wording.Capital(told(err, m)))
	}
	if field, says := way.Check(shipped); field != "" && !shipped.IsReptile() {
		p.Addf(field, "%s", says)
	}
	return p.Err()
}

// Kept is what a farm has of its own with a kind.
type Kept struct {
	Figures []species.Change
	Way     method.Method
	Running bool // what runs is run so from now on, too
}

// SaveKind keeps the farm's own figures of a kind, in place of those before, and
// its method. It says which values are unusual. What runs keeps its way, unless it is asked for.
func (b *Service) SaveKind(ctx context.Context, req farm.Request, id string, k Kept) (farm.Done, error) {
	return b.Act(ctx, req, farm.Owning, func(tx *farm.Tx) (farm.Done, error) {
		shipped, err := species.Find(id)
		if err != nil {
			return farm.Done{}, farm.ErrNone
		}
		if err := check(req.Member, shipped, k.Figures, k.Way); err != nil {
			return farm.Done{}, err
		}
		rows := make([]store.Figure, len(k.Figures))
		odd := ""
		for i, c := range k.Figures {
			rows[i] = store.Figure{
				Species: shipped.ID, Figure: c.Figure, At: c.At, Low: c.From, High: c.To, Days: c.Days, Source: c.Source,
			}
			if _, unusual := shipped.Unusual(c); unusual {
				odd = " Some values are unusual; they are marked."
			}
		}
		if err := tx.SetFigures(ctx, shipped.ID, rows); err != nil {
			return farm.Done{}, err
		}
		if !shipped.IsReptile() {
			if err := onRunning(ctx, tx, shipped.ID, k); err != nil {
				return farm.Done{}, err
			}
			if err := tx.SetMethod(ctx, snapshot.MethodRow(shipped.ID, k.Way)); err != nil {
				return farm.Done{}, err
			}
		}
		return journal.Record(
			ctx, tx, nil, nil, "Kept the way with %s eggs: %s of your own.%s", wording.Lower(shipped.Name),
			wording.Plural(len(k.Figures), "figure"), odd,
		)
	})
}

// onRunning gives the batches of a kind that run a new way where that was asked for, or keeps that by which
// they ran before with each.
func onRunning(ctx context.Context, tx *farm.Tx, kind string, k Kept) error {
	w, err := snapshot.Of(ctx, tx)
	if err != nil {
		return err
	}
	open, err := tx.OpenBatches(ctx)
	if err != nil {
		return err
	}
	for _, b := range open {
		row, since := snapshot.WayRow(k.Way), tx.At
		if !k.Running {
			row, since = snapshot.WayRow(w.Method(kind)), b.SetAt
		}
		if b.Species != kind || row == b.Way || !k.Running && b.Way != (store.Way{}) {
			continue
		}
		if _, err := tx.SetWay(ctx, b.ID, row, since, tx.Member.PersonID); err != nil {
			return err
		}
	}
	return nil
}

// AddKind makes a kind of the farm's own, with all figures of the shipped one that it is most like.
func (b *Service) AddKind(ctx context.Context, req farm.Request, like, name string) (farm.Done, error) {
	return b.Act(ctx, req, farm.Owning, func(tx *farm.Tx) (farm.Done, error) {
		id, err := species.OwnID(like, name)
		if err != nil {
			return farm.Done{}, farm.Problemf("name", "%s.", wording.Capital(err.Error()))
		}
		own, err := species.Find(id)
		if err != nil {
			return farm.Done{}, err
		}
		same := func(p *species.Profile) bool { return strings.EqualFold(p.Name, own.Name) }
		switch {
		case slices.ContainsFunc(req.Offered(), same):
			return farm.Done{}, farm.Problemf("name", "There is a kind called %s already.", own.Name)
		case len(req.OwnKinds) >= mostKinds:
			return farm.Done{}, farm.Problemf("name", "A farm may have %d kinds of its own.", mostKinds)
		}
		if err := people.On(tx).SetOwnKinds(ctx, append(slices.Clone(req.OwnKinds), id)); err != nil {
			return farm.Done{}, err
		}
		base, err := species.Find(like)
		if err != nil {
			return farm.Done{}, err
		}
		return journal.Record(ctx, tx, nil, nil, "Kept %s as a kind of its own, like %s.", own.Name, wording.Lower(base.Name))
	})
}

// mostKinds is how many kinds of its own a farm may have.
const mostKinds = 40
