package server

import (
	"context"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"time"

	"elvat/internal/api"
	"elvat/internal/archive"
	"elvat/internal/store"
)

// Backups says where backups go by themselves.
type Backups struct {
	Folder string
	Every  time.Duration
	Keep   int
}

// keepMaking makes a backup whenever the newest is older than it should be.
func (b *Backups) keepMaking(ctx context.Context, s *store.Store, log *slog.Logger, now func() time.Time) {
	for {
		wait := b.Every
		if all, err := store.Backups(b.Folder); err != nil {
			log.Error("backup", "error", err)
		} else if age := b.Every; len(all) == 0 || now().Sub(all[0].At) >= age {
			if err := s.BackupInto(ctx, b.Folder, b.Keep, now()); err != nil && ctx.Err() == nil {
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
	if err := s.store.BackupInto(ctx, s.backups.Folder, s.backups.Keep, s.now()); err != nil {
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

// GetArchive is everything as one archive.
func (s *calls) GetArchive(ctx context.Context, _ api.GetArchiveRequestObject) (api.GetArchiveResponseObject, error) {
	// It is written beside the backups first: an error after half of it was sent
	// would look like a whole one.
	if err := os.MkdirAll(s.backups.Folder, 0o700); err != nil {
		return nil, err
	}
	f, err := os.CreateTemp(s.backups.Folder, "archive-*.zip")
	if err != nil {
		return nil, err
	}
	gone := func() error { return os.Remove(f.Name()) }
	if err := archive.Export(ctx, s.store, f); err != nil {
		f.Close()
		gone() //nolint:errcheck // the first error tells
		return nil, err
	}
	size, err := f.Seek(0, io.SeekCurrent)
	if err == nil {
		_, err = f.Seek(0, io.SeekStart)
	}
	if err != nil {
		f.Close()
		gone() //nolint:errcheck // the first error tells
		return nil, err
	}
	if err := gone(); err != nil { // it stays readable until it is closed
		return nil, err
	}
	return api.GetArchive200ApplicationoctetStreamResponse{
		Body: f, ContentLength: size,
		Headers: api.GetArchive200ResponseHeaders{ContentDisposition: `attachment; filename="elvat-archive.zip"`},
	}, nil
}
