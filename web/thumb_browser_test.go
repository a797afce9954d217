package web

import (
	"context"
	"fmt"
	"testing"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/demo"
	"metrogon/web/browser"
)

// tap puts a thumb down and up again.
func (h *hand) tap(x, y float64) {
	h.Helper()
	h.do(chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		down := input.DispatchTouchEventParams{
			Type: input.DispatchTouchEventTypeTouchStart, TouchPoints: []*input.TouchPoint{{X: x, Y: y}},
		}
		if _, err := cdp.Call(ctx, t, input.DispatchTouchEvent, down); err != nil {
			return err
		}
		up := input.DispatchTouchEventParams{Type: input.DispatchTouchEventTypeTouchEnd, TouchPoints: []*input.TouchPoint{}}
		_, err := cdp.Call(ctx, t, input.DispatchTouchEvent, up)
		return err
	}))
}

// tops are where the rows of Today lie, by what they say.
const tops = `Object.fromEntries([...document.querySelectorAll(".dues > li")].map(
	l => [l.dataset.row, Math.round(l.getBoundingClientRect().top)]))`

// A row that is done stays where it was, grey, with the hour and a way back; nothing else moves; and the same thumb, a
// moment later, does nothing to what came under it.
func TestASecondTapHitsNothingElse(t *testing.T) {
	t.Parallel()
	s := newDemo(t, 1)
	h := s.hand(390, 844)
	h.do(browser.SignIn(s.URL, demo.Email, demo.Password))
	h.open("/")
	const row = `[...document.querySelectorAll(".dues > li")].find(l => /Tilt/.test(l.textContent))`
	h.run(row + `.scrollIntoView({block: "center"})`)
	before := ask[map[string]int](h, tops)
	name := ask[string](h, row+`.dataset.row`)
	at := ask[[]float64](h, `(() => { const r = `+row+`.querySelector("form.act button").getBoundingClientRect();
		return [r.left + r.width / 2, r.top + r.height / 2]; })()`)
	entries := func() float64 { return h.number(`select count(*)::float8 from journal`) }
	n := entries()
	h.tap(at[0], at[1])
	h.until(fmt.Sprintf(`!!document.querySelector('.done-row[data-row=%q]')`, name), "the row did not stay")
	h.tap(at[0], at[1])
	h.reads("tilted to the other side")
	assert.Equal(t, before, ask[map[string]int](h, tops), "a row moved")
	assert.Equal(t, n+1, entries(), "tilted once, and not taken back by the same thumb")
	assert.Equal(t, "/", ask[string](h, `location.pathname`))

	h.until(`(window.calm ??= Date.now() + 1100) < Date.now()`, "time stands still")
	h.tap(at[0], at[1])
	h.until(fmt.Sprintf(`!!document.querySelector('li[data-row=%q]:not(.done-row)')`, name), "it was not taken back")
	assert.Equal(t, before, ask[map[string]int](h, tops))
	require.NotEmpty(t, name)
	h.do(chromedp.Reload())
	h.until(fmt.Sprintf(`!!document.querySelector('li[data-row=%q] form.act')`, name), "it is due again")
}

// A helper who may not set eggs of the store reads so at once, on a phone: not below the fold.
func TestARefusalIsSeenWhereTheThumbIs(t *testing.T) {
	t.Parallel()
	s := newDemo(t, 1)
	h := s.hand(390, 844)
	h.do(browser.SignIn(s.URL, "tobin@quillmarsh.example", demo.Password))
	h.open("/set")
	h.run(`document.querySelector(".answer-bar button").click()`)
	h.until(`!!document.querySelector(".problems")`, "nothing was refused")
	h.until(`(r => r.top >= 0 && r.bottom < innerHeight / 2)(document.querySelector(".problems").getBoundingClientRect())`,
		"it stands below the fold")
	h.run(`location.reload()`)
	h.until(
		`document.querySelector("h1")?.textContent === "Set" && !document.querySelector(".problems")`, "it does not open",
	)
}
