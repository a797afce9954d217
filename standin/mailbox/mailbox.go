// Package mailbox is a mail server that keeps what it is sent, in place of a real one: for trying out and
// for tests.
package mailbox

import (
	"io"
	"net"
	"sync"
	"time"

	"github.com/emersion/go-smtp"
)

// Letter is one mail as it came.
type Letter struct {
	From string
	To   []string
	Text string // with its headers
}

// Box takes mail.
type Box struct {
	Address string       // where it listens
	Seen    func(Letter) // called for each letter, if set

	server  *smtp.Server
	mu      sync.Mutex
	letters []Letter
	Refuse  bool // answers that it is busy
}

// Open starts a box at an address; port 0 picks one.
func Open(address string) (*Box, error) {
	listener, err := net.Listen("tcp", address)
	if err != nil {
		return nil, err
	}
	b := &Box{Address: listener.Addr().String()}
	b.server = smtp.NewServer(smtp.BackendFunc(func(*smtp.Conn) (smtp.Session, error) { return &session{box: b}, nil }))
	b.server.Domain, b.server.AllowInsecureAuth = "localhost", true
	b.server.ReadTimeout, b.server.WriteTimeout = time.Minute, time.Minute
	go b.server.Serve(listener)
	return b, nil
}

// Close stops it.
func (b *Box) Close() error { return b.server.Close() }

// Letters are those that came so far.
func (b *Box) Letters() []Letter {
	b.mu.Lock()
	defer b.mu.Unlock()
	return append([]Letter{}, b.letters...)
}

type session struct {
	box *Box
	Letter
}

func (s *session) Reset()        { s.Letter = Letter{} }
func (s *session) Logout() error { return nil }
func (s *session) Mail(from string, _ *smtp.MailOptions) error {
	s.From = from
	return nil
}

func (s *session) Rcpt(to string, _ *smtp.RcptOptions) error {
	s.To = append(s.To, to)
	return nil
}

func (s *session) Data(r io.Reader) error {
	text, err := io.ReadAll(r)
	if err != nil {
		return err
	}
	s.Text = string(text)
	s.box.mu.Lock()
	defer s.box.mu.Unlock()
	if s.box.Refuse {
		return &smtp.SMTPError{Code: 451, Message: "busy"}
	}
	s.box.letters = append(s.box.letters, s.Letter)
	if s.box.Seen != nil {
		s.box.Seen(s.Letter)
	}
	return nil
}
