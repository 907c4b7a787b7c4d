// Package trust is how a phone comes to trust the connection to a shop's machine: by an
// authority of the shop's own, which can vouch for the shop's names and addresses and for
// nothing else, or by a public one for a shop with a name (ACME).
package trust

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/sha256"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"errors"
	"fmt"
	"io/fs"
	"math/big"
	"net"
	"os"
	"strings"
	"sync"
	"time"

	"golang.org/x/net/idna"
)

const (
	// authorityLife is how long phones need no other one. Assumption.
	authorityLife = 10 * 365 * 24 * time.Hour
	// leafLife: phones refuse certificates of a server that hold longer than 825 days, and
	// public ones longer than 398 (from memory: the platforms' published requirements).
	leafLife = 397 * 24 * time.Hour
	// renewBefore is how long before its end a certificate is made anew.
	renewBefore = 30 * 24 * time.Hour
	// before is how far a phone's clock may be behind.
	before = 24 * time.Hour
)

// An Authority vouches for the shop's own names and addresses.
type Authority struct {
	Certificate *x509.Certificate
	key         *ecdsa.PrivateKey

	mu   sync.Mutex
	leaf *tls.Certificate
}

// Files are where a certificate is kept, which anybody may have, and its key.
type Files struct{ Certificate, Key string }

// Beside are the files beside a database.
func Beside(database string) Files {
	return Files{database + "-authority.crt", database + "-authority.key"}
}

// ErrNone means that no authority was made.
var ErrNone = errors.New("this shop has no authority of its own: elvat tls make makes one")

// Make makes an authority for the names and addresses and keeps it. What is there already is
// not overwritten: phones trust that one.
func (f Files) Make(shop string, names []string, now time.Time) (*Authority, error) {
	for _, path := range []string{f.Certificate, f.Key} {
		if _, err := os.Lstat(path); !errors.Is(err, fs.ErrNotExist) {
			return nil, fmt.Errorf("%s is there already, and phones may trust it; remove it first to start over, and install the new one on every phone", path)
		}
	}
	made, err := limited(shop, names, now)
	if err != nil {
		return nil, err
	}
	key, der, err := sign(made, nil, nil)
	if err != nil {
		return nil, err
	}
	if err := f.keep(key, der, os.O_EXCL); err != nil {
		return nil, err
	}
	return f.Open()
}

// keep writes a new file; how: os.O_EXCL does not overwrite, os.O_TRUNC does.
func keep(path, kind string, der []byte, mode fs.FileMode, how int) error {
	file, err := os.OpenFile(path, os.O_WRONLY|os.O_CREATE|how, mode)
	if err != nil {
		return err
	}
	return errors.Join(pem.Encode(file, &pem.Block{Type: kind, Bytes: der}), file.Close())
}

// keep writes down a certificate and its key, which only their owner reads.
func (f Files) keep(key *ecdsa.PrivateKey, der []byte, how int) error {
	secret, err := x509.MarshalPKCS8PrivateKey(key)
	if err != nil {
		return err
	}
	if err := keep(f.Key, "PRIVATE KEY", secret, 0o600, how); err != nil {
		return err
	}
	return keep(f.Certificate, "CERTIFICATE", der, 0o644, how)
}

// private has the kept key be its owner's alone, also where it was there before.
func (f Files) private() error { return os.Chmod(f.Key, 0o600) }

// limited is an authority that may vouch for the names and addresses only.
func limited(shop string, names []string, now time.Time) (*x509.Certificate, error) {
	if len(names) == 0 {
		return nil, errors.New("name: which names or addresses phones reach this machine by, such as shop.lan or 192.168.1.20")
	}
	if shop = strings.TrimSpace(shop); shop == "" {
		shop = "the shop"
	}
	c := &x509.Certificate{
		Subject:   pkix.Name{CommonName: "Elvat at " + shop, Organization: []string{shop}},
		NotBefore: now.Add(-before), NotAfter: now.Add(authorityLife),
		KeyUsage: x509.KeyUsageCertSign | x509.KeyUsageCRLSign, BasicConstraintsValid: true, IsCA: true, MaxPathLenZero: true,
		ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth}, PermittedDNSDomainsCritical: true,
	}
	for _, name := range names {
		if ip := net.ParseIP(name); ip != nil {
			bits := 8 * len(ip)
			if four := ip.To4(); four != nil {
				ip, bits = four, 32
			}
			c.PermittedIPRanges = append(c.PermittedIPRanges, &net.IPNet{IP: ip, Mask: net.CIDRMask(bits, bits)})
			continue
		}
		ascii, err := idna.Lookup.ToASCII(strings.ToLower(strings.TrimSpace(name)))
		if err != nil || ascii == "" || strings.ContainsAny(ascii, "*/: ") {
			return nil, fmt.Errorf("name: %q is neither a name nor an address", name)
		}
		c.PermittedDNSDomains = append(c.PermittedDNSDomains, ascii)
	}
	// Where one kind is not permitted anything of, it is excluded as a whole: no constraint on
	// a kind would permit all of it (RFC 5280, 4.2.1.10).
	if len(c.PermittedDNSDomains) == 0 {
		c.ExcludedDNSDomains = []string{""}
	}
	if len(c.PermittedIPRanges) == 0 {
		for _, all := range []string{"0.0.0.0/0", "::/0"} {
			_, network, err := net.ParseCIDR(all)
			if err != nil {
				return nil, err
			}
			c.ExcludedIPRanges = append(c.ExcludedIPRanges, network)
		}
	}
	return c, nil
}

// sign makes the certificate with a new key; by itself where no parent is given.
func sign(c, parent *x509.Certificate, by *ecdsa.PrivateKey) (*ecdsa.PrivateKey, []byte, error) {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return nil, nil, err
	}
	if c.SerialNumber, err = rand.Int(rand.Reader, new(big.Int).Lsh(big.NewInt(1), 120)); err != nil {
		return nil, nil, err
	}
	if parent == nil {
		parent, by = c, key
	}
	der, err := x509.CreateCertificate(rand.Reader, c, parent, &key.PublicKey, by)
	return key, der, err
}

// Open reads the authority; ErrNone where there is none.
func (f Files) Open() (*Authority, error) {
	pair, err := tls.LoadX509KeyPair(f.Certificate, f.Key)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, ErrNone
	}
	if err != nil {
		return nil, fmt.Errorf("the shop's authority: %w", err)
	}
	if err := f.private(); err != nil {
		return nil, err
	}
	key, ok := pair.PrivateKey.(*ecdsa.PrivateKey)
	if !ok {
		return nil, fmt.Errorf("%s: not a key that Elvat made", f.Key)
	}
	return &Authority{Certificate: pair.Leaf, key: key}, nil
}

// Names are those that it vouches for, and addresses.
func (a *Authority) Names() []string {
	names := append([]string{}, a.Certificate.PermittedDNSDomains...)
	for _, network := range a.Certificate.PermittedIPRanges {
		names = append(names, network.IP.String())
	}
	return names
}

// Fingerprint is what two people hold against each other before one installs it: SHA-256 in
// pairs of digits.
func (a *Authority) Fingerprint() string {
	sum := sha256.Sum256(a.Certificate.Raw)
	return strings.ReplaceAll(fmt.Sprintf("% X", sum), " ", ":")
}

// Leaf is a certificate for the machine itself, made anew when it is near its end. It lives in
// memory: another start makes another, and phones trust whoever the authority vouches for.
func (a *Authority) Leaf(now time.Time) (*tls.Certificate, error) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if a.leaf != nil && now.Before(a.leaf.Leaf.NotAfter.Add(-renewBefore)) && now.After(a.leaf.Leaf.NotBefore) {
		return a.leaf, nil
	}
	end := now.Add(leafLife)
	if end.After(a.Certificate.NotAfter) {
		end = a.Certificate.NotAfter
	}
	c := ofServer(a.Names()[0], now, end)
	c.DNSNames = a.Certificate.PermittedDNSDomains
	for _, network := range a.Certificate.PermittedIPRanges {
		c.IPAddresses = append(c.IPAddresses, network.IP)
	}
	key, der, err := sign(c, a.Certificate, a.key)
	if err != nil {
		return nil, err
	}
	made := &tls.Certificate{Certificate: [][]byte{der, a.Certificate.Raw}, PrivateKey: key}
	if made.Leaf, err = x509.ParseCertificate(der); err != nil {
		return nil, err
	}
	a.leaf = made
	return made, nil
}

// ofServer is the certificate of a machine, without the names that it is for.
func ofServer(name string, now, end time.Time) *x509.Certificate {
	return &x509.Certificate{
		Subject: pkix.Name{CommonName: name}, NotBefore: now.Add(-before), NotAfter: end, KeyUsage: x509.KeyUsageDigitalSignature,
		ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth}, BasicConstraintsValid: true,
	}
}

// Config is for a server that shows the certificate of the moment.
func (a *Authority) Config(now func() time.Time) *tls.Config {
	return serving(func(*tls.ClientHelloInfo) (*tls.Certificate, error) { return a.Leaf(now()) })
}

func serving(certificate func(*tls.ClientHelloInfo) (*tls.Certificate, error)) *tls.Config {
	return &tls.Config{MinVersion: tls.VersionTLS12, NextProtos: []string{"h2", "http/1.1"}, GetCertificate: certificate}
}

// Serve is for a server that shows the certificate in the files.
func (f Files) Serve() (*tls.Config, error) {
	pair, err := tls.LoadX509KeyPair(f.Certificate, f.Key)
	if err != nil {
		return nil, fmt.Errorf("certificate: %w", err)
	}
	return serving(func(*tls.ClientHelloInfo) (*tls.Certificate, error) { return &pair, nil }), nil
}

// SelfSign makes a certificate for this machine's names and addresses that nobody vouches
// for, unless one is there that is in force for another month.
func (f Files) SelfSign(host string, now time.Time) error {
	if pair, err := tls.LoadX509KeyPair(f.Certificate, f.Key); err == nil && pair.Leaf.NotAfter.After(now.Add(renewBefore)) {
		return f.private()
	}
	name, err := os.Hostname()
	if err != nil {
		return err
	}
	c := ofServer("Elvat on "+name, now, now.AddDate(1, 0, 0))
	c.DNSNames = []string{name, "localhost"}
	addresses, err := net.InterfaceAddrs()
	if err != nil {
		return err
	}
	for _, a := range addresses {
		if network, ok := a.(*net.IPNet); ok {
			c.IPAddresses = append(c.IPAddresses, network.IP)
		}
	}
	if net.ParseIP(host) == nil && host != "" {
		c.DNSNames = append(c.DNSNames, host)
	}
	key, der, err := sign(c, nil, nil)
	if err != nil {
		return err
	}
	return f.keep(key, der, os.O_TRUNC)
}
