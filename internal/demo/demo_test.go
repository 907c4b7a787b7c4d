package demo_test

import (
	"encoding/json"
	"path/filepath"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/diagnosis"
	"elvat/core/job"
	"elvat/core/makeup"
	"elvat/core/practice"
	"elvat/core/tester"
	"elvat/internal/api"
	"elvat/internal/demo"
	"elvat/internal/server"
	"elvat/internal/store"
)

func TestFill(t *testing.T) {
	ctx := t.Context()
	s, err := store.Open(ctx, filepath.Join(t.TempDir(), "demo.db"))
	require.NoError(t, err)
	defer s.Close()
	now := time.Date(2026, 5, 4, 12, 0, 0, 0, time.UTC)
	require.NoError(t, demo.Fill(ctx, s, now))
	for id := range int64(6) {
		call, err := s.Load(ctx, id+1)
		require.NoError(t, err)
		c := call.Record.Circuit
		assert.GreaterOrEqual(t, len(c.Boxes), 4, call.Title)
		assert.LessOrEqual(t, len(c.Boxes), 9, call.Title)
		assert.Empty(t, c.Faults, "%s: what is looked for is not stored", call.Title)
		for _, r := range call.Record.Readings {
			_, err := tester.ParseOne(r.Document, c)
			assert.NoError(t, err)
			assert.False(t, r.At.After(now.Add(time.Minute)), "%s: read at %v", call.Title, r.At)
		}
	}
}

// TestScenario: what the demo is there to show is what the core makes of it.
func TestScenario(t *testing.T) {
	ctx := t.Context()
	s, err := store.Open(ctx, filepath.Join(t.TempDir(), "demo.db"))
	require.NoError(t, err)
	defer s.Close()
	require.NoError(t, demo.Fill(ctx, s, time.Now()))
	for _, row := range []struct {
		call    int64
		circuit string
		settled bool
		sites   []string // in question
	}{
		{1, "porch", false, nil},
		{2, "darkroom", true, []string{"B3"}},
		{3, "bindery", false, []string{"B2", "B3"}},
	} {
		c, err := demo.Circuit(row.circuit)
		require.NoError(t, err)
		stored, err := s.Load(ctx, row.call)
		require.NoError(t, err)
		var readings []tester.Reading
		for _, r := range stored.Record.Readings {
			reading, err := tester.ParseOne(r.Document, c)
			require.NoError(t, err)
			readings = append(readings, reading)
		}
		engine, err := diagnosis.NewEngine(c, diagnosis.Defaults())
		require.NoError(t, err)
		result, err := engine.Diagnose(readings)
		require.NoError(t, err)
		assert.Equal(t, row.settled, result.Settled, row.circuit)
		for i, site := range row.sites {
			assert.Equal(t, site, result.Sites[i].Site, row.circuit)
			assert.Greater(t, result.Sites[i].Probability, 0.2, row.circuit)
		}
	}
}

func TestNoSuchCircuit(t *testing.T) {
	_, err := demo.Circuit("attic")
	assert.Error(t, err)
}

// TestOpenedBoxesOfTheDemo: each is a box of its run, and plans to something
// proven; the panel is one.
func TestOpenedBoxesOfTheDemo(t *testing.T) {
	require.NoError(t, demo.Panel.Check())
	for _, row := range []struct {
		circuit, box string
		codes        []string // what its electrician has to see
	}{
		{"bindery", "B3", []string{"two-under-screw", "box-overfull", "short-conductor", "must-not-go-off"}},
		{"darkroom", "B3", []string{"reversed", "box-unbonded", "box-loose", "box-recessed", "wall-gap", "colour-misleads"}},
		{"porch", "B2", []string{"bootleg", "reversed", "ground-missing", "cover"}},
	} {
		c, err := demo.Circuit(row.circuit)
		require.NoError(t, err)
		data, err := demo.Box(row.circuit, row.box)
		require.NoError(t, err)
		b, err := makeup.Parse(data)
		require.NoError(t, err)
		p, err := makeup.Make(b, practice.Shop{}, c)
		require.NoError(t, err)
		assert.True(t, p.Issued, "%s: %v", row.circuit, p.Findings)
		require.NotNil(t, p.AsFound)
		assert.False(t, p.AsFound.Good, "something is wrong as it was found")
		for _, code := range row.codes {
			assert.True(
				t,
				slices.ContainsFunc(p.Findings, func(f makeup.Finding) bool { return f.Code == code }),
				"%s: %s",
				row.circuit,
				code,
			)
		}
	}
	_, err := demo.Box("bindery", "B9")
	assert.Error(t, err)
}

// TestHistory: a made-up past holds together: what was handed over was proven,
// what came in last is in hand, houses are gone back to, and every call has the
// forty readings that a million in 25,000 calls asks for.
func TestHistory(t *testing.T) {
	ctx := t.Context()
	s, err := store.Open(ctx, filepath.Join(t.TempDir(), "history.db"))
	require.NoError(t, err)
	defer s.Close()
	now := time.Date(2026, 5, 4, 12, 0, 0, 0, time.UTC)
	const total = 120
	require.NoError(t, demo.History(ctx, s, now, 2, total))
	require.NoError(t, server.Summarize(ctx, s, func() time.Time { return now }, func(int) {}))
	over, err := s.CallLines(ctx, true, 0, total)
	require.NoError(t, err)
	inHand, err := s.CallLines(ctx, false, 0, total)
	require.NoError(t, err)
	assert.Equal(t, total, len(over)+len(inHand))
	assert.Len(t, inHand, 12)
	readings := 0
	for _, line := range over {
		var summary api.CallSummary
		require.NoError(t, json.Unmarshal(line.Summary, &summary))
		assert.True(t, summary.HandedOver)
		for _, p := range summary.Phases {
			if p.Phase == job.Prove {
				assert.Equal(t, "all as predicted", p.Detail, summary.Complaint)
			}
		}
		assert.Less(t, line.ID, inHand[len(inHand)-1].ID, "the last to come in are in hand")
		call, err := s.Load(ctx, line.ID)
		require.NoError(t, err)
		readings += len(call.Record.Readings)
		assert.GreaterOrEqual(
			t,
			len(call.Record.Log),
			len(call.Record.Readings)+len(call.Record.Journal)+2,
			"all of it was done by a command",
		)
	}
	assert.GreaterOrEqual(t, readings/len(over), 40)
	sites, err := s.Sites(ctx, 0, total)
	require.NoError(t, err)
	assert.Less(t, len(sites), total/2)
	due, err := s.DueGFCIs(ctx, now, total)
	require.NoError(t, err)
	assert.NotEmpty(t, due, "tests that nobody made for a month")
}
