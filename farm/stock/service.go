// Package stock is eggs before they are set: gathered, graded, brought in from files,
// received in parcels, kept in places of storage; and what waiting costs them.
package stock

import "metrogon/farm"

// Service holds the use cases.
type Service struct{ *farm.Service }
