package server

import (
	"bufio"
	"bytes"
	"fmt"
	"net"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
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

// TestSlowReader: who takes nothing of an answer is cut off, and who takes it as it comes gets
// all of it, however long that takes in all.
func TestSlowReader(t *testing.T) {
	was := pieceTakes
	pieceTakes = 300 * time.Millisecond
	defer func() { pieceTakes = was }()
	ended := make(chan error, 2)
	e := echo.New()
	e.Use(patient)
	e.GET("/", func(c *echo.Context) error {
		piece := bytes.Repeat([]byte("x"), 1<<20)
		var err error
		for n := 0; n < 64 && err == nil; n++ {
			_, err = c.Response().Write(piece)
		}
		ended <- err
		return err
	})
	live := httptest.NewServer(e)
	defer live.Close()
	ask := func() net.Conn {
		c, err := net.Dial("tcp", live.Listener.Addr().String())
		require.NoError(t, err)
		_, err = fmt.Fprint(c, "GET / HTTP/1.1\r\nHost: localhost\r\nConnection: close\r\n\r\n")
		require.NoError(t, err)
		return c
	}
	idle := ask()
	defer idle.Close()
	select {
	case err := <-ended:
		require.Error(t, err)
	case <-time.After(20 * time.Second):
		t.Fatal("nobody reads, and it is not cut off")
	}
	busy := ask()
	defer busy.Close()
	from, n, began := bufio.NewReader(busy), 0, time.Now()
	for buffer := make([]byte, 1<<20); ; {
		read, err := from.Read(buffer)
		if n += read; err != nil {
			break
		}
		if time.Since(began) < 2*pieceTakes {
			time.Sleep(5 * time.Millisecond)
		}
	}
	assert.Greater(t, n, 64<<20, "the whole of it")
	assert.NoError(t, <-ended)
}
