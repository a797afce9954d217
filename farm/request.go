package farm

import (
	"crypto/sha256"
	"encoding/hex"
	"time"

	"github.com/google/uuid"
)

// Request is what one person asks for once that changes something: who asks, and what an act has to know of how. A page
// makes it of its form (page.Form.Request); whatever has no form makes it by NewRequest.
type Request struct {
	*Member
	Key    string    // does its work once; a UUID
	Digest string    // of all that is asked, so that the key stands for this alone
	Sure   bool      // they were asked about what is hardly so, and said that it is; or nobody is there to be asked
	MadeAt time.Time // by the device's clock, of what is sent later than it was done; zero: now
}

// NewRequest is a request with a key of its own, which nobody can be asked about.
func NewRequest(m *Member) Request { return Request{Member: m, Key: NewKey(), Sure: true} }

// Asking is the request with the digest of what it asks.
func (r Request) Asking(what string) Request {
	sum := sha256.Sum256([]byte(what))
	r.Digest = hex.EncodeToString(sum[:])
	return r
}

// NewKey makes an idempotency key for a form.
func NewKey() string { return uuid.NewString() }
