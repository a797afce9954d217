// Command take makes the pictures of docs/screenshots from a running demo farm:
//
//	./start &  go run ./docs/screenshots [only…]
package main

import (
	"context"
	"fmt"
	"log"
	"os"
	"path/filepath"
	"slices"

	"github.com/chromedp/chromedp"

	"metrogon/demo"
	"metrogon/web/browser"
)

const address = "http://127.0.0.1:8480"

var pictures = []struct {
	name, path    string
	width, height int64
	first         browser.Step // before the picture
}{
	{name: "today", path: "/", width: 1280, height: 800},
	{name: "today-phone", path: "/", width: 390, height: 844},
	{name: "eggs", path: "/eggs", width: 1280, height: 800},
	{name: "set", path: "/set?kind=chicken", width: 1280, height: 800, first: browser.See(`#answer-in .ribbon`)},
	{name: "batch", path: "hatching", width: 1280, height: 800},
	{name: "board", path: "/board", width: 1280, height: 800},
	{name: "plan", path: "plan", width: 1280, height: 1000},
	{name: "clutch", path: "clutch", width: 1280, height: 2300},
	{name: "rates", path: "/rates?by=pen&compare=1&compare=2", width: 1280, height: 1300},
	{name: "machine", path: "/machines/1", width: 1280, height: 800},
	{
		name: "readings", path: "/machines/1/readings?span=3d", width: 1280, height: 900,
		first: browser.See(`.course canvas`),
	},
	{name: "trays", path: "Tray map", width: 1280, height: 900},
	{name: "water", path: "Water and weight", width: 1280, height: 900},
	{name: "candle", path: "/machines/1/candle", width: 1280, height: 800, first: browser.See(`.dot.now`)},
	{name: "lockdown", path: "lockdown", width: 1280, height: 800},
	{name: "watch", path: "watch", width: 1280, height: 800},
	{name: "opened", path: "opened", width: 390, height: 844},
	{name: "report", path: "report", width: 1280, height: 1300},
	{name: "brooders", path: "/brooders", width: 1280, height: 900},
}

func script(text string) browser.Step {
	return chromedp.Func(func(ctx context.Context, _ *chromedp.Target) error {
		_, err := chromedp.Run(ctx, chromedp.Evaluate[any](text))
		return err
	})
}

func main() {
	only := os.Args[1:]
	ctx, end := browser.Open(context.Background())
	defer end()
	if err := chromedp.Do(ctx); err != nil {
		log.Fatal(err)
	}
	for _, p := range pictures {
		if len(only) > 0 && !slices.Contains(only, p.name) {
			continue
		}
		tab, close, err := browser.Tab(ctx, p.width, p.height)
		if err != nil {
			log.Fatal(err)
		}
		steps := []browser.Step{browser.SignIn(address, demo.Email, demo.Password)}
		switch p.path {
		case "opened", "report":
			steps = append(steps, chromedp.Navigate(address+"/batches"),
				chromedp.Click(chromedp.Search(`(//h2[@id="closed"]/following::a[starts-with(normalize-space(.), "Chicken")])[`+
					map[string]string{"opened": "1", "report": "4"}[p.path]+`]`)),
				browser.See(`.under`), script(`location.pathname += "/`+p.path+`"`), browser.See(`.opened, .ends`))
		case "hatching":
			steps = append(
				steps, chromedp.Navigate(address+"/batches"), browser.Click(`.running a[href^="/batches/"]`),
				browser.See(`.tray`),
			)
		case "watch":
			steps = append(steps, chromedp.Navigate(address+"/"), browser.Click(`.hatching-batch a[href^="/watch"]`),
				browser.See(`#watch[data-kept] .floor`))
		case "lockdown":
			steps = append(steps, chromedp.Navigate(address+"/batches"),
				chromedp.Click(chromedp.Search(`//a[starts-with(normalize-space(.), "Quail")]`)), browser.See(`.under`),
				script(`location.pathname += "/lockdown"`), browser.See(`.lock-steps`))
		case "Tray map", "Water and weight":
			steps = append(steps, chromedp.Navigate(address+"/batches"),
				chromedp.Click(chromedp.Search(`(//main//a[starts-with(normalize-space(.), "Duck")])[2]`)),
				browser.See(`.under`),
				chromedp.Click(chromedp.Search(fmt.Sprintf(`//a[normalize-space(.)=%q]`, p.path))),
				browser.See(`.map-egg, .water-draw`))
		case "plan":
			steps = append(
				steps, chromedp.Navigate(address+"/board"), browser.Click(`form.ask button`), browser.See(`.proposals`),
			)
		case "clutch":
			steps = append(steps, chromedp.Navigate(address+"/clutches"), browser.Click(`.shelf-clutch a`), browser.See(`.box`))
		default:
			steps = append(steps, chromedp.Navigate(address+p.path))
		}
		if p.first != nil {
			steps = append(steps, p.first)
		}
		if err := chromedp.Do(tab, steps...); err != nil {
			log.Fatalf("%s: %v", p.name, err)
		}
		png, err := chromedp.Run(tab, chromedp.CaptureScreenshot())
		if err != nil {
			log.Fatalf("%s: %v", p.name, err)
		}
		close()
		file := filepath.Join("docs", "screenshots", p.name+".png")
		if err := os.WriteFile(file, png, 0o644); err != nil {
			log.Fatal(err)
		}
		fmt.Println(file)
	}
}
