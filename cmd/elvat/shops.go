package main

import (
	"cmp"
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"text/tabwriter"
	"time"

	"github.com/spf13/cobra"

	"elvat/internal/archive"
	"elvat/internal/desk"
	"elvat/internal/sealed"
	"elvat/internal/server"
	"elvat/internal/shops"
	"elvat/internal/store"
	"elvat/internal/trust"
	"elvat/web"
)

// manyOptions are those of a process that serves many shops.
type manyOptions struct {
	folder  string
	cluster string // folder of this machine's node
	node    string // at which the other machines of the cluster reach it
	join    []string
	idle    time.Duration
	most    int
}

// are reports whether many shops are served.
func (o *manyOptions) are() bool { return o.folder != "" || o.cluster != "" }

func (o *manyOptions) flags(cmd *cobra.Command) {
	cmd.Flags().StringVar(&o.folder, "shops", "", "folder of many shops, each reached by its own host name (elvat shops); instead of --db")
	cmd.Flags().StringVar(&o.cluster, "cluster", "", "folder of this machine's node in a cluster, whose shops are served (elvat cluster); instead of --db")
	cmd.Flags().StringVar(&o.node, "node", "", "address at which the other machines of the cluster reach this one, such as 10.0.0.1:9000")
	cmd.Flags().StringSliceVar(&o.join, "join", nil, "address of a machine of the cluster, where this one is new and not the first")
	cmd.Flags().DurationVar(&o.idle, "idle", 10*time.Minute, "how long a shop that nobody asks for stays open")
	cmd.Flags().IntVar(&o.most, "most-open", 300, "how many shops are open at once")
}

// Bounds of a process that serves many shops. Assumption.
const (
	connectionsOfShops = 20_000
	memoryOfShops      = 1 << 30
	preparedOfShops    = 64 // runs, of some 15 MB each
)

// serveShops serves every shop of the folder, or of the cluster, by the name it is reached by.
func serveShops(cmd *cobra.Command, o serveOptions) (err error) {
	for _, flag := range []string{"db", "shop", "meter", "acme-name", "trust-page", "backups"} {
		if cmd.Flags().Changed(flag) {
			return fmt.Errorf("--%s is of one shop, and does not go with --shops or --cluster", flag)
		}
	}
	if o.many.folder != "" && o.many.cluster != "" {
		return errors.New("--shops and --cluster: shops are kept in the one or in the other")
	}
	if err := o.proxied(); err != nil {
		return err
	}
	here, _, err := o.here()
	if err != nil {
		return err
	}
	backups, err := o.daily()
	if err != nil {
		return err
	}
	var fallback *tls.Config
	if o.certificate != "" || o.key != "" {
		if fallback, err = (trust.Files{Certificate: o.certificate, Key: o.key}).Serve(); err != nil {
			return err
		}
	}
	log := slog.New(slog.NewTextHandler(cmd.ErrOrStderr(), nil))
	var keeper shops.Keeper = &shops.Folder{Path: o.many.folder, Fallback: fallback}
	if o.many.cluster != "" {
		node, done, err := startNode(cmd.Context(), o.many, fallback, log)
		if err != nil {
			return err
		}
		defer func() { err = errors.Join(err, done()) }()
		keeper = node
	} else if _, err := keeper.All(cmd.Context()); err != nil {
		return err
	}
	host := shops.New(shops.Config{
		Keeper: keeper, Idle: o.many.idle, Most: o.many.most, Log: log, Make: o.ofShop(keeper, backups, log),
	})
	defer host.Close()
	if here {
		return o.listen(cmd, host, nil, connectionsOfShops, memoryOfShops)
	}
	return o.listen(cmd, host, host.TLS(), connectionsOfShops, memoryOfShops)
}

// ofShop makes the application of one shop of many. Whoever comes signs in: the process is
// reached by many.
func (o *serveOptions) ofShop(
	keeper shops.Keeper,
	backups server.Backups,
	log *slog.Logger,
) func(shops.Shop, *store.Store, *trust.Authority) (shops.App, error) {
	prepared := &desk.Pool{Most: preparedOfShops}
	return func(s shops.Shop, kept *store.Store, own *trust.Authority) (shops.App, error) {
		c := server.Config{
			Store: kept, Shop: s.Title, Log: log.With("shop", s.Name), Front: web.Files(), Now: time.Now, SignIn: true, Proxy: o.before,
			Backups: backups, AtWork: s.Most.Work(), Prepared: prepared, Addresses: s.Addresses,
		}
		c.Backups.Folder, c.Backups.Asked = keeper.Backups(s), true
		if own != nil {
			c.Trust = own.Handler(s.Title, "")
		}
		return server.New(c)
	}
}

// shopsCommand is what is done with the shops that one process serves.
func shopsCommand() *cobra.Command {
	top := &cobra.Command{Use: "shops", Short: "The shops that one process or one cluster serves"}
	at := &kept{}
	top.PersistentFlags().StringVar(&at.folder, "shops", "shops", "the folder that they are kept in")
	top.PersistentFlags().StringVar(&at.cluster, "cluster", "", "folder of a node of the cluster that they are kept in, instead")
	top.AddCommand(
		listShops(at), makeShop(at), changeShop(at), closeShop(at), openShop(at), moveShop(at), removeShop(at),
	)
	return top
}

// kept is where shops are kept.
type kept struct{ folder, cluster string }

// with has something done with them.
func (k *kept) with(ctx context.Context, do func(shops.Directory) error) (err error) {
	if k.cluster == "" {
		return do(&shops.Folder{Path: k.folder})
	}
	directory, done, err := shopsOfCluster(ctx, k.cluster)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, done()) }()
	return do(directory)
}

func listShops(at *kept) *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "All of them: names, size, newest backup on this machine", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			return at.with(cmd.Context(), func(d shops.Directory) error {
				all, err := d.All(cmd.Context())
				w := tabwriter.NewWriter(cmd.OutOrStdout(), 0, 8, 2, ' ', 0)
				for _, s := range all {
					line, problem := shopLine(d, s)
					err = errors.Join(err, problem)
					fmt.Fprintln(w, line)
				}
				return errors.Join(err, w.Flush())
			})
		},
	}
}

func shopLine(d shops.Directory, s shops.Shop) (string, error) {
	size := "in the cluster"
	if folder, ok := d.(*shops.Folder); ok {
		info, err := os.Stat(folder.Database(s.Name))
		if err != nil {
			return s.Name, fmt.Errorf("%s: %w", s.Name, err)
		}
		size = fmt.Sprintf("%.1f MB", float64(info.Size())/1e6)
	}
	backups, err := store.Backups(d.Backups(s))
	newest := "no backup"
	if len(backups) > 0 {
		newest = "backup of " + backups[0].At.Local().Format("2006-01-02 15:04")
	}
	state := "open"
	if s.Closed != "" {
		state = "closed: " + s.Closed
	}
	return strings.Join([]string{
		s.Name, s.Title, strings.Join(s.Hosts, ", "), size, newest, state,
	}, "\t"), err
}

// shopFlags are what a shop is made of.
type shopFlags struct {
	shop shops.Shop
	cmd  *cobra.Command
}

func (f *shopFlags) add(cmd *cobra.Command) {
	f.cmd = cmd
	cmd.Flags().StringVar(&f.shop.Title, "title", "", "name of the shop, shown above the day's calls")
	cmd.Flags().StringSliceVar(&f.shop.Hosts, "host", nil, "name it is reached by, such as north.example; may be given more than once")
	cmd.Flags().StringSliceVar(&f.shop.Addresses, "address", nil, "address of a machine that serves it, such as https://one.north.example; browsers go on at another when one does not answer")
	cmd.Flags().IntVar(&f.shop.Most.Megabytes, "most-megabytes", 0, "how large its database may grow; 0: 8192")
	cmd.Flags().IntVar(&f.shop.Most.AtWork, "most-at-work", 0, "how many of its requests are worked on at once; 0: as many as there are processors, at least two")
}

// set sets what was given.
func (f *shopFlags) set(s *shops.Shop) {
	given := f.cmd.Flags().Changed
	if given("title") {
		s.Title = f.shop.Title
	}
	if given("host") {
		s.Hosts = f.shop.Hosts
	}
	if given("address") {
		s.Addresses = f.shop.Addresses
	}
	if given("most-megabytes") {
		s.Most.Megabytes = f.shop.Most.Megabytes
	}
	if given("most-at-work") {
		s.Most.AtWork = f.shop.Most.AtWork
	}
}

func makeShop(at *kept) *cobra.Command {
	var flags shopFlags
	cmd := &cobra.Command{Use: "make NAME", Short: "Make a new one, while the others are served", Args: cobra.ExactArgs(1)}
	flags.add(cmd)
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		if at.cluster == "" {
			if err := os.MkdirAll(at.folder, 0o700); err != nil {
				return err
			}
		}
		flags.shop.Name = args[0]
		return at.with(cmd.Context(), func(d shops.Directory) error {
			if err := d.Make(cmd.Context(), flags.shop, nil); err != nil {
				return err
			}
			_, err := fmt.Fprintf(
				cmd.OutOrStdout(), "%s is made. Somebody who can sign in: elvat people add NAME --role electrician --db %s\n", args[0], d.Place(args[0]),
			)
			return err
		})
	}
	return cmd
}

func changeShop(at *kept) *cobra.Command {
	var flags shopFlags
	cmd := &cobra.Command{Use: "change NAME", Short: "Have it be reached or titled otherwise, or bound otherwise", Args: cobra.ExactArgs(1)}
	flags.add(cmd)
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		return at.with(cmd.Context(), func(d shops.Directory) error { return d.Change(cmd.Context(), args[0], flags.set) })
	}
	return cmd
}

func closeShop(at *kept) *cobra.Command {
	var why string
	cmd := &cobra.Command{
		Use: "close NAME", Short: "Serve it to nobody, as for restoring a backup; what phones and browsers have waits there", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			return at.with(cmd.Context(), func(d shops.Directory) error {
				if err := d.Close(cmd.Context(), args[0], why); err != nil {
					return err
				}
				_, err := fmt.Fprintf(cmd.OutOrStdout(), "%s is closed, and nothing is written to %s\n", args[0], d.Place(args[0]))
				return err
			})
		},
	}
	cmd.Flags().StringVar(&why, "why", "something is done with its data", "what who comes is told")
	return cmd
}

func openShop(at *kept) *cobra.Command {
	return &cobra.Command{
		Use: "open NAME", Short: "Serve it again", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			return at.with(cmd.Context(), func(d shops.Directory) error { return d.Reopen(cmd.Context(), args[0]) })
		},
	}
}

func moveShop(at *kept) *cobra.Command {
	var to kept
	cmd := &cobra.Command{
		Use: "move NAME", Short: "Move it into another folder of shops, or into a cluster; it is closed meanwhile", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if to.cluster == "" {
				if err := os.MkdirAll(to.folder, 0o700); err != nil {
					return err
				}
			}
			err := at.with(cmd.Context(), func(from shops.Directory) error {
				return to.with(cmd.Context(), func(there shops.Directory) error { return move(cmd.Context(), args[0], from, there) })
			})
			if err != nil {
				return err
			}
			_, err = fmt.Fprintf(cmd.OutOrStdout(), "%s is in %s, with the same tables\n", args[0], cmp.Or(to.cluster, to.folder))
			return err
		},
	}
	cmd.Flags().StringVar(&to.folder, "to", "", "the other folder of shops: keys and backups go along")
	cmd.Flags().StringVar(&to.cluster, "to-cluster", "", "folder of a node of the other cluster")
	cmd.MarkFlagsOneRequired("to", "to-cluster")
	cmd.MarkFlagsMutuallyExclusive("to", "to-cluster")
	return cmd
}

// move moves the folder whole where both ends are folders, and rows otherwise.
func move(ctx context.Context, name string, from, to shops.Directory) error {
	one, isFolder := from.(*shops.Folder)
	if other, both := to.(*shops.Folder); isFolder && both {
		return one.Move(ctx, name, other)
	}
	return shops.Move(ctx, name, from, to)
}

func removeShop(at *kept) *cobra.Command {
	var to string
	cmd := &cobra.Command{
		Use: "remove NAME", Short: "Write its archive, read that once more, and take the shop away for good", Args: cobra.ExactArgs(1),
	}
	cmd.Flags().StringVar(&to, "archive", "", "file of the archive; NAME-DATE.zip beside the folder of shops if not given")
	encrypt := encrypting(cmd)
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		name := args[0]
		if to == "" {
			to = filepath.Join(filepath.Dir(filepath.Clean(cmp.Or(at.cluster, at.folder))), name+"-"+time.Now().Format(time.DateOnly)+".zip")
		}
		passphrase := ""
		if *encrypt {
			var err error
			if passphrase, err = readNew(cmd); err != nil {
				return err
			}
		}
		err := at.with(cmd.Context(), func(d shops.Directory) error {
			return d.Remove(cmd.Context(), name, func(s *store.Store) error {
				if err := writeArchive(cmd, s, to, passphrase); err != nil {
					return err
				}
				if err := sameInArchive(cmd.Context(), s, to, passphrase); err != nil {
					return fmt.Errorf("%s: %w", to, err)
				}
				return nil
			})
		})
		if err != nil {
			return err
		}
		_, err = fmt.Fprintf(cmd.OutOrStdout(), "%s is gone; all that it had is in %s\n", name, to)
		return err
	}
	return cmd
}

// sameInArchive reads an archive into a database of its own and holds what it counts against
// what it was made of.
func sameInArchive(ctx context.Context, s *store.Store, path, passphrase string) (err error) {
	folder, err := os.MkdirTemp(filepath.Dir(path), ".elvat-archive-")
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, os.RemoveAll(folder)) }()
	if passphrase != "" {
		plain := filepath.Join(folder, "plain")
		if err := sealed.Opened(path, plain, passphrase); err != nil {
			return err
		}
		path = plain
	}
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	defer f.Close()
	size, err := f.Seek(0, io.SeekEnd)
	if err != nil {
		return err
	}
	again, err := store.Open(ctx, filepath.Join(folder, "again.db"))
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, again.Close()) }()
	if err := archive.Import(ctx, again, f, size); err != nil {
		return err
	}
	return store.SameArchived(ctx, s, again)
}
