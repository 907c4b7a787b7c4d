package meterlink_test

import (
	"bufio"
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"net"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/internal/meterlink"
)

// circuitWithFault is two outlets with the ground open before the second.
func circuitWithFault(t *testing.T) *circuit.Circuit {
	c := circuit.New("meter")
	require.NoError(t, c.AddStop(circuit.NewStop{After: circuit.Panel, Feet: 30, Ground: true}))
	require.NoError(t, c.AddStop(circuit.NewStop{After: "B1", Feet: 30, Ground: true}))
	c.Boxes[1].Devices[0].Slots = 3
	c.Faults = []circuit.Fault{{Kind: circuit.Open, At: "W2@B1.ground"}}
	return c
}

// simulated starts the simulated meter on an address, "" for any.
func simulated(t *testing.T, address string) (string, context.CancelFunc) {
	if address == "" {
		address = "127.0.0.1:0"
	}
	s, err := meterlink.NewSimulated(circuitWithFault(t), "R2", rand.New(rand.NewPCG(1, 1)))
	require.NoError(t, err)
	l, err := net.Listen("tcp", address)
	require.NoError(t, err)
	ctx, stop := context.WithCancel(t.Context())
	done := make(chan error, 1)
	go func() { done <- s.Serve(ctx, l) }()
	t.Cleanup(func() {
		stop()
		assert.NoError(t, <-done)
	})
	return l.Addr().String(), stop
}

func TestMeasuring(t *testing.T) {
	address, _ := simulated(t, "")
	m := &meterlink.Meter{Address: address}
	defer m.Close()
	ctx := t.Context()
	identity, err := m.Identify(ctx)
	require.NoError(t, err)
	assert.True(t, meterlink.IsSimulated(identity))
	assert.Len(t, strings.Split(identity, ","), 4, "*IDN? has four fields (IEEE 488.2, from memory)")
	for _, row := range []struct {
		pair string
		f    meterlink.Function
		want float64
	}{
		{"hotNeutral", meterlink.VoltsAC, 119.9}, {"groundEarth", meterlink.VoltsAC, 40}, {"neutralEarth", meterlink.VoltsAC, 0},
		{"neutralEarth", meterlink.Ohms, 0.11}, {"groundEarth", meterlink.Ohms, math.Inf(1)},
	} {
		require.NoError(t, m.Tell(ctx, meterlink.ProbeCommand("R2", circuit.Top, row.pair)))
		require.NoError(t, m.Configure(ctx, row.f))
		got, err := m.Measure(ctx, row.f)
		require.NoError(t, err)
		if row.pair == "groundEarth" && row.f == meterlink.VoltsAC {
			assert.InDelta(t, row.want, got, 25, "a ghost on the floating ground")
			continue
		}
		if math.IsInf(row.want, 1) {
			assert.Equal(t, row.want, got)
			continue
		}
		assert.InDelta(t, row.want, got, 0.6, "%s %s", row.pair, row.f)
	}
	one, err := m.Measure(ctx, meterlink.VoltsAC)
	require.NoError(t, err)
	two, err := m.Measure(ctx, meterlink.VoltsAC)
	require.NoError(t, err)
	assert.NotEqual(t, one, two, "a little noise")
}

func TestInstrumentErrors(t *testing.T) {
	address, _ := simulated(t, "")
	m := &meterlink.Meter{Address: address}
	defer m.Close()
	for command, want := range map[string]string{
		"FREQ 50":            "-113",
		"PROB R9,top,HN":     "no outlet R9",
		"PROB R2,top,purple": "no pair purple",
		"PROB R2":            "want device,half,pair",
	} {
		err := m.Tell(t.Context(), command)
		var refused *meterlink.InstrumentError
		require.ErrorAs(t, err, &refused, command)
		assert.Contains(t, err.Error(), want)
	}
	_, err := m.Measure(t.Context(), meterlink.VoltsAC)
	assert.NoError(t, err, "and it goes on measuring")
}

// TestReconnection: the meter goes away and comes back; the next question is answered.
func TestReconnection(t *testing.T) {
	address, stop := simulated(t, "")
	m := &meterlink.Meter{Address: address}
	defer m.Close()
	_, err := m.Identify(t.Context())
	require.NoError(t, err)
	stop()
	require.Eventually(t, func() bool {
		_, err := m.Identify(t.Context())
		return err != nil
	}, 5*time.Second, 10*time.Millisecond)
	simulated(t, address)
	_, err = m.Identify(t.Context())
	assert.NoError(t, err)
}

// TestTimeOut: a meter that says nothing is not waited for.
func TestTimeOut(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	m := &meterlink.Meter{Address: l.Addr().String(), Timeout: 50 * time.Millisecond}
	defer m.Close()
	_, err = m.Measure(t.Context(), meterlink.VoltsAC)
	assert.ErrorContains(t, err, "does not answer in time")
}

func TestNobodyThere(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	address := l.Addr().String()
	require.NoError(t, l.Close())
	_, err = (&meterlink.Meter{Address: address}).Identify(t.Context())
	assert.ErrorContains(t, err, "meter at "+address)
}

// odd answers every query with the same line.
func odd(t *testing.T, answer string) *meterlink.Meter {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { l.Close() })
	go func() {
		for {
			conn, err := l.Accept()
			if err != nil {
				return
			}
			go func() {
				defer conn.Close()
				lines := bufio.NewScanner(conn)
				for lines.Scan() {
					switch {
					case strings.HasPrefix(lines.Text(), "SYST"):
						fmt.Fprint(conn, "0,\"No error\"\n")
					case strings.HasSuffix(lines.Text(), "?"):
						fmt.Fprint(conn, answer, "\n")
					}
				}
			}()
		}
	}()
	m := &meterlink.Meter{Address: l.Addr().String(), Timeout: time.Second}
	t.Cleanup(func() { m.Close() })
	return m
}

func TestAnswers(t *testing.T) {
	for _, row := range []struct {
		answer string
		want   float64
		err    string
	}{
		{"+1.198000E+02", 119.8, ""},
		{"119.8\r", 119.8, ""},
		{"9.9E37", math.Inf(1), ""},
		{"9.91E37", 0, "no reading"},
		{"OL", 0, `"OL" is no number`},
	} {
		got, err := odd(t, row.answer).Measure(t.Context(), meterlink.VoltsAC)
		if row.err != "" {
			assert.ErrorContains(t, err, row.err)
			continue
		}
		require.NoError(t, err, row.answer)
		assert.Equal(t, row.want, got)
	}
}

// TestCommandForms: long and short forms, any case, a leading colon, several
// in a line (SCPI-1999, from memory).
func TestCommandForms(t *testing.T) {
	address, _ := simulated(t, "")
	conn, err := net.Dial("tcp", address)
	require.NoError(t, err)
	defer conn.Close()
	answers := bufio.NewReader(conn)
	for _, row := range []struct{ send, want string }{
		{"MEAS:VOLT:AC?", `^[+-]\d\.\d+E[+-]\d+$`},
		{"MEASURE:VOLTAGE:AC?", `^[+-]\d\.\d+E[+-]\d+$`},
		{":measure:volt:ac?", `^[+-]\d\.\d+E[+-]\d+$`},
		{"CONF:RES;CONF?", `^"RES"$`},
		{"*RST;CONF?;*OPC?", `^"VOLT:AC";1$`},
		{"READ?", `^[+-]\d\.\d+E[+-]\d+$`},
		{"MEASU:VOLT:AC?;SYST:ERR?", `^-113,"Undefined header; MEASU:VOLT:AC\?"$`},
		{"SYSTem:ERRor:NEXT?", `^0,"No error"$`},
		{"NOPE;NOPE;*CLS;SYST:ERR?", `^0,"No error"$`},
		{strings.Repeat("X;", 40) + strings.Repeat("SYST:ERR?;", 15) + "SYST:ERR?", `-350,"Queue overflow"$`},
	} {
		_, err := fmt.Fprint(conn, row.send, "\n")
		require.NoError(t, err)
		got, err := answers.ReadString('\n')
		require.NoError(t, err)
		assert.Regexp(t, regexp.MustCompile(row.want), strings.TrimSpace(got), row.send)
	}
}
