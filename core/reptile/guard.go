package reptile

import (
	"time"

	"metrogon/core/climate"
	"metrogon/core/species"
)

// Level is a limit of a box with reptiles' eggs, and how it rings: by day, or always.
type Level struct {
	ID    string
	Alarm climate.Alarm
	Wakes bool // through quiet hours
}

// Levels of a box, by how bad they are.
const (
	SlowLevel   = "slow" // growth is slow, nothing dies
	ColdLevel   = "cold"
	WarmLevel   = "warm"
	HotLevel    = "hot"
	AtOnceLevel = "at-once"
)

// Guard gives the levels at which a box with eggs of these kinds rings, the worst of each side first: of several kinds
// the highest slow and cold, and the lowest of the others. instrumentC is how far the thermometer may be off, °C: what
// is hot is reached from so far below on.
func Guard(kinds []*species.Profile, instrumentC float64) []Level {
	if len(kinds) == 0 {
		return nil
	}
	of := kinds[0].Bears()
	for _, p := range kinds {
		l := p.Bears()
		if l.SlowC > of.SlowC {
			of.SlowC, of.SlowH = l.SlowC, l.SlowH
		}
		if l.ColdC > of.ColdC {
			of.ColdC, of.ColdH = l.ColdC, l.ColdH
		}
		if l.WarmC < of.WarmC {
			of.WarmC, of.WarmH = l.WarmC, l.WarmH
		}
		if l.HotC < of.HotC {
			of.HotC, of.HotH = l.HotC, l.HotH
		}
		of.AtOnceC = min(of.AtOnceC, l.AtOnceC)
	}
	level := func(id string, what climate.Alert, c, h float64, wakes bool) Level {
		delay := max(time.Duration(h*float64(time.Hour)), time.Minute)
		return Level{id, climate.Alarm{What: what, Bound: c, Delay: delay}, wakes}
	}
	return []Level{
		level(AtOnceLevel, climate.Warm, of.AtOnceC-instrumentC, 0, true),
		level(HotLevel, climate.Warm, of.HotC-instrumentC, of.HotH, true),
		level(WarmLevel, climate.Warm, of.WarmC, of.WarmH, false),
		level(ColdLevel, climate.Cool, of.ColdC, of.ColdH, false),
		level(SlowLevel, climate.Cool, of.SlowC, of.SlowH, false),
	}
}

// Says says what a level means.
func Says(level string) string {
	return map[string]string{
		AtOnceLevel: "deadly hot, cool it now", HotLevel: "too hot: embryos die or are deformed",
		WarmLevel: "warmer than they like: turn it down", ColdLevel: "too cold",
		SlowLevel: "growth is slow, nothing dies",
	}[level]
}
