package server

import (
	"crypto/tls"
	"net"
	"net/http"
	"net/netip"
	"sync"
	"time"
)

// Bounds of connections. Assumption.
const (
	mostConnections = 1000
	mostFromOne     = 100 // of one address, but for this machine and a proxy
)

// Limit is a listener that takes so many connections and no more, in all and of one address;
// what comes beyond is closed at once.
func Limit(l net.Listener, proxy *Proxy) net.Listener {
	return &limited{Listener: l, proxy: proxy, open: map[string]int{}}
}

type limited struct {
	net.Listener
	proxy *Proxy

	mu   sync.Mutex
	all  int
	open map[string]int
}

// Accept waits for the next connection that may be.
func (l *limited) Accept() (net.Conn, error) {
	for {
		c, err := l.Listener.Accept()
		if err != nil {
			return nil, err
		}
		place, bounded := l.placeOf(c)
		if l.enter(place, bounded) {
			return &counted{Conn: c, leave: sync.OnceFunc(func() { l.leave(place) })}, nil
		}
		_ = c.Close() // it may be gone already
	}
}

func (l *limited) placeOf(c net.Conn) (place string, bounded bool) {
	at, err := netip.ParseAddrPort(c.RemoteAddr().String())
	if err != nil {
		return "", false
	}
	addr := at.Addr().Unmap()
	ours := addr.IsLoopback() || l.proxy != nil && l.proxy.lists(addr)
	return network(addr), !ours
}

func (l *limited) enter(place string, bounded bool) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.all >= mostConnections || bounded && l.open[place] >= mostFromOne {
		return false
	}
	l.all++
	l.open[place]++
	return true
}

func (l *limited) leave(place string) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.all--
	if l.open[place]--; l.open[place] == 0 {
		delete(l.open, place)
	}
}

type counted struct {
	net.Conn
	leave func()
}

func (c *counted) Close() error {
	c.leave()
	return c.Conn.Close()
}

// Harden sets what a server beyond one machine needs: times for whoever sends or takes
// slowly, and bounds for what one HTTP/2 connection may ask for at once.
func Harden(s *http.Server) {
	s.ReadHeaderTimeout, s.ReadTimeout, s.IdleTimeout = 5*time.Second, 30*time.Second, 2*time.Minute
	s.MaxHeaderBytes = 64 << 10
	s.HTTP2 = &http.HTTP2Config{
		MaxConcurrentStreams: 64, MaxReceiveBufferPerConnection: 1 << 20, MaxReceiveBufferPerStream: 256 << 10,
		SendPingTimeout: 30 * time.Second, PingTimeout: 15 * time.Second, WriteByteTimeout: pieceTakes,
	}
}

// Ciphers are those of TLS 1.2 that seal what they encrypt and keep no key that opens it
// later; those of TLS 1.3 all do. Source: RFC 9325, 4.2 (from memory).
var Ciphers = []uint16{
	tls.TLS_ECDHE_ECDSA_WITH_AES_128_GCM_SHA256, tls.TLS_ECDHE_ECDSA_WITH_AES_256_GCM_SHA384, tls.TLS_ECDHE_ECDSA_WITH_CHACHA20_POLY1305_SHA256,
	tls.TLS_ECDHE_RSA_WITH_AES_128_GCM_SHA256, tls.TLS_ECDHE_RSA_WITH_AES_256_GCM_SHA384, tls.TLS_ECDHE_RSA_WITH_CHACHA20_POLY1305_SHA256,
}
