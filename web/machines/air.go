package machines

import (
	"fmt"
	"math"
	"strings"

	"github.com/labstack/echo/v5"

	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/weigh"
	"metrogon/web/page"
	"metrogon/web/say"
)

// air is the air of a machine as it is drawn: one scale of humidity, a row a batch. Places on it are shares
// of its width.
type air struct {
	weigh.MachineAir
	Ticks  []tick
	Rows   []airRow
	BestAt float64
	SetAt  *float64
}

type tick struct {
	At   float64
	Says string
}

// airRow is one batch: the band that its method asks for, and its wish.
type airRow struct {
	weigh.BatchAir
	From, Wide, Wish float64
	Title            string // what is drawn
}

// The scale of humidity, percent.
const driest, wettest = 10.0, 90.0

func onScale(rh float64) float64 { return min(max((rh-driest)/(wettest-driest), 0), 1) }

// drawAir draws it; nil where no eggs stand.
func drawAir(a weigh.MachineAir) *air {
	if len(a.Batches) == 0 {
		return nil
	}
	d := air{MachineAir: a, BestAt: onScale(a.Best.RH)}
	for rh := driest + 10; rh < wettest; rh += 10 {
		d.Ticks = append(d.Ticks, tick{onScale(rh), fmt.Sprintf("%.0f", rh)})
	}
	if a.Set != nil {
		set := onScale(a.Set.RH)
		d.SetAt = &set
	}
	for i, b := range a.Batches {
		e := a.Best.Effects[i]
		from := onScale(e.From)
		d.Rows = append(d.Rows, airRow{
			b, from, onScale(e.To) - from, onScale(e.Wish()),
			fmt.Sprintf("%s would have %.0f %%; for all of them %.0f %% is best.", b.Code, e.Wish(), a.Best.RH),
		})
	}
	return &d
}

// Now tells to what it is set, and what would have to change; "" where nobody wrote it down.
func (a air) Now(r say.Reader) string {
	var is []string
	if a.Machine.SetTempC != nil {
		is = append(is, r.Temp(*a.Machine.SetTempC))
	}
	if a.Set == nil && len(is) == 0 {
		return ""
	}
	change := ""
	if a.Set != nil {
		is = append(is, fmt.Sprintf("%.0f %%", a.Set.RH))
		switch off := math.Round(a.Best.RH) - math.Round(a.Set.RH); {
		case off > 0:
			change = fmt.Sprintf(": raise the humidity by %s", wording.Plural(int(off), "point"))
		case off < 0:
			change = fmt.Sprintf(": lower the humidity by %s", wording.Plural(int(-off), "point"))
		}
	}
	return "It is set to " + strings.Join(is, ", ") + change + "."
}

func (x handler) setAir(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	warm := f.MaybeFloat("temp", "The temperature")
	if warm != nil {
		celsius := page.Celsius(m, *warm)
		warm = &celsius
	}
	rh := f.MaybeFloat("rh", "The humidity")
	return x.Save(c, f, fmt.Sprintf("/machines/%d", id), func() (farm.Done, error) {
		return x.Weigh.SetAir(c.Request().Context(), f.Request(m), id, warm, rh)
	}, func(meta page.Meta) error { return x.form(c, m, meta) })
}
