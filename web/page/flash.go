package page

import (
	"encoding/gob"
)

// Flash is what the last action said; Entry is its line in the journal if it
// can be taken back.
type Flash struct {
	Said  string
	Entry int64
	Bad   bool
}

func init() { gob.Register(Flash{}) }
