package server

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"time"

	"elvat/internal/api"
	"elvat/internal/archive"
	"elvat/internal/sealed"
	"elvat/internal/store"
)

// Backups says where backups go by themselves.
type Backups struct {
	Folder string
	Every  time.Duration
	Keep   int
	// Passphrase encrypts them; "" leaves them as they are.
	Passphrase string
	// Asked: they are made by Daily, not by themselves.
	Asked bool
}

// makeDue makes a backup where the newest is older than it should be and the database was
// written to since.
func (b *Backups) makeDue(ctx context.Context, s *store.Store, now time.Time) error {
	all, err := store.Backups(b.Folder)
	if err != nil || len(all) > 0 && now.Sub(all[0].At) < b.Every {
		return err
	}
	if len(all) > 0 {
		written, err := s.WrittenAt(ctx)
		if err != nil || written.Before(all[0].At) {
			return err
		}
	}
	return s.BackupInto(ctx, b.Folder, b.Keep, now, b.Passphrase)
}

// keepMaking makes a backup whenever the newest is older than it should be.
func (b *Backups) keepMaking(ctx context.Context, s *store.Store, log *slog.Logger, now func() time.Time) {
	for {
		wait := b.Every
		if all, err := store.Backups(b.Folder); err != nil {
			log.Error("backup", "error", err)
		} else if age := b.Every; len(all) == 0 || now().Sub(all[0].At) >= age {
			if err := s.BackupInto(ctx, b.Folder, b.Keep, now(), b.Passphrase); err != nil && ctx.Err() == nil {
				log.Error("backup", "error", err)
				wait = min(b.Every, time.Hour)
			}
		} else {
			wait = b.Every - now().Sub(all[0].At)
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(max(wait, time.Minute)):
		}
	}
}

func (s *calls) backupsNow() (api.BackupsNowJSONResponse, error) {
	now := api.BackupsNowJSONResponse{Folder: s.backups.Folder, Every: "every day", Keep: s.backups.Keep}
	if s.backups.Every != 24*time.Hour {
		now.Every = "every " + s.backups.Every.String()
	}
	all, err := store.Backups(s.backups.Folder)
	now.All = make([]struct {
		At    time.Time `json:"at"`
		Bytes int64     `json:"bytes"`
		Name  string    `json:"name"`
	}, len(all))
	for i, b := range all {
		now.All[i].Name, now.All[i].At, now.All[i].Bytes = b.Name, b.At, b.Bytes
	}
	return now, err
}

// ListBackups lists the backups there are.
func (s *calls) ListBackups(context.Context, api.ListBackupsRequestObject) (api.ListBackupsResponseObject, error) {
	now, err := s.backupsNow()
	return api.ListBackups200JSONResponse{BackupsNowJSONResponse: now}, err
}

// MakeBackup makes one now.
func (s *calls) MakeBackup(ctx context.Context, _ api.MakeBackupRequestObject) (api.MakeBackupResponseObject, error) {
	if err := s.store.BackupInto(ctx, s.backups.Folder, s.backups.Keep, s.now(), s.backups.Passphrase); err != nil {
		return nil, err
	}
	now, err := s.backupsNow()
	made(ctx, "/backups")
	return api.MakeBackup201JSONResponse{BackupsNowJSONResponse: now}, err
}

// GetBackup is a backup as a file.
func (s *calls) GetBackup(_ context.Context, r api.GetBackupRequestObject) (api.GetBackupResponseObject, error) {
	all, err := store.Backups(s.backups.Folder)
	if err != nil {
		return nil, err
	}
	for _, b := range all {
		if b.Name != r.Backup { // only what is listed: no path leads elsewhere
			continue
		}
		f, err := os.Open(filepath.Join(s.backups.Folder, b.Name))
		if err != nil {
			return nil, err
		}
		return api.GetBackup200ApplicationoctetStreamResponse{
			Body: f, ContentLength: b.Bytes,
			Headers: api.GetBackup200ResponseHeaders{ContentDisposition: fmt.Sprintf(`attachment; filename="%s"`, b.Name)},
		}, nil
	}
	return nil, store.ErrNotFound
}

// written is a file that write fills, beside the backups: an error after half of it was sent
// would look like a whole one. It is gone once it was read.
func (s *calls) written(write func(io.Writer) error) (f *os.File, size int64, err error) {
	if err := os.MkdirAll(s.backups.Folder, 0o700); err != nil {
		return nil, 0, err
	}
	if f, err = os.CreateTemp(s.backups.Folder, "archive-*.zip"); err != nil {
		return nil, 0, err
	}
	err = write(f)
	if err == nil {
		size, err = f.Seek(0, io.SeekCurrent)
	}
	if err == nil {
		_, err = f.Seek(0, io.SeekStart)
	}
	// It stays readable until it is closed.
	if err = errors.Join(err, os.Remove(f.Name())); err != nil {
		return nil, 0, errors.Join(err, f.Close())
	}
	return f, size, nil
}

// GetArchive is everything as one archive.
func (s *calls) GetArchive(ctx context.Context, _ api.GetArchiveRequestObject) (api.GetArchiveResponseObject, error) {
	f, size, err := s.written(func(w io.Writer) error { return archive.Export(ctx, s.store, w) })
	if err != nil {
		return nil, err
	}
	return api.GetArchive200ApplicationoctetStreamResponse{
		Body: f, ContentLength: size,
		Headers: api.GetArchive200ResponseHeaders{ContentDisposition: `attachment; filename="elvat-archive.zip"`},
	}, nil
}

// GetSealedArchive is the same, encrypted with a passphrase.
func (s *calls) GetSealedArchive(ctx context.Context, r api.GetSealedArchiveRequestObject) (api.GetSealedArchiveResponseObject, error) {
	if err := CheckPassphrase(r.Body.Passphrase, s.Shop); err != nil {
		return nil, badInput{err}
	}
	f, size, err := s.written(func(to io.Writer) error {
		w, err := sealed.Seal(to, r.Body.Passphrase)
		if err != nil {
			return err
		}
		return errors.Join(archive.Export(ctx, s.store, w), w.Close())
	})
	if err != nil {
		return nil, err
	}
	about(ctx, "encrypted")
	return api.GetSealedArchive200ApplicationoctetStreamResponse{
		Body: f, ContentLength: size,
		Headers: api.GetSealedArchive200ResponseHeaders{ContentDisposition: `attachment; filename="elvat-archive.zip.age"`},
	}, nil
}
