package today

import (
	"fmt"

	"metrogon/core/calendar"
	"metrogon/core/method"
	"metrogon/farm"
	"metrogon/farm/chores"
	"metrogon/farm/incubate"
	"metrogon/farm/stock"
)

// tap is a button of a chore: a link, or what one tap sends.
type tap struct {
	Label string
	Of    string // what it is done to, for those who hear the page
	Link  string
	Send  string
	With  map[string]string // what is sent
	Main  bool
	Whole bool // the page is loaded whole: it dresses for the dark
}

// Class is how the button looks.
func (t tap) Class() string {
	if t.Main {
		return "is-main"
	}
	return ""
}

// Taps are the buttons of a chore.
func Taps(c chores.Chore) []tap {
	to := func(path string) string { return fmt.Sprintf("/batches/%d/%s", c.About.ID, path) }
	record := tap{Label: "Record", Of: c.Code, Link: fmt.Sprintf("/batches/%d?do=hatch", c.About.ID)}
	switch c.Kind {
	case calendar.Candle:
		return []tap{
			{Label: "All live", Of: c.Code, Send: to("rest")},
			{Label: "Candle", Of: c.Code, Link: to("candle"), Main: true, Whole: true},
		}
	case incubate.LookAgain:
		return []tap{{Label: "Candle", Of: c.Code + " again", Link: to("candle"), Whole: true}}
	case incubate.Past:
		record.Main = true
		return []tap{record}
	case calendar.Lockdown:
		return []tap{{Label: "Done", Of: "lockdown of " + c.Code, Send: to("lockdown"), Main: true}}
	case calendar.Pull:
		return []tap{record, {
			Label: "Done", Of: "pull of " + c.Code, Send: to("done"), Main: true,
			With: map[string]string{"kind": c.Kind, "day": fmt.Sprint(c.Day)},
		}}
	case calendar.ClearOut:
		return []tap{record, {Label: "Close", Of: c.Code, Send: to("close"), Main: true}}
	case method.Turn, method.Cool, method.Mist:
		return []tap{{
			Label: "Done", Of: c.Kind + " of " + c.Code, Send: to("care"), With: map[string]string{"kind": c.Kind},
		}}
	case farm.Tilt:
		return []tap{{Label: "Done", Of: "tilting " + c.Of, Send: fmt.Sprintf("/places/%d/tilted", c.About.ID)}}
	case stock.Rested:
		return []tap{{Label: "Set", Of: c.Of, Link: "/set?kind=" + c.Species}}
	}
	return nil
}
