package main

import (
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"net"
	"net/http"
	"net/netip"
	"os"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"elvat/internal/server"
	"elvat/internal/store"
	"elvat/internal/trust"
)

// tlsCommand is how phones come to trust the shop's machine.
func tlsCommand() *cobra.Command {
	database, shop := defaultDatabase, ""
	var names []string
	top := &cobra.Command{
		Use:   "tls",
		Short: "An authority of the shop's own, that its phones can trust",
	}
	top.PersistentFlags().StringVar(&database, "db", database, "the database file; the authority is kept beside it")
	mk := &cobra.Command{
		Use:   "make",
		Short: "Make the authority, for the names and addresses that phones reach this machine by",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			a, err := trust.Beside(database).Make(shop, names, time.Now())
			if err != nil {
				return err
			}
			fmt.Fprintln(cmd.OutOrStdout(), "Made. From the next start of elvat serve on, phones find how to trust it at https://NAME:PORT"+trust.Path)
			return showAuthority(cmd, a)
		},
	}
	mk.Flags().StringSliceVar(&names, "name", nil, "a name or an address, such as shop.lan or 192.168.1.20; may be given more than once")
	mk.Flags().StringVar(&shop, "shop", "", "name of the shop, as phones show it")
	show := &cobra.Command{
		Use:   "show",
		Short: "Show what it vouches for, and the number to hold against what a phone shows",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			a, err := trust.Beside(database).Open()
			if err != nil {
				return err
			}
			return showAuthority(cmd, a)
		},
	}
	top.AddCommand(mk, show)
	return top
}

func showAuthority(cmd *cobra.Command, a *trust.Authority) error {
	_, err := fmt.Fprintf(
		cmd.OutOrStdout(), "%s\nvouches for %s and nothing else, until %s\nSHA-256 %s\n",
		a.Certificate.Subject.CommonName, strings.Join(a.Names(), ", "), a.Certificate.NotAfter.Format(time.DateOnly), a.Fingerprint(),
	)
	return err
}

// errNobody means that others are to be served and nobody could sign in.
var errNobody = errors.New(
	"nobody can sign in yet, and others than this machine are served only who can: first run elvat people add NAME --role electrician",
)

// others is how others than this machine are served: over TLS, to who signs in.
// Nil where only this machine is.
func (o *serveOptions) others(ctx context.Context, s *store.Store) (*tls.Config, *trust.Authority, error) {
	here, host, err := o.here()
	if err != nil || here && o.before == nil {
		return nil, nil, err
	}
	if err := somebody(ctx, s); err != nil {
		return nil, nil, err
	}
	if here {
		return nil, nil, nil // the proxy ends TLS
	}
	if (o.certificate == "") != (o.key == "") {
		return nil, nil, errors.New("--tls-cert and --tls-key go together")
	}
	if (len(o.acme.Names) == 0) != (o.acme.Program == "") {
		return nil, nil, errors.New("--acme-name and --acme-program go together")
	}
	authority, err := trust.Beside(o.database).Open()
	if err != nil && !errors.Is(err, trust.ErrNone) {
		return nil, nil, err
	}
	switch {
	case o.certificate != "":
		config, err := trust.Files{Certificate: o.certificate, Key: o.key}.Serve()
		return config, authority, err
	case len(o.acme.Names) > 0:
		o.acme.Folder = o.database + "-acme"
		config, err := o.acme.Config(ctx)
		return config, nil, err
	case authority != nil:
		return authority.Config(time.Now), authority, nil
	}
	own := trust.Files{Certificate: o.database + "-tls.crt", Key: o.database + "-tls.key"}
	if err := own.SelfSign(host, time.Now()); err != nil {
		return nil, nil, err
	}
	config, err := own.Serve()
	return config, nil, err
}

// here reports whether this machine alone is served, or a proxy on it.
func (o *serveOptions) here() (here bool, host string, err error) {
	host, _, err = net.SplitHostPort(o.address)
	if err != nil {
		return false, "", fmt.Errorf("--listen %s: %w", o.address, err)
	}
	ip := net.ParseIP(host)
	return host == "localhost" || ip != nil && ip.IsLoopback(), host, nil
}

// proxied reads what stands before this machine: nil where nothing does.
func (o *serveOptions) proxied() error {
	if len(o.behind) == 0 && o.proxySecret == "" {
		return nil
	}
	p := &server.Proxy{}
	for _, text := range o.behind {
		at, err := netip.ParsePrefix(text)
		if err != nil {
			one, problem := netip.ParseAddr(text)
			if problem != nil {
				return fmt.Errorf("--behind-proxy %s: neither an address nor a network such as 10.0.0.0/8", text)
			}
			at = netip.PrefixFrom(one, one.BitLen())
		}
		p.From = append(p.From, at)
	}
	if o.proxySecret != "" {
		data, err := os.ReadFile(o.proxySecret)
		if err != nil {
			return fmt.Errorf("--proxy-secret: %w", err)
		}
		if p.Secret = strings.TrimSpace(string(data)); len(p.Secret) < leastSecret {
			return fmt.Errorf("--proxy-secret %s: at least %d characters", o.proxySecret, leastSecret)
		}
	}
	o.before = p
	return nil
}

// leastSecret is how long the proxy's secret has to be.
const leastSecret = 32

// somebody reports nil where there is who can sign in.
func somebody(ctx context.Context, s *store.Store) error {
	people, err := s.People(ctx)
	if err != nil {
		return err
	}
	for _, p := range people {
		if !p.Withdrawn && p.Passphrase != store.NoPassphrase {
			return nil
		}
	}
	return errNobody
}

// plainPage serves the page that makes phones trust this machine without TLS, beside the
// application: whoever opens it there sees no warning first. It serves nothing else.
func (o *serveOptions) plainPage(ctx context.Context, a *trust.Authority) error {
	if o.trustPage == "" {
		return nil
	}
	if a == nil {
		return fmt.Errorf("--trust-page: %w", trust.ErrNone)
	}
	l, err := (&net.ListenConfig{}).Listen(ctx, "tcp", o.trustPage)
	if err != nil {
		return fmt.Errorf("--trust-page: %w", err)
	}
	_, port, err := net.SplitHostPort(o.address)
	if err != nil {
		return err
	}
	at := "https://" + net.JoinHostPort(a.Names()[0], port)
	s := &http.Server{Handler: a.Handler(o.shop, at), ReadHeaderTimeout: 5 * time.Second, ReadTimeout: 10 * time.Second, WriteTimeout: 10 * time.Second, MaxHeaderBytes: 16 << 10}
	context.AfterFunc(ctx, func() { _ = s.Close() })
	go func() { _ = s.Serve(server.Limit(l, nil, server.MostConnections)) }() // it ends with the command
	return nil
}
