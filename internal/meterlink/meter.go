// Package meterlink reads a bench or handheld meter that speaks SCPI over TCP,
// and holds a simulated one that answers from the circuit model.
//
// Forms of commands and answers follow IEEE 488.2 and SCPI-1999 (from memory):
// a command ends with a line feed, a query with a question mark; SYST:ERR?
// answers code,"text" with 0 for none; 9.9E37 stands for infinity.
package meterlink

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"math"
	"net"
	"strconv"
	"strings"
	"sync"
	"time"
)

// A Function is what a meter measures.
type Function string

// Functions, as SCPI names them.
const (
	VoltsAC Function = "VOLT:AC"
	Ohms    Function = "RES"
)

// infinity and notANumber are how SCPI-1999 writes them.
const (
	infinity   = 9.9e37
	notANumber = 9.91e37
)

// A Meter is a connection to an instrument. It connects when first used, and
// again after the connection broke. It is safe for concurrent use: one
// question at a time.
type Meter struct {
	Address string
	// Timeout bounds connecting and each answer; 3 s where it is zero.
	Timeout time.Duration

	mu     sync.Mutex
	conn   net.Conn
	reader *bufio.Reader
}

// An InstrumentError is what the instrument itself reported in SYST:ERR?.
type InstrumentError struct {
	Code int
	Text string
}

func (e *InstrumentError) Error() string {
	return fmt.Sprintf("the meter reports error %d: %s", e.Code, e.Text)
}

// Identify is the instrument's answer to *IDN?: maker, model, serial number, version.
func (m *Meter) Identify(ctx context.Context) (string, error) {
	return m.ask(ctx, "*IDN?")
}

// Measure takes one reading; +Inf is an open circuit or an overload.
func (m *Meter) Measure(ctx context.Context, f Function) (float64, error) {
	answer, err := m.ask(ctx, "MEAS:"+string(f)+"?")
	if err != nil {
		return 0, err
	}
	v, err := strconv.ParseFloat(answer, 64)
	switch {
	case err != nil:
		return 0, fmt.Errorf("meter at %s: %q is no number", m.Address, answer)
	case math.Abs(v) == notANumber:
		return 0, fmt.Errorf("meter at %s: it has no reading", m.Address)
	case v >= infinity:
		return math.Inf(1), nil
	}
	return v, nil
}

// Configure sets the instrument to the function without measuring.
func (m *Meter) Configure(ctx context.Context, f Function) error {
	return m.Tell(ctx, "CONF:"+string(f))
}

// Tell sends a command that has no answer, and asks whether it was understood.
func (m *Meter) Tell(ctx context.Context, command string) error {
	_, err := m.exchange(ctx, command, false)
	return err
}

// Close ends the connection.
func (m *Meter) Close() error {
	m.mu.Lock()
	defer m.mu.Unlock()
	return m.drop()
}

func (m *Meter) ask(ctx context.Context, query string) (string, error) {
	return m.exchange(ctx, query, true)
}

// exchange sends a line, reads its answer where it has one, and then the
// instrument's error queue. A connection that broke since the last exchange is
// made anew, once; a time-out is not tried again.
func (m *Meter) exchange(ctx context.Context, line string, answers bool) (string, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	kept := m.conn != nil
	answer, err := m.once(ctx, line, answers)
	var refused *InstrumentError
	var timeout net.Error
	if err == nil || errors.As(err, &refused) {
		return answer, wrap(m.Address, err)
	}
	m.drop()
	if !kept || ctx.Err() != nil || errors.As(err, &timeout) && timeout.Timeout() {
		return "", wrap(m.Address, err)
	}
	answer, err = m.once(ctx, line, answers)
	if err != nil && !errors.As(err, &refused) {
		m.drop()
	}
	return answer, wrap(m.Address, err)
}

func wrap(address string, err error) error {
	var timeout net.Error
	switch {
	case err == nil:
		return nil
	case errors.As(err, &timeout) && timeout.Timeout():
		return fmt.Errorf("meter at %s: it does not answer in time", address)
	default:
		return fmt.Errorf("meter at %s: %w", address, err)
	}
}

func (m *Meter) once(ctx context.Context, line string, answers bool) (string, error) {
	if err := m.connect(ctx); err != nil {
		return "", err
	}
	var answer string
	var err error
	if answers {
		if answer, err = m.line(ctx, line); err != nil {
			// An instrument that did not understand a query gives no answer: its error queue says why.
			var timeout net.Error
			if errors.As(err, &timeout) && timeout.Timeout() {
				if reported := m.reported(ctx); reported != nil {
					return "", reported
				}
			}
			return "", err
		}
	} else if err := m.send(ctx, line); err != nil {
		return "", err
	}
	return answer, m.reported(ctx)
}

// reported asks for the instrument's oldest error, and clears the rest.
func (m *Meter) reported(ctx context.Context) error {
	said, err := m.line(ctx, "SYST:ERR?")
	if err != nil {
		return err
	}
	code, text, _ := strings.Cut(said, ",")
	n, err := strconv.Atoi(strings.TrimSpace(code))
	if err != nil {
		return fmt.Errorf("%q is no answer to SYST:ERR?", said)
	}
	if n == 0 {
		return nil
	}
	if err := m.send(ctx, "*CLS"); err != nil {
		return err
	}
	return &InstrumentError{Code: n, Text: strings.Trim(strings.TrimSpace(text), `"`)}
}

func (m *Meter) timeout() time.Duration {
	if m.Timeout == 0 {
		return 3 * time.Second
	}
	return m.Timeout
}

func (m *Meter) connect(ctx context.Context) error {
	if m.conn != nil {
		return nil
	}
	dialer := net.Dialer{Timeout: m.timeout()}
	conn, err := dialer.DialContext(ctx, "tcp", m.Address)
	if err != nil {
		return err
	}
	m.conn, m.reader = conn, bufio.NewReader(conn)
	return nil
}

func (m *Meter) drop() error {
	if m.conn == nil {
		return nil
	}
	err := m.conn.Close()
	m.conn, m.reader = nil, nil
	return err
}

func (m *Meter) send(ctx context.Context, line string) error {
	deadline := time.Now().Add(m.timeout())
	if sooner, ok := ctx.Deadline(); ok && sooner.Before(deadline) {
		deadline = sooner
	}
	if err := m.conn.SetDeadline(deadline); err != nil {
		return err
	}
	_, err := m.conn.Write([]byte(line + "\n"))
	return err
}

func (m *Meter) line(ctx context.Context, query string) (string, error) {
	if err := m.send(ctx, query); err != nil {
		return "", err
	}
	answer, err := m.reader.ReadString('\n')
	return strings.TrimSpace(answer), err
}
