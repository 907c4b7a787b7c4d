// Package sealed encrypts what leaves the machine with a passphrase, in the format of age
// (version 1, a scrypt recipient): any program that knows the format opens it again.
package sealed

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"

	"filippo.io/age"
)

// Ending is what names of sealed files end with.
const Ending = ".age"

// begins is what a sealed file begins with. Source: the age-encryption.org/v1 format.
const begins = "age-encryption.org/v1\n"

// ErrPassphrase means that the passphrase does not open the file.
var ErrPassphrase = errors.New("the passphrase does not open it")

// Seal encrypts what is written; the rest of it is written at Close.
func Seal(to io.Writer, passphrase string) (io.WriteCloser, error) {
	key, err := age.NewScryptRecipient(passphrase)
	if err != nil {
		return nil, fmt.Errorf("passphrase: %w", err)
	}
	return age.Encrypt(to, key)
}

// Unseal is what was sealed. ErrPassphrase where the passphrase is another.
func Unseal(from io.Reader, passphrase string) (io.Reader, error) {
	key, err := age.NewScryptIdentity(passphrase)
	if err != nil {
		return nil, ErrPassphrase
	}
	out, err := age.Decrypt(from, key)
	if _, ok := errors.AsType[*age.NoIdentityMatchError](err); ok {
		return nil, ErrPassphrase
	}
	return out, err
}

// Is reports whether the file is sealed.
func Is(path string) (bool, error) {
	f, err := os.Open(path)
	if err != nil {
		return false, err
	}
	defer f.Close()
	head, err := bufio.NewReader(f).Peek(len(begins))
	if errors.Is(err, io.EOF) {
		err = nil
	}
	return bytes.Equal(head, []byte(begins)), err
}

// File seals a file as another, which has to be new.
func File(from, to, passphrase string) (err error) {
	in, err := os.Open(from)
	if err != nil {
		return err
	}
	defer in.Close()
	return create(to, func(out io.Writer) error {
		w, err := Seal(out, passphrase)
		if err != nil {
			return err
		}
		_, err = io.Copy(w, in)
		return errors.Join(err, w.Close())
	})
}

// Opened is File the other way round.
func Opened(from, to, passphrase string) error {
	in, err := os.Open(from)
	if err != nil {
		return err
	}
	defer in.Close()
	r, err := Unseal(in, passphrase)
	if err != nil {
		return fmt.Errorf("%s: %w", from, err)
	}
	return create(to, func(out io.Writer) error {
		_, err := io.Copy(out, r)
		return err
	})
}

// create writes a new file that its owner alone reads; where that fails there is none.
func create(path string, write func(io.Writer) error) error {
	f, err := os.OpenFile(path, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return err
	}
	if err := errors.Join(write(f), f.Sync(), f.Close()); err != nil {
		return errors.Join(err, os.Remove(path))
	}
	return nil
}
