// Package practice is the trainer: drawn eggs to be called, each explained.
package practice

import (
	"embed"
	"fmt"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"metrogon/core/candling"
	"metrogon/farm"
	"metrogon/web/page"
)

//go:embed *.html
var files embed.FS

// Routes hangs the page in.
func Routes(e *echo.Echo, s *page.Site) {
	t := page.Parse(s, files)
	e.GET("/practice", s.Signed(func(c *echo.Context, m *farm.Member) error {
		set, err := strconv.ParseUint(c.QueryParam("set"), 10, 32)
		if err != nil || set == 0 {
			set = 1
		}
		return s.Show(
			c, t, page.Shell{Nav: "/practice", Title: "Practice", Cellar: true}, m, play(set, c.QueryParam("a")),
		)
	}))
}

// eggs of a set.
const eggs = 12

// letters stand for calls in an address, so that the way back takes a call back.
var letters = []struct {
	Letter string
	Call   candling.Call
	Name   string
}{
	{"l", candling.Live, "Live"}, {"c", candling.Clear, "Clear"}, {"r", candling.Ring, "Ring"},
	{"q", candling.Quit, "Quit"}, {"u", candling.Unsure, "Unsure"}, {"s", candling.Unseen, "Can’t see"},
}

type data struct {
	candling.Practice
	Number  uint64
	Answers string
	Now     *egg
	Before  *egg
	Choices []choice
}

type egg struct {
	candling.Drill
	page.Candled
}

type choice struct{ Name, Key, To string }

// Worst counts the mistakes of each kind, the costliest first.
func (d data) Worst() (all []string) {
	for _, m := range candling.Mistakes {
		if n := d.Mistakes[m]; n > 0 {
			all = append(all, fmt.Sprintf("%s: %d", m, n))
		}
	}
	return
}

// Other is another set.
func (d data) Other() uint64 { return d.Number + 1 }

func play(set uint64, answers string) data {
	answers = answers[:min(len(answers), 200)]
	var said []candling.Call
	kept := ""
	for _, r := range answers {
		for _, l := range letters {
			if l.Letter == string(r) {
				said, kept = append(said, l.Call), kept+l.Letter
			}
		}
	}
	d := data{Practice: candling.Run(candling.Drills(set, eggs), said), Number: set, Answers: kept}
	draw := func(i int) *egg {
		if i < 0 {
			return nil
		}
		x := d.Set[i]
		return &egg{x, page.DrawCandled(x.Kind, x.Truth, x.Day, x.Hatch, x.Seed)}
	}
	d.Now, d.Before = draw(d.Next), draw(d.Last)
	for _, l := range letters {
		d.Choices = append(d.Choices, choice{
			l.Name, strings.ToUpper(l.Letter), fmt.Sprintf("/practice?set=%d&a=%s", set, kept+l.Letter),
		})
	}
	return d
}
