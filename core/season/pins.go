package season

import (
	"fmt"
	"slices"
	"strings"
)

// Pins names what is wrong with pins: they have to keep the rules among
// themselves. That a pinned setting is small is no fault, since more may join it.
func (p *Problem) Pins() error {
	if len(p.Fixed) == 0 {
		return nil
	}
	var own []Batch
	for _, b := range p.Fixed {
		if b.SetDay >= 0 {
			own = append(own, b)
		}
	}
	_, stands := p.Judge(nil) // what stands, stands, whatever it breaks
	_, broken := p.Judge(own)
	var says []string
	for _, b := range broken {
		if b.Rule != 2 && !slices.Contains(stands, b) {
			says = append(says, b.Says)
		}
	}
	if len(says) > 0 {
		return fmt.Errorf("fixed: the pins contradict the rules: %s", strings.Join(says, "; "))
	}
	return nil
}
