package call_test

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"slices"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"elvat/core/call"
	"elvat/internal/desk"
	"elvat/internal/intake"
	"elvat/internal/kept"
	"elvat/internal/phone"
)

// memory is a shop in memory: what the real one keeps in its database, and the same intake.
type memory struct {
	at      *kept.Snapshot
	arrived []kept.Arrived
	clock   time.Time
	desk    *desk.Desk
	intake  *intake.Intake
}

func newMemory(r *call.Record, clock time.Time) *memory {
	m := &memory{clock: clock, at: &kept.Snapshot{Call: kept.Call{ID: r.ID, Run: 1, Site: 1, Panel: 3, Version: r.Version}, Record: r}}
	m.desk = desk.New(m, func() time.Time { return m.clock })
	n := 0
	m.desk.NewID = func() string { n++; return fmt.Sprintf("made-by-shop-%04d", n) }
	m.intake = &intake.Intake{Ledger: m, Desk: m.desk, Refused: func(_ context.Context, err error) (string, bool) { return err.Error(), false }}
	return m
}

func (m *memory) Load(context.Context, int64) (*kept.Snapshot, error) { return m.at, nil }
func (m *memory) LoadPast(context.Context, int64) (*kept.Snapshot, error) {
	return nil, kept.ErrNotFound
}
func (m *memory) Keep(_ context.Context, at *kept.Snapshot, next *call.Record, a *call.Action, _ []byte) (*kept.Snapshot, error) {
	after := *at
	after.Version = at.Version + 1
	last := &next.Log[len(next.Log)-1]
	last.ID, last.ArrivedAt = after.Version, a.ArrivedAt
	next.Version, after.Record = after.Version, next
	m.at = &after
	return m.at, nil
}
func (*memory) DrillsOf(context.Context, string, int) ([]kept.Drill, error) { return nil, nil }

func (*memory) SetDrillResult(context.Context, int64, []byte) error { return nil }

func (*memory) UsedElsewhere(context.Context, string, int64) error             { return nil }
func (*memory) CallsOfRun(context.Context, int64, int64, int) ([]int64, error) { return nil, nil }
func (*memory) Setting(context.Context, string) ([]byte, error)                { return nil, nil }
func (*memory) Set(context.Context, string, []byte) error                      { return nil }
func (*memory) Stock(context.Context) ([]kept.Have, error)                     { return nil, nil }
func (*memory) Used(context.Context, int64) ([]kept.Have, error)               { return nil, nil }
func (*memory) Answer(context.Context, int64) (kept.Answer, error) {
	return kept.Answer{}, kept.ErrNotFound
}
func (*memory) GFCIsOfSite(context.Context, int64) ([]kept.DueGFCI, error)         { return nil, nil }
func (*memory) Snapshot(ctx context.Context, do func(context.Context) error) error { return do(ctx) }
func (*memory) VisitOf(context.Context, int64, kept.LinkKind, time.Time) (kept.Visit, error) {
	return kept.Visit{}, kept.ErrNotFound
}

func (m *memory) index(command string) int {
	return slices.IndexFunc(m.arrived, func(a kept.Arrived) bool { return a.ID == command })
}

func (m *memory) Arrive(_ context.Context, all []kept.Arrived) error {
	for _, a := range all {
		if m.index(a.ID) < 0 {
			m.arrived = append(m.arrived, a)
		}
	}
	return nil
}

func (m *memory) Untried(context.Context) (all []kept.Arrived, err error) {
	for _, a := range m.arrived {
		if a.Refused == "" {
			all = append(all, a)
		}
	}
	return all, nil
}

func (m *memory) Arrived(_ context.Context, command string) (kept.Arrived, error) {
	if i := m.index(command); i >= 0 {
		return m.arrived[i], nil
	}
	return kept.Arrived{}, kept.ErrNotFound
}

func (m *memory) TakeArrived(_ context.Context, command string) error {
	m.arrived = slices.DeleteFunc(m.arrived, func(a kept.Arrived) bool { return a.ID == command })
	return nil
}

func (m *memory) RefuseArrived(_ context.Context, command, why string, _ int64) error {
	m.arrived[m.index(command)].Refused = why
	return nil
}

func (*memory) Begun(context.Context, string) (int64, error) { return 0, kept.ErrNotFound }

// hand is a phone that somebody carries: its clock is off, it is put away and taken out.
type hand struct {
	*phone.Phone
	name   string
	off    time.Duration
	shop   *memory
	packed []byte
}

func (h *hand) now() time.Time { return h.shop.clock.Add(h.off) }

func (h *hand) wake(waiting []kept.Waiting) error {
	h.Phone = phone.New(h.now, desk.Caller{Device: h.name, Person: h.name})
	var c kept.Packed
	if err := json.Unmarshal(h.packed, &c); err != nil {
		return err
	}
	if err := h.Take(c); err != nil {
		return err
	}
	h.Restore(waiting)
	return nil
}

// wound is where a visit to the shop breaks off.
type wound int

const (
	none    wound = iota
	sending       // nothing arrived
	written       // all was written down, and the machine went down
	answer        // all was carried out, and the answer was lost
)

// visit is a sync: of some of what waits, broken off somewhere.
func (h *hand) visit(ctx context.Context, r *rand.Rand, breaks wound) error {
	data, err := json.Marshal(h.Waiting())
	if err != nil || breaks == sending {
		return err
	}
	var commands []kept.Waiting
	if err := json.Unmarshal(data, &commands); err != nil {
		return err
	}
	if len(commands) > 0 && r.IntN(3) == 0 {
		commands = commands[:1+r.IntN(len(commands))] // the rest goes with the next
	}
	sent, here := h.now(), h.shop.clock
	by := desk.Caller{Device: h.name, Person: h.name, Sent: func(made time.Time) (time.Time, error) { return made.Add(here.Sub(sent)), nil }}
	if err := h.shop.intake.Arrive(by.In(ctx), commands); err != nil || breaks == written {
		return err
	}
	if err := h.shop.intake.Resume(ctx); err != nil || breaks == answer {
		return err
	}
	var a phone.SyncAnswer
	for _, c := range commands {
		w, err := h.shop.intake.Became(ctx, c)
		if err != nil {
			return err
		}
		a.Results = append(a.Results, phone.SyncResult{Id: c.ID, Done: w.Refused == "", Detail: &w.Refused})
	}
	if h.packed, err = json.Marshal(kept.Pack(h.shop.at)); err != nil {
		return err
	}
	var c kept.Packed
	if err := json.Unmarshal(h.packed, &c); err != nil {
		return err
	}
	a.Calls = []kept.Packed{c}
	return h.Synced(a)
}

// documents are all parts of a record, and what was done on it, without when it arrived.
func documents(t *testing.T, r *call.Record) map[string]string {
	all := map[string]string{}
	for _, p := range r.Parts() {
		var v any
		require.NoError(t, json.Unmarshal(p.Document, &v))
		text, err := json.Marshal(v)
		require.NoError(t, err)
		all[string(p.Kind)+" "+p.ID] = string(text)
	}
	for i, a := range r.Log {
		all[fmt.Sprintf("log %04d", i)] = a.Command + " " + a.Do + " " + a.Device + " " + a.Undoes
	}
	return all
}

// apart is how many histories are drawn; ELVAT_HISTORIES asks for more (make histories).
const apart = 300

// TestThreeApart: two phones with clocks of their own and the office work on one call, cut off
// from each other, put away, broken off in the middle of what they send, the machine killed
// between writing down and carrying out. In the end all three hold the same record; nothing
// that was entered is lost; each command was carried out once; nobody's was taken back by another.
func TestThreeApart(t *testing.T) {
	histories := apart
	if more, err := strconv.Atoi(os.Getenv("ELVAT_HISTORIES")); err == nil {
		histories = more
	}
	if testing.Short() {
		histories = 24
	}
	for part := range 4 {
		t.Run(fmt.Sprint(part), func(t *testing.T) {
			t.Parallel()
			for seed := part; seed < histories; seed += 4 {
				threeApart(t, uint64(seed))
			}
		})
	}
}

func threeApart(t *testing.T, seed uint64) {
	ctx := t.Context()
	draw, record := call.NewDrawer(t, seed)
	shop := newMemory(record, time.Date(2026, 3, 2, 12, 0, 0, 0, time.UTC))
	r := rand.New(rand.NewPCG(seed, 16))
	packed, err := json.Marshal(kept.Pack(shop.at))
	require.NoError(t, err)
	hands := []*hand{
		{name: "phone-ada", off: time.Duration(r.IntN(600)-300) * time.Minute, shop: shop, packed: packed},
		{name: "phone-bo", off: time.Duration(r.IntN(600)-300) * time.Minute, shop: shop, packed: packed},
	}
	for _, h := range hands {
		require.NoError(t, h.wake(nil))
	}
	entered, did := map[string]string{}, map[string]string{} // facts by their id, and commands by who gave them
	doIt := func(d *desk.Desk, by desk.Caller, as *call.Record, who string) {
		do := draw.Draw(as, "-"+who)
		c := d.Command(by.In(ctx), do)
		c.ID = fmt.Sprintf("%s-does-%04d", who, len(did))
		if _, err := d.Do(by.In(ctx), record.ID, c, nil); err != nil {
			var gate call.GateShut
			var wrong call.BadInput
			require.True(t, errors.As(err, &gate) || errors.As(err, &wrong) || errors.Is(err, call.ErrNothingLeft) || errors.Is(err, call.ErrNotFound) || errors.Is(err, call.ErrUsedElsewhere), "seed %d, %s: %v", seed, call.Name(do), err)
			return
		}
		did[c.ID] = who
		switch do := do.(type) {
		case *call.AddReading:
			entered[do.ID] = c.ID
		case *call.AddEntry:
			entered[do.ID] = c.ID
		case *call.AddPicture:
			entered[do.ID] = c.ID
		case *call.UsePart:
			entered[do.ID+"-0"] = c.ID // the first van that gives of it
		}
	}
	for range 14 + r.IntN(14) {
		shop.clock = shop.clock.Add(time.Duration(1+r.IntN(40)) * time.Minute)
		if r.IntN(4) == 0 {
			doIt(shop.desk, desk.Caller{Device: "office", Person: "office", Seen: shop.at.Version}, shop.at.Record, "office")
			continue
		}
		h := hands[r.IntN(2)]
		at, err := h.Book.Load(ctx, record.ID)
		require.NoError(t, err)
		doIt(h.Desk, desk.Caller{Device: h.name, Person: h.name, Seen: at.Version}, at.Record, h.name)
		switch r.IntN(9) {
		case 0, 1:
			require.NoError(t, h.visit(ctx, r, none))
		case 2:
			require.NoError(t, h.visit(ctx, r, wound(1+r.IntN(3))))
		case 3: // put away: what is written down is all that is left
			require.NoError(t, h.wake(h.Waiting()))
		}
	}
	for len(hands[0].Waiting())+len(hands[1].Waiting()) > 0 {
		for _, h := range hands {
			require.NoError(t, h.visit(ctx, r, none))
		}
	}
	want := documents(t, shop.at.Record)
	for _, h := range hands {
		require.NoError(t, h.visit(ctx, r, none))
		at, err := h.Book.Load(ctx, record.ID)
		require.NoError(t, err)
		require.Equal(t, want, documents(t, at.Record), "seed %d, %s", seed, h.name)
	}
	by, times := map[string]string{}, map[string]int{}
	for _, a := range shop.at.Record.Log {
		by[a.Command] = a.Device
		times[a.Command]++
		if a.Undoes != "" {
			require.Equal(t, a.Device, by[a.Undoes], "seed %d: %s takes back what %s did", seed, a.Command, by[a.Undoes])
		}
	}
	there := map[string]bool{}
	for _, p := range shop.at.Record.Parts() {
		there[p.ID] = true
	}
	for fact, command := range entered {
		require.LessOrEqual(t, times[command], 1)
		require.True(t, there[fact] || shop.index(command) >= 0, "seed %d: %s of %s is neither on the record nor waits for a decision", seed, fact, command)
	}
}
