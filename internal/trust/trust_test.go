package trust_test

import (
	"crypto/tls"
	"crypto/x509"
	"encoding/base64"
	"encoding/xml"
	"fmt"
	"io"
	"log"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/letsencrypt/challtestsrv"
	"github.com/letsencrypt/pebble/v2/ca"
	"github.com/letsencrypt/pebble/v2/db"
	"github.com/letsencrypt/pebble/v2/va"
	"github.com/letsencrypt/pebble/v2/wfe"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/internal/trust"
)

var now = time.Date(2026, 5, 4, 12, 0, 0, 0, time.UTC)

func files(t *testing.T) trust.Files { return trust.Beside(filepath.Join(t.TempDir(), "shop.db")) }

// TestVouchesForTheShopOnly: by the checks of a client that knows the authority (crypto/x509,
// RFC 5280): the shop's names and addresses, and nothing else, even if the key is stolen.
func TestVouchesForTheShopOnly(t *testing.T) {
	for _, row := range []struct {
		names  []string
		yes    []string
		no     []string
		signed []string // by the authority's own key, for other names
	}{
		{[]string{"shop.lan", "192.168.1.20"}, []string{"shop.lan", "192.168.1.20"}, []string{"bank.example", "192.168.1.21", "10.0.0.1"}, nil},
		{[]string{"192.168.1.20"}, []string{"192.168.1.20"}, []string{"shop.lan", "192.168.1.21"}, nil},
		{[]string{"shop.lan"}, []string{"shop.lan"}, []string{"192.168.1.20", "other.lan"}, nil},
		{[]string{"fd00::7"}, []string{"fd00::7"}, []string{"fd00::8", "192.168.1.20"}, nil},
		{[]string{"wärkstatt.lan"}, []string{"xn--wrkstatt-0za.lan"}, []string{"shop.lan"}, nil},
	} {
		a, err := files(t).Make("Tannery Yard", row.names, now)
		require.NoError(t, err, row.names)
		leaf, err := a.Leaf(now)
		require.NoError(t, err)
		known := x509.NewCertPool()
		known.AddCert(a.Certificate)
		verify := func(c *x509.Certificate, name string) error {
			if net.ParseIP(name) != nil {
				name = "[" + name + "]" // an address, and no name
			}
			_, err := c.Verify(x509.VerifyOptions{Roots: known, DNSName: name, CurrentTime: now})
			return err
		}
		for _, name := range row.yes {
			assert.NoError(t, verify(leaf.Leaf, name), "%v: %s", row.names, name)
		}
		for _, name := range row.no {
			require.Error(t, verify(leaf.Leaf, name), "%v: %s", row.names, name)
			forged := a.Forge(t, name, now)
			require.Error(t, verify(forged, name), "%v: signed for %s", row.names, name)
		}
		assert.True(t, a.Certificate.PermittedDNSDomainsCritical, "a client that does not know limits refuses it")
	}
	for _, wrong := range [][]string{nil, {""}, {"*.lan"}, {"https://shop.lan"}, {"two names"}, {"shop.lan", "a/b"}} {
		_, err := files(t).Make("x", wrong, now)
		require.ErrorContains(t, err, "name", "%q", wrong)
	}
}

// TestKept: once made it is not overwritten, nobody else reads its key, and what is no
// authority is said so.
func TestKept(t *testing.T) {
	f := files(t)
	_, err := f.Open()
	require.ErrorIs(t, err, trust.ErrNone)
	a, err := f.Make("Tannery Yard", []string{"shop.lan"}, now)
	require.NoError(t, err)
	info, err := os.Stat(f.Key)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	_, err = f.Make("Tannery Yard", []string{"other.lan"}, now)
	require.ErrorContains(t, err, "there already")
	again, err := f.Open()
	require.NoError(t, err)
	assert.Equal(t, a.Fingerprint(), again.Fingerprint())
	assert.Regexp(t, `^([0-9A-F]{2}:){31}[0-9A-F]{2}$`, a.Fingerprint())
	assert.Equal(t, []string{"shop.lan"}, again.Names())
	require.NoError(t, os.WriteFile(f.Certificate, []byte("nothing"), 0o600))
	_, err = f.Open()
	require.ErrorContains(t, err, "authority")
}

// TestRenewed: the machine's own certificate is another one a month before its end, without a
// new start, and never outlives the authority.
func TestRenewed(t *testing.T) {
	a, err := files(t).Make("Tannery Yard", []string{"shop.lan"}, now)
	require.NoError(t, err)
	at := func(when time.Time) *x509.Certificate {
		c, err := a.Leaf(when)
		require.NoError(t, err)
		return c.Leaf
	}
	first := at(now)
	assert.LessOrEqual(t, first.NotAfter.Sub(first.NotBefore), 398*24*time.Hour, "what browsers take of a server")
	assert.Same(t, first, at(now.AddDate(0, 11, 0)))
	second := at(first.NotAfter.AddDate(0, 0, -20))
	assert.NotEqual(t, first.SerialNumber, second.SerialNumber)
	last := at(a.Certificate.NotAfter.AddDate(0, 0, -3))
	assert.False(t, last.NotAfter.After(a.Certificate.NotAfter))
}

// TestPage: what a phone fetches: the page with the number to hold against the shop's, the
// certificate, the profile with the same certificate in it.
func TestPage(t *testing.T) {
	a, err := files(t).Make("Tannery & Yard", []string{"shop.lan", "192.168.1.20"}, now)
	require.NoError(t, err)
	for _, at := range []string{"", "https://shop.lan:8443"} {
		h := a.Handler("Tannery & Yard", at)
		get := func(path string) (string, http.Header) {
			w := httptest.NewRecorder()
			h.ServeHTTP(w, httptest.NewRequestWithContext(t.Context(), "GET", path, nil))
			require.Equal(t, 200, w.Code, path)
			return w.Body.String(), w.Header()
		}
		page, _ := get("/trust")
		page = strings.ReplaceAll(page, "<wbr>", "")
		for _, want := range []string{a.Fingerprint(), "shop.lan", "192.168.1.20", "Tannery &amp; Yard"} {
			assert.Contains(t, page, want)
		}
		assert.Equal(t, at == "", strings.Contains(page, "page.js"), "the check is where TLS is")
		assert.NotContains(t, page, "style=")
		for _, href := range regexp.MustCompile(`(?:href|src)="(/trust[^"]+)"`).FindAllStringSubmatch(page, -1) {
			get(href[1])
		}
		file, headers := get("/trust/elvat.cer")
		assert.Equal(t, a.Certificate.Raw, []byte(file))
		assert.Equal(t, "application/x-x509-ca-cert", headers.Get("Content-Type"))
		profile, headers := get("/trust/elvat.mobileconfig")
		assert.Equal(t, "application/x-apple-aspen-config", headers.Get("Content-Type"))
		require.NoError(t, xml.Unmarshal([]byte(profile), new(struct{})))
		inside := regexp.MustCompile(`<data>(.*)</data>`).FindStringSubmatch(profile)
		require.Len(t, inside, 2)
		der, err := base64.StdEncoding.DecodeString(inside[1])
		require.NoError(t, err)
		assert.Equal(t, a.Certificate.Raw, der)
		assert.Contains(t, profile, "Tannery &amp; Yard")
	}
}

// TestPublic obtains a certificate by DNS-01 from pebble, the reference test authority of
// RFC 8555, whose name server the program sets; and again from what was kept.
func TestPublic(t *testing.T) {
	quiet := log.New(io.Discard, "", 0)
	free := func() string {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		require.NoError(t, err)
		defer l.Close()
		return l.Addr().String()
	}
	names := free()
	dns, err := challtestsrv.New(challtestsrv.Config{DNSAddrs: []string{names}, Log: quiet})
	require.NoError(t, err)
	go dns.Run()
	t.Cleanup(dns.Shutdown)
	t.Setenv("PEBBLE_VA_NOSLEEP", "1")
	kept := db.NewMemoryStore()
	profiles := map[string]ca.Profile{"default": {Description: "usual", ValidityPeriod: 90 * 24 * 3600}}
	authority := ca.New(quiet, kept, "", "ecdsa", 0, 1, profiles)
	front := wfe.New(quiet, kept, va.New(quiet, 0, 0, false, names, kept), authority, []string{"pebble.example"}, false, false, 1, 1)
	acme := httptest.NewTLSServer(front.Handler())
	t.Cleanup(acme.Close)
	roots := x509.NewCertPool()
	roots.AddCert(acme.Certificate())

	// The program sets the record by asking this test for it.
	asked := []string{}
	set := httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
		what, name, value := r.FormValue("what"), r.FormValue("name"), r.FormValue("value")
		asked = append(asked, what+" "+name)
		if what == "present" {
			dns.AddDNSTXTRecord(strings.TrimSuffix(name, ".")+".", value)
		} else {
			dns.DeleteDNSTXTRecord(strings.TrimSuffix(name, ".") + ".")
		}
	}))
	t.Cleanup(set.Close)
	program := filepath.Join(t.TempDir(), "record")
	script := "#!/bin/bash\nexec 3<>/dev/tcp/" + strings.Replace(strings.TrimPrefix(set.URL, "http://"), ":", "/", 1) +
		"\nprintf 'GET /?what=%s&name=%s&value=%s HTTP/1.0\\r\\n\\r\\n' \"$1\" \"$2\" \"$3\" >&3\ncat <&3 >/dev/null\n"
	require.NoError(t, os.WriteFile(program, []byte(script), 0o700))

	folder := t.TempDir()
	public := func(program string) (*tls.Config, error) {
		p := trust.Public{Names: []string{"elvat.shop.example"}, Folder: folder, Program: program, CA: acme.URL + wfe.DirectoryPath, Roots: roots}
		return p.Config(t.Context())
	}
	config, err := public(program)
	require.NoError(t, err)
	leaf := func(c *tls.Config) *x509.Certificate {
		got, err := c.GetCertificate(&tls.ClientHelloInfo{ServerName: "elvat.shop.example", CipherSuites: []uint16{tls.TLS_AES_128_GCM_SHA256}, SupportedVersions: []uint16{tls.VersionTLS13}})
		require.NoError(t, err)
		return got.Leaf
	}
	first := leaf(config)
	assert.Equal(t, []string{"elvat.shop.example"}, first.DNSNames)
	assert.Equal(t, []string{"present _acme-challenge.elvat.shop.example", "cleanup _acme-challenge.elvat.shop.example"}, asked)
	again, err := public(program)
	require.NoError(t, err)
	assert.Equal(t, first.SerialNumber, leaf(again).SerialNumber, "kept, and not asked for at every start")
	assert.Len(t, asked, 2)

	_, err = (&trust.Public{Names: []string{"x.example"}}).Config(t.Context())
	require.ErrorContains(t, err, "program")
}

// TestProgramFails: what the program said is in the error.
func TestProgramFails(t *testing.T) {
	program := filepath.Join(t.TempDir(), "record")
	require.NoError(t, os.WriteFile(program, []byte("#!/bin/sh\necho \"no key for $2\" >&2; exit 3\n"), 0o700))
	err := trust.RunFor(t.Context(), program, "elvat.shop.example")
	require.ErrorContains(t, err, "no key for _acme-challenge.elvat.shop.example")
	require.ErrorContains(t, err, fmt.Sprint("exit status ", 3))
}
