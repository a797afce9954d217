package machine

// Broody tells a hen, who turns, airs and moistens her eggs herself.
func Broody(id string) bool { return ID(id) == BroodyHen }

// What is done with a broody hen [common practice].
const (
	LeastUnderHer = 8  // hens' eggs that she covers
	MostUnderHer  = 14 // a large hen; a small one fewer
	LongestSit    = 35 // days that she sits at a stretch, dummies among them, before she wears out
)

// HenCare are the rules of her card, in order.
var HenCare = []string{
	"Mark her eggs with the date in pencil: what other hens lay beside them is taken out each evening.",
	"Food, water and grit off the nest; see that she leaves it once a day.",
	"Look at the eggs about day 7, by night and a dim lamp, and not again.",
	"From day 18 on nobody lifts her.",
}
