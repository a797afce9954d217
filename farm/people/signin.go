package people

import (
	"cmp"
	"context"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"metrogon/core/wording"
	"metrogon/store"
	rows "metrogon/store/people"
)

// ErrWrong says that address and password do not go together.
var ErrWrong = errors.New("address or password is wrong")

// ErrWait says that too many wrong passwords were tried, and for how long to wait.
type ErrWait struct{ For time.Duration }

func (e ErrWait) Error() string {
	if e.For > 90*time.Second {
		return fmt.Sprintf("Too many wrong tries; wait %d minutes.", int((e.For+time.Minute-1)/time.Minute))
	}
	return fmt.Sprintf(
		"Too many wrong tries; wait %s.", wording.Plural(max(1, int((e.For+time.Second-1)/time.Second)), "second"),
	)
}

// Attempt is somebody at the door.
type Attempt struct {
	Email, Password string
	Network         string // the network address that they come from
	Device          string // what the device was given at an earlier sign-in
}

// Admitted is who came in.
type Admitted struct {
	PersonID int64
	Epoch    int
	Device   string // to be kept on the device
}

// tryOf counts the tries of one kind: who after so many free ones has to wait.
func tryOf(kind, who string, free int) rows.Try {
	sum := sha256.Sum256([]byte(kind + "\x00" + strings.ToLower(strings.TrimSpace(who))))
	return rows.Try{Who: hex.EncodeToString(sum[:]), Free: free, Most: 15 * time.Minute, Reset: time.Hour}
}

// SignIn checks an address and a password. Tries are counted before they are made,
// and one that was right is given back: for an address and for the network they come
// from; but a device that was signed in before keeps a count of its own, so that a
// stranger who knows an address cannot keep its owner away. Who has to wait takes none
// of the few slots for hashing.
func (b *Service) SignIn(ctx context.Context, a Attempt) (in Admitted, err error) {
	if len(a.Email) > 200 || len(a.Password) > 200 || !utf8.ValidString(a.Email) || strings.ContainsRune(a.Email, 0) {
		return in, ErrWrong
	}
	secret, err := rows.Of(b.DB).Secret(ctx, "devices", []byte(rand.Text()))
	if err != nil {
		return in, err
	}
	device := readDevice(a.Device)
	tries := []rows.Try{tryOf("address", a.Email, 5), tryOf("network", a.Network, 30)}
	if device.knows(secret, a.Email) {
		tries = []rows.Try{tryOf("device "+device.id, a.Email, 5)}
	}
	for _, t := range tries {
		wait, err := rows.Of(b.DB).TakeTry(ctx, t, b.Now())
		if err != nil {
			return in, err
		}
		if wait > 0 {
			return in, ErrWait{wait}
		}
	}
	p, err := rows.Of(b.DB).PersonByEmail(ctx, strings.TrimSpace(a.Email))
	if err != nil && !errors.Is(err, store.ErrNone) {
		return in, err
	}
	right, err := b.hashing.compare(ctx, a.Password, cmp.Or(p.PasswordHash, nobody()))
	if err != nil {
		return in, err
	}
	if !right || p.ID == 0 {
		return in, ErrWrong
	}
	if err := rows.Of(b.DB).ForgetTries(ctx, []string{tries[0].Who}, b.Now()); err != nil {
		return in, err
	}
	for _, t := range tries[1:] {
		if err := rows.Of(b.DB).GiveBackTry(ctx, t, b.Now()); err != nil {
			return in, err
		}
	}
	if b.hashing.outdated(p.PasswordHash) {
		fresh, err := b.hashing.hash(ctx, a.Password)
		if err != nil {
			return in, err
		}
		if err := rows.Of(b.DB).Rehash(ctx, p.ID, p.PasswordHash, fresh); err != nil {
			return in, err
		}
	}
	device.learn(secret, a.Email)
	return Admitted{p.ID, p.Epoch, device.String()}, nil
}

// device is what a browser keeps: an id, and for each account that was signed in
// on it a signature of both.
type device struct {
	id    string
	signs []string
}

// knownAccounts is how many accounts one device remembers.
const knownAccounts = 8

func readDevice(kept string) device {
	parts := strings.Split(kept, ".")
	if len(parts[0]) < 20 || len(parts) > knownAccounts+1 || len(kept) > 1000 {
		return device{id: rand.Text()}
	}
	return device{parts[0], parts[1:]}
}

func (d device) sign(secret []byte, email string) string {
	h := hmac.New(sha256.New, secret)
	h.Write([]byte(d.id + "\x00" + strings.ToLower(strings.TrimSpace(email))))
	return hex.EncodeToString(h.Sum(nil)[:16])
}

func (d device) knows(secret []byte, email string) bool {
	want := d.sign(secret, email)
	return slices.ContainsFunc(d.signs, func(s string) bool { return hmac.Equal([]byte(s), []byte(want)) })
}

func (d *device) learn(secret []byte, email string) {
	if d.knows(secret, email) {
		return
	}
	d.signs = append(d.signs, d.sign(secret, email))
	d.signs = d.signs[max(0, len(d.signs)-knownAccounts):]
}

func (d device) String() string { return strings.Join(append([]string{d.id}, d.signs...), ".") }
