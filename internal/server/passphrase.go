package server

import (
	"crypto/rand"
	"crypto/subtle"
	_ "embed" // the commonest
	"encoding/base64"
	"errors"
	"fmt"
	"strings"
	"unicode"
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

// cost is what one hash costs; tests sign in often, and pay less.
var cost = struct{ memory, time uint32 }{argonMemory, argonTime}

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
	key := argon(passphrase, salt, cost.time, cost.memory, argonLanes, argonKey)
	return fmt.Sprintf("$argon2id$v=%d$m=%d,t=%d,p=%d$%s$%s", argon2.Version, cost.memory, cost.time, argonLanes,
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
	case isCommon(passphrase):
		return errors.New("passphrase: it is one of the commonest there are; several words that do not belong together do well")
	case weigh(passphrase, name) < 3:
		return errors.New("passphrase: too easily guessed; several words that do not belong together do well")
	}
	return nil
}

// weigh is how well a passphrase holds, from 0 to 4.
func weigh(passphrase, name string) int {
	if utf8.RuneCountInString(passphrase) > mostPassphrase {
		return 0
	}
	return zxcvbn.PasswordStrength(passphrase, append(strings.Fields(name), name, "elvat", "electrician")).Score
}

// commonest are long ones that are tried first, in lower case and without spaces. From memory
// of published lists; the shorter ones are too short already.
//
//go:embed commonest.txt
var commonest string

// isCommon reports one of them, whatever its spaces, capitals, and the digits and marks that
// it begins or ends with.
func isCommon(passphrase string) bool {
	plain := strings.ToLower(strings.Join(strings.Fields(passphrase), ""))
	bare := strings.TrimFunc(plain, func(r rune) bool { return !unicode.IsLetter(r) })
	for line := range strings.Lines(commonest) {
		if one := strings.TrimSpace(line); one != "" && (one == plain || one == bare) {
			return true
		}
	}
	return false
}
