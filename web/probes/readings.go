package probes

import (
	"encoding/csv"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"time"

	"github.com/labstack/echo/v5"

	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/probes"
	"metrogon/formats/sheet"
	"metrogon/web/page"
)

type readingHandler struct {
	*page.Site
	course page.Template[readingData]
}

// readingRoutes hangs the page in.
func readingRoutes(e *echo.Echo, s *page.Site) {
	x := readingHandler{s, page.Parse[readingData](s, files, "readings.html")}
	e.GET("/machines/:id/readings", s.Signed(page.Fresh(x.show)))
	e.GET("/machines/:id/readings.json", s.Signed(x.figures))
	e.GET("/machines/:id/readings.csv", s.File(x.table))
	e.GET("/machines/:id/readings/live", s.Signed(x.live))
	e.POST("/probe", x.sent)
}

// span is how far back somebody looks.
type span struct {
	ID, Name string
	Long     time.Duration
}

const day = 24 * time.Hour

var spans = []span{
	{"6h", "6 hours", 6 * time.Hour}, {"day", "day", day}, {"3d", "3 days", 3 * day}, {"week", "week", 7 * day},
	{"month", "month", 31 * day}, {"season", "season", 200 * day}, {"years", "all years", 10 * 366 * day},
}

// asked reads from when to when; the last day where nothing is asked.
func asked(c *echo.Context, m *farm.Member, now time.Time) (from, to time.Time, picked string) {
	if f, err := strconv.ParseInt(c.QueryParam("from"), 10, 64); err == nil {
		t, err := strconv.ParseInt(c.QueryParam("to"), 10, 64)
		if err == nil && t > f && f > 0 && t < 1<<40 {
			return time.Unix(f, 0), time.Unix(t, 0), ""
		}
	}
	i := slices.IndexFunc(spans, func(s span) bool { return s.ID == c.QueryParam("span") })
	if i < 0 {
		i = 1
	}
	return now.Add(-spans[i].Long), now, spans[i].ID
}

type readingData struct {
	probes.Course
	Picked string
	Spans  []span
	Rows   []row
	Now    *probes.Point // of the newest curve, in the last half hour
	By     probes.Curve
	Other  []probes.Shelf
}

func (x readingHandler) read(c *echo.Context, m *farm.Member) (d readingData, err error) {
	id, err := page.ID(c)
	if err != nil {
		return d, err
	}
	from, to, picked := asked(c, m, x.Now())
	d.Picked, d.Spans = picked, spans
	d.Course, err = x.Probes.CourseOf(c.Request().Context(), m, id, from, to)
	return d, err
}

func (x readingHandler) show(c *echo.Context, m *farm.Member, meta page.Meta) error {
	d, err := x.read(c, m)
	if err != nil {
		return err
	}
	for _, curve := range d.Curves {
		last := curve.Points[len(curve.Points)-1]
		if x.Now().Sub(last.At) < d.Step+30*time.Minute && (d.Now == nil || last.At.After(d.Now.At)) {
			d.Now, d.By = &last, curve
		}
	}
	d.Rows, d.Other = rowsOf(d.Course, m), d.Shelves()
	meta.Nav, meta.Title = "/machines", d.Machine.Name+": readings"
	return x.course.Render(c, meta, m, d)
}

// Query is what asks for the same span again.
func (d readingData) Query() string {
	if d.Picked != "" {
		return "span=" + d.Picked
	}
	return fmt.Sprintf("from=%d&to=%d", d.From.Unix(), d.To.Unix())
}

// Whole writes a humidity.
func (readingData) Whole(pct any) string {
	if p, ok := pct.(*float64); ok {
		pct = *p
	}
	return fmt.Sprintf("%.0f", pct)
}

// Minutes writes how long something took.
func (readingData) Minutes(d time.Duration) int { return int(d.Round(time.Minute).Minutes()) }

// Happened names what is shaded in the drawing.
func (d readingData) Happened() string {
	var all []string
	for _, x := range d.Marks {
		word := map[string]string{"power": "power cut", "ajar": "lid ajar, as it looks"}[x.Kind]
		if word != "" && !slices.Contains(all, word) {
			all = append(all, word)
		}
	}
	return wording.And(all)
}

// Live tells that what is shown ends now.
func (d readingData) Live() bool {
	return d.Picked != "" && d.Picked != "years" && d.Picked != "season"
}

func (x readingHandler) figures(c *echo.Context, m *farm.Member) error {
	d, err := x.read(c, m)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, plotOf(d.Course, m))
}

// table gives the figures as CSV, in °C and % as open formats have it, or as the reader reads.
func (x readingHandler) table(c *echo.Context, m *farm.Member) error {
	d, err := x.read(c, m)
	if err != nil {
		return err
	}
	w := c.Response()
	w.Header().Set("Content-Type", "text/csv; charset=utf-8")
	w.Header().Set("Content-Disposition", fmt.Sprintf(`attachment; filename="readings-%d.csv"`, d.Machine.ID))
	out := csv.NewWriter(w)
	unit := map[bool]string{true: "f", false: "c"}[m.Units().Fahrenheit]
	_ = out.Write([]string{
		"instrument", "at", "temp_" + unit, "low_" + unit, "top_" + unit, "rh_pct", "rh_low_pct", "rh_top_pct",
	})
	temp := func(v *float64) string { return written(inUnit(v, m), 2) }
	for _, curve := range d.Curves {
		for _, p := range curve.Points {
			_ = out.Write([]string{
				sheet.Safe(curve.Instrument.Name), p.At.In(m.Place).Format(time.RFC3339), temp(p.TempC), temp(p.LowC), temp(p.TopC),
				written(p.RHPct, 1), written(p.LowPct, 1), written(p.TopPct, 1),
			})
		}
	}
	out.Flush()
	return out.Error()
}

func written(v *float64, decimals int) string {
	if v == nil {
		return ""
	}
	return strconv.FormatFloat(*v, 'f', decimals, 64)
}

// inUnit is a temperature in the reader’s unit.
func inUnit(c *float64, m *farm.Member) *float64 {
	if c == nil || !m.Units().Fahrenheit {
		return c
	}
	f := *c*1.8 + 32
	return &f
}

// between is the least time between two tellings of readings that came in.
const between = 2 * time.Second

// live tells the page whenever readings came in.
func (x readingHandler) live(c *echo.Context, m *farm.Member) error {
	id, err := page.ID(c)
	if err != nil {
		return err
	}
	if err := x.Probes.Known(c.Request().Context(), m, id); err != nil {
		return err
	}
	come, end := x.Live.WatchReadings(m.FarmID)
	defer end()
	return x.Follow(c, m, come, "readings", between)
}

// Degree writes a difference of temperatures in the reader’s units.
func (readingData) Degree(c float64, m *farm.Member) string { return m.Units().Difference(c) }

// Width writes how sure a temperature is.
func (readingData) Width(c float64, m *farm.Member) string { return m.Units().Width(c) }

// Apart says what to do where places differ by more than is known and eggs bear for long.
func (d readingData) Apart(m *farm.Member) string {
	n := len(d.Other)
	warm, cool := d.Other[0], d.Other[n-1]
	apart := warm.MeanC - cool.MeanC
	if apart < 0.3 || apart < warm.Sure && apart < cool.Sure {
		return "They differ by no more than instruments do: no need to move eggs about."
	}
	return wording.Capital(fmt.Sprintf("%s runs %s warmer than %s: change trays about when you turn or candle, or set "+
		"there what is behind.", warm.Place(), m.Units().Width(apart)+" "+m.Units().TempUnit(), cool.Place()))
}
