package web

import (
	"fmt"
	"io"
	"net/http"
	"sort"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"metrogon/demo"
	"metrogon/farm"
	"metrogon/farm/incubate"
	"metrogon/farm/journal"
	"metrogon/farm/season"
	"metrogon/farm/snapshot"
	"metrogon/farm/stock"
	"metrogon/store"
	seasonrows "metrogon/store/season"
	"metrogon/web/browser"
)

// fleet is the demo farm with forty machines and four hundred batches over a year, half of them
// planned: the most that a board is made for.
func fleet(b testing.TB) *site {
	s := newDemo(b, 1)
	ctx := b.Context()
	m, err := s.books.People.Owner(ctx, demo.Name)
	require.NoError(b, err)
	var boxes []int64
	for i := range 33 {
		done, err := s.books.Machines.SaveMachine(ctx, farm.NewRequest(m), snapshot.Machine{
			Name: fmt.Sprintf("Box %02d", i+1), Kind: "all-in-one", CleanDays: 1,
		}, []snapshot.Room{{Species: "chicken", Setting: 40, Hatching: 40}})
		require.NoError(b, err, done)
	}
	all, err := s.books.Machines.List(ctx, m)
	require.NoError(b, err)
	for _, x := range all {
		if x.Name[:3] == "Box" {
			boxes = append(boxes, x.ID)
		}
	}
	pens, err := s.books.Flock.Pens(ctx, m)
	require.NoError(b, err)
	barred := pens[0].ID
	for _, p := range pens {
		if p.Name == "Barred" {
			barred = p.ID
		}
	}
	for i := range 200 {
		s.now = noon.AddDate(0, 0, -24*(i/len(boxes))-i%len(boxes)/2)
		_, err := s.books.Stock.Collect(ctx, farm.NewRequest(m), stock.Collected{
			PenID: barred, LaidOn: m.Date(s.now), Eggs: 12,
		})
		require.NoError(b, err)
		done, err := s.books.Incubate.Set(ctx, farm.NewRequest(m), incubate.Setting{
			Species: "chicken", SetterID: boxes[i%len(boxes)], HatcherID: boxes[i%len(boxes)], SetAt: s.now,
			Picks: []incubate.Pick{{PenID: barred, LaidOn: m.Date(s.now), Eggs: 12}},
		})
		require.NoError(b, err)
		if set := s.now; set.Before(noon.AddDate(0, 0, -22)) {
			s.now = set.AddDate(0, 0, 22)
			_, err = s.books.Hatch.Close(ctx, farm.NewRequest(m), done.Of(journal.Batch), time.Time{})
			require.NoError(b, err)
		}
	}
	s.now = noon
	err = s.owner.Write(ctx, m.FarmID, func(tx *store.Tx) error {
		for i := range 200 {
			on := m.Date(noon).AddDate(0, 0, 24*(i/len(boxes)+1))
			id, err := seasonrows.On(tx).SavePlanned(ctx, seasonrows.Planned{
				Species: "chicken", SetterID: boxes[i%len(boxes)], HatcherID: boxes[i%len(boxes)], SetOn: on, Pinned: true,
			})
			if err != nil {
				return err
			}
			eggs := []seasonrows.PlannedEggs{{PenID: barred, LaidOn: on, Eggs: 4}}
			if err := seasonrows.On(tx).SetPlannedEggs(ctx, id, eggs); err != nil {
				return err
			}
		}
		return nil
	})
	require.NoError(b, err)
	return s
}

// BenchmarkBoard opens the board of forty lanes and four hundred batches, over a year.
func BenchmarkBoard(b *testing.B) {
	s := fleet(b)
	v := s.signedIn(demo.Email, demo.Password)
	for _, weeks := range []int{6, 13, 52} {
		b.Run(fmt.Sprintf("%d weeks", weeks), func(b *testing.B) {
			for b.Loop() {
				r, err := v.Client.Get(fmt.Sprintf("%s/board?weeks=%d", s.URL, weeks))
				require.NoError(b, err)
				require.Equal(b, http.StatusOK, r.StatusCode)
				_, err = io.Copy(io.Discard, r.Body)
				require.NoError(b, err)
				require.NoError(b, r.Body.Close())
			}
		})
	}
	m, err := s.books.People.Owner(b.Context(), demo.Name)
	require.NoError(b, err)
	b.Run("try", func(b *testing.B) {
		for b.Loop() {
			_, err := s.books.Season.Planned(b.Context(), m, 100, &season.Move{SetOn: m.Date(noon).AddDate(0, 0, 60)})
			require.NoError(b, err)
		}
	})
}

// BenchmarkDrag drags a planned batch over that board in a browser, and tells how long its frames
// took: 16.7 ms are sixty a second.
func BenchmarkDrag(b *testing.B) {
	s := fleet(b)
	h := s.hand(1280, 900)
	h.do(browser.SignIn(s.URL, demo.Email, demo.Password))
	h.open("/board?weeks=26")
	var frames []float64
	for b.Loop() {
		h.run(`window.frames_ = []; window.last_ = 0;
			window.tick_ = t => {
				if (window.last_) window.frames_.push(t - window.last_);
				window.last_ = t; window.framing = requestAnimationFrame(window.tick_); };
			requestAnimationFrame(window.tick_)`)
		at := ask[[]float64](h, `(() => { const a = [...document.querySelectorAll("a[data-planned]")][60];
			a.scrollIntoView({block: "center", inline: "center"}); const r = a.querySelector(".bar").getBoundingClientRect();
			return [r.left + r.width / 2, r.top + r.height / 2]; })()`)
		h.mouse(chromedp.MousePressed, at[0], at[1])
		for i := range 120 {
			h.mouse(chromedp.MouseMoved, at[0]+float64(i), at[1]+float64(i%30))
		}
		frames = append(frames, ask[[]float64](h, `(cancelAnimationFrame(window.framing), window.frames_)`)...)
		h.mouse(chromedp.MouseReleased, at[0]+120, at[1])
		h.run(`document.dispatchEvent(new KeyboardEvent("keydown", {key: "Escape"}))`)
	}
	sort.Float64s(frames)
	if n := len(frames); n > 0 {
		b.ReportMetric(frames[n/2], "ms/frame-median")
		b.ReportMetric(frames[n*95/100], "ms/frame-p95")
	}
}
