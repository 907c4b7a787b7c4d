// Package objects keeps photographs in an object storage that speaks the S3 protocol, so that
// several machines reach them and databases stay small. They are fetched through the server only,
// by the same rights as all else of a call: nobody has an address of their own for them.
package objects

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/http"
	"os"
	"path"
	"regexp"
	"time"

	"github.com/minio/minio-go/v7"
	"github.com/minio/minio-go/v7/pkg/credentials"

	"elvat/internal/store"
)

// Settings say where pictures are kept. The file that they are read from is its owner's alone: it
// holds a key.
type Settings struct {
	Endpoint string `json:"endpoint"` // host and port, such as s3.example:443
	Bucket   string `json:"bucket"`   // is there already
	Region   string `json:"region,omitempty"`
	Prefix   string `json:"prefix,omitempty"` // what names of objects begin with
	Key      string `json:"key"`
	Secret   string `json:"secret"`
	// Plain speaks without TLS, as on one machine.
	Plain bool `json:"plain,omitempty"`
}

// Read reads settings from a file; nil where there is none.
func Read(file string) (*Settings, error) {
	data, err := os.ReadFile(file)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	if err := os.Chmod(file, 0o600); err != nil {
		return nil, err
	}
	s := &Settings{}
	d := json.NewDecoder(bytes.NewReader(data))
	d.DisallowUnknownFields()
	if err := d.Decode(s); err != nil {
		return nil, fmt.Errorf("%s: %w", file, err)
	}
	if s.Endpoint == "" || s.Bucket == "" {
		return nil, fmt.Errorf("%s: endpoint and bucket: where are pictures kept?", file)
	}
	return s, nil
}

// File is the name of the file with the settings: in the folder of many shops, in that of a node of
// a cluster, and behind the name of a database (Beside).
const File = "pictures.json"

// Beside is the file with the settings of the shop whose database file this is.
func Beside(database string) string { return database + "-" + File }

// Told has the store keep pictures where the file says; in the database where there is no file. The
// store is closed where that cannot be.
func Told(s *store.Store, file, shop string) (*store.Store, error) {
	settings, err := Read(file)
	if err == nil && settings != nil {
		var b *Bucket
		if b, err = settings.Of(shop); err == nil {
			s.KeepPictures(b)
		}
	}
	if err != nil {
		return nil, errors.Join(err, s.Close())
	}
	return s, nil
}

// A Bucket keeps the pictures of one shop.
type Bucket struct {
	client *minio.Client
	bucket string
	prefix string
}

// Of is where the pictures of a shop are kept: no shop sees another's, be it the same picture.
func (s *Settings) Of(shop string) (*Bucket, error) {
	c, err := minio.New(s.Endpoint, &minio.Options{
		Creds: credentials.NewStaticV4(s.Key, s.Secret, ""), Secure: !s.Plain, Region: s.Region, MaxRetries: mostTries,
	})
	if err != nil {
		return nil, fmt.Errorf("pictures at %s: %w", s.Endpoint, err)
	}
	return &Bucket{c, s.Bucket, path.Join(s.Prefix, shop)}, nil
}

// How long the storage may take for one picture, and how often it is asked again. Assumption.
const (
	takes     = 20 * time.Second
	mostTries = 3
	// most bounds what is taken in of an object: no picture is that large.
	most = 8 << 20
)

var sum = regexp.MustCompile(`^[0-9a-f]{64}$`)

func (b *Bucket) name(of string) (string, error) {
	if !sum.MatchString(of) {
		return "", fmt.Errorf("%q is no SHA-256", of)
	}
	return path.Join(b.prefix, of[:2], of), nil
}

// Put keeps a picture. Its name says what it is: one that is there already is the same.
func (b *Bucket) Put(ctx context.Context, of string, picture []byte) error {
	name, err := b.name(of)
	if err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(ctx, takes)
	defer cancel()
	if _, err := b.client.StatObject(ctx, b.bucket, name, minio.StatObjectOptions{}); err == nil {
		return nil
	}
	_, err = b.client.PutObject(ctx, b.bucket, name, bytes.NewReader(picture), int64(len(picture)), minio.PutObjectOptions{ContentType: "image/jpeg"})
	return err
}

// Get is the picture; fs.ErrNotExist where there is none.
func (b *Bucket) Get(ctx context.Context, of string) ([]byte, error) {
	name, err := b.name(of)
	if err != nil {
		return nil, err
	}
	ctx, cancel := context.WithTimeout(ctx, takes)
	defer cancel()
	object, err := b.client.GetObject(ctx, b.bucket, name, minio.GetObjectOptions{})
	if err != nil {
		return nil, err
	}
	defer object.Close()
	data, err := io.ReadAll(io.LimitReader(object, most))
	if missing(err) {
		return nil, fmt.Errorf("%s: %w", of, fs.ErrNotExist)
	}
	return data, err
}

func missing(err error) bool {
	return err != nil && minio.ToErrorResponse(err).StatusCode == http.StatusNotFound
}

// Remove takes a picture away; one that is not there is no error.
func (b *Bucket) Remove(ctx context.Context, of string) error {
	name, err := b.name(of)
	if err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(ctx, takes)
	defer cancel()
	err = b.client.RemoveObject(ctx, b.bucket, name, minio.RemoveObjectOptions{})
	if missing(err) {
		return nil
	}
	return err
}

// Each hands out the pictures that were put before a time.
func (b *Bucket) Each(ctx context.Context, before time.Time, do func(sum string) error) error {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel() // the listing ends with it
	for o := range b.client.ListObjects(ctx, b.bucket, minio.ListObjectsOptions{Prefix: b.prefix + "/", Recursive: true}) {
		if o.Err != nil {
			return o.Err
		}
		if of := path.Base(o.Key); sum.MatchString(of) && o.LastModified.Before(before) {
			if err := do(of); err != nil {
				return err
			}
		}
	}
	return nil
}
