package candle

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"metrogon/core/candling"
	"metrogon/farm"
	"metrogon/web/page"
)

// practiceRoutes hangs the page in.
func practiceRoutes(e *echo.Echo, s *page.Site) {
	t := page.Parse[practiceData](s, files, "practice.html")
	e.GET("/practice/clutch", s.Signed(clutchPage{s, page.Parse[clutchData](s, files, "clutch.html")}.show))
	e.GET("/practice", s.OfBirds(func(c *echo.Context, m *farm.Member) error {
		set, err := strconv.ParseUint(c.QueryParam("set"), 10, 32)
		if err != nil || set == 0 {
			set = 1
		}
		return t.Render(
			c, page.Meta{Nav: "/practice", Title: "Practice", Dark: true}, m, play(set, c.QueryParam("a")),
		)
	}, "/practice/clutch"))
}

// eggs of a set.
const eggs = 12

// practised are the calls of a lamp; a crack or a smell needs an egg in the hand.
var practised = append(slices.Clone(candling.Signs[:6]), candling.Displaced.Sign())

// letter stands for a call in an address, so that the way back takes a call back.
func letter(s candling.Sign) string { return strings.ToLower(s.Key) }

type practiceData struct {
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
func (d practiceData) Worst() (all []string) {
	for _, m := range candling.Mistakes {
		if n := d.Mistakes[m]; n > 0 {
			all = append(all, fmt.Sprintf("%s: %d", m, n))
		}
	}
	return
}

// Other is another set.
func (d practiceData) Other() uint64 { return d.Number + 1 }

func play(set uint64, answers string) practiceData {
	answers = answers[:min(len(answers), 200)]
	var said []candling.Call
	kept := ""
	for _, r := range answers {
		for _, sign := range practised {
			if letter(sign) == string(r) {
				said, kept = append(said, sign.Call), kept+letter(sign)
			}
		}
	}
	d := practiceData{Practice: candling.Run(candling.Drills(set, eggs), said), Number: set, Answers: kept}
	draw := func(i int) *egg {
		if i < 0 {
			return nil
		}
		x := d.Set[i]
		return &egg{x, page.DrawCandled(x.Kind, x.Truth, x.Day, x.Hatch, x.Seed)}
	}
	d.Now, d.Before = draw(d.Next), draw(d.Last)
	for _, sign := range practised {
		d.Choices = append(d.Choices, choice{
			sign.Label, sign.Key, fmt.Sprintf("/practice?set=%d&a=%s", set, kept+letter(sign)),
		})
	}
	return d
}
