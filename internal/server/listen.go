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
	// MostConnections are those of one shop.
	MostConnections = 1000
	mostFromOne     = 100 // of one address, but for this machine and a proxy
)

// Limit is a listener that takes so many connections and no more, in all and of one address;
// what comes beyond is closed at once.
func Limit(l net.Listener, proxy *Proxy, most int) net.Listener {
	return &limited{Listener: l, proxy: proxy, most: most, open: map[string]int{}, shops: map[string]int{}}
}

type limited struct {
	net.Listener
	proxy *Proxy
	most  int

	mu    sync.Mutex
	all   int
	open  map[string]int
	shops map[string]int
}

// For counts a connection of such a listener as one of the shop's, as soon as it is known whose
// it is; false where that has as many as there may be.
func For(c net.Conn, shop string) bool {
	one, ok := c.(*counted)
	return !ok || one.of.counts(one, shop)
}

func (l *limited) counts(c *counted, shop string) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	if c.shop != "" || c.gone {
		return c.shop == shop
	}
	if l.shops[shop] >= MostConnections {
		return false
	}
	c.shop = shop
	l.shops[shop]++
	return true
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
			return &counted{Conn: c, of: l, place: place}, nil
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
	if l.all >= l.most || bounded && l.open[place] >= mostFromOne {
		return false
	}
	l.all++
	l.open[place]++
	return true
}

func (l *limited) leave(c *counted) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if c.gone {
		return
	}
	c.gone = true
	l.all--
	drop(l.open, c.place)
	if c.shop != "" {
		drop(l.shops, c.shop)
	}
}

// drop counts one less.
func drop(counts map[string]int, of string) {
	if counts[of]--; counts[of] == 0 {
		delete(counts, of)
	}
}

// counted is a connection that counts while it is open; shop and gone are guarded by its
// listener's lock.
type counted struct {
	net.Conn
	of    *limited
	place string // where it comes from
	shop  string // whose it is; "" where that is not known
	gone  bool
}

func (c *counted) Close() error {
	c.of.leave(c)
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
