//go:build dqlite

package cluster

import (
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
)

// keys are how machines of a cluster know each other: each shows a certificate of the cluster's
// authority, whoever asks and whoever is asked.
func keys(folder string) (listen, dial *tls.Config, err error) {
	path := filepath.Join(folder, nodeFile)
	data, err := os.ReadFile(path)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil, fmt.Errorf("%s: this machine has no key: elvat cluster make for the first, elvat cluster invite for another", path)
	}
	if err != nil {
		return nil, nil, err
	}
	if err := os.Chmod(path, 0o600); err != nil {
		return nil, nil, err
	}
	own, err := tls.X509KeyPair(data, data)
	if err != nil {
		return nil, nil, fmt.Errorf("%s: %w", path, err)
	}
	if len(own.Certificate) != 2 {
		return nil, nil, fmt.Errorf("%s: the certificate of this machine and that of the cluster's authority are wanted", path)
	}
	authority, err := x509.ParseCertificate(own.Certificate[1])
	if err != nil {
		return nil, nil, fmt.Errorf("%s: %w", path, err)
	}
	pool := x509.NewCertPool()
	pool.AddCert(authority)
	listen = &tls.Config{MinVersion: tls.VersionTLS13, Certificates: []tls.Certificate{own}, ClientCAs: pool, ClientAuth: tls.RequireAndVerifyClientCert}
	dial = &tls.Config{MinVersion: tls.VersionTLS13, Certificates: []tls.Certificate{own}, RootCAs: pool}
	return listen, dial, nil
}
