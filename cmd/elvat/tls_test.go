package main

import (
	"crypto/tls"
	"crypto/x509"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestTrustedByThePhone: an authority made on the command line serves under the shop's name,
// to a client that knows it and without warning; its page is there with TLS and without.
func TestTrustedByThePhone(t *testing.T) {
	t.Parallel()
	path := filepath.Join(t.TempDir(), "shop.db")
	_, complaint, code := run(t, "", "tls", "show", "--db", path)
	assert.Equal(t, 1, code)
	assert.Contains(t, complaint, "elvat tls make")
	_, complaint, code = run(t, "", "tls", "make", "--db", path)
	assert.Equal(t, 1, code)
	assert.Contains(t, complaint, "which names or addresses")
	said, _, code := run(t, "", "tls", "make", "--db", path, "--shop", "Tannery Yard", "--name", "shop.lan,127.0.0.1")
	require.Equal(t, 0, code)
	shown, _, code := run(t, "", "tls", "show", "--db", path)
	require.Equal(t, 0, code)
	assert.Contains(t, said, shown)
	assert.Contains(t, shown, "vouches for shop.lan, 127.0.0.1 and nothing else")

	_, _, code = run(t, "five blue weirs\n", "people", "add", "Ada", "--role", "electrician", "--db", path)
	require.Equal(t, 0, code)
	free, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	plain := free.Addr().String()
	require.NoError(t, free.Close())
	_, address := started(t, "serve", "--listen", "0.0.0.0:0", "--db", path, "--trust-page", plain)
	_, port, err := net.SplitHostPort(strings.TrimPrefix(address, "https://"))
	require.NoError(t, err)
	authority, err := os.ReadFile(path + "-authority.crt")
	require.NoError(t, err)
	known := x509.NewCertPool()
	require.True(t, known.AppendCertsFromPEM(authority))
	as := func(name string) *http.Client {
		return &http.Client{Timeout: 10 * time.Second, Transport: &http.Transport{TLSClientConfig: &tls.Config{RootCAs: known, ServerName: name}}}
	}
	for _, name := range []string{"shop.lan", "127.0.0.1"} {
		r, err := as(name).Get("https://127.0.0.1:" + port + "/trust")
		require.NoError(t, err, name)
		assert.Equal(t, 200, r.StatusCode)
		require.NoError(t, r.Body.Close())
	}
	_, err = as("bank.example").Get("https://127.0.0.1:" + port + "/trust")
	require.ErrorContains(t, err, "certificate")
	for at, want := range map[string]int{"/trust": 200, "/trust/elvat.cer": 200, "/": 200, "/api/v1/calls": 404} {
		r, err := http.Get("http://" + plain + at)
		require.NoError(t, err)
		assert.Equal(t, want, r.StatusCode, "without TLS there is the page and nothing else: %s", at)
		require.NoError(t, r.Body.Close())
	}
	for _, wrong := range [][]string{{"--acme-name", "x.example"}, {"--acme-program", "/bin/true"}, {"--tls-cert", "x.crt"}} {
		_, complaint, code := run(t, "", append([]string{"serve", "--listen", "0.0.0.0:0", "--db", path}, wrong...)...)
		assert.Equal(t, 1, code)
		assert.Contains(t, complaint, "go together")
	}
	lone := filepath.Join(t.TempDir(), "lone.db")
	_, _, code = run(t, "five blue weirs\n", "people", "add", "Ada", "--role", "electrician", "--db", lone)
	require.Equal(t, 0, code)
	_, complaint, _ = run(t, "", "serve", "--listen", "0.0.0.0:0", "--db", lone, "--trust-page", plain)
	assert.Contains(t, complaint, "no authority")
}
