package handover

import (
	"metrogon/core/calendar"
	"metrogon/core/method"
	"metrogon/farm"
	"metrogon/farm/chores"
)

// Kinds of chore as the rooms name them; rooms do not import one another.
const (
	collect = "collect"
	again   = "again"
	past    = "past"
	rest    = "rest"
	rested  = "rested"
	set     = "set-planned"
	deliver = "hand-over"
	forHer  = "replanned" // is for whoever plans the season
)

// how tells in two lines how a chore is done, to somebody who may never have done it [common practice].
func how(c chores.Chore) string {
	switch c.Kind {
	case method.Turn:
		return "Wash your hands. Half a turn each, gently, the other mark up; shut the lid within some minutes."
	case method.Cool:
		return "Lid off, trays out if other eggs stand in the same machine. Put back when they feel just warm " +
			"on the eyelid."
	case method.Mist:
		return "A fine spray of lukewarm water all over, then shut the lid."
	case farm.Tilt:
		return "Lift the carton’s other end onto the block. Do not shake."
	case collect:
		return "Each pen into its own carton, pointed end down, cool and out of the sun. Write pen, day and " +
			"count on it."
	case calendar.Candle, again:
		return "In the dark, lamp at the blunt end, a few seconds each. Take out only what smells or oozes; " +
			"leave doubtful ones."
	case calendar.Lockdown:
		return "Turner off and out, mat in, eggs on their side with room between. Fill the water, shut the lid, " +
			"leave it shut."
	case calendar.Pull:
		return "Only those that are dry and fluffy, quickly, into the warm brooder; show each one the drinker. " +
			"Shut the lid."
	case calendar.ClearOut, past:
		return "Leave it shut and call, unless it smells: then goggles on, eggs into a bag, outdoors. Wash your " +
			"hands."
	case rest, rested:
		return "Pointed end down at room temperature, not turned, not tilted, until the hour; then set as written."
	case set:
		return "Into the machine that is named, blunt end up or on the side, not touching. Write down the hour."
	case deliver:
		return "As agreed with whoever fetches them. Warm box, dry bedding; no feed or water for a short way."
	}
	return c.Why
}
