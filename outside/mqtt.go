package outside

import (
	"cmp"
	"context"
	"crypto/tls"
	"errors"
	"net"
	"net/url"
	"slices"
	"time"

	"metrogon/farm"
)

const (
	brokerDial = 10 * time.Second
	// mostMessage is how long a message of a broker may be, in bytes; a pack of readings has fewer.
	mostMessage = 64 << 10
)

// sealed are the schemes of brokers that speak TLS.
var sealed = []string{"ssl", "mqtts", "tls"}

// addressOf is where a broker is reached, and whether TLS is spoken there; without a port it is the usual one.
func addressOf(at *url.URL) (address string, over bool) {
	port, over := "1883", slices.Contains(sealed, at.Scheme)
	if over {
		port = "8883"
	}
	return net.JoinHostPort(at.Hostname(), cmp.Or(at.Port(), port)), over
}

// dialBroker connects to a broker: to the open network alone unless local, and never by
// way of a proxy. What it sends is measured before it is read.
func dialBroker(at *url.URL, local bool) (net.Conn, error) {
	dialer := &net.Dialer{Timeout: brokerDial}
	if !local {
		dialer.Control = farm.OutwardDial
	}
	address, over := addressOf(at)
	conn, err := dialer.Dial("tcp", address)
	if err != nil {
		return nil, err
	}
	if over {
		inside := tls.Client(conn, &tls.Config{ServerName: at.Hostname()})
		ctx, enough := context.WithTimeout(context.Background(), brokerDial)
		defer enough()
		if err := inside.HandshakeContext(ctx); err != nil {
			conn.Close()
			return nil, err
		}
		conn = inside
	}
	return &measured{Conn: conn}, nil
}

// errTooLong ends a connection over which a message comes that is longer than any pack of readings.
var errTooLong = errors.New("the broker sends a message of more than 64 kB")

// measured is a connection on which MQTT packets come (MQTT 3.1.1, 2.2): a byte of what it is, its length in up to four
// bytes of seven bits each, and so many bytes.
type measured struct {
	net.Conn
	left  int  // bytes of the packet that are still to come
	head  bool // its length is being read
	size  int
	shift uint
}

// Read reads what comes, or ends with errTooLong.
func (m *measured) Read(p []byte) (int, error) {
	n, err := m.Conn.Read(p)
	for i := 0; i < n; {
		switch {
		case m.left > 0:
			skip := min(m.left, n-i)
			m.left -= skip
			i += skip
		case !m.head:
			m.head, m.size, m.shift = true, 0, 0
			i++
		default:
			m.size |= int(p[i]&0x7f) << m.shift
			m.shift += 7
			if m.size > mostMessage || m.shift > 28 {
				return 0, errTooLong
			}
			if p[i]&0x80 == 0 {
				m.head, m.left = false, m.size
			}
			i++
		}
	}
	return n, err
}
