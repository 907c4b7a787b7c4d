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
	"sync"
	"time"

	"elvat/core/circuit"
	"elvat/core/job"
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
	// editing keeps two changes of a run from being made on the same revision,
	// which would lose one of them.
	editing sync.Mutex
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

func (s *calls) ListCalls(ctx context.Context, _ api.ListCallsRequestObject) (api.ListCallsResponseObject, error) {
	all, err := s.store.Calls(ctx)
	if err != nil {
		return nil, err
	}
	list := api.ListCalls200JSONResponse{}
	for _, call := range all {
		v, err := s.loadCall(ctx, call)
		if err != nil {
			return nil, err
		}
		list = append(list, v.summary())
	}
	return list, nil
}

func (s *calls) CreateCall(ctx context.Context, r api.CreateCallRequestObject) (api.CreateCallResponseObject, error) {
	call := store.Call{Title: strings.TrimSpace(r.Body.Title), Complaint: strings.TrimSpace(r.Body.Complaint), CreatedAt: s.now()}
	c := circuit.New(call.Title)
	if r.Body.Circuit != nil {
		var err error
		if c, err = circuit.Parse([]byte(*r.Body.Circuit)); err != nil {
			return nil, badInput{err}
		}
		if call.Title == "" {
			call.Title = c.Name
		}
	}
	if call.Title == "" {
		return nil, badInput{errors.New("title: a call needs a name, such as the room or the customer")}
	}
	document, err := c.Encode()
	if err != nil {
		return nil, err
	}
	id, err := s.store.AddCall(ctx, call, document)
	if err != nil {
		return nil, err
	}
	v, err := s.load(ctx, id)
	if err != nil {
		return nil, err
	}
	return api.CreateCall201JSONResponse(v.view()), nil
}

// callNow loads the call and shows it as it is now.
func (s *calls) callNow(ctx context.Context, id int64) (api.CallNowJSONResponse, error) {
	v, err := s.load(ctx, id)
	if err != nil {
		return api.CallNowJSONResponse{}, err
	}
	return api.CallNowJSONResponse(v.view()), nil
}

func (s *calls) GetCall(ctx context.Context, r api.GetCallRequestObject) (api.GetCallResponseObject, error) {
	now, err := s.callNow(ctx, r.Call)
	return api.GetCall200JSONResponse{CallNowJSONResponse: now}, err
}

func (s *calls) ChangeCall(ctx context.Context, r api.ChangeCallRequestObject) (api.ChangeCallResponseObject, error) {
	call, err := s.store.Call(ctx, r.Call)
	if err != nil {
		return nil, err
	}
	if r.Body.Title != nil {
		if call.Title = strings.TrimSpace(*r.Body.Title); call.Title == "" {
			return nil, badInput{errors.New("title: a call needs a name")}
		}
	}
	if r.Body.Complaint != nil {
		call.Complaint = strings.TrimSpace(*r.Body.Complaint)
	}
	if err := s.store.UpdateCall(ctx, call); err != nil {
		return nil, err
	}
	now, err := s.callNow(ctx, r.Call)
	return api.ChangeCall200JSONResponse{CallNowJSONResponse: now}, err
}

func (s *calls) ReadCautions(ctx context.Context, r api.ReadCautionsRequestObject) (api.ReadCautionsResponseObject, error) {
	call, err := s.store.Call(ctx, r.Call)
	if err != nil {
		return nil, err
	}
	if call.CautionsReadAt == nil {
		at := s.now()
		call.CautionsReadAt = &at
		if err := s.store.UpdateCall(ctx, call); err != nil {
			return nil, err
		}
	}
	now, err := s.callNow(ctx, r.Call)
	return api.ReadCautions200JSONResponse{CallNowJSONResponse: now}, err
}

func (s *calls) DownloadCircuit(ctx context.Context, r api.DownloadCircuitRequestObject) (api.DownloadCircuitResponseObject, error) {
	revision, err := s.store.Circuit(ctx, r.Call)
	if err != nil {
		return nil, err
	}
	return api.DownloadCircuit200ApplicationoctetStreamResponse{
		Body: bytes.NewReader(revision.Document), ContentLength: int64(len(revision.Document)),
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
	now, err := s.replace(ctx, r.Call, c)
	return api.ReplaceCircuit200JSONResponse{CallNowJSONResponse: now}, err
}

// replace stores the circuit as the call's new run and shows the call.
func (s *calls) replace(ctx context.Context, call int64, c *circuit.Circuit) (api.CallNowJSONResponse, error) {
	if _, err := s.store.Call(ctx, call); err != nil {
		return api.CallNowJSONResponse{}, err
	}
	document, err := c.Encode()
	if err != nil {
		return api.CallNowJSONResponse{}, err
	}
	if err := s.store.AddCircuit(ctx, call, document, s.now()); err != nil {
		return api.CallNowJSONResponse{}, err
	}
	return s.callNow(ctx, call)
}

// edit changes the call's run.
func (s *calls) edit(ctx context.Context, call int64, change func(*circuit.Circuit) error) (api.CallNowJSONResponse, error) {
	s.editing.Lock()
	defer s.editing.Unlock()
	c, err := s.circuit(ctx, call)
	if err != nil {
		return api.CallNowJSONResponse{}, err
	}
	if err := change(c); err != nil {
		return api.CallNowJSONResponse{}, badInput{err}
	}
	return s.replace(ctx, call, c)
}

func (s *calls) UndoCircuit(ctx context.Context, r api.UndoCircuitRequestObject) (api.UndoCircuitResponseObject, error) {
	if err := s.store.UndoCircuit(ctx, r.Call); err != nil {
		return nil, err
	}
	now, err := s.callNow(ctx, r.Call)
	return api.UndoCircuit200JSONResponse{CallNowJSONResponse: now}, err
}

func (s *calls) SetBreaker(ctx context.Context, r api.SetBreakerRequestObject) (api.SetBreakerResponseObject, error) {
	now, err := s.edit(ctx, r.Call, func(c *circuit.Circuit) error {
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
	now, err := s.edit(ctx, r.Call, func(c *circuit.Circuit) error { return c.AddStop(stop) })
	return api.AddStop201JSONResponse{CallNowJSONResponse: now}, err
}

func (s *calls) ChangeStop(ctx context.Context, r api.ChangeStopRequestObject) (api.ChangeStopResponseObject, error) {
	change := circuit.StopChange{
		Label: r.Body.Label, Feet: r.Body.Feet, Ground: r.Body.Ground,
		AWG: as[wire.Gauge](r.Body.Awg), Slots: as[int](r.Body.Slots), Makeup: (*circuit.Makeup)(r.Body.Makeup),
		GFCI: r.Body.Gfci,
	}
	now, err := s.edit(ctx, r.Call, func(c *circuit.Circuit) error { return c.ChangeStop(r.Box, change) })
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
	now, err := s.edit(ctx, r.Call, func(c *circuit.Circuit) error { return c.RemoveStop(r.Box) })
	return api.RemoveStop200JSONResponse{CallNowJSONResponse: now}, err
}

func (s *calls) AddReading(ctx context.Context, r api.AddReadingRequestObject) (api.AddReadingResponseObject, error) {
	c, err := s.circuit(ctx, r.Call)
	if err != nil {
		return nil, err
	}
	if _, err := tester.ParseOne(r.Body.Reading, c); err != nil {
		return nil, badInput{err}
	}
	if n := len(r.Body.Id); n < 8 || n > 64 {
		return nil, badInput{errors.New("id: between 8 and 64 characters, made anew for each reading")}
	}
	if err := s.store.AddReading(ctx, r.Call, store.Reading{ID: r.Body.Id, TakenAt: s.now(), Document: r.Body.Reading}); err != nil {
		return nil, err
	}
	now, err := s.callNow(ctx, r.Call)
	return api.AddReading201JSONResponse{CallNowJSONResponse: now}, err
}

func (s *calls) MarkReading(ctx context.Context, r api.MarkReadingRequestObject) (api.MarkReadingResponseObject, error) {
	if r.Body.Withdrawn != nil {
		if err := s.store.WithdrawReading(ctx, r.Call, r.Reading, *r.Body.Withdrawn); err != nil {
			return nil, err
		}
	}
	if r.Body.Doubtful != nil {
		if err := s.store.DoubtReading(ctx, r.Call, r.Reading, *r.Body.Doubtful); err != nil {
			return nil, err
		}
	}
	now, err := s.callNow(ctx, r.Call)
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
	if err := s.store.SetState(ctx, r.Call, state); err != nil {
		return nil, err
	}
	now, err := s.callNow(ctx, r.Call)
	return api.SetState200JSONResponse{CallNowJSONResponse: now}, err
}

func (s *calls) AddLoad(ctx context.Context, r api.AddLoadRequestObject) (api.AddLoadResponseObject, error) {
	now, err := s.edit(ctx, r.Call, func(c *circuit.Circuit) error {
		return c.AddLoad(r.Body.At, circuit.Half(r.Body.Half), r.Body.Watts)
	})
	return api.AddLoad201JSONResponse{CallNowJSONResponse: now}, err
}

func (s *calls) RemoveLoad(ctx context.Context, r api.RemoveLoadRequestObject) (api.RemoveLoadResponseObject, error) {
	now, err := s.edit(ctx, r.Call, func(c *circuit.Circuit) error { return c.RemoveLoad(r.Load) })
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
	if err := s.store.SetChanged(ctx, r.Call, r.Device, r.Body.Changed); err != nil {
		return nil, err
	}
	now, err := s.callNow(ctx, r.Call)
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

// circuit is the call's run as it is now.
func (s *calls) circuit(ctx context.Context, call int64) (*circuit.Circuit, error) {
	revision, err := s.store.Circuit(ctx, call)
	if err != nil {
		return nil, err
	}
	return circuit.Parse(revision.Document)
}
