package farm

import "context"

// Notice is what somebody is told who does not look at a page.
type Notice struct {
	Title, Body string
	Path        string // of the page to open
	Tag         string // of what it tells: sent again it stands in for itself
	Wakes       bool   `json:",omitempty"` // it does not wait for the end of quiet hours
}

// Teller finds who takes notices on a farm, and gives what puts one in for them with a transaction.
type Teller func(ctx context.Context, farmID int64) (tell func(*Tx, Notice), err error)
