package rates

// The least that has to be there before a figure is named; below it the sentence is wording.TooFew [judgement: the
// spans of so few are wider than what anybody would act on].
const (
	LeastTest      = 5  // eggs of a fertility test: ten are set [common practice], some break
	LeastStatement = 10 // eggs that were looked at, to tell a buyer a share
	LeastBatches   = 8  // that are over, to say how far batches differ
	leastPoints    = .5 // points by which batches differ: less is nothing to speak of
)

// Differ tells that batches differ by more than chance between eggs, so that there is something to say.
func (s Spread) Differ() bool { return s.Points() >= leastPoints }
