// Package push is a push service and a browser behind it, in place of real ones: it takes messages that are
// sealed for the browser (RFC 8188, RFC 8291) and opens them.
package push

import (
	"crypto/aes"
	"crypto/cipher"
	"crypto/ecdh"
	"crypto/hkdf"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/binary"
	"errors"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
)

// Browser takes messages at an address of a push service.
type Browser struct {
	Endpoint, P256dh, Auth string
	Gone                   bool // takes no messages any more

	server *httptest.Server
	key    *ecdh.PrivateKey
	secret []byte
	mu     sync.Mutex
	seen   []string
}

// Open starts one.
func Open() (*Browser, error) {
	key, err := ecdh.P256().GenerateKey(rand.Reader)
	if err != nil {
		return nil, err
	}
	b := &Browser{key: key, secret: make([]byte, 16)}
	if _, err := rand.Read(b.secret); err != nil {
		return nil, err
	}
	b.server = httptest.NewServer(http.HandlerFunc(b.take))
	b.Endpoint = b.server.URL + "/send/1"
	b.P256dh = base64.RawURLEncoding.EncodeToString(key.PublicKey().Bytes())
	b.Auth = base64.RawURLEncoding.EncodeToString(b.secret)
	return b, nil
}

// Close stops it.
func (b *Browser) Close() { b.server.Close() }

// Seen are the messages that came so far, opened.
func (b *Browser) Seen() []string {
	b.mu.Lock()
	defer b.mu.Unlock()
	return append([]string{}, b.seen...)
}

func (b *Browser) take(w http.ResponseWriter, r *http.Request) {
	b.mu.Lock()
	defer b.mu.Unlock()
	body, err := io.ReadAll(io.LimitReader(r.Body, 5000))
	switch {
	case b.Gone:
		w.WriteHeader(http.StatusGone)
		return
	case err != nil || !strings.HasPrefix(r.Header.Get("Authorization"), "vapid t="):
		w.WriteHeader(http.StatusUnauthorized)
		return
	}
	text, err := b.unseal(body)
	if err != nil {
		w.WriteHeader(http.StatusBadRequest)
		return
	}
	b.seen = append(b.seen, text)
	w.WriteHeader(http.StatusCreated)
}

// unseal opens a message of one record in the aes128gcm coding.
func (b *Browser) unseal(body []byte) (string, error) {
	if len(body) < 21 || len(body) < 21+int(body[20]) {
		return "", errors.New("too short")
	}
	salt, size := body[:16], binary.BigEndian.Uint32(body[16:20])
	sender, sealed := body[21:21+int(body[20])], body[21+int(body[20]):]
	public, err := ecdh.P256().NewPublicKey(sender)
	if err != nil || uint32(len(sealed)) > size {
		return "", errors.New("no sender's key")
	}
	shared, err := b.key.ECDH(public)
	if err != nil {
		return "", err
	}
	info := "WebPush: info\x00" + string(b.key.PublicKey().Bytes()) + string(sender)
	ikm, err := hkdf.Key(sha256.New, shared, b.secret, info, 32)
	if err != nil {
		return "", err
	}
	cek, err := hkdf.Key(sha256.New, ikm, salt, "Content-Encoding: aes128gcm\x00", 16)
	if err != nil {
		return "", err
	}
	nonce, err := hkdf.Key(sha256.New, ikm, salt, "Content-Encoding: nonce\x00", 12)
	if err != nil {
		return "", err
	}
	block, err := aes.NewCipher(cek)
	if err != nil {
		return "", err
	}
	gcm, err := cipher.NewGCM(block)
	if err != nil {
		return "", err
	}
	plain, err := gcm.Open(nil, nonce, sealed, nil)
	if err != nil {
		return "", err
	}
	return strings.TrimSuffix(strings.TrimRight(string(plain), "\x00"), "\x02"), nil
}
