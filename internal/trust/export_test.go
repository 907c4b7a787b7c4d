package trust

import (
	"context"
	"crypto/x509"
	"net"
	"testing"
	"time"

	"github.com/mholt/acmez/v3/acme"
	"github.com/stretchr/testify/require"
)

// Forge is a certificate for another name, signed with the authority's key.
func (a *Authority) Forge(t *testing.T, name string, now time.Time) *x509.Certificate {
	c := &x509.Certificate{NotBefore: now.Add(-time.Hour), NotAfter: now.AddDate(0, 1, 0), ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth}}
	if ip := net.ParseIP(name); ip != nil {
		c.IPAddresses = []net.IP{ip}
	} else {
		c.DNSNames = []string{name}
	}
	_, der, err := sign(c, a.Certificate, a.key)
	require.NoError(t, err)
	made, err := x509.ParseCertificate(der)
	require.NoError(t, err)
	return made
}

// RunFor has the program set a record for the name.
func RunFor(ctx context.Context, program, name string) error {
	return solver{&Public{Program: program}}.Present(ctx, acme.Challenge{Identifier: acme.Identifier{Type: "dns", Value: name}})
}
