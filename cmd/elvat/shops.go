package main

import (
	"context"
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
	folder string
	idle   time.Duration
	most   int
}

func (o *manyOptions) flags(cmd *cobra.Command) {
	cmd.Flags().StringVar(&o.folder, "shops", "", "folder of many shops, each reached by its own host name (elvat shops); instead of --db")
	cmd.Flags().DurationVar(&o.idle, "idle", 10*time.Minute, "how long a shop that nobody asks for stays open")
	cmd.Flags().IntVar(&o.most, "most-open", 300, "how many shops are open at once")
}

// Bounds of a process that serves many shops. Assumption.
const (
	connectionsOfShops = 20_000
	memoryOfShops      = 1 << 30
	preparedOfShops    = 64 // runs, of some 15 MB each
)

// serveShops serves every shop of the folder by the name it is reached by.
func serveShops(cmd *cobra.Command, o serveOptions) error {
	for _, flag := range []string{"db", "shop", "meter", "acme-name", "trust-page", "backups"} {
		if cmd.Flags().Changed(flag) {
			return fmt.Errorf("--%s is of one shop, and does not go with --shops", flag)
		}
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
	folder := &shops.Folder{Path: o.many.folder}
	if o.certificate != "" || o.key != "" {
		if folder.Fallback, err = (trust.Files{Certificate: o.certificate, Key: o.key}).Serve(); err != nil {
			return err
		}
	}
	if _, err := folder.All(cmd.Context()); err != nil {
		return err
	}
	log := slog.New(slog.NewTextHandler(cmd.ErrOrStderr(), nil))
	host := shops.New(shops.Config{
		Keeper: folder, Idle: o.many.idle, Most: o.many.most, Log: log, Make: o.ofShop(folder, backups, log),
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
			Backups: backups, AtWork: s.Most.Work(), Prepared: prepared,
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
	top := &cobra.Command{Use: "shops", Short: "The shops that one process serves (elvat serve --shops)"}
	folder := &shops.Folder{}
	top.PersistentFlags().StringVar(&folder.Path, "shops", "shops", "the folder that they are kept in")
	top.AddCommand(
		listShops(folder), makeShop(folder), changeShop(folder), closeShop(folder), openShop(folder), moveShop(folder), removeShop(folder),
	)
	return top
}

func listShops(folder *shops.Folder) *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "All of them: names, size, newest backup", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			all, err := folder.All(cmd.Context())
			w := tabwriter.NewWriter(cmd.OutOrStdout(), 0, 8, 2, ' ', 0)
			for _, s := range all {
				line, problem := shopLine(folder, s)
				err = errors.Join(err, problem)
				fmt.Fprintln(w, line)
			}
			return errors.Join(err, w.Flush())
		},
	}
}

func shopLine(folder *shops.Folder, s shops.Shop) (string, error) {
	info, err := os.Stat(folder.Database(s.Name))
	if err != nil {
		return s.Name, fmt.Errorf("%s: %w", s.Name, err)
	}
	backups, err := store.Backups(folder.Backups(s))
	newest := "no backup"
	if len(backups) > 0 {
		newest = "backup of " + backups[0].At.Local().Format("2006-01-02 15:04")
	}
	state := "open"
	if s.Closed != "" {
		state = "closed: " + s.Closed
	}
	return strings.Join([]string{
		s.Name, s.Title, strings.Join(s.Hosts, ", "), fmt.Sprintf("%.1f MB", float64(info.Size())/1e6), newest, state,
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
	if given("most-megabytes") {
		s.Most.Megabytes = f.shop.Most.Megabytes
	}
	if given("most-at-work") {
		s.Most.AtWork = f.shop.Most.AtWork
	}
}

func makeShop(folder *shops.Folder) *cobra.Command {
	var flags shopFlags
	cmd := &cobra.Command{Use: "make NAME", Short: "Make a new one, while the others are served", Args: cobra.ExactArgs(1)}
	flags.add(cmd)
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		if err := os.MkdirAll(folder.Path, 0o700); err != nil {
			return err
		}
		flags.shop.Name = args[0]
		if err := folder.Make(cmd.Context(), flags.shop); err != nil {
			return err
		}
		_, err := fmt.Fprintf(
			cmd.OutOrStdout(), "%s is made. Somebody who can sign in: elvat people add NAME --role electrician --db %s\n", args[0], folder.Database(args[0]),
		)
		return err
	}
	return cmd
}

func changeShop(folder *shops.Folder) *cobra.Command {
	var flags shopFlags
	cmd := &cobra.Command{Use: "change NAME", Short: "Have it be reached or titled otherwise, or bound otherwise", Args: cobra.ExactArgs(1)}
	flags.add(cmd)
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		return folder.Change(cmd.Context(), args[0], flags.set)
	}
	return cmd
}

func closeShop(folder *shops.Folder) *cobra.Command {
	var why string
	cmd := &cobra.Command{
		Use: "close NAME", Short: "Serve it to nobody, as for restoring a backup; what phones and browsers have waits there", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := folder.Close(cmd.Context(), args[0], why); err != nil {
				return err
			}
			_, err := fmt.Fprintf(cmd.OutOrStdout(), "%s is closed, and %s is used by nobody\n", args[0], folder.Database(args[0]))
			return err
		},
	}
	cmd.Flags().StringVar(&why, "why", "something is done with its data", "what who comes is told")
	return cmd
}

func openShop(folder *shops.Folder) *cobra.Command {
	return &cobra.Command{
		Use: "open NAME", Short: "Serve it again", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error { return folder.Reopen(cmd.Context(), args[0]) },
	}
}

func moveShop(folder *shops.Folder) *cobra.Command {
	var to string
	cmd := &cobra.Command{
		Use: "move NAME --to FOLDER", Short: "Move it with all it has into another folder of shops; it is closed meanwhile", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := os.MkdirAll(to, 0o700); err != nil {
				return err
			}
			if err := folder.Move(cmd.Context(), args[0], &shops.Folder{Path: to}); err != nil {
				return err
			}
			_, err := fmt.Fprintf(cmd.OutOrStdout(), "%s is in %s, with the same tables\n", args[0], to)
			return err
		},
	}
	cmd.Flags().StringVar(&to, "to", "", "the other folder")
	_ = cmd.MarkFlagRequired("to") // there is such a flag
	return cmd
}

func removeShop(folder *shops.Folder) *cobra.Command {
	var to string
	cmd := &cobra.Command{
		Use: "remove NAME", Short: "Write its archive, read that once more, and take the shop away for good", Args: cobra.ExactArgs(1),
	}
	cmd.Flags().StringVar(&to, "archive", "", "file of the archive; NAME-DATE.zip beside the folder of shops if not given")
	encrypt := encrypting(cmd)
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		name := args[0]
		if to == "" {
			to = filepath.Join(filepath.Dir(filepath.Clean(folder.Path)), name+"-"+time.Now().Format(time.DateOnly)+".zip")
		}
		passphrase := ""
		if *encrypt {
			var err error
			if passphrase, err = readNew(cmd); err != nil {
				return err
			}
		}
		err := folder.Remove(cmd.Context(), name, func(s *store.Store) error {
			if err := writeArchive(cmd, s, to, passphrase); err != nil {
				return err
			}
			if err := sameInArchive(cmd.Context(), s, to, passphrase); err != nil {
				return fmt.Errorf("%s: %w", to, err)
			}
			return nil
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
