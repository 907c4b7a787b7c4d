package main

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/spf13/cobra"

	"elvat/internal/demo"
	"elvat/internal/meterlink"
	"elvat/internal/server"
	"elvat/internal/store"
	"elvat/web"
)

// defaultAddress keeps the calls of a shop on its own machine unless it is
// told otherwise.
const defaultAddress = "127.0.0.1:8181"

type serveOptions struct {
	address, database, shop, meter string
	tracer                         bool // the simulated transmitter and receiver are at hand
}

func (o *serveOptions) flags(cmd *cobra.Command) {
	cmd.Flags().StringVar(&o.address, "listen", defaultAddress, "address to listen on; port 0 picks a free one")
	cmd.Flags().StringVar(&o.database, "db", o.database, "the database file")
	cmd.Flags().StringVar(&o.shop, "shop", o.shop, "name of the shop, shown above the day's calls")
	cmd.Flags().StringVar(&o.meter, "meter", "", "HOST:PORT of an instrument that speaks SCPI over TCP")
}

func serveCommand() *cobra.Command {
	o := serveOptions{database: "elvat.db"}
	cmd := &cobra.Command{
		Use:   "serve",
		Short: "Serve the application",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			s, err := store.Open(cmd.Context(), o.database)
			if err != nil {
				return err
			}
			return serve(cmd, o, s)
		},
	}
	o.flags(cmd)
	return cmd
}

func demoCommand() *cobra.Command {
	o := serveOptions{database: filepath.Join(os.TempDir(), "elvat-demo.db"), shop: demo.Shop}
	var fresh bool
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
			if err := fillOnce(cmd.Context(), s); err != nil {
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
func fillOnce(ctx context.Context, s *store.Store) error {
	calls, err := s.Calls(ctx)
	if err != nil || len(calls) > 0 {
		return err
	}
	return demo.Fill(ctx, s, time.Now())
}

// serve runs until the command's context ends, then finishes what it is
// answering, closes the database and returns.
func serve(cmd *cobra.Command, o serveOptions, s *store.Store) error {
	log := slog.New(slog.NewTextHandler(cmd.ErrOrStderr(), nil))
	config := server.Config{Store: s, Shop: o.shop, Log: log, Front: web.Files(), Now: time.Now, Tracer: o.tracer}
	if o.meter != "" {
		config.Meter = &meterlink.Meter{Address: o.meter}
		defer config.Meter.Close()
	}
	start := echo.StartConfig{
		Address: o.address, HideBanner: true, HidePort: true, GracefulTimeout: 10 * time.Second,
		ListenerAddrFunc: func(at net.Addr) { fmt.Fprintf(cmd.OutOrStdout(), "Elvat is at http://%s\n", at) },
		BeforeServeFunc: func(hs *http.Server) error {
			hs.ReadHeaderTimeout, hs.ReadTimeout, hs.IdleTimeout = 5*time.Second, 30*time.Second, 2*time.Minute
			return nil
		},
	}
	err := start.Start(cmd.Context(), server.New(config))
	if errors.Is(err, http.ErrServerClosed) {
		err = nil
	}
	return errors.Join(err, s.Close())
}
