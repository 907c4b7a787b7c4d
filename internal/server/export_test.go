package server

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

func init() { cost.memory, cost.time = 64, 1 }

// TestHash: what is kept of a passphrase outside of tests is what the source asks for, with a
// salt of its own, and opens to that passphrase only.
func TestHash(t *testing.T) {
	was := cost
	defer func() { cost = was }()
	cost.memory, cost.time = argonMemory, argonTime
	one, two := Hash("heron kiln thistle weir"), Hash("heron kiln thistle weir")
	assert.True(t, strings.HasPrefix(one, "$argon2id$v=19$m=19456,t=2,p=1$"), one)
	assert.NotEqual(t, one, two)
	assert.True(t, matches("heron kiln thistle weir", one))
	assert.False(t, matches("heron kiln thistle wear", one))
}
