// Package moisture is about the water in an egg. So far: what a fresh egg
// weighs, from its size.
package moisture

// FreshMass estimates the mass in g of an egg when it was laid from its length
// and greatest breadth in mm: 0.548 · L · B² with L and B in cm. Source: Hoyt
// 1979, Practical methods of estimating volume and fresh weight of bird eggs,
// The Auk 96. Good to a few percent for eggs of usual shape.
func FreshMass(lengthMM, breadthMM float64) float64 {
	return 0.548 * (lengthMM / 10) * (breadthMM / 10) * (breadthMM / 10)
}
