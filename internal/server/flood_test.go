package server_test

import (
	"bytes"
	"crypto/tls"
	"errors"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/net/http2"
	"golang.org/x/net/http2/hpack"

	"elvat/core/job"
	"elvat/internal/server"
)

// speaking is a connection of HTTP/2 on which anything may be written.
func speaking(t *testing.T, address string) (net.Conn, *http2.Framer) {
	c, err := tls.Dial("tcp", address, &tls.Config{InsecureSkipVerify: true, NextProtos: []string{"h2"}}) //nolint:gosec // its own certificate
	require.NoError(t, err)
	require.Equal(t, "h2", c.ConnectionState().NegotiatedProtocol)
	_, err = io.WriteString(c, http2.ClientPreface)
	require.NoError(t, err)
	f := http2.NewFramer(c, c)
	require.NoError(t, f.WriteSettings())
	return c, f
}

// headers are those of a GET, and so many more.
func headers(more int) []byte {
	var out bytes.Buffer
	e := hpack.NewEncoder(&out)
	for _, h := range [][2]string{{":method", "GET"}, {":scheme", "https"}, {":authority", "localhost"}, {":path", "/api/v1/session"}} {
		_ = e.WriteField(hpack.HeaderField{Name: h[0], Value: h[1]}) // a buffer takes all
	}
	for range more {
		_ = e.WriteField(hpack.HeaderField{Name: "x-more", Value: "more and more of it"})
	}
	return out.Bytes()
}

// TestFloods: what one HTTP/2 connection can do to exhaust a server ends with that connection,
// or is taken in its stride: others are answered all the while.
func TestFloods(t *testing.T) {
	o := newOffice(t)
	live := httptest.NewUnstartedServer(o.handler)
	server.Harden(live.Config)
	live.EnableHTTP2 = true
	live.StartTLS()
	defer live.Close()
	address := live.Listener.Addr().String()
	block := headers(0)
	for name, flood := range map[string]func(f *http2.Framer, i uint32) error{
		"streams opened and reset": func(f *http2.Framer, i uint32) error {
			return errors.Join(
				f.WriteHeaders(http2.HeadersFrameParam{StreamID: 2*i + 1, BlockFragment: block, EndStream: true, EndHeaders: true}),
				f.WriteRSTStream(2*i+1, http2.ErrCodeCancel),
			)
		},
		"streams opened": func(f *http2.Framer, i uint32) error {
			return f.WriteHeaders(http2.HeadersFrameParam{StreamID: 2*i + 1, BlockFragment: block, EndHeaders: true})
		},
		"pings":    func(f *http2.Framer, _ uint32) error { return f.WritePing(false, [8]byte{}) },
		"settings": func(f *http2.Framer, _ uint32) error { return f.WriteSettings() },
		"headers without end": func(f *http2.Framer, i uint32) error {
			if i == 0 {
				return f.WriteHeaders(http2.HeadersFrameParam{StreamID: 1, BlockFragment: block})
			}
			return f.WriteContinuation(1, false, bytes.Repeat([]byte{0x00, 0x01, 'x', 0x01, 'y'}, 3000))
		},
		"priorities": func(f *http2.Framer, i uint32) error {
			return f.WritePriority(2*i+1, http2.PriorityParam{StreamDep: 0, Weight: 9})
		},
		"empty data": func(f *http2.Framer, i uint32) error {
			if i == 0 {
				return f.WriteHeaders(http2.HeadersFrameParam{StreamID: 1, BlockFragment: block, EndHeaders: true})
			}
			return f.WriteData(1, false, nil)
		},
	} {
		t.Run(name, func(t *testing.T) {
			c, f := speaking(t, address)
			defer c.Close()
			require.NoError(t, c.SetDeadline(time.Now().Add(10*time.Second)))
			for i := range uint32(20_000) {
				if flood(f, i) != nil {
					break // cut off
				}
			}
			client := live.Client()
			client.Timeout = 10 * time.Second
			began := time.Now()
			r, err := http.NewRequestWithContext(t.Context(), http.MethodGet, live.URL+"/api/v1/calls", nil)
			require.NoError(t, err)
			r.Host = "localhost"
			r.Header.Set("Cookie", o.cookies[job.Office])
			w, err := client.Do(r)
			require.NoError(t, err)
			_, err = io.Copy(io.Discard, w.Body)
			require.NoError(t, errors.Join(err, w.Body.Close()))
			assert.Equal(t, 200, w.StatusCode)
			assert.Less(t, time.Since(began), 5*time.Second, "others are answered")
		})
	}
}
