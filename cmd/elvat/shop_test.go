package main

import (
	"bufio"
	"bytes"
	"crypto/tls"
	"encoding/json"
	"fmt"
	"image"
	"image/jpeg"
	"io"
	"math/rand/v2"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/internal/store"
)

// started is a command that serves, and where.
func started(t testing.TB, args ...string) (*exec.Cmd, string) {
	cmd := command(t, args...)
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	line, err := bufio.NewReader(out).ReadString('\n')
	require.NoError(t, err)
	return cmd, strings.TrimSpace(line[strings.Index(line, "http"):])
}

// rounds of kill -9 in the middle of writes.
const rounds = 200

// TestKilledInTheMiddle: whatever the server acknowledged is there after kill -9,
// and the file is sound, 200 times in a row on one database.
func TestKilledInTheMiddle(t *testing.T) {
	t.Parallel()
	path := filepath.Join(t.TempDir(), "shop.db")
	var picture bytes.Buffer
	require.NoError(t, jpeg.Encode(&picture, image.NewGray(image.Rect(0, 0, 64, 48)), nil))
	client := &http.Client{Timeout: 10 * time.Second}
	post := func(url, media, body string) bool {
		r, err := client.Post(url, media, strings.NewReader(body))
		if err != nil {
			return false
		}
		defer r.Body.Close()
		_, err = io.Copy(io.Discard, r.Body)
		return err == nil && r.StatusCode == 201
	}
	first, address := started(
		t,
		"serve",
		"--listen",
		"127.0.0.1:0",
		"--db",
		path,
		"--backups",
		filepath.Join(t.TempDir(), "b"),
	)
	require.True(t, post(address+"/api/v1/calls", "application/json", `{ "title": "Loft", "complaint": "" }`))
	require.True(t, post(address+"/api/v1/calls/1/stops", "application/json", `{ "after": "panel", "label": "Bench" }`))
	require.NoError(t, first.Process.Kill())
	first.Wait() //nolint:errcheck // killed

	random := rand.New(rand.NewPCG(7, 7))
	var mu sync.Mutex
	acknowledged := map[string][]string{}
	sent := 0
	for round := range rounds {
		cmd, address := started(
			t,
			"serve",
			"--listen",
			"127.0.0.1:0",
			"--db",
			path,
			"--backups",
			filepath.Join(t.TempDir(), "b"),
		)
		var writers sync.WaitGroup
		sentBefore := sent
		kinds := []struct{ kind, url, media, body string }{
			{"reading", "/api/v1/calls/1/readings", "application/json", `{ "id": "%s", "reading": { "at": "R1", "half": "top", "tool": "lamp", "glow": "bright" } }`},
			{"note", "/api/v1/calls/1/journal", "application/json", `{ "id": "%s", "entry": { "kind": "note", "text": "dusty" } }`},
			{"picture", "/api/v1/calls/1/pictures?phase=prove&id=%s", "application/octet-stream", picture.String()},
		}
		for _, k := range kinds {
			writers.Go(func() {
				for n := 0; ; n++ {
					id := fmt.Sprintf("%s-%03d-%04d", k.kind, round, n)
					url, body := address+k.url, k.body
					if k.kind == "picture" {
						url = fmt.Sprintf(url, id)
					} else {
						body = fmt.Sprintf(body, id)
					}
					if !post(url, k.media, body) {
						return // the server is gone
					}
					mu.Lock()
					acknowledged[k.kind] = append(acknowledged[k.kind], id)
					sent++
					mu.Unlock()
				}
			})
		}
		// Some writes in, however fast the machine is, and then at any moment.
		wanted := sentBefore + 1 + random.IntN(4)
		for waited := 0; waited < 2000; waited++ {
			time.Sleep(time.Millisecond)
			mu.Lock()
			enough := sent >= wanted
			mu.Unlock()
			if enough {
				break
			}
		}
		time.Sleep(time.Duration(random.IntN(30_000)) * time.Microsecond)
		require.NoError(t, cmd.Process.Signal(syscall.SIGKILL))
		cmd.Wait() //nolint:errcheck // killed
		writers.Wait()

		s, err := store.Open(t.Context(), path)
		require.NoError(t, err, "round %d", round)
		require.NoError(t, s.IntegrityCheck(t.Context()), "round %d", round)
		have := map[string]bool{}
		at, err := s.Load(t.Context(), 1)
		require.NoError(t, err)
		for _, p := range at.Record.Parts() {
			have[p.ID] = true
		}
		require.NoError(t, s.Close())
		for _, ids := range acknowledged {
			for _, id := range ids {
				require.True(t, have[id], "round %d: %s was acknowledged and is lost", round, id)
			}
		}
	}
	for _, kind := range []string{"reading", "note", "picture"} {
		assert.Greater(t, len(acknowledged[kind]), rounds/10, "%s: hardly any was written", kind)
	}
	t.Logf("%d rounds, %d writes acknowledged, none lost", rounds, sent)
}

// TestBackupAndArchive: a copy while the server runs, refused restore while it
// does, restore after, and everything out and in again.
func TestBackupAndArchive(t *testing.T) {
	folder := t.TempDir()
	file := func(name string) string { return filepath.Join(folder, name) }
	cmd, address := started(t, "demo", "--listen", "127.0.0.1:0", "--db", file("shop.db"), "--backups", file("daily"))
	_, complaint, code := run(t, "", "backup", file("copy.db"), "--db", file("shop.db"))
	require.Zero(t, code, complaint)
	_, complaint, code = run(t, "", "backup", file("copy.db"), "--db", file("shop.db"))
	assert.Equal(t, 1, code)
	assert.Contains(t, complaint, "already")
	_, complaint, code = run(t, "", "restore", file("copy.db"), "--db", file("shop.db"))
	assert.Equal(t, 1, code)
	assert.Contains(t, complaint, "stop Elvat first")
	_, complaint, code = run(t, "", "export", file("all.zip"), "--db", file("shop.db"))
	require.Zero(t, code, complaint)
	response, err := http.Get(address + "/api/v1/calls")
	require.NoError(t, err)
	require.NoError(t, response.Body.Close())
	require.NoError(t, cmd.Process.Signal(syscall.SIGTERM))
	require.NoError(t, cmd.Wait())

	out, complaint, code := run(t, "", "restore", file("copy.db"), "--db", file("shop.db"))
	require.Zero(t, code, complaint)
	assert.Contains(t, out, "what was there is kept as")
	out, _, code = run(t, "", "check", "--db", file("shop.db"))
	assert.Zero(t, code)
	assert.Contains(t, out, "is sound")
	_, complaint, code = run(t, "", "import", file("all.zip"), "--db", file("other.db"))
	require.Zero(t, code, complaint)
	_, complaint, code = run(t, "", "export", file("again.zip"), "--db", file("other.db"))
	require.Zero(t, code, complaint)
	first, err := os.ReadFile(file("all.zip"))
	require.NoError(t, err)
	second, err := os.ReadFile(file("again.zip"))
	require.NoError(t, err)
	assert.Equal(t, first, second)

	require.NoError(t, os.WriteFile(file("torn.db"), []byte(strings.Repeat("letter to the mill ", 1000)), 0o600))
	for _, row := range []struct {
		args []string
		says string
	}{
		{[]string{"import", file("all.zip"), "--db", file("other.db")}, "read into an empty one"},
		{[]string{"import", file("torn.db"), "--db", file("new.db")}, "not a zip archive"},
		{[]string{"serve", "--db", file("torn.db")}, "damaged"},
		{[]string{"check", "--db", file("torn.db")}, "damaged"},
		{[]string{"restore", file("torn.db"), "--db", file("shop.db")}, "nothing was changed"},
		{[]string{"backup", file("x.db"), "--db", file("nowhere.db")}, "nowhere.db"},
		{[]string{"export", file("all.zip"), "--db", file("other.db")}, "all.zip"},
	} {
		_, complaint, code := run(t, "", row.args...)
		assert.Equal(t, 1, code, row.args)
		assert.Contains(t, complaint, row.says)
	}
}

// TestServedToOthers: over TLS only, to who signs in.
func TestServedToOthers(t *testing.T) {
	folder := t.TempDir()
	path := filepath.Join(folder, "shop.db")
	for _, row := range []struct {
		input string
		args  []string
		says  string
	}{
		{"short\n", []string{"people", "add", "Ada"}, "at least 12"}, {"", []string{"people", "add", "Ada"}, "passphrase"},
		{"heron kiln thistle weir\n", []string{"people", "add", "Ada", "--role", "owner"}, `"owner"`}, {"heron kiln thistle weir\n", []string{"people", "add", " "}, "name"},
	} {
		_, complaint, code := run(t, row.input, append(row.args, "--db", path)...)
		assert.Equal(t, 1, code)
		assert.Contains(t, complaint, row.says)
	}
	_, complaint, code := run(t, "heron kiln thistle weir\n", "people", "add", "Ada", "--db", path)
	require.Zero(t, code, complaint)
	_, complaint, code = run(t, "mill quill sorrel oriel\n", "people", "passphrase", "Ada", "--db", path)
	require.Zero(t, code, complaint)
	out, _, _ := run(t, "", "people", "list", "--db", path)
	assert.Equal(t, "Ada: electrician\n", out)

	cmd, address := started(t, "serve", "--listen", "0.0.0.0:0", "--db", path, "--backups", filepath.Join(folder, "b"))
	require.True(t, strings.HasPrefix(address, "https://"), address)
	address = "https://localhost:" + address[strings.LastIndex(address, ":")+1:]
	info, err := os.Stat(path + "-tls.key")
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	client := &http.Client{
		Transport: &http.Transport{TLSClientConfig: &tls.Config{InsecureSkipVerify: true}},
	} //nolint:gosec // its own certificate
	response, err := client.Get(address + "/api/v1/calls")
	require.NoError(t, err)
	require.NoError(t, response.Body.Close())
	assert.Equal(t, 401, response.StatusCode)
	assert.Contains(t, response.Header.Get("Strict-Transport-Security"), "max-age=31536000")
	for phrase, want := range map[string]int{"heron kiln thistle weir": 401, "mill quill sorrel oriel": 200} {
		body, err := json.Marshal(map[string]string{"name": "Ada", "passphrase": phrase})
		require.NoError(t, err)
		response, err = client.Post(address+"/api/v1/session", "application/json", bytes.NewReader(body))
		require.NoError(t, err)
		require.NoError(t, response.Body.Close())
		assert.Equal(t, want, response.StatusCode)
		if want == 200 {
			assert.Contains(t, response.Header.Get("Set-Cookie"), "Secure")
		}
	}
	old := &http.Client{
		Transport: &http.Transport{
			TLSClientConfig: &tls.Config{InsecureSkipVerify: true, MinVersion: tls.VersionTLS10, MaxVersion: tls.VersionTLS11},
		},
	} //nolint:gosec // to be refused
	_, err = old.Get(address + "/api/v1/session")
	require.ErrorContains(t, err, "protocol version")
	require.NoError(t, cmd.Process.Signal(syscall.SIGTERM))
	require.NoError(t, cmd.Wait())
	_, complaint, code = run(t, "", "serve", "--listen", "0.0.0.0:0", "--db", path, "--tls-cert", "/nowhere.crt")
	assert.Equal(t, 1, code)
	assert.Contains(t, complaint, "go together")
}
