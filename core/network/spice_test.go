package network_test

import (
	"bytes"
	"fmt"
	"math"
	"math/cmplx"
	"math/rand/v2"
	"os/exec"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/draw"
	"elvat/core/network"
)

// drawn is how many generated circuits are compared with ngspice.
const drawn = 300

// plainKinds are the faults of plain receptacles on a single-pole circuit.
var plainKinds = []circuit.FaultKind{
	circuit.Open,
	circuit.Resistive,
	circuit.Swapped,
	circuit.Bonded,
	circuit.Moved,
	circuit.BreakerAt,
}

// TestAgainstNgspice runs the product's own netlist in ngspice, a general
// circuit simulator, and compares every node with what the product's solver
// gets for the same circuit by low-rank corrections of the healthy one.
func TestAgainstNgspice(t *testing.T) {
	path, err := exec.LookPath("ngspice")
	require.NoError(t, err, "ngspice is wanted: make setup installs it")
	var mu sync.Mutex
	nodes, worst, kinds := 0, 0.0, map[circuit.FaultKind]int{}
	t.Run("circuits", func(t *testing.T) {
		for seed := range uint64(drawn) {
			t.Run(fmt.Sprint(seed), func(t *testing.T) {
				t.Parallel()
				c := drawCircuit(seed)
				spice := runNgspice(t, path, c)
				ours, names := solve(t, c)
				require.Len(t, spice, len(names))
				for i, name := range names {
					off := math.Abs(cmplx.Abs(spice[i]) - cmplx.Abs(ours[i]))
					allowed := max(0.001, 0.001*cmplx.Abs(spice[i]))
					assert.LessOrEqual(t, off, allowed, "%s: ngspice %v, ours %v; faults %v", name, spice[i], ours[i], c.Faults)
					mu.Lock()
					worst = max(worst, off/allowed)
					mu.Unlock()
				}
				mu.Lock()
				defer mu.Unlock()
				nodes += len(names)
				for _, f := range c.Faults {
					kinds[f.Kind]++
				}
			})
		}
	})
	t.Logf(
		"%d circuits, %d nodes; worst is %.3f of what is allowed (0.1 %% or 1 mV); faults %v",
		drawn,
		nodes,
		worst,
		kinds,
	)
	for _, kind := range plainKinds {
		assert.NotZero(t, kinds[kind], "no circuit with a fault of kind %s was drawn", kind)
	}
}

// drawCircuit draws every third circuit sound, the others with one or two faults.
func drawCircuit(seed uint64) *circuit.Circuit {
	r := rand.New(rand.NewPCG(seed, 1))
	c := draw.Circuit(r, draw.Options{Boxes: 1 + int(seed%12), Plain: true})
	c.Faults = draw.Faults(r, c, int(seed%3), plainKinds...)
	return c
}

// solve is the voltage of every node against earth by the prepared model.
func solve(t *testing.T, c *circuit.Circuit) ([]complex128, []string) {
	m, err := network.NewModel(c, network.Default)
	require.NoError(t, err)
	v, err := m.Vary(c.Faults)
	require.NoError(t, err)
	k := m.Base.NewCase()
	m.Settle(k, v)
	var volts []complex128
	for n := range m.Plan.Names {
		volts = append(volts, k.Voltage(network.Node(n), network.Earth))
	}
	return volts, m.Plan.Names
}

var printed = regexp.MustCompile(`v\((\d+)\) = ([-+.\de]+),([-+.\de]+)`)

// runNgspice runs the deck of the settled circuit and returns its node voltages.
func runNgspice(t *testing.T, path string, c *circuit.Circuit) []complex128 {
	plan, err := network.Settled(c, network.Default)
	require.NoError(t, err)
	var deck bytes.Buffer
	require.NoError(t, plan.WriteSPICE(&deck, c.Name))
	cmd := exec.Command(path, "-b")
	cmd.Stdin = &deck
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, string(out))
	require.NotContains(t, strings.ToLower(string(out)), "error")
	volts := make([]complex128, len(plan.Names))
	found := printed.FindAllStringSubmatch(string(out), -1)
	require.Len(t, found, len(plan.Names), string(out))
	for _, f := range found {
		n, err := strconv.Atoi(f[1])
		require.NoError(t, err)
		re, err := strconv.ParseFloat(f[2], 64)
		require.NoError(t, err)
		im, err := strconv.ParseFloat(f[3], 64)
		require.NoError(t, err)
		volts[n-1] = complex(re, im)
	}
	return volts
}
