package server

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"strings"
	"time"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/job"
	"elvat/core/merge"
	"elvat/core/sitebook"
	"elvat/core/tester"
	"elvat/core/wire"
	"elvat/internal/api"
	"elvat/internal/meterlink"
	"elvat/internal/store"
)

// calls implements the routes of the contract.
type calls struct {
	store   *store.Store
	shop    string
	meter   *meterlink.Meter
	now     func() time.Time
	tracer  bool
	engines *engines
	// freshener keeps the summaries of changed calls.
	freshener *freshener
	backups   *Backups
	access    *access
}

var _ api.StrictServerInterface = (*calls)(nil)

func (s *calls) GetBasics(ctx context.Context, _ api.GetBasicsRequestObject) (api.GetBasicsResponseObject, error) {
	basics, err := s.basics(ctx)
	return api.GetBasics200JSONResponse(basics), err
}

// lampsSetting is the name under which the order of the lamps is kept.
const lampsSetting = "lamps"

func (s *calls) basics(ctx context.Context) (api.Basics, error) {
	b := api.Basics{
		Shop: s.shop, Cautions: job.Cautions, BreakerAmps: circuit.BranchAmps, AssumedFeet: circuit.AssumedFeet,
		Sides: tester.Default.Sides(), Lamps: []api.BasicsLamps{}, Meter: s.meter != nil,
		Plugged: diagnosis.PluggedSizes, ProvesOn: job.ProvesOn,
	}
	for _, g := range wire.Gauges {
		b.Gauges = append(b.Gauges, int(g))
	}
	for _, w := range tester.Wirings {
		b.Wirings = append(b.Wirings, string(w))
	}
	kept, err := s.store.Setting(ctx, lampsSetting)
	if err != nil || kept == nil {
		return b, err
	}
	return b, json.Unmarshal(kept, &b.Lamps)
}

func (s *calls) SetLamps(ctx context.Context, r api.SetLampsRequestObject) (api.SetLampsResponseObject, error) {
	seen := map[api.LampOrderLamps]bool{}
	for _, pair := range r.Body.Lamps {
		if !pair.Valid() {
			return nil, badInput{fmt.Errorf("lamps: %q is no pair of slots", pair)}
		}
		seen[pair] = true
	}
	if len(r.Body.Lamps) != 3 || len(seen) != 3 {
		return nil, badInput{errors.New("lamps: each of the three stands for another pair")}
	}
	kept, err := json.Marshal(r.Body.Lamps)
	if err != nil {
		return nil, err
	}
	if err := s.store.Set(ctx, lampsSetting, kept); err != nil {
		return nil, err
	}
	basics, err := s.basics(ctx)
	return api.SetLamps200JSONResponse(basics), err
}

// callNow loads the call and shows it as it is now.
func (s *calls) callNow(ctx context.Context, id int64) (api.CallNowJSONResponse, error) {
	v, err := s.load(ctx, id)
	if err != nil {
		return api.CallNowJSONResponse{}, err
	}
	now, err := s.whole(ctx, v)
	return api.CallNowJSONResponse(now), err
}

// whole is the call with what stands beside it: what is known from before, what
// can be taken back, and what to take along.
func (s *calls) whole(ctx context.Context, v *state) (api.Call, error) {
	now := v.view()
	now.Site = v.site
	past, err := s.past(ctx, v.call.Run, v.call.ID)
	if err != nil {
		return now, err
	}
	now.Past = sitebook.Last(v.circuit, past)
	now.Answers = []api.Answered{}
	for i := range v.record.Answers {
		now.Answers = append(now.Answers, api.Answered{At: v.said[i], Words: v.record.Answers[i].Words(v.labelOf, nil)})
	}
	if now.Conflicts, err = s.conflicts(ctx, v.circuit, v.call.ID); err != nil {
		return now, err
	}
	last, back, err := s.store.Undoable(ctx, v.call.ID)
	if err != nil {
		return now, err
	}
	now.Undo, now.Redo = done(last), done(back)
	link, err := s.store.VisitOf(ctx, v.call.ID, s.now())
	if err == nil {
		now.VisitUntil = &link.ExpiresAt
	} else if !errors.Is(err, store.ErrNotFound) {
		return now, err
	}
	return now, s.supplies(ctx, v, &now)
}

func (s *calls) GetCall(ctx context.Context, r api.GetCallRequestObject) (api.GetCallResponseObject, error) {
	now, err := s.callNow(ctx, r.Call)
	return api.GetCall200JSONResponse{CallNowJSONResponse: now}, err
}

func (s *calls) ChangeCall(ctx context.Context, r api.ChangeCallRequestObject) (api.ChangeCallResponseObject, error) {
	now, err := s.change(ctx, r.Call, "name or complaint", func(ctx context.Context) error {
		call, err := s.store.Call(ctx, r.Call)
		if err != nil {
			return err
		}
		for _, field := range []struct {
			name string
			from *string
			to   *string
		}{{"title", r.Body.Title, &call.Title}, {"complaint", r.Body.Complaint, &call.Complaint}} {
			if field.from == nil {
				continue
			}
			text := strings.TrimSpace(*field.from)
			if err := s.retyped(ctx, call.ID, field.name, *field.to, text); err != nil {
				return err
			}
			*field.to = text
		}
		if call.Title == "" {
			return badInput{errors.New("title: a call needs a name")}
		}
		return s.store.UpdateCall(ctx, call)
	})
	return api.ChangeCall200JSONResponse{CallNowJSONResponse: now}, err
}

func (s *calls) ReadCautions(ctx context.Context, r api.ReadCautionsRequestObject) (api.ReadCautionsResponseObject, error) {
	now, err := s.change(ctx, r.Call, "went through what can hurt", func(ctx context.Context) error {
		call, err := s.store.Call(ctx, r.Call)
		if err != nil || call.CautionsReadAt != nil {
			return err
		}
		at := s.at(ctx)
		call.CautionsReadAt = &at
		return s.store.UpdateCall(ctx, call)
	})
	return api.ReadCautions200JSONResponse{CallNowJSONResponse: now}, err
}

func (s *calls) DownloadCircuit(ctx context.Context, r api.DownloadCircuitRequestObject) (api.DownloadCircuitResponseObject, error) {
	revision, err := s.store.Circuit(ctx, r.Call)
	if err != nil {
		return nil, err
	}
	c, err := circuit.Parse(revision.Document)
	if err != nil {
		return nil, err
	}
	document, err := c.Encode() // laid out for people
	if err != nil {
		return nil, err
	}
	return api.DownloadCircuit200ApplicationoctetStreamResponse{
		Body: bytes.NewReader(document), ContentLength: int64(len(document)),
		Headers: api.DownloadCircuit200ResponseHeaders{ContentDisposition: fmt.Sprintf(`attachment; filename="elvat-circuit-call-%d.json"`, r.Call)},
	}, nil
}

func (s *calls) ReplaceCircuit(ctx context.Context, r api.ReplaceCircuitRequestObject) (api.ReplaceCircuitResponseObject, error) {
	data, err := io.ReadAll(r.Body)
	if err != nil {
		return nil, err
	}
	c, err := circuit.Parse(data)
	if err != nil {
		return nil, badInput{err}
	}
	now, err := s.change(ctx, r.Call, "another circuit file", func(ctx context.Context) error { return s.replace(ctx, r.Call, c) })
	return api.ReplaceCircuit200JSONResponse{CallNowJSONResponse: now}, err
}

// replace stores the circuit as the call's new run.
func (s *calls) replace(ctx context.Context, call int64, c *circuit.Circuit) error {
	document, err := c.Encode()
	if err != nil {
		return err
	}
	return s.store.AddCircuit(ctx, call, document, s.at(ctx))
}

// edit changes the call's run as it is now, within an action.
func (s *calls) edit(ctx context.Context, call int64, change func(*circuit.Circuit) error) error {
	revision, err := s.store.Circuit(ctx, call)
	if err != nil {
		return err
	}
	c, err := circuit.Parse(revision.Document)
	if err != nil {
		return err
	}
	if err := change(c); err != nil {
		return badInput{err}
	}
	after, err := c.Encode()
	if err != nil {
		return err
	}
	if err := s.store.AddCircuit(ctx, call, after, s.at(ctx)); err != nil {
		return err
	}
	return s.runConflicts(ctx, call, revision.Document, after, change)
}

// editRun changes the call's run and shows the call.
func (s *calls) editRun(ctx context.Context, call int64, what string, change func(*circuit.Circuit) error) (api.CallNowJSONResponse, error) {
	return s.change(ctx, call, what, func(ctx context.Context) error { return s.edit(ctx, call, change) })
}

func (s *calls) UndoCircuit(ctx context.Context, r api.UndoCircuitRequestObject) (api.UndoCircuitResponseObject, error) {
	now, err := s.change(ctx, r.Call, "took back a change of the run", func(ctx context.Context) error { return s.store.UndoCircuit(ctx, r.Call) })
	return api.UndoCircuit200JSONResponse{CallNowJSONResponse: now}, err
}

func (s *calls) SetBreaker(ctx context.Context, r api.SetBreakerRequestObject) (api.SetBreakerResponseObject, error) {
	now, err := s.editRun(ctx, r.Call, "breaker", func(c *circuit.Circuit) error {
		c.Breaker.Label, c.Breaker.Amps = strings.TrimSpace(r.Body.Label), r.Body.Amps
		return c.Check()
	})
	return api.SetBreaker200JSONResponse{CallNowJSONResponse: now}, err
}

func (s *calls) AddStop(ctx context.Context, r api.AddStopRequestObject) (api.AddStopResponseObject, error) {
	stop := circuit.NewStop{After: r.Body.After, Ground: r.Body.Ground == nil || *r.Body.Ground}
	if r.Body.Label != nil {
		stop.Label = *r.Body.Label
	}
	if r.Body.Into != nil {
		stop.Into = *r.Body.Into
	}
	if r.Body.Awg != nil {
		stop.AWG = wire.Gauge(*r.Body.Awg)
	}
	if r.Body.Feet != nil {
		stop.Feet = *r.Body.Feet
	}
	if r.Body.Slots != nil {
		stop.Slots = int(*r.Body.Slots)
	}
	stop.GFCI = r.Body.Gfci != nil && *r.Body.Gfci
	now, err := s.editRun(ctx, r.Call, "added a stop", func(c *circuit.Circuit) error { return c.AddStop(stop) })
	return api.AddStop201JSONResponse{CallNowJSONResponse: now}, err
}

func (s *calls) ChangeStop(ctx context.Context, r api.ChangeStopRequestObject) (api.ChangeStopResponseObject, error) {
	change := circuit.StopChange{
		Label: r.Body.Label, Feet: r.Body.Feet, Ground: r.Body.Ground,
		AWG: as[wire.Gauge](r.Body.Awg), Slots: as[int](r.Body.Slots), Makeup: (*circuit.Makeup)(r.Body.Makeup),
		GFCI: r.Body.Gfci,
	}
	now, err := s.editRun(ctx, r.Call, "changed a stop", func(c *circuit.Circuit) error { return c.ChangeStop(r.Box, change) })
	return api.ChangeStop200JSONResponse{CallNowJSONResponse: now}, err
}

// as is the number of another integer type, nil for nil.
func as[T, F ~int](from *F) *T {
	if from == nil {
		return nil
	}
	to := T(*from)
	return &to
}

func (s *calls) RemoveStop(ctx context.Context, r api.RemoveStopRequestObject) (api.RemoveStopResponseObject, error) {
	now, err := s.editRun(ctx, r.Call, "took a stop off", func(c *circuit.Circuit) error { return c.RemoveStop(r.Box) })
	return api.RemoveStop200JSONResponse{CallNowJSONResponse: now}, err
}

func (s *calls) AddReading(ctx context.Context, r api.AddReadingRequestObject) (api.AddReadingResponseObject, error) {
	if err := idOf(r.Body.Id); err != nil {
		return nil, err
	}
	c, err := s.circuit(ctx, r.Call)
	if err != nil {
		return nil, err
	}
	reading, err := tester.ParseOne(r.Body.Reading, c)
	if err != nil {
		return nil, badInput{err}
	}
	now, err := s.change(ctx, r.Call, "reading, "+whereRead(c, &reading), func(ctx context.Context) error {
		return s.store.AddReading(ctx, r.Call, store.Reading{ID: r.Body.Id, TakenAt: s.at(ctx), Document: r.Body.Reading})
	})
	return api.AddReading201JSONResponse{CallNowJSONResponse: now}, err
}

// whereRead names a reading in a few words.
func whereRead(c *circuit.Circuit, r *tester.Reading) string {
	tool := strings.ReplaceAll(string(r.Tool), "-", " ")
	if _, box := c.Device(r.At); box != nil {
		return tool + " at " + c.LabelOf(box.ID)
	}
	if r.Site != "" {
		return tool + " at " + c.LabelOf(r.Site)
	}
	return tool
}

func (s *calls) MarkReading(ctx context.Context, r api.MarkReadingRequestObject) (api.MarkReadingResponseObject, error) {
	now, err := s.change(ctx, r.Call, "marked a reading", func(ctx context.Context) error {
		if r.Body.Withdrawn != nil {
			if err := s.store.WithdrawReading(ctx, r.Call, r.Reading, *r.Body.Withdrawn); err != nil {
				return err
			}
		}
		if r.Body.Doubtful != nil {
			return s.store.DoubtReading(ctx, r.Call, r.Reading, *r.Body.Doubtful)
		}
		return nil
	})
	return api.MarkReading200JSONResponse{CallNowJSONResponse: now}, err
}

func (s *calls) SetState(ctx context.Context, r api.SetStateRequestObject) (api.SetStateResponseObject, error) {
	c, err := s.circuit(ctx, r.Call)
	if err != nil {
		return nil, err
	}
	if _, err := r.Body.On(c); err != nil {
		return nil, badInput{err}
	}
	state, err := json.Marshal(r.Body)
	if err != nil {
		return nil, err
	}
	now, err := s.change(ctx, r.Call, "state of the circuit", func(ctx context.Context) error {
		call, err := s.store.Call(ctx, r.Call)
		if err != nil {
			return err
		}
		out, err := s.merged(ctx, s.documentOf(c, call, theState), call.State, state)
		if err != nil {
			return err
		}
		return s.store.SetState(ctx, r.Call, out)
	})
	return api.SetState200JSONResponse{CallNowJSONResponse: now}, err
}

func (s *calls) AddLoad(ctx context.Context, r api.AddLoadRequestObject) (api.AddLoadResponseObject, error) {
	now, err := s.editRun(ctx, r.Call, "plugged something in", func(c *circuit.Circuit) error {
		return c.AddLoad(r.Body.At, circuit.Half(r.Body.Half), r.Body.Watts)
	})
	return api.AddLoad201JSONResponse{CallNowJSONResponse: now}, err
}

func (s *calls) RemoveLoad(ctx context.Context, r api.RemoveLoadRequestObject) (api.RemoveLoadResponseObject, error) {
	now, err := s.editRun(ctx, r.Call, "unplugged something", func(c *circuit.Circuit) error { return c.RemoveLoad(r.Load) })
	return api.RemoveLoad200JSONResponse{CallNowJSONResponse: now}, err
}

func (s *calls) SetChanged(ctx context.Context, r api.SetChangedRequestObject) (api.SetChangedResponseObject, error) {
	c, err := s.circuit(ctx, r.Call)
	if err != nil {
		return nil, err
	}
	if v, _ := c.Device(r.Device); v == nil {
		return nil, badInput{fmt.Errorf("device %s: not on this circuit", r.Device)}
	}
	now, err := s.change(ctx, r.Call, "device changed lately", func(ctx context.Context) error {
		return s.store.SetChanged(ctx, r.Call, r.Device, r.Body.Changed)
	})
	return api.SetChanged200JSONResponse{CallNowJSONResponse: now}, err
}

// TakeFromMeter asks the instrument for one value. A simulated one has its
// probes moved first; a real one's are where the person holds them.
func (s *calls) TakeFromMeter(ctx context.Context, r api.TakeFromMeterRequestObject) (api.TakeFromMeterResponseObject, error) {
	if s.meter == nil {
		return nil, errNoMeter
	}
	c, err := s.circuit(ctx, r.Call)
	if err != nil {
		return nil, err
	}
	if v, _ := c.Device(r.Body.At); v == nil {
		return nil, badInput{fmt.Errorf("at %q: no such device on this circuit", r.Body.At)}
	}
	identity, err := s.meter.Identify(ctx)
	if err != nil {
		return nil, meterError{err}
	}
	if meterlink.IsSimulated(identity) {
		if err := s.meter.Tell(ctx, meterlink.ProbeCommand(r.Body.At, circuit.Half(r.Body.Half), string(r.Body.Pair))); err != nil {
			return nil, meterError{err}
		}
	}
	volts, err := s.meter.Measure(ctx, meterlink.VoltsAC)
	if err != nil {
		return nil, meterError{err}
	}
	if math.IsInf(volts, 0) {
		return nil, meterError{errors.New("the meter shows an overload")}
	}
	return api.TakeFromMeter200JSONResponse{Volts: math.Round(volts*10) / 10, Instrument: identity}, nil
}

// retyped keeps a conflict where another device typed something else into the
// same field since the caller looked.
func (s *calls) retyped(ctx context.Context, call int64, field, theirs, mine string) error {
	by := callerOf(ctx)
	if by.seen == 0 || theirs == mine {
		return nil
	}
	base, since, err := s.store.AsOf(ctx, "calls", []any{call}, field, by.seen, by.device)
	if err != nil || since == nil || string(base) == theirs {
		return err
	}
	other, err := json.Marshal(theirs)
	if err != nil {
		return err
	}
	own, err := json.Marshal(mine)
	if err != nil {
		return err
	}
	return s.keepConflicts(ctx, call, theCall, since, []merge.Conflict{{Path: field, Theirs: other, Mine: own}})
}

// circuit is the call's run as it is now.
func (s *calls) circuit(ctx context.Context, call int64) (*circuit.Circuit, error) {
	revision, err := s.store.Circuit(ctx, call)
	if err != nil {
		return nil, err
	}
	return circuit.Parse(revision.Document)
}
