package people

import (
	"context"
	_ "embed"
	"strings"
	"sync"
	"time"
	"unicode"

	"github.com/alexedwards/argon2id"

	"metrogon/farm"
	"metrogon/store"
)

// parameters of a hash. Source: OWASP Password Storage Cheat Sheet, argon2id with
// 19 MiB, 2 passes and 1 lane.
var parameters = &argon2id.Params{Memory: 19 * 1024, Iterations: 2, Parallelism: 1, SaltLength: 16, KeyLength: 32}

// hashing lets two passwords be hashed at a time; the rest wait a little, and are
// then told to come back. So no crowd at the door takes the memory.
type hashing struct{ slots, queue chan struct{} }

const (
	hashSlots    = 2
	hashQueue    = 60
	hashPatience = 3 * time.Second
)

func newHashing() hashing {
	return hashing{make(chan struct{}, hashSlots), make(chan struct{}, hashQueue)}
}

// turn waits for a slot; store.ErrBusy: there are too many.
func (h hashing) turn(ctx context.Context, work func() error) error {
	select {
	case h.queue <- struct{}{}:
		defer func() { <-h.queue }()
	default:
		return store.ErrBusy
	}
	wait := time.NewTimer(hashPatience)
	defer wait.Stop()
	select {
	case h.slots <- struct{}{}:
		defer func() { <-h.slots }()
	case <-wait.C:
		return store.ErrBusy
	case <-ctx.Done():
		return ctx.Err()
	}
	return work()
}

func (h hashing) hash(ctx context.Context, password string) (hash string, err error) {
	err = h.turn(ctx, func() error {
		hash, err = argon2id.CreateHash(password, parameters)
		return err
	})
	return
}

func (h hashing) compare(ctx context.Context, password, hash string) (right bool, err error) {
	err = h.turn(ctx, func() error {
		right, err = argon2id.ComparePasswordAndHash(password, hash)
		return err
	})
	return
}

func (h hashing) outdated(hash string) bool {
	p, _, _, err := argon2id.DecodeHash(hash)
	return err == nil && (p.Memory != parameters.Memory || p.Iterations != parameters.Iterations)
}

// nobody is a hash to compare with when there is no such person, so that the
// answer takes as long.
var nobody = sync.OnceValue(func() string {
	hash, err := argon2id.CreateHash("nobody", parameters)
	if err != nil {
		panic(err) // the system gives no random numbers
	}
	return hash
})

// common are roots of passwords that are tried first by everybody who guesses.
//
//go:embed passwords.txt
var common string

var commonRoots = sync.OnceValue(func() map[string]bool {
	roots := map[string]bool{}
	for word := range strings.FieldsSeq(common) {
		roots[word] = true
	}
	return roots
})

// checkPassword checks that a password is neither short, nor one that others would try
// first: a common one, or the person's own name, address or farm.
func checkPassword(p *farm.Problems, password, name, email, farmName string) {
	if n := len(password); n < 10 || n > 200 {
		p.Addf("password", "The password has %d characters; it may have 10 to 200.", n)
		return
	}
	low := strings.ToLower(password)
	if isCommon(low) {
		p.Addf("password", "Many people use this password, so it is tried first; take three or four words of your own.")
		return
	}
	rest := low
	words := strings.FieldsFunc(strings.ToLower(name+" "+email+" "+farmName), func(r rune) bool {
		return !unicode.IsLetter(r) && !unicode.IsDigit(r)
	})
	for _, word := range words {
		if len(word) >= 3 {
			rest = strings.ReplaceAll(rest, word, "")
		}
	}
	if rest != low && len(rest) < 8 {
		p.Addf("password", "The password names you, your address or your farm; take three or four other words.")
	}
}

func isCommon(low string) bool {
	roots := commonRoots()
	letters := strings.TrimFunc(low, func(r rune) bool { return !unicode.IsLetter(r) })
	if roots[low] || roots[letters] || letters == "" {
		return true
	}
	kinds := map[rune]bool{}
	for _, r := range low {
		kinds[r] = true
	}
	if len(kinds) < 4 {
		return true
	}
	for _, row := range []string{"abcdefghijklmnopqrstuvwxyz", "qwertyuiopasdfghjklzxcvbnm", "01234567890123456789"} {
		if strings.Contains(row, low) || strings.Contains(row, letters) && len(letters) > 5 {
			return true
		}
	}
	for size := 2; size <= len(low)/2; size++ { // one word again and again
		if len(low)%size == 0 && strings.Repeat(low[:size], len(low)/size) == low && roots[low[:size]] {
			return true
		}
	}
	return false
}
