package main

import (
	"crypto/tls"
	"errors"
	"fmt"
	"io"
	"maps"
	"math/rand/v2"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/internal/demo"
	"elvat/internal/server"
	"elvat/internal/store"
)

// TestShopsCommands: made, listed, changed, archived and removed from the command line.
func TestShopsCommands(t *testing.T) {
	t.Parallel()
	folder := filepath.Join(t.TempDir(), "shops")
	shops := func(input string, args ...string) (string, string, int) {
		return run(t, input, append([]string{"shops", "--shops", folder}, args...)...)
	}
	out, complaint, code := shops("", "make", "north", "--title", "North Electric", "--host", "north.example")
	require.Zero(t, code, complaint)
	assert.Contains(t, out, filepath.Join(folder, "north", "shop.db"))
	for _, c := range []struct {
		args []string
		says string
	}{
		{[]string{"make", "north", "--host", "other.example"}, "there is a shop of that name already"},
		{[]string{"make", "east", "--host", "NORTH.example"}, "north.example leads to north already"},
		{[]string{"make", "east", "--host", "10.0.0.1"}, "is no host name"},
		{[]string{"make", "East", "--host", "east.example"}, `name "East"`},
		{[]string{"change", "west", "--title", "West"}, "west: no shop of that name"},
		{[]string{"remove", "west"}, "west: no shop of that name"},
		{[]string{"move", "west", "--to", t.TempDir()}, "west: no shop of that name"},
		{[]string{"move", "north"}, "to to-cluster"},
	} {
		_, complaint, code := shops("", c.args...)
		assert.Equal(t, 1, code, "%v", c.args)
		assert.Contains(t, complaint, c.says, "%v", c.args)
	}
	_, complaint, code = shops("", "change", "north", "--most-at-work", "3")
	require.Zero(t, code, complaint)
	path := filepath.Join(folder, "north", "shop.db")
	filled(t, path)
	out, _, _ = shops("", "list")
	assert.Contains(t, out, "North Electric")
	assert.Contains(t, out, "no backup")

	_, complaint, code = run(t, "", "serve", "--shops", folder, "--db", path)
	assert.Equal(t, 1, code)
	assert.Contains(t, complaint, "does not go with --shops")

	archived := filepath.Join(t.TempDir(), "north.zip.age")
	_, complaint, code = shops(passphrase, "remove", "north", "--archive", archived, "--encrypt")
	require.Zero(t, code, complaint)
	assert.NoDirExists(t, filepath.Join(folder, "north"))
	again := filepath.Join(t.TempDir(), "again.db")
	_, complaint, code = run(t, passphrase, "import", archived, "--db", again)
	require.Zero(t, code, complaint)
	s, err := store.Open(t.Context(), again)
	require.NoError(t, err)
	defer s.Close()
	sites, err := s.Sites(t.Context(), 0, 50)
	require.NoError(t, err)
	assert.NotEmpty(t, sites, "what the shop had is in its archive")
}

const passphrase = "long river copper lamp\n"

func filled(t testing.TB, path string) {
	s, err := store.Open(t.Context(), path)
	require.NoError(t, err)
	require.NoError(t, errors.Join(demo.Fill(t.Context(), s, time.Now()), s.Close()))
}

// A visitor is somebody of a shop with a browser: it asks by the shop's host name, at whichever
// of its addresses answers.
type visitor struct {
	client  *http.Client
	host    string
	cookies []*http.Cookie
}

func newVisitor(host string) *visitor {
	return &visitor{host: host, client: &http.Client{Timeout: 10 * time.Second, Transport: &http.Transport{
		MaxIdleConnsPerHost: 20, TLSClientConfig: &tls.Config{InsecureSkipVerify: true, ServerName: host}, //nolint:gosec // certificates of tests
	}}}
}

// ask asks at an address; an error where nothing answers.
func (v *visitor) ask(address, method, path, body string) (status int, answer string, err error) {
	r, err := http.NewRequest(method, address+path, strings.NewReader(body))
	if err != nil {
		return 0, "", err
	}
	at, err := url.Parse(address)
	if err != nil {
		return 0, "", err
	}
	r.Host = v.host + ":" + at.Port()
	r.Header.Set("Content-Type", "application/json")
	for _, c := range v.cookies {
		r.AddCookie(c)
	}
	w, err := v.client.Do(r)
	if err != nil {
		return 0, "", err
	}
	defer w.Body.Close()
	data, err := io.ReadAll(w.Body)
	if cookies := w.Cookies(); len(cookies) > 0 && w.StatusCode < 300 {
		v.cookies = cookies
	}
	return w.StatusCode, string(data), err
}

func (v *visitor) signIn(t testing.TB, address, name, passphrase string) {
	status, says, err := v.ask(address, "POST", "/api/v1/session", fmt.Sprintf(`{"name": %q, "passphrase": %q}`, name, strings.TrimSpace(passphrase)))
	require.NoError(t, err)
	require.Equal(t, 200, status, says)
}

// TestMovedWhileItIsUsed: a shop is moved to another process while somebody goes on working: what
// was acknowledged is there, each once, and what was refused meanwhile is taken after.
func TestMovedWhileItIsUsed(t *testing.T) {
	t.Parallel()
	one, other := filepath.Join(t.TempDir(), "one"), filepath.Join(t.TempDir(), "other")
	require.NoError(t, os.MkdirAll(other, 0o700))
	_, complaint, code := run(t, "", "shops", "make", "north", "--shops", one, "--title", "North", "--host", "north.example")
	require.Zero(t, code, complaint)
	_, complaint, code = run(t, passphrase, "people", "add", "Ada", "--db", filepath.Join(one, "north", "shop.db"))
	require.Zero(t, code, complaint)
	first, at := started(t, "serve", "--shops", one, "--listen", "127.0.0.1:0")
	second, there := started(t, "serve", "--shops", other, "--listen", "127.0.0.1:0")
	ada := newVisitor("north.example")
	ada.signIn(t, at, "Ada", passphrase)
	status, says, err := ada.ask(at, "POST", "/api/v1/calls", `{ "title": "Loft", "complaint": "" }`)
	require.NoError(t, err)
	require.Equal(t, 201, status, says)

	addresses := []string{at, there}
	var acknowledged []string
	var writer sync.WaitGroup
	stop, refused, arrived := make(chan struct{}), 0, false
	writer.Go(func() {
		for n := 0; ; n++ {
			id := fmt.Sprintf("note-%04d", n)
			for i := 0; ; i++ {
				status, _, err := ada.ask(addresses[i%2], "POST", "/api/v1/calls/1/journal", fmt.Sprintf(`{ "id": %q, "entry": { "kind": "note", "text": "dusty" } }`, id))
				if err == nil && status == 201 {
					arrived = arrived || i%2 == 1
					break
				}
				refused++
				time.Sleep(5 * time.Millisecond)
			}
			acknowledged = append(acknowledged, id)
			select {
			case <-stop:
				return
			default:
			}
		}
	})
	time.Sleep(200 * time.Millisecond)
	out, complaint, code := run(t, "", "shops", "move", "north", "--shops", one, "--to", other)
	require.Zero(t, code, complaint)
	assert.Contains(t, out, "with the same tables")
	time.Sleep(200 * time.Millisecond)
	close(stop)
	writer.Wait()
	assert.True(t, arrived, "work went on at the other process")
	for _, cmd := range []*exec.Cmd{first, second} {
		require.NoError(t, cmd.Process.Signal(syscall.SIGTERM))
		require.NoError(t, cmd.Wait())
	}
	s, err := store.Open(t.Context(), filepath.Join(other, "north", "shop.db"))
	require.NoError(t, err)
	defer s.Close()
	record, err := s.Load(t.Context(), 1)
	require.NoError(t, err)
	var notes []string
	for _, p := range record.Record.Parts() {
		if strings.HasPrefix(p.ID, "note-") {
			notes = append(notes, p.ID)
		}
	}
	slices.Sort(notes)
	assert.Equal(t, acknowledged, notes)
	t.Logf("%d acknowledged, %d times refused meanwhile", len(acknowledged), refused)
}

// manyShops is a folder of so many shops with the demo's calls, and Ada in each.
func manyShops(b *testing.B, n int) string {
	folder := filepath.Join(b.TempDir(), "shops")
	require.NoError(b, os.MkdirAll(folder, 0o700))
	pattern := filepath.Join(b.TempDir(), "pattern.db")
	filled(b, pattern)
	s, err := store.Open(b.Context(), pattern)
	require.NoError(b, err)
	p, err := server.NewPerson("Ada", "electrician", strings.TrimSpace(passphrase), time.Now())
	require.NoError(b, err)
	_, err = s.AddPerson(b.Context(), p)
	require.NoError(b, err)
	require.NoError(b, server.Summarize(b.Context(), s, time.Now, func(int) {}))
	require.NoError(b, s.Close())
	data, err := os.ReadFile(pattern)
	require.NoError(b, err)
	for i := range n {
		name := filepath.Join(folder, fmt.Sprintf("shop-%04d", i))
		require.NoError(b, os.Mkdir(name, 0o700))
		require.NoError(b, os.WriteFile(filepath.Join(name, "shop.db"), data, 0o600))
		require.NoError(b, os.WriteFile(filepath.Join(name, "shop.json"), fmt.Appendf(nil, `{"title": "Shop %d", "hosts": ["shop-%04d.example"]}`, i, i), 0o600))
	}
	return folder
}

// weight is what a process holds: memory in MB, and open files.
func weight(b *testing.B, pid int) string {
	status, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", pid))
	require.NoError(b, err)
	files, err := os.ReadDir(fmt.Sprintf("/proc/%d/fd", pid))
	require.NoError(b, err)
	says := fmt.Sprintf("%d open files", len(files))
	for line := range strings.Lines(string(status)) {
		if name, value, ok := strings.Cut(line, ":"); ok && (name == "VmRSS" || name == "VmHWM") {
			kb, err := strconv.Atoi(strings.Fields(value)[0])
			require.NoError(b, err)
			says = fmt.Sprintf("%s %d MB, %s", map[string]string{"VmRSS": "now", "VmHWM": "most"}[name], kb>>10, says)
		}
	}
	return says
}

// BenchmarkShops is one process with ELVAT_SHOPS shops (1,000): while each is looked after once
// for the day, then with fifty of them busy for half a minute, then with one of those asked for
// suspects by twenty clients without a pause.
func BenchmarkShops(b *testing.B) {
	const busy = 50
	n := 1000
	if text := os.Getenv("ELVAT_SHOPS"); text != "" {
		var err error
		n, err = strconv.Atoi(text)
		require.NoError(b, err)
	}
	folder := manyShops(b, n)
	for b.Loop() {
		cmd, at := started(b, "serve", "--shops", folder, "--listen", "127.0.0.1:0")
		b.Logf("begun: %s", weight(b, cmd.Process.Pid))
		start := time.Now()
		for {
			made, err := filepath.Glob(filepath.Join(folder, "*", "shop.db-backups", "elvat-*.db"))
			require.NoError(b, err)
			if len(made) >= n {
				break
			}
			time.Sleep(100 * time.Millisecond)
		}
		b.Logf("each backed up after %v: %s", time.Since(start).Round(time.Second), weight(b, cmd.Process.Pid))
		visitors := make([]*visitor, busy)
		for i := range visitors {
			visitors[i] = newVisitor(fmt.Sprintf("shop-%04d.example", i*n/busy))
			visitors[i].signIn(b, at, "Ada", passphrase)
		}
		for _, flooded := range []bool{false, true} {
			took, failed := busyShops(visitors, at, flooded)
			for _, kind := range slices.Sorted(maps.Keys(took)) {
				all := slices.Sorted(slices.Values(took[kind]))
				b.Logf("flooded %v: %-16s %5d requests, p50 %v, p95 %v, most %v", flooded, kind, len(all),
					all[len(all)/2].Round(100*time.Microsecond), all[len(all)*95/100].Round(100*time.Microsecond), all[len(all)-1].Round(time.Millisecond))
			}
			b.Logf("flooded %v: %d failed; %s", flooded, failed, weight(b, cmd.Process.Pid))
		}
		require.NoError(b, cmd.Process.Signal(syscall.SIGTERM))
		require.NoError(b, cmd.Wait())
	}
}

// busyShops has each shop be asked about once a second for half a minute; flooded, the first of
// them by twenty clients that wait for nothing, which are not counted.
func busyShops(visitors []*visitor, at string, flooded bool) (took map[string][]time.Duration, failed int64) {
	took = map[string][]time.Duration{}
	var mu sync.Mutex
	var errors atomic.Int64
	end := time.Now().Add(30 * time.Second)
	var all sync.WaitGroup
	for i, v := range visitors {
		if i == 0 && flooded {
			for client := range 20 {
				all.Go(func() {
					for n := 0; time.Now().Before(end); n++ {
						_, _, _ = v.ask(at, "POST", "/api/v1/calls/1/readings", fmt.Sprintf(
							`{ "id": "flood-%d-%d", "reading": { "at": "R1", "half": "top", "tool": "lamp", "glow": "bright" } }`, client, n))
					}
				})
			}
			continue
		}
		all.Go(func() {
			random := rand.New(rand.NewPCG(uint64(i), 5))
			time.Sleep(time.Duration(random.IntN(1000)) * time.Millisecond)
			for n := 0; time.Now().Before(end); n++ {
				kind, method, path, body := "day", "GET", "/api/v1/calls", ""
				switch n % 4 {
				case 1:
					kind, path = "call", "/api/v1/calls/2"
				case 2:
					kind, path = "search", "/api/v1/search?q=loft"
				case 3:
					kind, method, path = "enter a reading", "POST", "/api/v1/calls/2/readings"
					body = fmt.Sprintf(`{ "id": "b-%v-%d-%d", "reading": { "at": "R1", "half": "top", "tool": "lamp", "glow": "bright" } }`, flooded, i, n)
				}
				start := time.Now()
				status, _, err := v.ask(at, method, path, body)
				if err != nil || status >= 400 {
					errors.Add(1)
				}
				mu.Lock()
				took[kind] = append(took[kind], time.Since(start))
				mu.Unlock()
				time.Sleep(time.Duration(700+random.IntN(600)) * time.Millisecond)
			}
		})
	}
	all.Wait()
	return took, errors.Load()
}
