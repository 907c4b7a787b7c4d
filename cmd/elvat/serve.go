package main

import (
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"runtime/debug"
	"strings"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/spf13/cobra"

	"elvat/internal/demo"
	"elvat/internal/meterlink"
	"elvat/internal/server"
	"elvat/internal/store"
	"elvat/internal/trust"
	"elvat/web"
)

// defaultAddress keeps the calls of a shop on its own machine unless it is
// told otherwise.
const defaultAddress = "127.0.0.1:8181"

type serveOptions struct {
	address, database, shop, meter string
	tracer                         bool // the simulated transmitter and receiver are at hand
	certificate, key               string
	acme                           trust.Public
	trustPage                      string
	backups                        string
	keep                           int
	backupPassphrase               string   // file with it
	behind                         []string // addresses of proxies
	proxySecret                    string   // file with what one says
	before                         *server.Proxy
	many                           manyOptions
}

func (o *serveOptions) flags(cmd *cobra.Command) {
	cmd.Flags().StringVar(&o.address, "listen", defaultAddress, "address to listen on; port 0 picks a free one")
	cmd.Flags().StringVar(&o.database, "db", o.database, "the database file")
	cmd.Flags().StringVar(&o.shop, "shop", o.shop, "name of the shop, shown above the day's calls")
	cmd.Flags().
		StringVar(&o.certificate, "tls-cert", "", "certificate chain, PEM; without it one is made when others than this machine are served")
	cmd.Flags().StringVar(&o.key, "tls-key", "", "its private key, PEM")
	cmd.Flags().
		StringSliceVar(&o.acme.Names, "acme-name", nil, "name of this machine in the public name service, for a certificate by ACME")
	cmd.Flags().
		StringVar(&o.acme.Program, "acme-program", "", "sets the record that proves the name: PROGRAM present|cleanup NAME VALUE")
	cmd.Flags().StringVar(&o.acme.Email, "acme-email", "", "where the authority writes to when something is wrong")
	cmd.Flags().StringVar(&o.acme.CA, "acme-directory", "", "address of another authority's directory")
	cmd.Flags().DurationVar(&o.acme.Wait, "acme-wait", 30*time.Second, "how long name servers take to show the record")
	cmd.Flags().
		StringVar(&o.trustPage, "trust-page", "", "address to serve, without TLS, the page that makes phones trust the shop's authority (elvat tls), and nothing else")
	cmd.Flags().
		StringSliceVar(&o.behind, "behind-proxy", nil, "address or network of the proxy that ends TLS before this machine; everybody signs in then")
	cmd.Flags().
		StringVar(&o.proxySecret, "proxy-secret", "", "file with what the proxy says in Elvat-Proxy-Secret, beside its address or instead of it")
	cmd.Flags().StringVar(&o.backups, "backups", "", "folder of the daily backups; beside the database if not given")
	cmd.Flags().StringVar(&o.backupPassphrase, "backup-passphrase", "", "file with the passphrase that daily backups are encrypted with")
	cmd.Flags().IntVar(&o.keep, "keep", 30, "how many backups to keep")
	cmd.Flags().StringVar(&o.meter, "meter", "", "HOST:PORT of an instrument that speaks SCPI over TCP")
}

func serveCommand() *cobra.Command {
	o := serveOptions{database: defaultDatabase}
	cmd := &cobra.Command{
		Use:   "serve",
		Short: "Serve the application",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if o.many.are() {
				return serveShops(cmd, o)
			}
			s, err := openFile(cmd.Context(), o.database)
			if err != nil {
				return err
			}
			return serve(cmd, o, s)
		},
	}
	o.flags(cmd)
	o.many.flags(cmd)
	return cmd
}

func demoCommand() *cobra.Command {
	o := serveOptions{database: filepath.Join(os.TempDir(), "elvat-demo.db"), shop: demo.Shop}
	var fresh bool
	var years int
	cmd := &cobra.Command{
		Use:   "demo",
		Short: "Serve the application with a made-up shop's calls",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if fresh {
				if err := removeDatabase(o.database); err != nil {
					return err
				}
			}
			s, err := store.Open(cmd.Context(), o.database)
			if err != nil {
				return err
			}
			if err := fillOnce(cmd.Context(), cmd.ErrOrStderr(), s, years); err != nil {
				return errors.Join(err, s.Close())
			}
			if o.meter == "" {
				if o.meter, err = demoMeter(cmd.Context()); err != nil {
					return errors.Join(err, s.Close())
				}
			}
			o.tracer = true
			return serve(cmd, o, s)
		},
	}
	o.flags(cmd)
	cmd.Flags().BoolVar(&fresh, "fresh", false, "start over: remove the demo's database file first")
	cmd.Flags().
		IntVar(&years, "years", 0, "with the history of that many years of a shop with five vans, 2,500 calls a year")
	return cmd
}

// demoMeter starts a simulated meter on the demo circuit with two boxes in
// question, on a free port of this machine.
func demoMeter(ctx context.Context) (string, error) {
	c, err := demo.Circuit(demo.MeterOn)
	if err != nil {
		return "", err
	}
	return startMeter(ctx, c, c.Boxes[0].Devices[0].ID, "127.0.0.1:0")
}

// removeDatabase removes the file and what SQLite keeps beside it.
func removeDatabase(path string) error {
	for _, name := range []string{path, path + "-wal", path + "-shm"} {
		if err := os.Remove(name); err != nil && !errors.Is(err, os.ErrNotExist) {
			return err
		}
	}
	return nil
}

// fillOnce leaves a demo that was played with as it is.
func fillOnce(ctx context.Context, out io.Writer, s *store.Store, years int) error {
	sites, err := s.Sites(ctx, 0, 1)
	if err != nil || len(sites) > 0 {
		return err
	}
	if years > 0 {
		fmt.Fprintf(out, "making up %d years of calls\n", years)
		if err := demo.History(ctx, s, time.Now(), years, years*demo.CallsAYear); err != nil {
			return err
		}
		if err := server.Summarize(ctx, s, time.Now, func(left int) { fmt.Fprintf(out, "\r%6d calls left to sum up ", left) }); err != nil {
			return err
		}
		fmt.Fprintln(out)
	}
	return demo.Fill(ctx, s, time.Now())
}

// memoryWanted is what the server aims to stay below; it is no bound: what is needed is taken.
// GOMEMLIMIT says otherwise.
const memoryWanted = 256 << 20

// serve runs until the command's context ends, then finishes what it is
// answering, closes the database and returns.
func serve(cmd *cobra.Command, o serveOptions, s *store.Store) (err error) {
	defer func() { err = errors.Join(err, s.Close()) }()
	log := slog.New(slog.NewTextHandler(cmd.ErrOrStderr(), nil))
	config := server.Config{Store: s, Shop: o.shop, Log: log, Front: web.Files(), Now: time.Now, Tracer: o.tracer}
	if config.Backups, err = o.daily(); err != nil {
		return err
	}
	if o.backups == "" {
		config.Backups.Folder = o.database + "-backups"
	}
	if err := o.proxied(); err != nil {
		return err
	}
	secure, authority, err := o.others(cmd.Context(), s)
	if err != nil {
		return err
	}
	if authority != nil {
		config.Trust = authority.Handler(o.shop, "")
	}
	if err := o.plainPage(cmd.Context(), authority); err != nil {
		return err
	}
	config.SignIn, config.Proxy = secure != nil || o.before != nil, o.before
	if o.meter != "" {
		config.Meter = &meterlink.Meter{Address: o.meter}
		defer config.Meter.Close()
	}
	app, err := server.New(config)
	if err != nil {
		return err
	}
	defer app.Close()
	return o.listen(cmd, app, secure, server.MostConnections, memoryWanted)
}

// daily is how backups are made by themselves.
func (o *serveOptions) daily() (server.Backups, error) {
	b := server.Backups{Folder: o.backups, Every: 24 * time.Hour, Keep: o.keep}
	if o.backupPassphrase == "" {
		return b, nil
	}
	data, err := os.ReadFile(o.backupPassphrase)
	if err != nil {
		return b, fmt.Errorf("--backup-passphrase: %w", err)
	}
	b.Passphrase = strings.TrimSpace(string(data))
	if err := server.CheckPassphrase(b.Passphrase, ""); err != nil {
		return b, fmt.Errorf("--backup-passphrase %s: %w", o.backupPassphrase, err)
	}
	return b, nil
}

// listen serves the application until the command's context ends, and finishes what it is
// answering then. TLS where secure is not nil.
func (o *serveOptions) listen(cmd *cobra.Command, app http.Handler, secure *tls.Config, connections int, memory int64) error {
	at, err := (&net.ListenConfig{}).Listen(cmd.Context(), "tcp", o.address)
	if err != nil {
		return err
	}
	scheme, listener := "http", server.Limit(at, o.before, connections)
	if secure != nil {
		secure.CipherSuites = server.Ciphers
		scheme, listener = "https", tls.NewListener(listener, secure)
	}
	// What many send at once is let go again before more is taken from the machine.
	if os.Getenv("GOMEMLIMIT") == "" {
		debug.SetMemoryLimit(memory)
	}
	start := echo.StartConfig{
		Listener: listener, HideBanner: true, HidePort: true, GracefulTimeout: 10 * time.Second,
		ListenerAddrFunc: func(at net.Addr) { fmt.Fprintf(cmd.OutOrStdout(), "Elvat is at %s://%s\n", scheme, at) },
		BeforeServeFunc: func(hs *http.Server) error {
			server.Harden(hs)
			return nil
		},
	}
	err = start.Start(cmd.Context(), app)
	if errors.Is(err, http.ErrServerClosed) {
		err = nil
	}
	return err
}
