//go:build dqlite

package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"elvat/internal/cluster"
	"elvat/internal/demo"
	"elvat/internal/server"
	"elvat/internal/shops"
	"elvat/internal/store"
)

// What the demo of a cluster is reached by. Names below localhost lead to this machine in browsers.
const (
	demoPerson     = "Ada"
	demoPassphrase = "long river copper lamp"
	demoMachines   = 3
)

// demoCluster is three machines of a cluster on this one, with a made-up shop.
func demoCluster() *cobra.Command {
	var folder string
	var ports [2]int
	cmd := &cobra.Command{
		Use: "demo", Short: "Three machines of a cluster on this one, with a made-up shop", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error { return runDemoCluster(cmd, folder, ports) },
	}
	cmd.Flags().StringVar(&folder, "folder", filepath.Join(os.TempDir(), "elvat-cluster-demo"), "where it is kept; made anew")
	cmd.Flags().IntVar(&ports[0], "port", 8191, "the first of the ports that browsers ask at")
	cmd.Flags().IntVar(&ports[1], "node-port", 9191, "the first of the ports that the machines reach each other at")
	return cmd
}

func runDemoCluster(cmd *cobra.Command, folder string, ports [2]int) error {
	ctx := cmd.Context()
	if err := os.RemoveAll(folder); err != nil {
		return err
	}
	self, err := os.Executable()
	if err != nil {
		return err
	}
	node := func(i int) string { return filepath.Join(folder, fmt.Sprint(i+1)) }
	address := func(i int) string { return fmt.Sprintf("127.0.0.1:%d", ports[1]+i) }
	var running []*exec.Cmd
	defer func() {
		for _, one := range running {
			_ = one.Process.Signal(syscall.SIGTERM) // it may have ended
		}
		for _, one := range running {
			_ = one.Wait() // why it ended stands in its log
		}
	}()
	shop := shops.Shop{Name: "north", Title: demo.Shop}
	for i := range demoMachines {
		host := fmt.Sprintf("%s.north.localhost", []string{"one", "two", "three"}[i])
		shop.Hosts, shop.Addresses = append(shop.Hosts, host), append(shop.Addresses, fmt.Sprintf("http://%s:%d", host, ports[0]+i))
		args := []string{"serve", "--cluster", node(i), "--node", address(i), "--listen", fmt.Sprintf("127.0.0.1:%d", ports[0]+i)}
		if i == 0 {
			err = cluster.MakeKeys(node(i), address(i), time.Now())
		} else if err = os.MkdirAll(node(i), 0o700); err == nil {
			args = append(args, "--join", address(0))
			err = cluster.Invite(node(0), address(i), filepath.Join(node(i), "node.pem"), time.Now())
		}
		if err != nil {
			return err
		}
		log, err := os.Create(node(i) + ".log")
		if err != nil {
			return err
		}
		one := exec.CommandContext(context.WithoutCancel(ctx), self, args...)
		one.Stdout, one.Stderr = log, log
		one.SysProcAttr = &syscall.SysProcAttr{Setpgid: true} // they are told to stop one after the other
		if err := errors.Join(one.Start(), log.Close()); err != nil {
			return err
		}
		running = append(running, one)
		if err := answering(ctx, node(i), i+1); err != nil {
			return fmt.Errorf("machine %d, see %s.log: %w", i+1, node(i), err)
		}
	}
	if err := fillCluster(ctx, node(0), shop); err != nil {
		return err
	}
	out := cmd.OutOrStdout()
	fmt.Fprintf(out, "%s signs in as %s with the passphrase %q at any of\n", demo.Shop, demoPerson, demoPassphrase)
	for i, a := range shop.Addresses {
		fmt.Fprintf(out, "  %s  (kill %d, and go on at another)\n", a, running[i].Process.Pid)
	}
	fmt.Fprintf(out, "%s cluster status %s\n", self, node(0))
	<-ctx.Done()
	return nil
}

// startsWithin is how long the machines of the demo take at most to find each other.
const startsWithin = time.Minute

// answering waits until so many machines of the cluster answer.
func answering(ctx context.Context, folder string, n int) (err error) {
	for end := time.Now().Add(startsWithin); time.Now().Before(end); {
		var all []cluster.Member
		all, err = clusterMembers(ctx, folder)
		reached := 0
		for _, m := range all {
			if m.Reached {
				reached++
			}
		}
		if reached >= n {
			return nil
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(200 * time.Millisecond):
		}
	}
	return errors.Join(err, errors.New("it does not come into the cluster"))
}

// fillCluster makes the demo's shop in the cluster, with somebody who can sign in.
func fillCluster(ctx context.Context, folder string, shop shops.Shop) (err error) {
	d, done, err := shopsOfCluster(ctx, folder)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, done()) }()
	return d.Make(ctx, shop, func(s *store.Store) error {
		if err := demo.Fill(ctx, s, time.Now()); err != nil {
			return err
		}
		p, err := server.NewPerson(demoPerson, "electrician", demoPassphrase, time.Now())
		if err != nil {
			return err
		}
		_, err = s.AddPerson(ctx, p)
		return err
	})
}
