// Package browser drives headless Chromium over the real pages: for tests and
// for the pictures in docs/screenshots.
package browser

import (
	"context"
	"os"
	"time"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
)

// shell is Chromium without a window of its own, a quarter faster than the whole one, as Debian ships it.
const shell = "/usr/lib/chromium/chromium-headless-shell"

// Open starts a browser that closes with the context returned.
func Open(ctx context.Context) (context.Context, context.CancelFunc) {
	options := append(chromedp.DefaultExecAllocatorOptions[:],
		chromedp.Flag("disable-quic", true), chromedp.Flag("disable-component-update", true), chromedp.Flag(
			"disable-background-networking", true,
		),
		chromedp.DisableGPU, chromedp.Flag("lang", "en-GB"))
	if os.Geteuid() == 0 {
		options = append(options, chromedp.NoSandbox)
	}
	if _, err := os.Stat(shell); err == nil {
		options = append(options, chromedp.ExecPath(shell))
	}
	ctx, stop := chromedp.NewExecAllocator(ctx, options...)
	ctx, end := chromedp.NewContext(ctx)
	return ctx, func() { end(); stop() }
}

// Tab opens another tab of the browser, as large as given, signed out.
func Tab(ctx context.Context, width, height int64) (context.Context, context.CancelFunc, error) {
	tab, end := chromedp.NewContext(ctx, chromedp.WithNewBrowserContext())
	tab, stop := context.WithTimeout(tab, 8*time.Minute)
	err := chromedp.Do(tab, Size(width, height))
	return tab, func() { stop(); end() }, err
}

// Step is one thing done in a tab.
type Step = chromedp.Action[chromedp.Void]

// Size makes the window as large as given.
func Size(width, height int64) Step { return chromedp.EmulateViewport(width, height) }

// Dark asks pages for their dark dress, or their light one, at once and not by a fade.
func Dark(dark bool) Step {
	dress := map[bool]string{true: "dark", false: "light"}[dark]
	return media(
		emulation.SetEmulatedMediaParams{
			Features: []*emulation.MediaFeature{
				{Name: "prefers-color-scheme", Value: dress}, {Name: "prefers-reduced-motion", Value: "reduce"},
			},
		},
	)
}

// WatchPolicy keeps in window.refused what the page policy refused, from the next page
// on.
func WatchPolicy() Step {
	return chromedp.Func(func(ctx context.Context, _ *chromedp.Target) error {
		_, err := chromedp.Call(ctx, page.AddScriptToEvaluateOnNewDocument, page.AddScriptToEvaluateOnNewDocumentParams{
			Source: `window.refused = [];
				document.addEventListener("securitypolicyviolation", (e) =>
					window.refused.push(e.violatedDirective + " " + e.sample + " " + e.sourceFile + ":" + e.lineNumber));`,
		})
		return err
	})
}

// Print shows pages as they are printed.
func Print() Step { return media(emulation.SetEmulatedMediaParams{Media: "print"}) }

func media(p emulation.SetEmulatedMediaParams) Step {
	return chromedp.Func(func(ctx context.Context, _ *chromedp.Target) error {
		_, err := chromedp.Call(ctx, emulation.SetEmulatedMedia, p)
		return err
	})
}

// Click, Type and See find their element by a CSS selector.
func Click(css string) Step { return chromedp.Click(chromedp.CSS(css)) }

// Type types into a field, after what is in it.
func Type(css, text string) Step { return chromedp.SendKeys(chromedp.CSS(css), text) }

// See waits until an element is visible.
func See(css string) Step { return chromedp.WaitVisible(chromedp.CSS(css)) }

// SignIn goes through the door.
func SignIn(address, email, password string) Step {
	return chromedp.Steps(chromedp.Navigate(address+"/sign-in"),
		Type(`input[name=email]`, email), Type(`input[name=password]`, password), Click(`main button`),
		See(`.signed h1`))
}
