package gauges

import (
	"fmt"

	"github.com/labstack/echo/v5"

	"metrogon/farm"
	"metrogon/farm/probes"
	"metrogon/formats/logger"
	"metrogon/web/page"
)

// newKey gives an instrument a key to send by, which the next page shows once.
func (h handler) newKey(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	secret, done, err := h.Probes.Key(c.Request().Context(), f.Request(m), id)
	if err == nil && secret != "" {
		h.HandKey(c, "Its key to send by.", secret)
	}
	return h.Finish(c, done, err, "/instruments#probes")
}

func (h handler) topic(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	return h.Save(c, f, "/instruments#probes", func() (farm.Done, error) {
		return h.Probes.Topic(c.Request().Context(), f.Request(m), id, f.Get("topic"))
	}, func(meta page.Meta) error { return h.show(c, m, meta) })
}

func (h handler) mute(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	done, err := h.Probes.Drop(c.Request().Context(), f.Request(m), id)
	return h.Finish(c, done, err, "/instruments#probes")
}

func (h handler) broker(c *echo.Context, m *farm.Member) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	return h.Save(c, f, "/instruments#probes", func() (farm.Done, error) {
		return h.Probes.SaveBroker(c.Request().Context(), f.Request(m), probes.Broker{
			URL: f.Get("broker"), Username: f.Get("user"), Password: f.Get("password"),
		}, h.Server.LocalBrokers)
	}, func(meta page.Meta) error { return h.show(c, m, meta) })
}

// logger looks at a logger’s file, or brings it in.
func (h handler) logger(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	text, err := page.File(c, f)
	if err != nil {
		return err
	}
	again := func(p farm.Problems) error {
		return h.Save(c, f, "", func() (farm.Done, error) { return farm.Done{}, p }, func(meta page.Meta) error {
			return h.show(c, m, meta)
		})
	}
	rows, err := logger.Read(text, m.Place)
	if err != nil {
		return again(farm.Problems{{Field: "file", Says: "Nothing came in: " + err.Error() + "."}})
	}
	told := make([]probes.Told, len(rows.Rows))
	for i, r := range rows.Rows {
		told[i] = probes.Told(r)
	}
	if f.Get("do") != "keep" {
		looked, err := h.Probes.LookAt(c.Request().Context(), m, id, told)
		if p := page.ProblemsOf(err); p != nil {
			return again(p)
		} else if err != nil {
			return err
		}
		looked.Says, looked.Text = rows.Says(), string(text)
		return h.render(c, m, page.Meta{}, list{Logger: &looked})
	}
	done, err := h.Probes.Bring(c.Request().Context(), f.Request(m), id, told)
	return h.Finish(c, done, err, fmt.Sprintf("/instruments#i%d", id))
}

// forget forgets what an instrument told in a span.
func (h handler) forget(c *echo.Context, m *farm.Member) error {
	id, f, err := page.Posted(c)
	if err != nil {
		return err
	}
	from := f.Moment("forget_from", "From when it lay elsewhere", m.Place)
	to := f.Moment("forget_to", "Until when it lay elsewhere", m.Place)
	return h.Save(c, f, fmt.Sprintf("/instruments#i%d", id), func() (farm.Done, error) {
		return h.Probes.Forget(c.Request().Context(), f.Request(m), id, from, to)
	}, func(meta page.Meta) error { return h.show(c, m, meta) })
}
