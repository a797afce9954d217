package clutch

import (
	"fmt"
	"math"
	"time"

	"metrogon/core/species"
	"metrogon/farm/lineage"
	"metrogon/farm/snapshot"
	rows "metrogon/store/clutch"
)

// laidClutch is a clutch with its number in its season.
type laidClutch struct {
	rows.Clutch
	Number int
}

// damHistory is the clutches of one female, or of a pen of which nobody knows who laid, the oldest first.
type damHistory struct {
	name     string
	kind     *species.Profile
	clutches []laidClutch
}

// seasonGap ends a season: so long without a clutch.
const seasonGap = 150 * 24 * time.Hour

// histories sorts all clutches of the farm by who laid them.
func histories(w *snapshot.Snapshot, flock lineage.Flock, clutches []rows.LaidClutch) (all []damHistory) {
	at := map[string]int{}
	for _, c := range clutches {
		pen := w.PenByID[c.PenID]
		key, name := fmt.Sprintf("pen %d", pen.ID), pen.Name
		if c.DamID != nil {
			key, name = fmt.Sprintf("dam %d", *c.DamID), flock.Birds[*c.DamID].Name
		}
		i, there := at[key]
		if !there {
			kind, err := w.Kind(pen.Species)
			if err != nil {
				continue
			}
			i, at[key] = len(all), len(all)
			all = append(all, damHistory{name: name, kind: kind})
		}
		h, number := &all[i], 1
		if n := len(h.clutches); n > 0 && c.LaidFrom.Sub(h.clutches[n-1].LaidTo) < seasonGap {
			number = h.clutches[n-1].Number + 1
		}
		h.clutches = append(h.clutches, laidClutch{c.Clutch, number})
	}
	return all
}

// next is when she may lay again: by her own intervals, or, with under two of them, as is usual for the kind; nil where
// the kind lays once, or that is long over.
func (h damHistory) next(w *snapshot.Snapshot, kind *species.Profile) *NextClutch {
	last := h.clutches[len(h.clutches)-1]
	var own []float64
	for i := 1; i < len(h.clutches); i++ {
		if h.clutches[i].Number > 1 {
			own = append(own, h.clutches[i].LaidTo.Sub(h.clutches[i-1].LaidTo).Hours()/24)
		}
	}
	n := NextClutch{Own: len(own)}
	from, to := kind.ClutchIntervalDays.From, kind.ClutchIntervalDays.To
	if len(own) >= 2 {
		mean, sum := 0.0, 0.0
		for _, d := range own {
			mean += d / float64(len(own))
		}
		for _, d := range own {
			sum += (d - mean) * (d - mean)
		}
		spread := math.Max(2, 1.6*math.Sqrt(sum/float64(len(own)-1)))
		from, to = max(1, mean-spread), mean+spread
	} else if n.Own = 0; !kind.ClutchIntervalDays.Known() {
		return nil
	}
	n.From, n.To = last.LaidTo.AddDate(0, 0, int(math.Floor(from))), last.LaidTo.AddDate(0, 0, int(math.Ceil(to)))
	if w.Now.After(n.To.AddDate(0, 0, 30)) {
		return nil
	}
	return &n
}

// NextClutch is when the dam may lay again this season.
type NextClutch struct {
	From, To time.Time
	Own      int // clutches of hers by which it is reckoned; 0: as is usual for the kind
}

// sireSays names who sired a clutch.
func sireSays(f lineage.Flock, c rows.Clutch) string {
	switch {
	case c.SireID != nil:
		return f.Birds[*c.SireID].Name
	case c.Sired == SiredSeveral:
		return "one of several"
	case c.Sired == SiredStored:
		return "stored sperm"
	case c.Sired == SiredOne:
		return "her male"
	}
	return "unknown sire"
}
