package incubate

import (
	"bytes"

	"encoding/base64"
	"fmt"
	"html/template"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"metrogon/core/calendar"
	"metrogon/core/method"
	"metrogon/farm"
	"metrogon/farm/incubate"
	"metrogon/farm/snapshot"
	"metrogon/formats/card"
	"metrogon/web/page"
	"metrogon/web/say"
)

type cardHandler struct {
	*page.Site
	page page.Template[cardData]
}

// cardRoutes hangs the pages in.
func cardRoutes(e *echo.Echo, s *page.Site) {
	p := cardHandler{s, page.Parse[cardData](s, files, "cards.html")}
	e.GET("/batches/:id/card", s.Signed(p.show))
	e.GET("/batches/:id/card.pdf", s.File(p.pdf))
}

type cardData struct {
	incubate.Page
	card.Card
	QR template.URL
}

func (p cardHandler) read(c *echo.Context, m *farm.Member) (incubate.Page, card.Card, error) {
	id, err := page.ID(c)
	if err != nil {
		return incubate.Page{}, card.Card{}, err
	}
	b, err := p.Incubate.Batch(c.Request().Context(), m, id)
	if err != nil {
		return b, card.Card{}, err
	}
	meta := page.Meta{Reader: say.Reader{Member: m}}
	made := write(b, meta)
	made.Address = fmt.Sprintf("%s://%s/batches/%d", c.Scheme(), c.Request().Host, id)
	return b, made, nil
}

// write puts a batch on a card.
func write(b incubate.Page, v page.Meta) card.Card {
	c := card.Card{Code: b.Code, Kind: b.Kind.Name, Farm: v.Member.FarmName, Eggs: fmt.Sprintf("%d eggs", b.Eggs),
		Where:   b.Setter.Name,
		Tallies: []string{"clear", "ring, quit", "live, 1st candling", "shut in: live, hour", "hatched", "did not hatch"},
		Cautions: "Wash hands after eggs and birds. Blunt end up, pencil never ink. Leave the lid shut while " +
			"they hatch."}
	air := b.Air()
	c.Air = fmt.Sprintf(
		"%s %s, %s–%s %% (%s)", v.Temp(air.TempC), air.Where, page.Number(b.Humidity().From),
		page.Number(b.Humidity().To), b.Method.School,
	)
	if b.Kind.IsReptile() {
		c.Air = fmt.Sprintf("%s %s", v.Temp(*b.TempC), air.Where)
		c.Tallies = []string{"good", "caved in, mould", "pipped", "hatched", "weak", "did not hatch"}
		c.Cautions = "The pencil mark stays up; no egg is lifted. Wash hands after eggs and animals."
	}
	if b.HatcherID != b.SetterID {
		c.Where += " → " + b.Hatcher.Name
	}
	for _, pen := range b.Pens {
		c.Pens = append(c.Pens, card.Pen{
			Name: pen.Name, Eggs: len(pen.Eggs), Codes: codes(pen.Eggs), Band: b.Bands[pen.ID],
		})
	}
	date := func(what, when string, machine snapshot.Machine, ms calendar.Milestone) {
		d := card.Date{What: what, When: when}
		if n, runs := snapshot.Counter(machine, ms.At); runs {
			d.Counter = fmt.Sprintf("counter %d", n)
		}
		c.Dates = append(c.Dates, d)
	}
	date(fmt.Sprintf("Set, day %d", v.Count(0)), v.Moment(b.SetAt), b.Setter, calendar.Milestone{At: b.SetAt})
	for _, ms := range b.Milestones {
		machine := b.Setter
		if stop, ok := b.Milestone(calendar.Lockdown); ok && ms.At.After(stop.At) {
			machine = b.Hatcher
		}
		switch ms.Kind {
		case calendar.Candle, calendar.Lockdown, calendar.Hatch, calendar.ClearOut:
			date(ms.Label, v.Span(ms), machine, ms)
		}
	}
	if b.Setter.ByHand && !b.Kind.IsReptile() {
		c.Daily = append(c.Daily, fmt.Sprintf("Turn by hand %d times a day until lockdown.", b.Method.HandTurns))
	}
	if tasks := b.Method.Daily(b.Kind, b.Kind.LockdownDay.At-1, false, false); len(tasks) > 0 {
		for _, t := range tasks {
			times := ""
			if t.Times > 1 {
				times = fmt.Sprintf(", %d times a day", t.Times)
			}
			c.Daily = append(c.Daily, fmt.Sprintf(
				"%s from day %d%s: %s", map[string]string{method.Cool: "Cool", method.Mist: "Mist"}[t.Kind],
				v.Count(method.CoolFrom), times, strings.ToLower(t.Says[:1])+t.Says[1:],
			))
		}
	}
	return c
}

// codes writes the pencil codes of eggs, runs of neighbours as one.
func codes(eggs []snapshot.Egg) string {
	var all []string
	for _, e := range eggs {
		if e.Mark != nil {
			all = append(all, *e.Mark)
		}
	}
	switch {
	case len(all) == 0:
		return ""
	case len(all) < 4:
		return strings.Join(all, " ")
	}
	return all[0] + " … " + all[len(all)-1]
}

func (p cardHandler) show(c *echo.Context, m *farm.Member) error {
	b, made, err := p.read(c, m)
	if err != nil {
		return err
	}
	png, err := card.QR(made.Address)
	if err != nil {
		return err
	}
	return p.page.Render(c, page.Meta{Nav: "/batches", Title: b.Code + ", card"}, m,
		cardData{b, made, template.URL("data:image/png;base64," + base64.StdEncoding.EncodeToString(png))},
	)
}

func (p cardHandler) pdf(c *echo.Context, m *farm.Member) error {
	_, made, err := p.read(c, m)
	if err != nil {
		return err
	}
	size := card.A6
	if strings.EqualFold(c.QueryParam("size"), "a4") {
		size = card.A4
	}
	var out bytes.Buffer
	if err := made.Write(&out, size); err != nil {
		return err
	}
	c.Response().Header().Set("Content-Disposition", fmt.Sprintf(
		"inline; filename=%q", strings.ReplaceAll(made.Code, " ", "-")+"-"+string(size)+".pdf",
	))
	return c.Blob(http.StatusOK, "application/pdf", out.Bytes())
}
