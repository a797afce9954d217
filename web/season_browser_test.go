package web

import (
	"context"
	"fmt"
	"testing"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/demo"
	"metrogon/farm/season"
	seasonrows "metrogon/store/season"
	"metrogon/web/browser"
)

// planning is a hand on a farm on which plans are made.
func planning(t *testing.T, width, height int64) *hand {
	s := newDemo(t, 1)
	ctx, stop := context.WithCancel(t.Context())
	t.Cleanup(stop)
	go func() { // what the queue would do
		for ctx.Err() == nil {
			left, _ := seasonrows.Of(s.db).LeftPlans(ctx, 0)
			for _, l := range left {
				_ = s.books.Season.Plan(ctx, season.Work{FarmID: l.FarmID, PlanID: l.ID})
			}
			select {
			case <-ctx.Done():
			case <-time.After(50 * time.Millisecond):
			}
		}
	}()
	h := s.hand(width, height)
	h.do(browser.SignIn(s.URL, demo.Email, demo.Password))
	return h
}

// planned plans the season and accepts all of it.
func (h *hand) planned() {
	h.Helper()
	h.open("/board")
	h.press("Plan the season")
	h.reads("What comes of it", "Settings")
	h.press("Accept what is ticked")
	h.reads("Accepted")
}

// mouse moves the pointer, with the button down from a press to a release.
func (h *hand) mouse(kind input.DispatchMouseEventType, x, y float64) {
	h.Helper()
	h.do(chromedp.MouseEvent(kind, x, y, chromedp.ButtonLeft, func(p *input.DispatchMouseEventParams) {
		p.ClickCount = 1
		if kind == chromedp.MouseMoved {
			p.Buttons, p.ClickCount = 1, 0
		}
	}))
}

// spot is the middle of a planned batch's bar.
func (h *hand) spot(label, phase string) (x, y float64) {
	h.Helper()
	at := ask[[]float64](h, fmt.Sprintf(`(() => {
		const a = document.querySelector('a[data-label=%q][data-phase=%q]');
		a.scrollIntoView({block: "center"});
		const r = a.querySelector(".bar").getBoundingClientRect();
		return [r.left + r.width / 2, r.top + r.height / 2];
	})()`, label, phase))
	return at[0], at[1]
}

// drag takes a planned batch so many days aside, in steps, and leaves it in hand.
func (h *hand) drag(label string, days int) {
	h.Helper()
	x, y := h.spot(label, "turning")
	step := ask[float64](h, `document.querySelector(".board-svg").getBoundingClientRect().width /
		document.querySelector(".board-scroll").dataset.days`)
	h.mouse(chromedp.MousePressed, x, y)
	for i := 1; i <= 10; i++ {
		h.mouse(chromedp.MouseMoved, x+float64(days)*step*float64(i)/10, y)
	}
	h.mouse(chromedp.MouseReleased, x+float64(days)*step, y)
	h.until(`!document.querySelector(".board-try").hidden`, "nobody told what it would meet")
}

// A season is planned, a setting dragged into a clash and out by its cure, and set from Today.
func TestASeasonAtADesk(t *testing.T) {
	t.Parallel()
	h := planning(t, 1280, 900)
	h.open("/board")
	h.reads("0 of 20", "20 not covered yet", "Free eggs")
	h.press("Plan the season")
	h.reads("What comes of it", "proven", "20 chicks for Mosswick market")
	assert.Positive(t, ask[int](h, `document.querySelectorAll(".proposals li").length`))
	h.press("Accept what is ticked")
	h.reads("Accepted", "Today tells you when each is due")
	h.open("/board")
	h.reads("covered")
	assert.Zero(t, ask[int](h, `document.querySelectorAll(".clash").length`), "a plan clashes with nothing")

	// The quail of the demo, four days later: into days on which their hatcher is taken, or away.
	const quail = "Quail, 20 Apr"
	h.drag(quail, 21)
	h.reads("falls on days away")
	assert.Positive(t, ask[int](h, `document.querySelectorAll(".meeting").length`), "it shows where")
	cure := ask[string](h, `document.querySelector(".board-try .cures button").textContent`)
	h.press(cure)
	h.reads("Quail, 20 Apr: now")
	assert.Zero(t, ask[int](h, `document.querySelectorAll(".clash").length`), "cured: "+cure)
	h.press("Take back U")
	h.reads("Taken back")

	h.open("/")
	h.reads("Set 8 eggs: Barred 4, Speckled 4")
	h.press("Set 8 eggs Chicken, 14 Apr")
	h.reads("Set 8 eggs as Chicken 27-")
	h.reads("Done, 13:00")
	h.press("Take back U")
	h.reads("Set 8 eggs: Barred 4, Speckled 4")
}

// Without a mouse: a planned batch is moved by arrows and kept by Enter, or put back by Escape.
func TestABoardByKeys(t *testing.T) {
	t.Parallel()
	h := planning(t, 1280, 900)
	h.open("/board")
	focus := `document.querySelector('a[data-label="Quail, 20 Apr"]').focus()`
	moved := `document.querySelector('a[data-label="Quail, 20 Apr"]')?.getAttribute("transform") ?? ""`
	h.run(focus)
	h.do(chromedp.KeyEvent(kb.ArrowRight), chromedp.KeyEvent(kb.ArrowRight))
	h.reads("Quail, 20 Apr: set Thu 22 Apr in Cabinet")
	assert.NotEmpty(t, ask[string](h, moved))
	h.do(chromedp.KeyEvent(kb.Escape))
	assert.Empty(t, ask[string](h, moved), "put back")
	h.do(chromedp.KeyEvent(kb.ArrowRight), chromedp.KeyEvent(kb.ArrowDown))
	h.reads("Quail, 20 Apr: set Wed 21 Apr in Tabletop")
	h.do(chromedp.KeyEvent(kb.ArrowUp))
	h.reads("set Wed 21 Apr in Cabinet")
	h.do(chromedp.KeyEvent(kb.Enter))
	h.reads("Quail, 20 Apr: now 12 eggs on Wed 21 Apr in Cabinet")
	h.until(`document.querySelector('a[data-label="Quail, 21 Apr"]') !== null`, "it was not moved")

	// The same by typing a date.
	h.run(`document.querySelector('a[data-label="Quail, 21 Apr"]').focus()`)
	h.do(chromedp.KeyEvent(kb.Enter))
	h.reads("Quail, 21 Apr", "There by then")
	h.fill("set_on", "2027-04-23")
	h.press("Move it there")
	h.reads("now 12 eggs on Fri 23 Apr")
	h.run(`document.querySelector("main input[type=date]").value = "2020-04-23"`)
	h.press("Move it there")
	h.reads("23 Apr 2020 is over")
}

// Ducks and hens for one day, by one line; and a machine that dies under a plan.
func TestReckonedBackAndPlannedAgain(t *testing.T) {
	t.Parallel()
	h := planning(t, 1280, 900)
	out := h.now.AddDate(0, 0, 46)
	h.open("/board")
	h.do(browser.Type(`#line`, "ducks and hens out together on "+out.Format("2 January")+kb.Enter))
	h.settle()
	h.reads("Duck and chicken, out and dry on "+out.Format("Mon 2 January"), "eggs of duck", "eggs of chicken")
	h.press("Plan these")
	h.reads("Planned to set", "eggs of duck on "+out.AddDate(0, 0, -29).Format("Mon 2 Jan"))
	h.until(`document.querySelectorAll('a[data-planned][data-phase="turning"]').length === 4`, "two more are planned")

	h.open("/board/days")
	h.pick("machine", "Cabinet")
	h.do(
		chromedp.Click(chromedp.Search(`//section[contains(., "Closed machines")]//button[normalize-space()="Close it"]`)),
	)
	h.reads("Cabinet takes no eggs")
	h.open("/board")
	h.reads("Cabinet takes no eggs from")
	require.Positive(t, ask[int](h, `document.querySelectorAll(".clash .cures button").length`), "with cures")
	for range 5 { // let move what cannot stay
		link := ask[string](h, `document.querySelector(".clash a[href^='/planned']")?.getAttribute("href") ?? ""`)
		if link == "" {
			break
		}
		h.open(link)
		if ask[bool](h, `[...document.querySelectorAll("main button")].some(b => b.textContent.includes("Let it move"))`) {
			h.do(chromedp.Click(chromedp.Search(`//main//button[contains(., "Let it move")]`)))
			h.reads("may move when you plan again")
		}
		h.press("Do not set it " + ask[string](h, `document.querySelector("main h1").textContent`))
		h.reads("Not setting")
	}
	h.open("/board")
	h.press("Plan the season")
	h.reads("What comes of it")
	assert.NotContains(t, h.text(), "Cabinet, to hatch", "nothing goes into the dead machine")
}

// On a phone the board is a list by day, under the shape of the weeks.
func TestTheBoardOnAPhone(t *testing.T) {
	t.Parallel()
	h := planning(t, 390, 844)
	h.open("/board")
	assert.False(t, ask[bool](h, `document.querySelector(".board-scroll").checkVisibility()`))
	assert.True(t, ask[bool](h, `document.querySelector(".agenda .shape").checkVisibility()`))
	h.reads("Broody Wren", "set 8 eggs", "20 chicks")
	h.press("set 12 eggs · Quail, 20 Apr")
	h.reads("12 eggs on Tuesday 20 April")
	h.planned()
	h.open("/")
	h.press("Set 8 eggs Chicken, 14 Apr")
	h.reads("Set 8 eggs as Chicken 27-")
}

// What if there were another hatcher: beside the plan, kept or thrown away.
func TestWhatIfInTheBrowser(t *testing.T) {
	t.Parallel()
	h := planning(t, 1280, 900)
	h.open("/board")
	h.press("Plan the season")
	h.reads("What comes of it")
	h.fill("n", "40")
	h.do(chromedp.Click(chromedp.Search(`//form[contains(., "another hatcher")]//button`)))
	h.reads("What if: another hatcher, of 40 hens’ eggs?", "Its settings")
	h.press("Throw it away Another hatcher, of 40 hens’ eggs")
	h.reads("Threw the plan away.")
	assert.NotContains(t, h.text(), "What if: another")
}
