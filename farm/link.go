package farm

import (
	"crypto/rand"
	"crypto/sha256"
)

// NewLink makes the secret of a link, of 128 bits and more, and its digest, which alone is kept: whoever
// reads the database cannot use it.
func NewLink() (secret string, digest []byte) {
	secret = rand.Text()
	return secret, LinkDigest(secret)
}

// LinkDigest is what is kept of a link.
func LinkDigest(secret string) []byte {
	sum := sha256.Sum256([]byte(secret))
	return sum[:]
}
