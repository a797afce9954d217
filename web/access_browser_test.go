package web

import (
	"maps"
	"regexp"
	"slices"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/demo"
	"metrogon/farm"
	"metrogon/web/browser"
)

func TestEveryPageIsAccessibleAndOnTheSheet(t *testing.T) {
	t.Parallel()
	s := newDemo(t, 1)
	script := axe(t)
	v := s.signedIn(demo.Email, demo.Password)
	pages := bigPages(v)
	pages["Candle"], pages["Hatch"], pages["Remove"] = pages["Batch"]+"?do=candle", pages["Batch"]+
		"?do=hatch", pages["Batch"]+"?do=remove"
	pages["Closed"] = regexp.MustCompile(
		`(?s)<h2 id="closed">.*?href="(/batches/\d+)"`,
	).FindStringSubmatch(v.get("/batches").body)[1]
	pages["New pen"], pages["New machine"], pages["Lost"] = "/pens/new", "/machines/new", "/nowhere"
	pages["Start"] = "/start"
	names := slices.Sorted(maps.Keys(pages))
	t.Run("pages", func(t *testing.T) {
		for _, half := range [][]string{names[:len(names)/2], names[len(names)/2:]} { // two tabs take less than one
			t.Run(half[0], func(t *testing.T) {
				t.Parallel()
				own := &site{TB: t, Server: s.Server, books: s.books, now: s.now}
				h := own.hand(360, 780)
				h.do(browser.SignIn(s.URL, demo.Email, demo.Password))
				for _, name := range half {
					h.do(browser.Size(360, 780))
					h.open(pages[name])
					h.sound(script, name)
					if name == "Today" {
						tall := func() int { return ask[int](h, `document.documentElement.scrollHeight`) }
						assert.LessOrEqual(t, tall(), 900, "the morning at a desk")
						h.do(browser.Size(390, 844))
						assert.LessOrEqual(t, tall(), 1800, "the morning on a phone")
					}
				}
			})
		}
	})
	h := s.hand(360, 780)
	h.do(chromedp.Navigate(s.URL+"/sign-in"), browser.See("h1"))
	h.sound(script, "The door")
	for name, path := range s.linked(t) {
		h.do(browser.Size(360, 780))
		h.open(path)
		h.sound(script, name)
	}
	h = newSite(t).hand(360, 780)
	h.open("/set-up")
	h.sound(script, "Set-up")
}

// linked are the pages of those who have a link and no account.
func (s *site) linked(t *testing.T) map[string]string {
	ctx := t.Context()
	m, err := s.books.People.Member(ctx, 1)
	require.NoError(t, err)
	joins, err := s.books.People.Invite(ctx, m, "Tobin", farm.HelperRole)
	require.NoError(t, err)
	list, _, err := s.books.Handover.Make(ctx, farm.NewRequest(m), farm.Handover{
		Name: "Tobin", Call: "Ida, 0555 0134", FromOn: m.Date(s.now), ToOn: m.Date(s.now.AddDate(0, 0, 3)),
	})
	require.NoError(t, err)
	return map[string]string{"Join": "/join/" + joins, "List": "/list/" + list}
}

// sound tries the page that stands in the window: on a phone, at a desk in the dark, and at a desk.
func (h *hand) sound(script, name string) {
	h.Helper()
	assert.Empty(h, ask[string](h, `window.refused.join("; ")`), "%s has what the policy refuses", name)
	for _, size := range []struct {
		w, h  int64
		dark  bool
		rules []string // all of them at a desk
	}{{360, 780, false, atSize}, {1280, 800, true, inDress}, {1280, 800, false, nil}} {
		h.do(browser.Size(size.w, size.h), browser.Dark(size.dark))
		assert.Empty(h, h.faults(script, size.rules...), "%s at %d px, dark %v", name, size.w, size.dark)
		assert.Empty(h, ask[string](h, offSheet), "%s at %d px is not on the sheet", name, size.w)
		wide := ask[int](h, `document.documentElement.scrollWidth`)
		assert.LessOrEqual(h, int64(wide), size.w, "%s runs out of the screen", name)
		if size.w < 700 {
			assert.Empty(h, ask[string](h, smallTargets), "%s by thumb", name)
		}
	}
}
