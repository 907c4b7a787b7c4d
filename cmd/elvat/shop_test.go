package main

import (
	"bufio"
	"bytes"
	"crypto/tls"
	"encoding/json"
	"errors"
	"fmt"
	"image"
	"image/jpeg"
	"io"
	"math/rand/v2"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/internal/archive"
	"elvat/internal/demo"
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

// rounds of kill -9 in the middle of writes: 20, or ELVAT_KILLS (make kills).
func rounds(t *testing.T) int {
	if text := os.Getenv("ELVAT_KILLS"); text != "" {
		n, err := strconv.Atoi(text)
		require.NoError(t, err)
		return n
	}
	return 20
}

// slowEvery is how often what takes long is done beside: reading an archive in, backups.
const slowEvery = 8

// roundsOnACall bounds what one call has to take.
const roundsOnACall = 50

// TestKilledInTheMiddle: whatever the server acknowledged is there after kill -9, and the file
// is sound, again and again on one database: entries, readings, pictures, what was taken back,
// and backups, all at once. An archive that is read in while its process is killed is there
// whole or not at all.
func TestKilledInTheMiddle(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	path, backups := filepath.Join(folder, "shop.db"), filepath.Join(folder, "b")
	var picture bytes.Buffer
	require.NoError(t, jpeg.Encode(&picture, image.NewGray(image.Rect(0, 0, 64, 48)), nil))
	archived := madeArchive(t, folder)
	client := &http.Client{Timeout: 10 * time.Second}
	post := func(url, media, body string) bool {
		r, err := client.Post(url, media, strings.NewReader(body))
		if err != nil {
			return false
		}
		defer r.Body.Close()
		_, err = io.Copy(io.Discard, r.Body)
		return err == nil && (r.StatusCode == 201 || r.StatusCode == 200)
	}
	serve := func() (*exec.Cmd, string) {
		return started(t, "serve", "--listen", "127.0.0.1:0", "--db", path, "--backups", backups, "--keep", "3")
	}
	random := rand.New(rand.NewPCG(7, 7))
	var mu sync.Mutex
	acknowledged, all := map[string][]string{}, map[string]int{}
	sent := 0
	for round := range rounds(t) {
		cmd, address := serve()
		call := 1 + round/roundsOnACall
		if round%roundsOnACall == 0 {
			require.True(t, post(address+"/api/v1/calls", "application/json", `{ "title": "Loft", "complaint": "" }`))
			require.True(t, post(fmt.Sprintf("%s/api/v1/calls/%d/stops", address, call), "application/json", `{ "after": "panel", "label": "Bench" }`))
			clear(acknowledged)
		}
		at := fmt.Sprintf("%s/api/v1/calls/%d", address, call)
		var writers sync.WaitGroup
		sentBefore := sent
		for _, k := range []struct{ kind, url, media, body string }{
			{"reading", at + "/readings", "application/json", `{ "id": "%s", "reading": { "at": "R1", "half": "top", "tool": "lamp", "glow": "bright" } }`},
			{"note", at + "/journal", "application/json", `{ "id": "%s", "entry": { "kind": "note", "text": "dusty" } }`},
			{"picture", at + "/pictures?phase=prove&id=%s", "application/octet-stream", picture.String()},
			{"command", at + "/commands", "application/json", `{ "commands": [ { "id": "%s", "doing": { "do": "undo" } } ] }`},
			{"backup", address + "/api/v1/backups", "", ""},
		} {
			if k.kind == "backup" && round%slowEvery != 0 {
				continue
			}
			writers.Go(func() {
				for n := 0; ; n++ {
					id := fmt.Sprintf("%s-%04d-%04d", k.kind, round, n)
					url, body := k.url, k.body
					switch k.kind {
					case "picture":
						url = fmt.Sprintf(url, id)
					case "backup":
						time.Sleep(20 * time.Millisecond)
					default:
						body = fmt.Sprintf(body, id)
					}
					if !post(url, k.media, body) {
						return // the server is gone
					}
					mu.Lock()
					acknowledged[k.kind] = append(acknowledged[k.kind], id)
					all[k.kind]++
					sent++
					mu.Unlock()
				}
			})
		}
		into := filepath.Join(folder, fmt.Sprintf("imported-%d.db", round))
		reader := command(t, "import", archived, "--db", into)
		slow := round%slowEvery == 0
		if slow {
			require.NoError(t, reader.Start())
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
		checkAfterKill(t, path, int64(call), acknowledged, round)
		if slow {
			_ = reader.Process.Signal(syscall.SIGKILL) // it may have ended
			reader.Wait()                              //nolint:errcheck // killed
			checkImported(t, into)
		}
	}
	for kind, n := range all {
		assert.Greater(t, n, rounds(t)/100, "%s: hardly any was written", kind)
	}
	t.Logf("%d rounds, %d acknowledged, none lost: %v", rounds(t), sent, all)
}

// madeArchive is one of a shop with the demo's calls.
func madeArchive(t *testing.T, folder string) string {
	ctx := t.Context()
	s, err := store.Open(ctx, filepath.Join(folder, "of-another.db"))
	require.NoError(t, err)
	require.NoError(t, demo.Fill(ctx, s, time.Now()))
	path := filepath.Join(folder, "archive.zip")
	f, err := os.Create(path)
	require.NoError(t, err)
	require.NoError(t, errors.Join(archive.Export(ctx, s, f), f.Close(), s.Close()))
	return path
}

// checkAfterKill reports what was acknowledged and is not there.
func checkAfterKill(t *testing.T, path string, call int64, acknowledged map[string][]string, round int) {
	s, err := store.Open(t.Context(), path)
	require.NoError(t, err, "round %d", round)
	defer s.Close()
	require.NoError(t, s.IntegrityCheck(t.Context()), "round %d", round)
	have := map[string]bool{}
	at, err := s.Load(t.Context(), call)
	require.NoError(t, err)
	for _, p := range at.Record.Parts() {
		have[p.ID] = true
	}
	done := map[string]int{}
	for _, a := range at.Record.Log {
		have[a.Command] = true
		done[a.Command]++
	}
	for kind, ids := range acknowledged {
		for _, id := range ids {
			if kind == "backup" {
				continue
			}
			// There is not always something left to take back: then the answer said so.
			require.True(t, have[id] || kind == "command", "round %d: %s was acknowledged and is lost", round, id)
			require.LessOrEqual(t, done[id], 1, "round %d: %s was done twice", round, id)
		}
	}
	if round%slowEvery != 0 {
		return
	}
	copies, err := store.Backups(filepath.Join(filepath.Dir(path), "b"))
	require.NoError(t, err)
	for _, b := range copies {
		require.NoError(t, store.Check(t.Context(), filepath.Join(filepath.Dir(path), "b", b.Name)), "round %d", round)
	}
}

// checkImported reports an archive that was read in by half.
func checkImported(t *testing.T, path string) {
	s, err := store.Open(t.Context(), path)
	require.NoError(t, err)
	require.NoError(t, s.IntegrityCheck(t.Context()))
	sites, err := s.Sites(t.Context(), 0, 50)
	require.NoError(t, err)
	if len(sites) > 0 {
		for id := int64(1); id <= 3; id++ {
			at, err := s.Load(t.Context(), id)
			require.NoError(t, err)
			require.NotEmpty(t, at.Record.Circuit.Boxes)
		}
	}
	require.NoError(t, s.Close())
	for _, end := range []string{"", "-wal", "-shm"} {
		if err := os.Remove(path + end); err != nil {
			require.ErrorIs(t, err, os.ErrNotExist)
		}
	}
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

	// Encrypted, both are opened by their passphrase and by no other.
	const words = "lantern marten weir end\n"
	_, complaint, code = run(t, words, "export", file("all.zip.age"), "--encrypt", "--db", file("other.db"))
	require.Zero(t, code, complaint)
	_, complaint, code = run(t, words, "backup", file("copy.db.age"), "--encrypt", "--db", file("shop.db"))
	require.Zero(t, code, complaint)
	_, complaint, code = run(t, words, "import", file("all.zip.age"), "--db", file("third.db"))
	require.Zero(t, code, complaint)
	_, complaint, code = run(t, "", "export", file("third.zip"), "--db", file("third.db"))
	require.Zero(t, code, complaint)
	assert.FileExists(t, file("third.zip"))
	_, complaint, code = run(t, words, "restore", file("copy.db.age"), "--db", file("shop.db"))
	require.Zero(t, code, complaint)
	for _, args := range [][]string{{"import", file("all.zip.age"), "--db", file("fourth.db")}, {"restore", file("copy.db.age"), "--db", file("shop.db")}} {
		_, complaint, code = run(t, "another passphrase than that\n", args...)
		assert.Equal(t, 1, code)
		assert.Contains(t, complaint, "the passphrase does not open it")
	}
	_, complaint, code = run(t, "password1234\n", "export", file("weak.age"), "--encrypt", "--db", file("other.db"))
	assert.Equal(t, 1, code)
	assert.Contains(t, complaint, "commonest")
	left, err := filepath.Glob(file("*unsealed*"))
	require.NoError(t, err)
	assert.Empty(t, left, "what was opened does not stay")
	for _, name := range []string{"shop.db", "copy.db", "all.zip", "copy.db.age", "all.zip.age"} {
		info, err := os.Stat(file(name))
		require.NoError(t, err)
		assert.Equal(t, "-rw-------", info.Mode().Perm().String(), name)
	}

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
		{[]string{"serve", "--behind-proxy", "127.0.0.1", "--db", file("other.db")}, "nobody can sign in yet"},
		{[]string{"serve", "--behind-proxy", "the door", "--db", file("other.db")}, "neither an address nor a network"},
		{[]string{"serve", "--proxy-secret", file("nowhere"), "--db", file("other.db")}, "--proxy-secret"},
		{[]string{"serve", "--backup-passphrase", file("nowhere"), "--db", file("other.db")}, "--backup-passphrase"},
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
	chained := &tls.Config{
		InsecureSkipVerify: true, MaxVersion: tls.VersionTLS12, //nolint:gosec // to be refused
		CipherSuites: []uint16{tls.TLS_ECDHE_ECDSA_WITH_AES_128_CBC_SHA, tls.TLS_ECDHE_ECDSA_WITH_AES_256_CBC_SHA, tls.TLS_RSA_WITH_AES_128_CBC_SHA},
	}
	_, err = (&http.Client{Transport: &http.Transport{TLSClientConfig: chained}}).Get(address + "/api/v1/session")
	require.ErrorContains(t, err, "handshake failure", "nothing that does not seal")
	require.NoError(t, cmd.Process.Signal(syscall.SIGTERM))
	require.NoError(t, cmd.Wait())
	_, complaint, code = run(t, "", "serve", "--listen", "0.0.0.0:0", "--db", path, "--tls-cert", "/nowhere.crt")
	assert.Equal(t, 1, code)
	assert.Contains(t, complaint, "go together")
}
