package chores

import (
	"slices"

	"metrogon/core/calendar"
	"metrogon/core/method"
	"metrogon/farm/snapshot"
)

// What is to be done, besides the milestones of core/calendar and the care of core/method.
const (
	CandleRest   = "candle-rest"  // candling the eggs of a batch that were not looked at with the others
	LookAgain    = "again"        // candling once more what was unsure or not to be seen
	Past         = "past"         // telling what became of eggs whose hatch is long past
	Collect      = "collect"      // gathering what the pens laid
	Parcel       = "parcel"       // opening a parcel on the day on which it is expected
	Swap         = "swap"         // moving eggs under a broody hen once they were looked at
	Rest         = "rest"         // leaving a parcel's eggs alone
	Rested       = "rested"       // setting them
	SetPlanned   = "set-planned"  // setting what was planned
	HandOver     = "hand-over"    // giving what was promised
	Replanned    = "replanned"    // looking at the season that was planned again
	SetTest      = "set-test"     // setting a fertility test
	ReadTest     = "read-test"    // deciding by it
	Water        = "water"        // filling a machine's water before it runs dry
	Humidity     = "humidity"     // looking at what a change did to a machine's humidity
	Turner       = "turner"       // seeing that a turner turns again after its machine was opened
	WarmUp       = "warm-up"      // making a machine ready in time
	PowerAway    = "power-away"   // telling when the power is back
	LookAfterCut = "look-cut"     // candling some days after a power cut
	WarmBrooder  = "warm-brooder" // making a brooder warm the day before young come
	LowerHeat    = "lower-heat"   // lowering its heat week by week
	AtHand       = "at-hand"      // buying and warming what lockdown and hatch need
	Alarm        = "alarm"        // going to look because an alarm rings
	FoundLid     = "found-lid"    // saying whether a lid was ajar, as the readings look
	FoundPower   = "found-power"  // saying whether the power was away
	CheckGauge   = "check-gauge"  // checking a thermometer or hygrometer again
	NextTime     = "next-time"    // doing otherwise what an earlier batch taught
	LookAtClutch = "look-clutch"  // looking at a clutch without moving an egg
	WeighBox     = "weigh-box"    // weighing a box, to give back what it lost
	AirBox       = "air-box"      // lifting its lid for fresh air, and looking for mould
	SetWarmth    = "set-warmth"   // setting a shelf to the temperature that is planned
	ClutchHatch  = "clutch-hatch" // looking for young of a clutch
	ClutchRest   = "clutch-rest"  // looking at the last eggs of a clutch
	CloseClutch  = "close-clutch" // closing a clutch that is over
	Unticked     = "unticked"     // looking after a hand-over list on which something was missed
)

// Kind is a kind of chore.
type Kind struct {
	ID   string
	Name string // as somebody picks it to be reminded of; "": it has no hour
	How  string // in two lines, to somebody who may never have done it [common practice]; "": as its Why says
}

// Kinds are those that can be picked or handed over.
var Kinds = []Kind{
	{calendar.Candle, "candling", candleHow},
	{CandleRest, "", candleHow},
	{LookAgain, "looking again", candleHow},
	{calendar.Lockdown, "lockdown", lockdownHow},
	{calendar.Pull, "pulling", pullHow},
	{calendar.ClearOut, "clearing out", leaveHow},
	{Past, "", leaveHow},
	{SetPlanned, "planned settings", setHow},
	{Water, "water that runs low", waterHow},
	{Humidity, "", "Read the hygrometer through the window, or open for seconds; write down what it shows."},
	{Turner, "", "Switch it on and watch it move once each way. Then shut the lid."},
	{WarmUp, "making machines ready", "Clean and dry it, water in, floor in, then on. Tick each step on its page."},
	{HandOver, "promises", giveHow},
	{PowerAway, "", "Leave everything shut; blankets round it, vents free. Call. When it is back, say so here."},
	{LookAfterCut, "", candleHow},
	{NextTime, "", ""},
	{Alarm, "", ""},
	{FoundLid, "", ""},
	{FoundPower, "", ""},
	{CheckGauge, "", ""},
	{AtHand, "", ""},
	{WarmBrooder, "warming the brooder", ""},
	{LowerHeat, "lowering the heat", ""},
	{LookAtClutch, "looking at clutches", lookHow},
	{WeighBox, "weighing boxes", weighHow},
	{AirBox, "airing boxes", "Lid off for a breath, look for mould and dents, lid on. Touch no egg."},
	{SetWarmth, "temperatures of clutches", ""},
	{ClutchHatch, "young of clutches", youngHow},
	{ClutchRest, "", youngHow},
	{CloseClutch, "", ""},
	{Unticked, "what was not ticked on a hand-over list", ""},
	{method.Turn, "", turnHow},
	{method.Cool, "", coolHow},
	{method.Mist, "", "A fine spray of lukewarm water all over, then shut the lid."},
	{snapshot.Tilt, "", "Lift the carton’s other end onto the block. Do not shake."},
	{Collect, "", collectHow},
	{Parcel, "parcels that are expected", ""},
	{Swap, "eggs that go under a hen", swapHow},
	{Rest, "", restHow},
	{Rested, "", restHow},
}

const (
	lookHow = "In the dark, a cool lamp from the side, a second each. No egg is lifted; the mark on its top stays up. " +
		"Wash your hands afterwards."
	weighHow = "The whole box on the scale, lid on, level. Give back only what is written, lukewarm, along the edge, " +
		"not on the eggs."
	youngHow = "Through the lid if you can. Leave a head that looks out alone: it rests for a day or three. Never cut " +
		"an egg to see."
	candleHow = "In the dark, lamp at the blunt end, a few seconds each. Take out only what smells or oozes; " +
		"leave doubtful ones."
	lockdownHow = "Turner off and out, mat in, eggs on their side with room between. Fill the water, shut the " +
		"lid, leave it shut."
	pullHow = "Only those that are dry and fluffy, quickly, into the warm brooder; show each one the drinker. " +
		"Shut the lid."
	leaveHow = "Leave it shut and call, unless it smells: then goggles on, eggs into a bag, outdoors. Wash your " +
		"hands."
	setHow   = "Into the machine that is named, blunt end up or on the side, not touching. Write down the hour."
	waterHow = "Lukewarm water into the channels, to the brim; then shut the lid. Say how much went in, if you know."
	giveHow  = "As agreed with whoever fetches them. Warm box, dry bedding; no feed or water for a short way."
	turnHow  = "Wash your hands. Half a turn each, gently, the other mark up; shut the lid within some minutes."
	coolHow  = "Lid off, trays out if other eggs stand in the same machine. Put back when they feel just warm on " +
		"the eyelid."
	collectHow = "Each pen into its own carton, pointed end down, cool and out of the sun. Write pen, day and " +
		"count on it."
	swapHow = "By night and a dim lamp: dummies out, the live eggs under her one by one, marked with pencil. Leave her " +
		"quiet."
	restHow = "Pointed end down at room temperature, not turned, not tilted, until the hour; then set as written."
)

// How tells in two lines how a chore is done.
func (c Chore) How() string {
	if c.Way != "" {
		return c.Way
	}
	i := slices.IndexFunc(Kinds, func(k Kind) bool { return k.ID == c.Kind })
	if i < 0 || Kinds[i].How == "" {
		return c.Why
	}
	return Kinds[i].How
}
