// Package remind brings chores to where a person is: a calendar of their own by a secret address, or as
// a file.
package remind

import (
	"bytes"
	"embed"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"metrogon/farm"
	"metrogon/farm/chores"
	"metrogon/farm/remind"
	"metrogon/farm/snapshot"
	"metrogon/formats/ical"
	"metrogon/web/page"
)

//go:embed *.html
var files embed.FS

type handler struct {
	*page.Site
	page page.Template[data]
}

// Routes hangs the pages in. What hangs at /calendar/ is open to whoever has an address.
func Routes(e *echo.Echo, s *page.Site) {
	h := handler{s, page.Parse[data](s, files, "reminders.html")}
	e.GET("/reminders", s.Signed(page.Fresh(h.show)))
	s.Post(e, "/reminders", farm.Reading, h.saveWish)
	s.Post(e, "/reminders/device", farm.Reading, h.takePush)
	s.Post(e, "/reminders/calendar", farm.Reading, h.saveFeed)
	s.Post(e, "/reminders/calendar/end", farm.Reading, h.endFeed)
	e.GET("/calendar.ics", s.Signed(h.file))
	e.GET("/calendar/:link", h.feed)
}

type data struct {
	Feed     *remind.Feed
	Link     *page.Handed // of a calendar that was just made
	Machines []snapshot.Machine
	Alarms   []alarm
	Wish     remind.Wish
	Kinds    []chores.Kind
	Devices  int
	Mail     bool   // there is a mail server
	PushKey  string // of this server; "" where messages cannot be sent
}

// Picked tells whether somebody is reminded of a kind.
func (d data) Picked(kind string) bool { return slices.Contains(d.Wish.Kinds, kind) }

type alarm struct {
	Minutes int
	Name    string
}

var alarms = []alarm{
	{-1, "none"}, {0, "at the hour"}, {15, "15 minutes before"}, {60, "an hour before"}, {720, "12 hours before"},
	{1440, "a day before"},
}

func (h handler) show(c *echo.Context, m *farm.Member, meta page.Meta) (err error) {
	ctx := c.Request().Context()
	d := data{Alarms: alarms, Kinds: chores.Kinds, Mail: h.Server.Mail, PushKey: h.Server.PushKey}
	if d.Wish, err = h.Remind.Wish(ctx, m); err != nil {
		return err
	}
	if d.Devices, err = h.Remind.PushPlaces(ctx, m); err != nil {
		return err
	}
	if d.Feed, err = h.Remind.FeedOf(ctx, m); err != nil {
		return err
	}
	all, err := h.Machines.List(ctx, m)
	if err != nil {
		return err
	}
	for _, x := range all {
		d.Machines = append(d.Machines, x.Machine)
	}
	d.Link = h.JustMade(c)
	meta.Nav, meta.Title = "/settings", "Reminders"
	return h.page.Render(c, meta, m, d)
}

func (h handler) saveWish(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	on := func(name string) bool { return f.Get(name) != "" }
	in := remind.Wish{
		Kinds: f.Values["kind"], Evening: on("evening"), HourBefore: on("hour_before"), Late: on("late"),
		ByMail: on("by_mail"), ByPush: on("by_push"), QuietFrom: f.Get("quiet_from"), QuietTo: f.Get("quiet_to"),
	}
	return h.Save(c, f, "/reminders", func() (farm.Done, error) {
		return h.Remind.SaveWish(c.Request().Context(), f.Request(m), in)
	}, func(meta page.Meta) error { return h.show(c, m, meta) })
}

func (h handler) takePush(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	in := remind.PushPlace{Endpoint: f.Get("endpoint"), P256dh: f.Get("p256dh"), Auth: f.Get("auth")}
	return h.Save(c, f, "/reminders", func() (farm.Done, error) {
		return h.Remind.TakePush(c.Request().Context(), m, in)
	}, func(meta page.Meta) error { return h.show(c, m, meta) })
}

func (h handler) saveFeed(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	in := remind.Feed{Scope: f.Get("scope"), AlarmMin: f.Int("alarm", "The alarm")}
	if id := f.ID("machine"); id != 0 {
		in.MachineID = &id
	}
	return h.Save(c, f, "/reminders", func() (farm.Done, error) {
		ctx := c.Request().Context()
		link, done, err := h.Remind.MakeFeed(ctx, f.Request(m), in, f.Get("fresh") != "")
		if err == nil && link != "" {
			h.Hand(c, "Subscribe to this address in your calendar; it is yours alone.", "/calendar/"+link+".ics")
		}
		return done, err
	}, func(meta page.Meta) error { return h.show(c, m, meta) })
}

func (h handler) endFeed(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	done, err := h.Remind.DropFeed(c.Request().Context(), f.Request(m))
	return h.Finish(c, done, err, "/reminders")
}

// feed is what a calendar program fetches.
func (h handler) feed(c *echo.Context) error {
	ctx := c.Request().Context()
	m, err := h.Remind.Linked(ctx, strings.TrimSuffix(c.Param("link"), ".ics"))
	if page.Gone(err) {
		return echo.NewHTTPError(http.StatusGone, "This calendar has another address now, or none.")
	}
	if err != nil {
		return err
	}
	return h.send(c, m, nil)
}

// file is the same as a download.
func (h handler) file(c *echo.Context, m *farm.Member) error {
	return h.send(c, m, &remind.Feed{Scope: remind.All, AlarmMin: 60})
}

func (h handler) send(c *echo.Context, m *farm.Member, feed *remind.Feed) error {
	cal, err := h.Remind.Calendar(c.Request().Context(), m, feed)
	if err != nil {
		return err
	}
	out := ical.Calendar{Name: cal.Farm, Place: m.Place, Now: h.Now()}
	for _, e := range cal.Events {
		one := ical.Event{
			UID: e.UID, Summary: e.Summary, Says: e.Says, Where: e.Where, At: e.At, Minutes: 30, AlarmMin: cal.AlarmMin,
			Changed: cal.Changed, Sequence: cal.Version, URL: h.Address(c, e.Path),
		}
		if e.At.IsZero() {
			one.At, one.AllDay = e.On, true
		}
		out.Events = append(out.Events, one)
	}
	var b bytes.Buffer
	if err := ical.Write(&b, out); err != nil {
		return fmt.Errorf("calendar: %w", err)
	}
	c.Response().Header().Set("Content-Disposition", `inline; filename="metrogon.ics"`)
	return c.Blob(http.StatusOK, "text/calendar; charset=utf-8", b.Bytes())
}
