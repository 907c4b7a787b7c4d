package server

import (
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"errors"
	"fmt"
	"strings"
	"unicode/utf8"

	"github.com/trustelem/zxcvbn"
	"golang.org/x/crypto/argon2"
)

// Parameters of argon2id: 19 MiB, two passes, one lane.
// Source: OWASP Password Storage Cheat Sheet (from memory).
const (
	argonMemory = 19 * 1024
	argonTime   = 2
	argonLanes  = 1
	argonSalt   = 16
	argonKey    = 32
)

// hashing holds back more than two at once: each takes 19 MiB, and strangers
// can ask for it.
var hashing = make(chan struct{}, 2)

func argon(passphrase string, salt []byte, time, memory uint32, lanes uint8, length uint32) []byte {
	hashing <- struct{}{}
	defer func() { <-hashing }()
	return argon2.IDKey([]byte(passphrase), salt, time, memory, lanes, length)
}

// Hash is how a passphrase is kept: argon2id with its parameters and salt, in
// the form that other programs write too.
func Hash(passphrase string) string {
	salt := make([]byte, argonSalt)
	rand.Read(salt) //nolint:errcheck // it never fails
	key := argon(passphrase, salt, argonTime, argonMemory, argonLanes, argonKey)
	return fmt.Sprintf("$argon2id$v=%d$m=%d,t=%d,p=%d$%s$%s", argon2.Version, argonMemory, argonTime, argonLanes,
		base64.RawStdEncoding.EncodeToString(salt), base64.RawStdEncoding.EncodeToString(key))
}

// matches reports whether the passphrase is the one that was hashed.
func matches(passphrase, hash string) bool {
	var version int
	var memory, time uint32
	var lanes uint8
	parts := strings.Split(hash, "$")
	if len(parts) != 6 || parts[1] != "argon2id" {
		return false
	}
	if _, err := fmt.Sscanf(parts[2], "v=%d", &version); err != nil || version != argon2.Version {
		return false
	}
	if _, err := fmt.Sscanf(parts[3], "m=%d,t=%d,p=%d", &memory, &time, &lanes); err != nil || time == 0 || lanes == 0 {
		return false
	}
	salt, err := base64.RawStdEncoding.DecodeString(parts[4])
	if err != nil {
		return false
	}
	key, err := base64.RawStdEncoding.DecodeString(parts[5])
	if err != nil || len(key) == 0 {
		return false
	}
	return subtle.ConstantTimeCompare(argon(passphrase, salt, time, memory, lanes, uint32(len(key))), key) == 1
}

// nobody is hashed where no such person is: the answer takes as long.
var nobody = Hash(rand.Text())

// Bounds of a passphrase, in characters. Source: OWASP ASVS 4.0.3, 2.1.1 and
// 2.1.2 (from memory).
const (
	leastPassphrase = 12
	mostPassphrase  = 128
)

// CheckPassphrase reports why a passphrase will not do: too short, too long, or
// one of those that are tried first. No kinds of characters are asked for.
func CheckPassphrase(passphrase, name string) error {
	n := utf8.RuneCountInString(passphrase)
	switch {
	case n < leastPassphrase:
		return fmt.Errorf("passphrase: at least %d characters; several words do well", leastPassphrase)
	case n > mostPassphrase:
		return fmt.Errorf("passphrase: at most %d characters", mostPassphrase)
	case zxcvbn.PasswordStrength(passphrase, []string{name, "elvat", "electrician"}).Score < 3:
		return errors.New("passphrase: too easily guessed; several words that do not belong together do well")
	}
	return nil
}
