//go:build dqlite

package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/anishathalye/porcupine"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/internal/store"
)

// machines are those of a cluster, each a process in a network namespace of its own where the
// system lets a test make some, and on an address of loopback elsewhere: links are not cut there.
type machines struct {
	t       testing.TB
	folder  string
	apart   bool
	at      []string // host addresses
	spaces  []string
	process []*exec.Cmd
	serves  []string // addresses that devices ask at
}

func ip(args ...string) error {
	out, err := exec.Command("ip", args...).CombinedOutput()
	if err != nil {
		return fmt.Errorf("ip %s: %w: %s", strings.Join(args, " "), err, out)
	}
	return nil
}

func newMachines(t testing.TB, n int) *machines {
	folder := t.TempDir()
	if kept := os.Getenv("ELVAT_KEEP"); kept != "" { // to read the logs after
		folder = kept
	}
	m := &machines{t: t, folder: folder, process: make([]*exec.Cmd, n)}
	scheme := "https"
	if err := m.network(n); err != nil { // ELVAT_LOOPBACK has it so where there are namespaces
		t.Logf("no network namespaces, links are not cut: %v", err)
		scheme = "http" // one's own machine is served without TLS
		for i := range n {
			m.at = append(m.at, fmt.Sprintf("127.0.0.%d", 31+i))
		}
	} else {
		m.apart = true
	}
	for i := range n {
		m.serves = append(m.serves, scheme+"://"+net.JoinHostPort(m.at[i], "8443"))
		folder := m.node(i)
		if i == 0 {
			m.must("cluster", "make", folder, "--node", m.address(i))
			continue
		}
		require.NoError(t, os.MkdirAll(folder, 0o700))
		m.must("cluster", "invite", m.node(0), "--node", m.address(i), "--to", filepath.Join(folder, "node.pem"))
	}
	return m
}

// network makes a namespace for each, on one bridge. It goes with the test: who asks after gets an
// answer of whatever else is reached there.
func (m *machines) network(n int) (err error) {
	if os.Getenv("ELVAT_LOOPBACK") != "" {
		return errors.ErrUnsupported
	}
	name := fmt.Sprintf("ev%d", os.Getpid()%10000)
	subnet := fmt.Sprintf("10.213.%d", os.Getpid()%250)
	made := [][]string{}
	m.t.Cleanup(func() {
		for _, undo := range slices.Backward(made) {
			_ = ip(undo...) // it may be gone
		}
	})
	do := func(undo []string, args ...string) {
		if err == nil {
			if err = ip(args...); err == nil && undo != nil {
				made = append(made, undo)
			}
		}
	}
	bridge := name + "b"
	do([]string{"link", "del", bridge}, "link", "add", bridge, "type", "bridge")
	do(nil, "addr", "add", subnet+".254/24", "dev", bridge)
	do(nil, "link", "set", bridge, "up")
	for i := range n {
		space, out, in := fmt.Sprintf("%sn%d", name, i), fmt.Sprintf("%so%d", name, i), fmt.Sprintf("%si%d", name, i)
		do([]string{"netns", "del", space}, "netns", "add", space)
		do(nil, "link", "add", out, "type", "veth", "peer", "name", in)
		do(nil, "link", "set", in, "netns", space)
		do(nil, "link", "set", out, "master", bridge)
		do(nil, "link", "set", out, "up")
		do(nil, "-n", space, "addr", "add", fmt.Sprintf("%s.%d/24", subnet, i+1), "dev", in)
		do(nil, "-n", space, "link", "set", in, "up")
		do(nil, "-n", space, "link", "set", "lo", "up")
		m.at, m.spaces = append(m.at, fmt.Sprintf("%s.%d", subnet, i+1)), append(m.spaces, space)
	}
	if err != nil {
		m.at, m.spaces = nil, nil
	}
	return err
}

func (m *machines) node(i int) string    { return filepath.Join(m.folder, strconv.Itoa(i)) }
func (m *machines) address(i int) string { return net.JoinHostPort(m.at[i], "9000") }

// command is an elvat command on the machine.
func (m *machines) command(i int, args ...string) *exec.Cmd {
	cmd := command(m.t, args...)
	if m.apart {
		cmd.Args = append([]string{"ip", "netns", "exec", m.spaces[i], cmd.Path}, args...)
		cmd.Path, cmd.Err = "/sbin/ip", nil
		if found, err := exec.LookPath("ip"); err == nil {
			cmd.Path = found
		}
	}
	return cmd
}

// must runs a command on the first machine.
func (m *machines) must(args ...string) string {
	cmd := m.command(0, args...)
	cmd.Stdin = strings.NewReader(passphrase)
	out, err := cmd.CombinedOutput()
	require.NoError(m.t, err, "%v: %s", args, out)
	return string(out)
}

// start starts the machine's process, and waits until it serves where wait says so.
func (m *machines) start(i int, wait bool) {
	args := []string{"serve", "--cluster", m.node(i), "--node", m.address(i), "--listen", net.JoinHostPort(m.at[i], "8443")}
	if i > 0 {
		args = append(args, "--join", m.address(0))
	}
	cmd := m.command(i, args...)
	log, err := os.OpenFile(m.node(i)+".log", os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	require.NoError(m.t, err)
	cmd.Stderr, cmd.Stdout = log, log
	require.NoError(m.t, cmd.Start())
	require.NoError(m.t, log.Close())
	m.process[i] = cmd
	if wait {
		m.wait(i)
	}
}

// wait waits until the machine serves.
func (m *machines) wait(i int) {
	require.Eventually(m.t, func() bool {
		c, err := net.DialTimeout("tcp", net.JoinHostPort(m.at[i], "8443"), time.Second)
		if err == nil {
			c.Close()
		}
		return err == nil
	}, time.Minute, 50*time.Millisecond, "machine %d: see its log", i)
}

func (m *machines) signal(i int, s syscall.Signal) {
	require.NoError(m.t, m.process[i].Process.Signal(s))
}

// cut has two machines not reach each other, both ways: what is sent is lost without a word.
func (m *machines) cut(i, j int) {
	require.NoError(m.t, ip("-n", m.spaces[i], "route", "add", "blackhole", m.at[j]))
	require.NoError(m.t, ip("-n", m.spaces[j], "route", "add", "blackhole", m.at[i]))
}

func (m *machines) mend(i, j int) {
	require.NoError(m.t, ip("-n", m.spaces[i], "route", "del", "blackhole", m.at[j]))
	require.NoError(m.t, ip("-n", m.spaces[j], "route", "del", "blackhole", m.at[i]))
}

// stop stops them all.
func (m *machines) stop() {
	for _, p := range m.process {
		if p != nil && p.ProcessState == nil {
			_ = p.Process.Signal(syscall.SIGKILL) // it may have ended
			_ = p.Wait()
		}
	}
}

// A device of somebody of the shop. It asks at one address until that does not answer, and then
// at the next, until what it asked is answered: as browsers and phones do.
type device struct {
	*visitor
	m       *machines
	now     int // the machine it asks
	longest time.Duration
	notes   map[int64][]string
}

func (m *machines) device(host string) *device {
	d := &device{visitor: newVisitor(host), m: m, now: rand.IntN(len(m.serves)), notes: map[int64][]string{}}
	d.client.Timeout = 3 * time.Second
	d.do("POST", "/api/v1/session", fmt.Sprintf(`{"name": "Ada", "passphrase": %q}`, strings.TrimSpace(passphrase)))
	return d
}

// do asks until it is answered, and keeps how long the longest took.
func (d *device) do(method, path, body string) string {
	start := time.Now()
	for {
		status, answer, err := d.ask(d.m.serves[d.now], method, path, body)
		if err == nil && status < 500 && status != 421 && status != 429 {
			if status >= 400 || strings.Contains(answer, `"done":false`) {
				assert.Fail(d.m.t, "refused", "%s %s %s: %d %s", method, path, body, status, answer)
			}
			d.longest = max(d.longest, time.Since(start))
			return answer
		}
		if time.Since(start) > 2*time.Minute {
			assert.Fail(d.m.t, "not answered", "%s %s: %d %s %v", method, path, status, answer, err)
			return answer
		}
		d.now = (d.now + 1) % len(d.m.serves)
		time.Sleep(50 * time.Millisecond)
	}
}

// clusterRounds is how many rounds there are: 8, or ELVAT_ROUNDS (make cluster-rounds).
func clusterRounds(t *testing.T) int {
	if text := os.Getenv("ELVAT_ROUNDS"); text != "" {
		n, err := strconv.Atoi(text)
		require.NoError(t, err)
		return n
	}
	return 8
}

// A register is what the devices set and read of one call: its name.
type register struct{ set string }

// model is a register that shows what was set last.
var model = porcupine.Model{
	Init: func() any { return "register" },
	Step: func(state, input, output any) (bool, any) {
		if in := input.(register); in.set != "" {
			return true, in.set
		}
		return output.(string) == state.(string), state
	},
	DescribeOperation: func(input, output any) string { return fmt.Sprint(input, " ", output) },
}

// roundsARegister bounds how much is done on one call.
const roundsARegister = 10

// TestMachinesAreLost: three machines, of which one after the other is killed, paused or cut off
// while five devices work. What was acknowledged is there, each once; all machines have the same,
// and sound; nobody waited ten seconds; and what was set and read of one call is what one machine
// that is never lost could have answered (linearizable).
func TestMachinesAreLost(t *testing.T) {
	m := newMachines(t, 3)
	defer m.stop()
	for i := range m.serves {
		m.start(i, true)
	}
	m.must("shops", "make", "north", "--cluster", m.node(0), "--title", "North", "--host", "north.example")
	m.must("people", "add", "Ada", "--db", "cluster:"+m.node(0)+":north")

	const devices = 5
	all := make([]*device, devices)
	for i := range all {
		all[i] = m.device("north.example")
	}
	// The voters are as many as there are machines before one of them is lost.
	require.Eventually(t, func() bool { return strings.Contains(m.must("cluster", "status", m.node(0)), "3 voters") }, time.Minute, 200*time.Millisecond)
	begin := func(d *device, title string) int64 {
		var made struct {
			ID int64 `json:"id"`
		}
		require.NoError(t, json.Unmarshal([]byte(d.do("POST", "/api/v1/calls", fmt.Sprintf(`{ "title": %q, "complaint": "" }`, title))), &made))
		return made.ID
	}
	start := time.Now()
	var history [][]porcupine.Operation
	random := rand.New(rand.NewPCG(11, uint64(clusterRounds(t))))
	kinds := map[string]int{}
	for round := 0; round < clusterRounds(t); {
		first := round
		target := begin(all[0], "register")
		stop := make(chan struct{})
		var work sync.WaitGroup
		var mu sync.Mutex
		var did []porcupine.Operation
		for i, d := range all {
			own := begin(d, "notes")
			work.Go(func() {
				for n := 0; ; n++ {
					select {
					case <-stop:
						return
					case <-time.After(time.Duration(20+rand.IntN(80)) * time.Millisecond):
					}
					id := fmt.Sprintf("device-%d-%d-%d", i, first, n)
					if n%3 == 0 { // a note of its own
						d.do("POST", fmt.Sprintf("/api/v1/calls/%d/commands", own),
							fmt.Sprintf(`{ "commands": [ { "id": %q, "doing": { "do": "add-entry", "id": %q, "entry": { "kind": "note", "text": "dusty" } } } ] }`, id, id))
						d.notes[own] = append(d.notes[own], id)
						continue
					}
					op := porcupine.Operation{ClientId: i, Input: register{}, Call: time.Since(start).Nanoseconds()}
					var answer struct {
						Title string `json:"title"`
					}
					if n%3 == 1 {
						op.Input = register{set: id}
						d.do("POST", fmt.Sprintf("/api/v1/calls/%d/commands", target),
							fmt.Sprintf(`{ "commands": [ { "id": %q, "doing": { "do": "rename", "title": %q } } ] }`, id, id))
					} else {
						assert.NoError(t, json.Unmarshal([]byte(d.do("GET", fmt.Sprintf("/api/v1/calls/%d", target), "")), &answer))
						op.Output = answer.Title
					}
					op.Return = time.Since(start).Nanoseconds()
					mu.Lock()
					did = append(did, op)
					mu.Unlock()
				}
			})
		}
		for range min(roundsARegister, clusterRounds(t)-round) {
			kinds[m.lose(random)]++
			round++
		}
		close(stop)
		work.Wait()
		history = append(history, did)
	}
	longest := time.Duration(0)
	for _, d := range all {
		longest = max(longest, d.longest)
	}
	t.Logf("%d rounds in %v: %v; nobody waited longer than %v", clusterRounds(t), time.Since(start).Round(time.Second), kinds, longest.Round(10*time.Millisecond))
	assert.Less(t, longest, 10*time.Second)
	operations := 0
	for i, did := range history {
		operations += len(did)
		result, _ := porcupine.CheckOperationsVerbose(model, did, 2*time.Minute)
		assert.Equal(t, porcupine.Ok, result, "register %d: %d operations", i, len(did))
	}
	t.Log(m.must("cluster", "compare", m.node(0)))
	m.written(all, operations)
}

// lose has a machine be lost for some seconds, in one of the ways there are.
func (m *machines) lose(random *rand.Rand) string {
	i := random.IntN(len(m.at))
	time.Sleep(time.Duration(200+random.IntN(800)) * time.Millisecond)
	away := time.Duration(300+random.IntN(3500)) * time.Millisecond
	ways := []string{"killed", "paused"}
	if m.apart {
		ways = append(ways, "cut off from one", "cut off from both")
	}
	how := ways[random.IntN(len(ways))]
	j, k := (i+1)%len(m.at), (i+2)%len(m.at)
	switch how {
	case "killed":
		m.signal(i, syscall.SIGKILL)
		_ = m.process[i].Wait() // killed
		time.Sleep(away)
		m.start(i, true)
	case "paused":
		m.signal(i, syscall.SIGSTOP)
		time.Sleep(away)
		m.signal(i, syscall.SIGCONT)
	case "cut off from one":
		m.cut(i, j)
		time.Sleep(away)
		m.mend(i, j)
	case "cut off from both":
		m.cut(i, j)
		m.cut(i, k)
		time.Sleep(away)
		m.mend(i, j)
		m.mend(i, k)
	}
	// The next is lost when this one is there again, as a majority has to be.
	m.settled()
	return how
}

// settled waits until every machine has what the others have.
func (m *machines) settled() {
	require.Eventually(m.t, func() bool {
		out, err := m.command(0, "cluster", "status", m.node(0)).CombinedOutput()
		return err == nil && strings.Count(string(out), "answers in") == len(m.at)
	}, time.Minute, 300*time.Millisecond)
	time.Sleep(500 * time.Millisecond)
}

// written holds what the devices had acknowledged against what is on record.
func (m *machines) written(all []*device, operations int) {
	path := filepath.Join(m.folder, "copy.db")
	m.must("backup", path, "--db", "cluster:"+m.node(0)+":north")
	s, err := store.Open(m.t.Context(), path)
	require.NoError(m.t, err)
	defer s.Close()
	notes := 0
	for i, d := range all {
		for call, acknowledged := range d.notes {
			at, err := s.Load(m.t.Context(), call)
			require.NoError(m.t, err)
			var have, done []string
			for _, p := range at.Record.Parts() {
				if strings.HasPrefix(p.ID, "device-") {
					have = append(have, p.ID)
				}
			}
			for _, a := range at.Record.Log {
				if strings.HasPrefix(a.Command, "device-") {
					done = append(done, a.Command)
				}
			}
			slices.Sort(acknowledged)
			slices.Sort(have)
			slices.Sort(done)
			assert.Equal(m.t, acknowledged, have, "device %d, call %d", i, call)
			assert.Equal(m.t, acknowledged, done, "each was carried out once")
			notes += len(have)
		}
	}
	require.NoError(m.t, errors.Join(s.IntegrityCheck(m.t.Context())))
	m.t.Logf("%d notes and %d operations on registers acknowledged, none lost, none done twice", notes, operations)
}
