package candle

import (
	"fmt"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"metrogon/core/reptile"
	"metrogon/farm"
	"metrogon/web/page"
)

// sorts are how the choices are labelled; the letter stands for each in an address.
var sorts = []struct {
	choice       reptile.Choice
	letter, name string
}{
	{reptile.Lives, "l", "It is well"}, {reptile.Leave, "e", "Leave it, look again"},
	{reptile.Weigh, "w", "Weigh the box"}, {reptile.Out, "o", "Lost: out with it"},
}

func nameOf(c reptile.Choice) string {
	for _, s := range sorts {
		if s.choice == c {
			return s.name
		}
	}
	return ""
}

// lying is a reptile's egg to be told.
type lying struct {
	reptile.Drill
	page.LyingEgg
	Right, Why string
	Said       string
	Hit        bool
}

// Share of development, in percent.
func (l lying) Share() int { return int(100*l.Grown + 0.5) }

// clutchData is a set of eggs with what was said of them.
type clutchData struct {
	Number, Other uint64
	Now           *lying
	Before        *lying
	Done, Of, Hit int
	Choices       []choice
}

func (t clutchPage) show(c *echo.Context, m *farm.Member) error {
	set, err := strconv.ParseUint(c.QueryParam("set"), 10, 32)
	if err != nil || set == 0 {
		set = 1
	}
	return t.page.Render(c, page.Meta{Nav: "/clutches", Title: "Telling eggs"}, m, tell(set, c.QueryParam("a")))
}

type clutchPage struct {
	*page.Site
	page page.Template[clutchData]
}

func tell(set uint64, answers string) clutchData {
	drills := reptile.Drills(set, eggs)
	d := clutchData{Number: set, Other: set + 1, Of: len(drills)}
	kept := ""
	for _, r := range answers[:min(len(answers), 200)] {
		for _, s := range sorts {
			if s.letter != string(r) || d.Done == len(drills) {
				continue
			}
			x := draw(drills[d.Done])
			x.Said, x.Hit = s.name, nameOf(s.choice) == x.Right
			d.Before, kept = &x, kept+s.letter
			d.Done++
			d.Hit += farm.OneIf(x.Hit)
		}
	}
	if d.Done < len(drills) {
		x := draw(drills[d.Done])
		d.Now = &x
	}
	for i, s := range sorts {
		d.Choices = append(d.Choices, choice{
			s.name, strconv.Itoa(i + 1), fmt.Sprintf("/practice/clutch?set=%d&a=%s", set, kept+s.letter),
		})
	}
	return d
}

func draw(x reptile.Drill) lying {
	right, why := x.Right()
	return lying{Drill: x, LyingEgg: page.DrawLying(x.Kind, x.Signs, x.Grown, x.Seed), Right: nameOf(right), Why: why}
}

// Shows names what is seen, for who cannot see it.
func (l lying) Shows() string {
	names := make([]string, len(l.Signs))
	for i, s := range l.Signs {
		names[i] = reptile.NameOf(s)
	}
	return strings.Join(names, ", ")
}
