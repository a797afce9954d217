// Package people is who may do what: accounts, signing in, sessions, and how each
// person reads figures.
package people

import "metrogon/farm"

// Service holds the use cases.
type Service struct {
	*farm.Service
	hashing hashing
}

// New gives the service.
func New(on *farm.Service) *Service { return &Service{on, newHashing()} }
