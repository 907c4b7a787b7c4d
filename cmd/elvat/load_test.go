package main

import (
	"context"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"elvat/internal/demo"
	"elvat/internal/server"
	"elvat/internal/store"
)

// years of history that the benchmarks run on: ELVAT_YEARS, or one.
func years() int {
	if n, err := strconv.Atoi(os.Getenv("ELVAT_YEARS")); err == nil && n > 0 {
		return n
	}
	return 1
}

// history is a database with the years' calls, made once and kept beside other
// temporary files.
func history(b *testing.B) (string, int) {
	n := years()
	path := filepath.Join(os.TempDir(), fmt.Sprintf("elvat-bench-%d.db", n))
	ctx := context.Background()
	s, err := store.Open(ctx, path)
	require.NoError(b, err)
	sites, err := s.Sites(ctx, 0, 1)
	require.NoError(b, err)
	if len(sites) == 0 {
		require.NoError(b, demo.History(ctx, s, time.Now(), n, n*demo.CallsAYear))
		require.NoError(b, server.Summarize(ctx, s, time.Now, func(int) {}))
		require.NoError(b, demo.Fill(ctx, s, time.Now()))
	}
	require.NoError(b, s.Close())
	return path, n * demo.CallsAYear
}

// asker asks a server and keeps how long each answer took.
type asker struct {
	address string
	client  *http.Client
	mu      sync.Mutex
	took    map[string][]time.Duration
	errors  int
}

func (a *asker) ask(kind, method, path, body string) {
	start := time.Now()
	r, err := http.NewRequest(method, a.address+path, strings.NewReader(body))
	status := 0
	if err == nil {
		r.Header.Set("Content-Type", "application/json")
		var w *http.Response
		if w, err = a.client.Do(r); err == nil {
			_, err = io.Copy(io.Discard, w.Body)
			w.Body.Close()
			status = w.StatusCode
		}
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	if err != nil || status >= 400 {
		a.errors++
	}
	a.took[kind] = append(a.took[kind], time.Since(start))
}

func (a *asker) report(b *testing.B, kind string) {
	all := slices.Sorted(slices.Values(a.took[kind]))
	if len(all) == 0 {
		return
	}
	b.ReportMetric(float64(all[len(all)/2].Microseconds())/1000, "p50-ms")
	b.ReportMetric(float64(all[len(all)*95/100].Microseconds())/1000, "p95-ms")
	b.ReportMetric(float64(a.errors), "errors")
}

func serving(b *testing.B, path string) (*asker, func()) {
	start := time.Now()
	cmd, address := started(
		b,
		"serve",
		"--listen",
		"127.0.0.1:0",
		"--db",
		path,
		"--backups",
		filepath.Join(b.TempDir(), "b"),
	)
	b.Logf("up after %v", time.Since(start).Round(time.Millisecond))
	a := &asker{
		address: address,
		took:    map[string][]time.Duration{},
		client:  &http.Client{Timeout: 30 * time.Second, Transport: &http.Transport{MaxIdleConnsPerHost: 100}},
	}
	return a, func() {
		require.NoError(b, cmd.Process.Signal(syscall.SIGTERM))
		require.NoError(b, cmd.Wait())
	}
}

// BenchmarkScreens asks for every screen's data, of calls and sites picked at
// random out of all of them.
func BenchmarkScreens(b *testing.B) {
	path, calls := history(b)
	a, stop := serving(b, path)
	defer stop()
	random := rand.New(rand.NewPCG(1, 2))
	some := func(most int) int { return 1 + random.IntN(most) }
	words := []string{
		"gilding",
		"kiln row",
		"ground twisted",
		"inspector",
		"incubator cold",
		"weir",
		"push-in shelf",
		"seed store",
	}
	for _, screen := range []struct {
		name string
		path func() string
	}{
		{"day", func() string { return "/api/v1/calls" }},
		{"handed over before", func() string { return fmt.Sprintf("/api/v1/calls?before=%d", some(calls)) }},
		{"call", func() string { return fmt.Sprintf("/api/v1/calls/%d", some(calls)) }},
		{"work", func() string { return fmt.Sprintf("/api/v1/calls/%d/work", some(calls)) }},
		{"report", func() string { return fmt.Sprintf("/api/v1/calls/%d/report", some(calls)) }},
		{"box", func() string { return fmt.Sprintf("/api/v1/calls/%d/boxes/B%d", some(calls), some(4)) }},
		{"sites", func() string { return fmt.Sprintf("/api/v1/sites?before=%d", some(calls/5)) }},
		{"site", func() string { return fmt.Sprintf("/api/v1/sites/%d", some(calls/5)) }},
		{"run", func() string { return fmt.Sprintf("/api/v1/runs/%d", some(calls/5)) }},
		{"tests due", func() string { return "/api/v1/tests-due" }},
		{"search", func() string {
			return "/api/v1/search?q=" + strings.ReplaceAll(words[random.IntN(len(words))], " ", "+")
		}},
		{"stock", func() string { return "/api/v1/stock" }},
		{"practice", func() string { return "/api/v1/practice" }},
	} {
		b.Run(screen.name, func(b *testing.B) {
			a.took, a.errors = map[string][]time.Duration{}, 0
			for b.Loop() {
				a.ask("screen", "GET", screen.path(), "")
			}
			a.report(b, "screen")
		})
	}
}

// BenchmarkFiftyUsers has fifty people look about once a second for a minute; ten
// of them enter a reading every six seconds, each on a call of their own, and
// the others look at those calls too.
func BenchmarkFiftyUsers(b *testing.B) {
	const users, writers = 50, 10
	path, calls := history(b)
	a, stop := serving(b, path)
	defer stop()
	a.ask("warm", "GET", "/api/v1/calls", "")
	delete(a.took, "warm")
	for b.Loop() {
		end := time.Now().Add(time.Minute)
		var all sync.WaitGroup
		for user := range users {
			all.Go(func() {
				random := rand.New(rand.NewPCG(uint64(user), 3))
				time.Sleep(time.Duration(random.IntN(1000)) * time.Millisecond)
				for n := 0; time.Now().Before(end); n++ {
					// The newest of the history are in hand.
					inHand := calls - user%writers
					switch {
					case user < writers && n%6 == 5:
						a.ask(
							"enter a reading",
							"POST",
							fmt.Sprintf("/api/v1/calls/%d/readings", inHand),
							fmt.Sprintf(
								`{ "id": "bench-%d-%d-%d", "reading": { "at": "R1", "half": %q, "tool": "lamp", "glow": "bright" } }`,
								time.Now().UnixNano(),
								user,
								n,
								[]string{"top", "bottom"}[n%2],
							),
						)
					case n%5 == 0:
						a.ask("day", "GET", "/api/v1/calls", "")
					case n%5 == 1:
						a.ask("old call", "GET", fmt.Sprintf("/api/v1/calls/%d", 1+random.IntN(calls)), "")
					case n%5 == 2:
						a.ask("call in hand", "GET", fmt.Sprintf("/api/v1/calls/%d", inHand), "")
					case n%5 == 3:
						a.ask("search", "GET", "/api/v1/search?q=gilding", "")
					default:
						a.ask("site", "GET", fmt.Sprintf("/api/v1/sites/%d", 1+random.IntN(calls/5)), "")
					}
					time.Sleep(time.Duration(700+random.IntN(600)) * time.Millisecond)
				}
			})
		}
		all.Wait()
	}
	var whole []time.Duration
	for kind, took := range a.took {
		all := slices.Sorted(slices.Values(took))
		b.Logf(
			"%-16s %5d requests, p50 %v, p95 %v",
			kind,
			len(all),
			all[len(all)/2].Round(time.Millisecond),
			all[len(all)*95/100].Round(time.Millisecond),
		)
		whole = append(whole, took...)
	}
	a.took["all"] = whole
	b.ReportMetric(float64(len(a.took["all"])), "requests")
	a.report(b, "all")
}
