package main

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"math/big"
	"net"
	"os"
	"time"
)

// selfSigned makes a certificate for this machine's names and addresses, unless
// one is there that is in force for another month.
func selfSigned(certificate, key, host string, now time.Time) error {
	if data, err := os.ReadFile(certificate); err == nil {
		if block, _ := pem.Decode(data); block != nil {
			if c, err := x509.ParseCertificate(block.Bytes); err == nil && c.NotAfter.After(now.AddDate(0, 1, 0)) {
				return nil
			}
		}
	}
	private, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return err
	}
	serial, err := rand.Int(rand.Reader, new(big.Int).Lsh(big.NewInt(1), 120))
	if err != nil {
		return err
	}
	name, err := os.Hostname()
	if err != nil {
		return err
	}
	made := x509.Certificate{
		SerialNumber: serial, Subject: pkix.Name{CommonName: "Elvat on " + name}, DNSNames: []string{name, "localhost"},
		NotBefore: now.Add(-time.Hour), NotAfter: now.AddDate(1, 0, 0), KeyUsage: x509.KeyUsageDigitalSignature,
		ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth}, BasicConstraintsValid: true,
	}
	addresses, err := net.InterfaceAddrs()
	if err != nil {
		return err
	}
	for _, a := range addresses {
		if network, ok := a.(*net.IPNet); ok {
			made.IPAddresses = append(made.IPAddresses, network.IP)
		}
	}
	if ip := net.ParseIP(host); ip == nil && host != "" {
		made.DNSNames = append(made.DNSNames, host)
	}
	der, err := x509.CreateCertificate(rand.Reader, &made, &made, &private.PublicKey, private)
	if err != nil {
		return err
	}
	secret, err := x509.MarshalPKCS8PrivateKey(private)
	if err != nil {
		return err
	}
	if err := os.WriteFile(key, pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: secret}), 0o600); err != nil {
		return err
	}
	return os.WriteFile(certificate, pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der}), 0o644)
}
