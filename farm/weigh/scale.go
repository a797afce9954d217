package weigh

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"math"
	"strings"
	"unicode/utf8"

	"github.com/google/uuid"

	"metrogon/core/units"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
	rows "metrogon/store/weigh"
)

// Run is hands-free weighing on its way: one thing after the other is put on
// the scale, and what the scale sends is kept for it.
type Run struct {
	OneByOne bool // every egg by itself; else tray after tray
	TareG    float64
	RHPct    float64
	TempC    float64
	Seen     int64   // the reading that was taken last
	Next     int     // of the targets, what is put on the scale next
	OddG     float64 // an odd weight that was asked about; the same again is meant
}

// Target is what is put on the scale.
type Target struct {
	Name   string
	TrayID int64
	Code   string
	Eggs   int
}

// ScalePage is what is due on the scale.
type ScalePage struct {
	Water
	Run
	Targets []Target
	Heard   bool   // a weight came in
	Said    string // what became of it
	Asks    string // what is odd about it
	Key     string // the scale's
}

// OnScale is what is put on the scale next; nil when all is weighed.
func (p ScalePage) OnScale() *Target {
	if p.Next < len(p.Targets) {
		return &p.Targets[p.Next]
	}
	return nil
}

// Done is what was weighed already.
func (p ScalePage) Done() []Target { return p.Targets[:min(p.Next, len(p.Targets))] }

// HandsFree begins hands-free weighing, or goes on with it: if the scale has sent
// a weight since the last one, it is kept for what lies on it, once.
func (b *Service) HandsFree(
	ctx context.Context, m *farm.Member, batchID int64, h Run, take bool,
) (page ScalePage, err error) {
	var reading rows.Reading
	var eggs []snapshot.PlacedEgg
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return err
		}
		if page.Water, err = water(ctx, tx, w, batchID); err != nil {
			return err
		}
		if page.Key, err = scaleKey(ctx, tx); err != nil {
			return err
		}
		if eggs, err = w.EggsInPlace(ctx, tx, page.BatchView); err != nil {
			return err
		}
		if !take {
			h.Seen, err = rows.On(tx).LastReading(ctx)
		} else if reading, err = rows.On(tx).ReadingAfter(ctx, h.Seen); err == nil {
			page.Heard = true
		} else if errors.Is(err, farm.ErrNone) {
			err = nil
		}
		return err
	})
	if err != nil {
		return page, err
	}
	h.Next = max(h.Next, 0)
	page.Run, page.Targets = h, targets(page.Water, eggs, h.OneByOne)
	on := page.OnScale()
	if !page.Heard || on == nil {
		return page, nil
	}
	page.Seen, page.OddG = reading.ID, 0
	weigh := Weighing{TrayID: on.TrayID, Code: on.Code, Eggs: on.Eggs, MassG: reading.MassG - h.TareG, RHPct: h.RHPct,
		TempC: h.TempC, At: reading.At,
		Sure: h.OddG > 0 && math.Abs(reading.MassG-h.OddG) < .02*h.OddG}
	done, err := b.Record(ctx, farm.Request{Member: m, Key: readingKey(m.FarmID, reading.ID), Sure: true}, batchID, weigh)
	p, odd := farm.AsProblems(err)
	switch {
	case odd:
		page.Asks, page.OddG = p.Error(), reading.MassG
	case err != nil:
		return page, err
	default:
		page.Said = done.Said
		page.Next++
	}
	return page, nil
}

// readingKey makes a reading count once, however often a page asks for it.
func readingKey(farmID, id int64) string {
	return uuid.NewSHA1(uuid.NameSpaceOID, fmt.Appendf(nil, "reading %d of farm %d", id, farmID)).String()
}

func targets(page Water, eggs []snapshot.PlacedEgg, oneByOne bool) (all []Target) {
	if oneByOne {
		for _, e := range eggs {
			all = append(all, Target{e.Code(), 0, e.Code(), 1})
		}
		return
	}
	lying := map[int64]int{}
	for _, e := range eggs {
		if e.TrayID != nil {
			lying[*e.TrayID]++
		}
	}
	for _, t := range page.Trays {
		if lying[t.ID] > 0 {
			all = append(all, Target{t.Name, t.ID, "", lying[t.ID]})
		}
	}
	if len(all) == 0 && len(eggs) > 0 {
		all = []Target{{"all eggs", 0, "", len(eggs)}}
	}
	return
}

// scaleKey is shown to owners alone; "" while there is none.
func scaleKey(ctx context.Context, tx *farm.Tx) (string, error) {
	if !tx.Member.Owner() {
		return "", nil
	}
	return rows.On(tx).ScaleKey(ctx)
}

// ScaleKey gives an owner the key of the farm's scale; "" while there is none.
func (b *Service) ScaleKey(ctx context.Context, m *farm.Member) (key string, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		key, err = scaleKey(ctx, tx)
		return err
	})
	return
}

// RenewScaleKey gives the farm's scale a new key; the one before opens nothing any more.
func (b *Service) RenewScaleKey(ctx context.Context, req farm.Request) (farm.Done, error) {
	return b.Act(ctx, req, farm.Owning, func(tx *farm.Tx) (farm.Done, error) {
		if err := rows.On(tx).SetScaleKey(ctx, rand.Text()); err != nil {
			return farm.Done{}, err
		}
		return journal.Record(ctx, tx, nil, nil, "Gave the scale a new key.")
	})
}

// RecordReading keeps what a farm's scale sent, in g; a pack that came before, by
// its digest, counts once. ErrNone: no farm has a scale with this key.
func (b *Service) RecordReading(ctx context.Context, scaleKey string, massG float64, pack string) error {
	if len(scaleKey) > 200 || !utf8.ValidString(scaleKey) || strings.ContainsRune(scaleKey, 0) {
		return farm.ErrNone
	}
	farmID, err := rows.Of(b.DB).FarmOfScale(ctx, scaleKey)
	if err != nil {
		return err
	}
	var p farm.Problems
	if p.Mass(units.Reader{}, "v", "The weight", &massG, .1, 200000); p != nil {
		return p
	}
	return b.DB.Write(ctx, farmID, func(tx *store.Tx) error { return rows.On(tx).AddReading(ctx, b.Now(), massG, pack) })
}
