package trust

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"os/exec"
	"strings"
	"time"

	"github.com/caddyserver/certmagic"
	"github.com/mholt/acmez/v3/acme"
	"go.uber.org/zap"
)

// Public is a certificate of a public authority, by ACME (RFC 8555). The proof is a record in
// the name service (DNS-01): the shop's machine need not be reachable from outside.
type Public struct {
	Names  []string // such as elvat.example.org
	Email  string   // where the authority warns; may be empty
	Folder string   // keeps account, key and certificate
	// Program sets and takes away the record: PROGRAM present|cleanup NAME VALUE. It comes
	// back once that is done.
	Program string
	Wait    time.Duration // until name servers everywhere show the record
	CA      string        // address of the authority's directory; "" for the usual one
	Roots   *x509.CertPool
	Log     *zap.Logger
}

// Config obtains the certificate where there is none, and renews it while ctx lives.
func (p *Public) Config(ctx context.Context) (*tls.Config, error) {
	if len(p.Names) == 0 || p.Program == "" {
		return nil, errors.New("a certificate by ACME takes a name and the program that sets its record")
	}
	if p.Log == nil {
		p.Log = zap.NewNop()
	}
	var magic *certmagic.Config
	cache := certmagic.NewCache(certmagic.CacheOptions{
		GetConfigForCert: func(certmagic.Certificate) (*certmagic.Config, error) { return magic, nil },
		Logger:           p.Log,
	})
	context.AfterFunc(ctx, cache.Stop)
	magic = certmagic.New(cache, certmagic.Config{
		Storage: &certmagic.FileStorage{Path: p.Folder}, Logger: p.Log, DefaultServerName: p.Names[0],
		OCSP: certmagic.OCSPConfig{DisableStapling: true},
	})
	magic.Issuers = []certmagic.Issuer{certmagic.NewACMEIssuer(magic, certmagic.ACMEIssuer{
		CA: p.CA, Email: p.Email, Agreed: true, TrustedRoots: p.Roots, Logger: p.Log,
		DisableHTTPChallenge: true, DisableTLSALPNChallenge: true, DNS01Solver: solver{p},
	})}
	if err := magic.ManageSync(ctx, p.Names); err != nil {
		return nil, fmt.Errorf("certificate for %s: %w", strings.Join(p.Names, ", "), err)
	}
	return serving(magic.GetCertificate), nil
}

// solver proves that the name is the shop's.
type solver struct{ p *Public }

func (s solver) Present(ctx context.Context, c acme.Challenge) error {
	return s.run(ctx, "present", c)
}

// Wait lets name servers everywhere take the record up.
func (s solver) Wait(ctx context.Context, _ acme.Challenge) error {
	select {
	case <-ctx.Done():
		return ctx.Err()
	case <-time.After(s.p.Wait):
		return nil
	}
}

func (s solver) CleanUp(ctx context.Context, c acme.Challenge) error {
	return s.run(ctx, "cleanup", c)
}

// mostOfProgram bounds how long the program may take. Assumption.
const mostOfProgram = 5 * time.Minute

func (s solver) run(ctx context.Context, what string, c acme.Challenge) error {
	ctx, stop := context.WithTimeout(ctx, mostOfProgram)
	defer stop()
	name := c.DNS01TXTRecordName()
	out, err := exec.CommandContext(ctx, s.p.Program, what, name, c.DNS01KeyAuthorization()).CombinedOutput()
	if err != nil {
		return fmt.Errorf("%s %s %s: %w: %s", s.p.Program, what, name, err, strings.TrimSpace(string(out)))
	}
	return nil
}
