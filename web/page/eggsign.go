package page

import (
	"metrogon/core/candling"
	"metrogon/core/outcome"
	"metrogon/farm/snapshot"
)

// EggSign shows an egg's state three ways: by a glyph, in words, and as a class for
// its colour.
type EggSign struct{ Glyph, Word, Class string }

// SignOf tells what became of an egg or, while it lies in, its last call.
func SignOf(e snapshot.Egg) EggSign {
	if e.Fate != nil {
		stage := ""
		if e.Stage != nil {
			stage = ", " + *e.Stage
		}
		switch outcome.Fate(*e.Fate) {
		case outcome.Hatched:
			return EggSign{"✓", "hatched", "hatched"}
		case outcome.Unhatched:
			return EggSign{"–", "did not hatch" + stage, "out"}
		case outcome.Counted:
			return EggSign{"∑", "counted with its pen: nobody saw whether it hatched", "counted"}
		case outcome.Broken:
			return EggSign{"/", "broken by hand, counts against nobody", "out"}
		}
		if e.Opened != nil {
			stage += "; opened: " + *e.Opened
		}
		return EggSign{"×", "taken out" + stage, "out"}
	}
	return Called(e.Calls)
}

// Called tells the last of an egg's calls.
func Called(calls []string) EggSign {
	if len(calls) == 0 {
		return EggSign{"", "not called yet", "new"}
	}
	last := calls[len(calls)-1]
	return EggSign{candling.Call(last).Sign().Glyph, "called " + last, last}
}
