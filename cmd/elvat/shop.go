package main

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"elvat/core/job"
	"elvat/internal/archive"
	"elvat/internal/cluster"
	"elvat/internal/objects"
	"elvat/internal/sealed"
	"elvat/internal/server"
	"elvat/internal/shops"
	"elvat/internal/store"
)

// defaultDatabase is the file of a shop that names none.
const defaultDatabase = "elvat.db"

// withStore opens the database that --db names, which has to be there, and
// closes it after.
func withStore(cmd *cobra.Command, path string, do func(*store.Store) error) error {
	s, done, err := openStore(cmd.Context(), path, false)
	if err != nil {
		return err
	}
	return errors.Join(do(s), done())
}

// openStore opens the database that --db names: a file, or cluster:FOLDER:SHOP, that of a shop in
// the cluster that the node of the folder belongs to. A file that is not there is made where it may be.
func openStore(ctx context.Context, place string, mayBeNew bool) (s *store.Store, done func() error, err error) {
	if folder, shop, ok := cluster.Place(place); ok {
		return storeInCluster(ctx, folder, shop)
	}
	if _, err := os.Stat(place); err != nil && !mayBeNew {
		return nil, nil, fmt.Errorf("database %s: %w", place, err)
	}
	s, err = openFile(ctx, place)
	if err != nil {
		return nil, nil, err
	}
	return s, s.Close, nil
}

// openFile opens a shop's database file; its photographs are where its pictures.json says.
func openFile(ctx context.Context, path string) (*store.Store, error) {
	s, err := store.Open(ctx, path)
	if err != nil {
		return nil, err
	}
	settings, shop := picturesOfFile(path)
	return objects.Told(s, settings, shop)
}

// picturesOfFile is where it is said where a database file's photographs are: beside it, or in the
// folder of shops that it lies in.
func picturesOfFile(path string) (settings, shop string) {
	folder := filepath.Dir(path)
	if filepath.Base(path) == shops.DatabaseFile {
		if _, err := os.Stat(filepath.Join(folder, shops.SettingsFile)); err == nil {
			return filepath.Join(filepath.Dir(folder), objects.File), filepath.Base(folder)
		}
	}
	return objects.Beside(path), ""
}

// note writes down what was done on this machine, where nobody signs in.
func note(cmd *cobra.Command, s *store.Store, what, about string) error {
	return s.AddEvent(cmd.Context(), store.Event{At: time.Now(), What: what, Place: "this machine", About: about})
}

func database(cmd *cobra.Command) *string {
	return cmd.Flags().String("db", defaultDatabase, "the database file, or cluster:FOLDER:SHOP")
}

func backupCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "backup FILE",
		Short: "Copy the database to a new file while work goes on, and check the copy",
		Args:  cobra.ExactArgs(1),
	}
	path, encrypt := database(cmd), encrypting(cmd)
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		return withStore(cmd, *path, func(s *store.Store) error {
			if *encrypt {
				passphrase, err := readNew(cmd)
				if err != nil {
					return err
				}
				if err := s.SealedBackup(cmd.Context(), args[0], passphrase); err != nil {
					return err
				}
			} else if err := s.Backup(cmd.Context(), args[0]); err != nil {
				return err
			}
			if err := note(cmd, s, "backup-taken", args[0]); err != nil {
				return err
			}
			_, err := fmt.Fprintf(cmd.OutOrStdout(), "%s is a sound copy of %s\n", args[0], *path)
			return err
		})
	}
	return cmd
}

func restoreCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "restore FILE",
		Short: "Put a backup in the database's place; what was there is kept beside it",
		Args:  cobra.ExactArgs(1),
	}
	path := database(cmd)
	cmd.RunE = func(cmd *cobra.Command, args []string) (err error) {
		from, gone, err := unsealed(cmd, args[0], *path)
		if err != nil {
			return err
		}
		defer func() { err = errors.Join(err, gone()) }()
		if folder, shop, ok := cluster.Place(*path); ok {
			return restoreIntoCluster(cmd, from, folder, shop)
		}
		kept, err := store.Restore(cmd.Context(), from, *path, time.Now())
		if err != nil {
			return err
		}
		if kept != "" {
			fmt.Fprintf(cmd.OutOrStdout(), "what was there is kept as %s\n", kept)
		}
		_, err = fmt.Fprintf(cmd.OutOrStdout(), "%s is in place\n", *path)
		return err
	}
	return cmd
}

func exportCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "export FILE.zip",
		Short: "Write everything as one open archive: JSON, CSV, photographs",
		Args:  cobra.ExactArgs(1),
	}
	path, encrypt := database(cmd), encrypting(cmd)
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		return withStore(cmd, *path, func(s *store.Store) error {
			passphrase := ""
			if *encrypt {
				var err error
				if passphrase, err = readNew(cmd); err != nil {
					return err
				}
			}
			if err := writeArchive(cmd, s, args[0], passphrase); err != nil {
				return err
			}
			return note(cmd, s, "archive-taken", args[0])
		})
	}
	return cmd
}

// writeArchive writes an archive to a new file, whole or not at all.
func writeArchive(cmd *cobra.Command, s *store.Store, path, passphrase string) error {
	f, err := os.OpenFile(path, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return err
	}
	if err := errors.Join(exported(cmd, s, f, passphrase), f.Sync(), f.Close()); err != nil {
		return errors.Join(store.Cause(err), os.Remove(path))
	}
	return nil
}

func importCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "import FILE.zip",
		Short: "Read an archive into a new or empty database, all of it or nothing",
		Args:  cobra.ExactArgs(1),
	}
	path := database(cmd)
	cmd.RunE = func(cmd *cobra.Command, args []string) (err error) {
		from, gone, err := unsealed(cmd, args[0], *path)
		if err != nil {
			return err
		}
		defer func() { err = errors.Join(err, gone()) }()
		f, err := os.Open(from)
		if err != nil {
			return err
		}
		defer f.Close()
		info, err := f.Stat()
		if err != nil {
			return err
		}
		s, done, err := openStore(cmd.Context(), *path, true)
		if err != nil {
			return err
		}
		if err := errors.Join(archive.Import(cmd.Context(), s, f, info.Size()), done()); err != nil {
			return fmt.Errorf("%s: %w", args[0], err)
		}
		return nil
	}
	return cmd
}

// encrypting is the flag that has what is written be encrypted.
func encrypting(cmd *cobra.Command) *bool {
	return cmd.Flags().Bool("encrypt", false, "encrypt it with a passphrase, read from standard input (age, version 1)")
}

// readNew reads a passphrase that is to hold.
func readNew(cmd *cobra.Command) (string, error) {
	passphrase, err := readPassphrase(cmd)
	if err != nil {
		return "", err
	}
	return passphrase, server.CheckPassphrase(passphrase, "")
}

func exported(cmd *cobra.Command, s *store.Store, to io.Writer, passphrase string) error {
	if passphrase == "" {
		return archive.Export(cmd.Context(), s, to)
	}
	w, err := sealed.Seal(to, passphrase)
	if err != nil {
		return err
	}
	return errors.Join(archive.Export(cmd.Context(), s, w), w.Close())
}

// unsealed is the file as it was before it was encrypted, beside the database for as long as
// it is needed; the file itself where it is not encrypted.
func unsealed(cmd *cobra.Command, path, beside string) (plain string, gone func() error, err error) {
	is, err := sealed.Is(path)
	if err != nil || !is {
		return path, func() error { return nil }, err
	}
	passphrase, err := readPassphrase(cmd)
	if err != nil {
		return "", nil, err
	}
	at := filepath.Dir(beside)
	if folder, _, ok := cluster.Place(beside); ok {
		at = folder
	}
	folder, err := os.MkdirTemp(at, "elvat-unsealed-")
	if err != nil {
		return "", nil, err
	}
	gone = func() error { return os.RemoveAll(folder) }
	plain = filepath.Join(folder, "plain")
	if err := sealed.Opened(path, plain, passphrase); err != nil {
		return "", nil, errors.Join(err, gone())
	}
	return plain, gone, nil
}

func checkCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "check",
		Short: "Have SQLite look through the whole database",
		Args:  cobra.NoArgs,
	}
	path := database(cmd)
	cmd.RunE = func(cmd *cobra.Command, _ []string) error {
		return withStore(cmd, *path, func(s *store.Store) error {
			if err := s.IntegrityCheck(cmd.Context()); err != nil {
				return fmt.Errorf("%s: %w", *path, err)
			}
			_, err := fmt.Fprintf(cmd.OutOrStdout(), "%s is sound\n", *path)
			return err
		})
	}
	return cmd
}

func peopleCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "people", Short: "Who may sign in"}
	path := cmd.PersistentFlags().String("db", defaultDatabase, "the database file, or cluster:FOLDER:SHOP")
	var role string
	var noFactors bool
	add := &cobra.Command{
		Use:   "add NAME",
		Short: "Let somebody sign in; the passphrase is read from standard input",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			passphrase, err := readPassphrase(cmd)
			if err != nil {
				return err
			}
			p, err := server.NewPerson(args[0], role, passphrase, time.Now())
			if err != nil {
				return err
			}
			s, done, err := openStore(cmd.Context(), *path, true)
			if err != nil {
				return err
			}
			if _, err = s.AddPerson(cmd.Context(), p); err == nil {
				err = note(cmd, s, "person-added", p.Name+", "+p.Role)
			}
			return errors.Join(err, done())
		},
	}
	add.Flags().
		StringVar(&role, "role", string(job.Electrician), "electrician, helper (no overrides) or office (read, print)")
	again := &cobra.Command{
		Use:   "passphrase NAME",
		Short: "Give somebody another passphrase, read from standard input; their sessions end",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			passphrase, err := readPassphrase(cmd)
			if err != nil {
				return err
			}
			return withStore(cmd, *path, func(s *store.Store) error {
				p, err := s.PersonNamed(cmd.Context(), args[0])
				if err != nil {
					return fmt.Errorf("%s: %w", args[0], err)
				}
				if err := server.CheckPassphrase(passphrase, p.Name); err != nil {
					return err
				}
				if err := s.ChangePerson(cmd.Context(), p.ID, store.PersonChange{Passphrase: server.Hash(passphrase), NoFactors: noFactors}, nil); err != nil {
					return err
				}
				return errors.Join(s.ClearFailures(cmd.Context(), p.Name), note(cmd, s, "person-changed", p.Name+": another passphrase"))
			})
		},
	}
	again.Flags().BoolVar(&noFactors, "no-second-factor", false, "take their second factors away too, as when the phone is lost")
	list := &cobra.Command{
		Use:   "list",
		Short: "Everybody",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			return withStore(cmd, *path, func(s *store.Store) error {
				people, err := s.People(cmd.Context())
				for _, p := range people {
					state := ""
					if p.Withdrawn {
						state = ", no access"
					}
					fmt.Fprintf(cmd.OutOrStdout(), "%s: %s%s\n", p.Name, p.Role, state)
				}
				return err
			})
		},
	}
	cmd.AddCommand(add, again, list)
	return cmd
}

func readPassphrase(cmd *cobra.Command) (string, error) {
	fmt.Fprint(cmd.ErrOrStderr(), "Passphrase: ")
	line, err := bufio.NewReader(cmd.InOrStdin()).ReadString('\n')
	if err != nil && line == "" {
		return "", fmt.Errorf("passphrase: %w", err)
	}
	return strings.TrimRight(line, "\r\n"), nil
}
