package cluster

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
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
	"path/filepath"
	"time"
)

// What lies in the folder of a node beside its data.
const (
	authorityFile = "authority.pem" // certificate and key of the cluster's authority: where it was made only
	nodeFile      = "node.pem"      // certificate and key of this machine, and the authority's certificate
)

// How long keys hold. A machine whose key ends is given another as it was given the first.
// Assumption.
const (
	authorityYears = 20
	nodeYears      = 5
	clockBehind    = 24 * time.Hour
)

// MakeKeys makes the authority of a new cluster in the folder, and the key of its first machine,
// which is reached by the others at the address.
func MakeKeys(folder, address string, now time.Time) error {
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return err
	}
	c := &x509.Certificate{
		Subject: pkix.Name{CommonName: "Elvat cluster"}, NotBefore: now.Add(-clockBehind), NotAfter: now.AddDate(authorityYears, 0, 0),
		IsCA: true, BasicConstraintsValid: true, MaxPathLenZero: true, KeyUsage: x509.KeyUsageCertSign,
	}
	made, err := signed(c, nil)
	if err != nil {
		return err
	}
	if err := writeNew(filepath.Join(folder, authorityFile), made.encoded()); err != nil {
		return err
	}
	return Invite(folder, address, filepath.Join(folder, nodeFile), now)
}

// Invite writes the key of another machine, by the authority in the folder, to a file that is
// carried to the folder of that machine's node under the name node.pem.
func Invite(folder, address, file string, now time.Time) error {
	host, _, err := net.SplitHostPort(address)
	if err != nil || host == "" {
		return fmt.Errorf("node %q: not an address such as 10.0.0.2:9000", address)
	}
	data, err := os.ReadFile(filepath.Join(folder, authorityFile))
	if errors.Is(err, fs.ErrNotExist) {
		return fmt.Errorf("%s: the cluster's authority is not here: it is where elvat cluster make was run", folder)
	}
	if err != nil {
		return err
	}
	authority, err := parse(data)
	if err != nil {
		return fmt.Errorf("%s: %w", filepath.Join(folder, authorityFile), err)
	}
	c := &x509.Certificate{
		Subject: pkix.Name{CommonName: host}, NotBefore: now.Add(-clockBehind), NotAfter: now.AddDate(nodeYears, 0, 0),
		KeyUsage: x509.KeyUsageDigitalSignature, ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth, x509.ExtKeyUsageClientAuth},
		BasicConstraintsValid: true,
	}
	if ip := net.ParseIP(host); ip != nil {
		c.IPAddresses = []net.IP{ip}
	} else {
		c.DNSNames = []string{host}
	}
	made, err := signed(c, authority)
	if err != nil {
		return err
	}
	return writeNew(file, append(made.encoded(), pem.EncodeToMemory(&pem.Block{Type: certificate, Bytes: authority.der})...))
}

// kinds of PEM blocks. Source: RFC 7468 (from memory).
const (
	certificate = "CERTIFICATE"
	privateKey  = "PRIVATE KEY"
)

// A pair is a certificate with its key.
type pair struct {
	der  []byte
	cert *x509.Certificate
	key  *ecdsa.PrivateKey
}

// signed makes the certificate with a new key; by itself where there is no authority.
func signed(c *x509.Certificate, by *pair) (*pair, error) {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return nil, err
	}
	if c.SerialNumber, err = rand.Int(rand.Reader, new(big.Int).Lsh(big.NewInt(1), 120)); err != nil {
		return nil, err
	}
	parent, signer := c, key
	if by != nil {
		parent, signer = by.cert, by.key
	}
	der, err := x509.CreateCertificate(rand.Reader, c, parent, &key.PublicKey, signer)
	if err != nil {
		return nil, err
	}
	cert, err := x509.ParseCertificate(der)
	return &pair{der, cert, key}, err
}

func (p *pair) encoded() []byte {
	secret, err := x509.MarshalPKCS8PrivateKey(p.key)
	if err != nil {
		panic(err) // a key that was just made
	}
	return append(
		pem.EncodeToMemory(&pem.Block{Type: certificate, Bytes: p.der}),
		pem.EncodeToMemory(&pem.Block{Type: privateKey, Bytes: secret})...,
	)
}

func parse(data []byte) (*pair, error) {
	both, err := tls.X509KeyPair(data, data)
	if err != nil {
		return nil, err
	}
	key, ok := both.PrivateKey.(*ecdsa.PrivateKey)
	if !ok {
		return nil, errors.New("not a key that Elvat made")
	}
	return &pair{both.Certificate[0], both.Leaf, key}, nil
}

// writeNew writes a file that only its owner reads, and overwrites none.
func writeNew(path string, data []byte) error {
	f, err := os.OpenFile(path, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if errors.Is(err, fs.ErrExist) {
		return fmt.Errorf("%s is there already", path)
	}
	if err != nil {
		return err
	}
	_, err = f.Write(data)
	return errors.Join(err, f.Sync(), f.Close())
}
