package meterlink

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"net"
	"slices"
	"strings"
	"sync"

	"elvat/core/circuit"
	"elvat/core/tester"
)

// simulatedIdentity is how the simulated meter answers *IDN?.
const simulatedIdentity = "Elvat,Simulated meter,0,1"

// Noise of a simulated reading: a share of it, and a floor. Assumption.
const (
	noiseShare = 0.001
	noiseVolts = 0.03
	noiseOhms  = 0.002
)

// maxLine bounds what one command may hold, maxErrors the error queue.
const (
	maxLine   = 1024
	maxErrors = 16
)

// A Simulated meter answers from the circuit model with its hidden faults. Its
// probes are moved by a command no real meter has, PROBe device,half,pair with
// a pair of tester.VoltNames.
type Simulated struct {
	mu        sync.Mutex
	bench     *tester.Bench
	condition *tester.Condition
	noise     *rand.Rand
	device    string
	half      circuit.Half
	pair      int
	function  Function
	open      map[net.Conn]bool
}

// NewSimulated is a meter on the circuit, its probes at the top half of the
// device, hot to neutral.
func NewSimulated(c *circuit.Circuit, device string, noise *rand.Rand) (*Simulated, error) {
	bench, err := tester.NewBench(c)
	if err != nil {
		return nil, err
	}
	condition, err := bench.Try(c.Faults)
	if err != nil {
		return nil, err
	}
	if _, ok := bench.Outlet(device, circuit.Top); !ok {
		return nil, fmt.Errorf("at %q: no such device on this circuit", device)
	}
	return &Simulated{
		bench: bench, condition: condition, noise: noise, device: device, half: circuit.Top,
		function: VoltsAC, open: map[net.Conn]bool{},
	}, nil
}

// Serve answers on the listener until the context ends.
func (s *Simulated) Serve(ctx context.Context, l net.Listener) error {
	stop := context.AfterFunc(ctx, func() {
		l.Close()
		s.mu.Lock()
		defer s.mu.Unlock()
		for conn := range s.open {
			conn.Close()
		}
	})
	defer stop()
	for {
		conn, err := l.Accept()
		if err != nil {
			if ctx.Err() != nil {
				return nil
			}
			return err
		}
		s.mu.Lock()
		s.open[conn] = true
		s.mu.Unlock()
		go s.talk(conn)
	}
}

// session is one connection, with the error queue it sees.
type session struct{ errors []string }

func (q *session) report(code int, text string) {
	if len(q.errors) < maxErrors {
		q.errors = append(q.errors, fmt.Sprintf("%d,%q", code, text))
		return
	}
	q.errors[maxErrors-1] = `-350,"Queue overflow"`
}

func (s *Simulated) talk(conn net.Conn) {
	defer func() {
		s.mu.Lock()
		delete(s.open, conn)
		s.mu.Unlock()
		conn.Close()
	}()
	lines := bufio.NewScanner(conn)
	lines.Buffer(make([]byte, maxLine), maxLine)
	var q session
	for lines.Scan() {
		var answers []string
		for _, command := range strings.Split(lines.Text(), ";") {
			if answer := s.obey(&q, strings.TrimSpace(command)); answer != "" {
				answers = append(answers, answer)
			}
		}
		if len(answers) == 0 {
			continue
		}
		if _, err := conn.Write([]byte(strings.Join(answers, ";") + "\n")); err != nil {
			return
		}
	}
}

// obey carries out one command and returns its answer, "" where it has none.
func (s *Simulated) obey(q *session, command string) string {
	if command == "" {
		return ""
	}
	header, argument, _ := strings.Cut(command, " ")
	s.mu.Lock()
	defer s.mu.Unlock()
	switch h := strings.TrimPrefix(strings.ToUpper(header), ":"); {
	case h == "*IDN?":
		return simulatedIdentity
	case h == "*OPC?":
		return "1"
	case h == "*RST":
		s.function = VoltsAC
	case h == "*CLS":
		q.errors = nil
	case is(h, "SYSTem:ERRor?"), is(h, "SYSTem:ERRor:NEXT?"):
		if len(q.errors) == 0 {
			return `0,"No error"`
		}
		first := q.errors[0]
		q.errors = q.errors[1:]
		return first
	case is(h, "CONFigure:VOLTage:AC"):
		s.function = VoltsAC
	case is(h, "CONFigure:RESistance"):
		s.function = Ohms
	case is(h, "CONFigure?"):
		return `"` + string(s.function) + `"`
	case is(h, "MEASure:VOLTage:AC?"):
		s.function = VoltsAC
		return s.measure(q)
	case is(h, "MEASure:RESistance?"):
		s.function = Ohms
		return s.measure(q)
	case h == "READ?":
		return s.measure(q)
	case is(h, "PROBe"):
		if err := s.probe(argument); err != nil {
			q.report(-224, "Illegal parameter value; "+err.Error())
		}
	default:
		q.report(-113, "Undefined header; "+header)
	}
	return ""
}

// is compares a header with its long form, whose capitals are the short form.
func is(got, long string) bool {
	wants := strings.Split(long, ":")
	parts := strings.Split(got, ":")
	if len(parts) != len(wants) {
		return false
	}
	for i, want := range wants {
		short := strings.Map(func(r rune) rune {
			if r >= 'a' && r <= 'z' {
				return -1
			}
			return r
		}, want)
		if parts[i] != short && parts[i] != strings.ToUpper(want) {
			return false
		}
	}
	return true
}

func (s *Simulated) probe(argument string) error {
	parts := strings.Split(argument, ",")
	if len(parts) != 3 {
		return errors.New("want device,half,pair")
	}
	device, half, pair := strings.TrimSpace(
		parts[0],
	), circuit.Half(
		strings.ToLower(strings.TrimSpace(parts[1])),
	), strings.TrimSpace(
		parts[2],
	)
	if _, ok := s.bench.Outlet(device, half); !ok {
		return fmt.Errorf("no outlet %s %s", device, half)
	}
	i := slices.IndexFunc(tester.VoltNames, func(name string) bool { return strings.EqualFold(name, pair) })
	if i < 0 {
		return fmt.Errorf("no pair %s", pair)
	}
	s.device, s.half, s.pair = device, half, i
	return nil
}

func (s *Simulated) measure(q *session) string {
	o, _ := s.bench.Outlet(s.device, s.half)
	if s.function == VoltsAC {
		v := s.condition.MeterVolts(o, s.pair, tester.HighZ)
		if math.IsNaN(v) {
			return scpi(notANumber)
		}
		return scpi(max(0, v+s.noise.NormFloat64()*(noiseShare*v+noiseVolts)))
	}
	slots := [3]string{"hot", "neutral", "ground"}
	ends := [6][2]int{{0, 1}, {0, 2}, {1, 2}, {0, 3}, {1, 3}, {2, 3}}[s.pair]
	point := func(i int) string {
		if i == 3 {
			return "panel.ground"
		}
		return s.device + "." + string(s.half) + "." + slots[i]
	}
	reads, err := s.condition.OhmsBetween(point(ends[0]), point(ends[1]))
	switch {
	case err != nil:
		q.report(-221, "Settings conflict; "+err.Error())
		return scpi(notANumber)
	case reads.Open:
		return scpi(infinity)
	}
	return scpi(max(0, reads.Value+s.noise.NormFloat64()*(noiseShare*reads.Value+noiseOhms)))
}

// scpi writes a number in the NR3 form.
func scpi(v float64) string { return fmt.Sprintf("%+.6E", v) }

// IsSimulated reports whether an identity is the simulated meter's: its probes
// are moved by a command instead of by hand.
func IsSimulated(identity string) bool { return identity == simulatedIdentity }

// ProbeCommand moves the simulated meter's probes.
func ProbeCommand(device string, half circuit.Half, pair string) string {
	return fmt.Sprintf("PROB %s,%s,%s", device, half, pair)
}
