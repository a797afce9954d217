package page

import "fmt"

// Stop is one of the tour: what a page is for, and where it goes on.
type Stop struct {
	No, Of      int
	Says        string
	Next, Leave string
}

// stops are the pages of the tour, in the order of the work.
var stops = []struct{ path, says string }{
	{"/", "Today lists what is due: turn, candle, lock down, pull. One tap tells that it is done, and can be taken back."},
	{"/eggs", "Here you enter what you collected. Each egg gets a pencil code, and its days in store are counted."},
	{"/set", "Here eggs go into a machine. The page says what will hatch of them, when, and whether there is room."},
	{"/board", "The board shows every machine over the weeks, what clashes, and what you promised."},
	{"/rates", "What hatched, by pen, male, machine and age of eggs, and whether a difference is more than chance."},
}

// Stop is the one of the tour that is shown, if this page is one.
func (s Meta) Stop() *Stop {
	if s.Member == nil || s.Tour < 1 || s.Tour > len(stops) {
		return nil
	}
	at := stops[s.Tour-1]
	stop := &Stop{No: s.Tour, Of: len(stops), Says: at.says, Leave: at.path}
	if s.Tour < len(stops) {
		stop.Next = fmt.Sprintf("%s?tour=%d", stops[s.Tour].path, s.Tour+1)
	} else {
		stop.Leave = "/"
	}
	return stop
}
