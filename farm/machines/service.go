// Package machines is the machines: what they hold, their trays, how far they are from
// taking eggs, and the board of what stands in them over the days.
package machines

import "metrogon/farm"

// Service holds the use cases.
type Service struct{ *farm.Service }
