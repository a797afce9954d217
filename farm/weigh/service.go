// Package weigh is water lost: weighings, air cells, hands-free weighing with a scale,
// and the humidity that follows from them.
package weigh

import "metrogon/farm"

// Service holds the use cases.
type Service struct{ *farm.Service }
