package server

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"
	"time"

	corecall "elvat/core/call"
	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/job"
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

// lampsOf is the name under which the order of the lamps is kept: each has a tester of his
// own. Where nobody signs in, there is one.
func lampsOf(ctx context.Context) string {
	if by := callerOf(ctx).person; by != "" {
		return "lamps of " + by
	}
	return "lamps"
}

// lightsSetting is the name under which is kept what lights mean; lights, at most so
// many. Assumption.
const (
	lightsSetting = "lights"
	mostLights    = 500
)

func (s *calls) lights(ctx context.Context) ([]tester.Light, error) {
	lights := []tester.Light{}
	kept, err := s.store.Setting(ctx, lightsSetting)
	if err != nil || kept == nil {
		return lights, err
	}
	return lights, json.Unmarshal(kept, &lights)
}

// TellLight keeps what somebody found on a device's sheet.
func (s *calls) TellLight(ctx context.Context, r api.TellLightRequestObject) (api.TellLightResponseObject, error) {
	told := *r.Body
	told.Kind = strings.TrimSpace(told.Kind)
	if err := told.Check(); err != nil {
		return nil, badInput{err}
	}
	if told.Kind == "" || told.Means == "" {
		return nil, badInput{errors.New("light: kind and means are wanted: which device, and what its sheet says")}
	}
	lights, err := s.lights(ctx)
	if err != nil {
		return nil, err
	}
	lights = slices.DeleteFunc(lights, func(l tester.Light) bool {
		return l.Kind == told.Kind && l.Colour == told.Colour && l.Shows == told.Shows
	})
	if len(lights) >= mostLights {
		return nil, badInput{fmt.Errorf("light: %d are kept already", mostLights)}
	}
	kept, err := json.Marshal(append(lights, told))
	if err != nil {
		return nil, err
	}
	if err := s.store.Set(ctx, lightsSetting, kept); err != nil {
		return nil, err
	}
	basics, err := s.basics(ctx)
	return api.TellLight200JSONResponse(basics), err
}

func (s *calls) basics(ctx context.Context) (api.Basics, error) {
	b := api.Basics{
		Shop: s.shop, Cautions: job.Cautions, BreakerAmps: circuit.BranchAmps, AssumedFeet: circuit.AssumedFeet,
		Sides: tester.Default.Sides(), Lamps: []api.BasicsLamps{}, Patterns: tester.Patterns(), Appliances: appliances(), Meter: s.meter != nil,
		Plugged: diagnosis.PluggedSizes, ProvesOn: job.ProvesOn, LightColours: tester.LightColours, Rights: job.Rights(),
	}
	for _, t := range tester.Plugs {
		b.Plugs = append(b.Plugs, api.Tool(t))
	}
	for _, m := range tester.Meanings {
		b.Meanings = append(b.Meanings, api.LightMeaning{Means: string(m), Words: m.Words()})
	}
	for _, g := range wire.Gauges {
		b.Gauges = append(b.Gauges, int(g))
	}
	for _, w := range tester.Wirings {
		b.Wirings = append(b.Wirings, string(w))
	}
	shop, err := s.house(ctx)
	if err != nil {
		return b, err
	}
	b.TimeZone, b.Units = shop.TimeZone, shop.Units
	site, err := s.example(ctx)
	if err != nil {
		return b, err
	}
	b.Example = site != 0
	if b.Lights, err = s.lights(ctx); err != nil {
		return b, err
	}
	kept, err := s.store.Setting(ctx, lampsOf(ctx))
	if err != nil || kept == nil {
		return b, err
	}
	return b, json.Unmarshal(kept, &b.Lamps)
}

// appliances are what may be plugged in, in the contract's shape.
func appliances() []api.PluggedSize {
	var all []api.PluggedSize
	for _, a := range circuit.Appliances {
		all = append(all, api.PluggedSize(a))
	}
	return all
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
	if err := s.store.Set(ctx, lampsOf(ctx), kept); err != nil {
		return nil, err
	}
	basics, err := s.basics(ctx)
	return api.SetLamps200JSONResponse(basics), err
}

// callNow loads the call and shows it as it is now.
func (s *calls) callNow(ctx context.Context, id int64) (api.CallNowJSONResponse, error) {
	var now api.Call
	err := s.store.Snapshot(ctx, func(ctx context.Context) error {
		at, err := s.store.Load(ctx, id)
		if err == nil {
			now, err = s.wholeAt(ctx, at)
		}
		return err
	})
	return api.CallNowJSONResponse(now), err
}

// wholeAt is the call with what stands beside it: what is known from before, what
// can be taken back, and what to take along.
func (s *calls) wholeAt(ctx context.Context, at *store.Snapshot) (api.Call, error) {
	v, err := s.see(ctx, at)
	if err != nil {
		return api.Call{}, err
	}
	if !v.Facts.HandedOver {
		if err := s.engines.prepare(v.question()); err != nil {
			return api.Call{}, err
		}
	}
	now := v.view()
	shows(ctx, now.Version)
	past, err := s.past(ctx, v.call.Run, v.call.ID)
	if err != nil {
		return now, err
	}
	now.Past = sitebook.Last(v.circuit, past)
	now.Answers = []api.Answered{}
	for i := range v.record.Answers {
		now.Answers = append(
			now.Answers,
			api.Answered{At: v.record.AnsweredAt[i], Words: v.record.Answers[i].Words(v.record.LabelOf, nil)},
		)
	}
	now.Conflicts = conflicts(v.record)
	last, back := v.record.Undoable()
	now.Undo, now.Redo = done(last), done(back)
	for kind, until := range map[store.LinkKind]**time.Time{store.BeforeVisit: &now.VisitUntil, store.OfResult: &now.ResultUntil} {
		link, err := s.store.VisitOf(ctx, v.call.ID, kind, s.now())
		if err == nil {
			*until = &link.ExpiresAt
		} else if !errors.Is(err, store.ErrNotFound) {
			return now, err
		}
	}
	return now, s.supplies(ctx, v, &now)
}

func (s *calls) GetCall(ctx context.Context, r api.GetCallRequestObject) (api.GetCallResponseObject, error) {
	now, err := s.callNow(ctx, r.Call)
	return api.GetCall200JSONResponse{CallNowJSONResponse: now}, err
}

func (s *calls) ChangeCall(ctx context.Context, r api.ChangeCallRequestObject) (api.ChangeCallResponseObject, error) {
	now, err := s.change(ctx, r.Call, &corecall.Rename{Title: r.Body.Title, Complaint: r.Body.Complaint})
	return api.ChangeCall200JSONResponse{CallNowJSONResponse: now}, err
}

func (s *calls) ReadCautions(
	ctx context.Context,
	r api.ReadCautionsRequestObject,
) (api.ReadCautionsResponseObject, error) {
	now, err := s.change(ctx, r.Call, &corecall.ReadCautions{})
	return api.ReadCautions200JSONResponse{CallNowJSONResponse: now}, err
}

func (s *calls) DownloadCircuit(
	ctx context.Context,
	r api.DownloadCircuitRequestObject,
) (api.DownloadCircuitResponseObject, error) {
	c, err := s.circuit(ctx, r.Call)
	if err != nil {
		return nil, err
	}
	document, err := c.Encode() // laid out for people
	if err != nil {
		return nil, err
	}
	return api.DownloadCircuit200ApplicationoctetStreamResponse{
		Body: bytes.NewReader(document), ContentLength: int64(len(document)),
		Headers: api.DownloadCircuit200ResponseHeaders{
			ContentDisposition: fmt.Sprintf(`attachment; filename="elvat-circuit-call-%d.json"`, r.Call),
		},
	}, nil
}

func (s *calls) ReplaceCircuit(
	ctx context.Context,
	r api.ReplaceCircuitRequestObject,
) (api.ReplaceCircuitResponseObject, error) {
	data, err := io.ReadAll(r.Body)
	if err != nil {
		return nil, err
	}
	now, err := s.change(ctx, r.Call, &corecall.ReplaceRun{Circuit: data})
	return api.ReplaceCircuit200JSONResponse{CallNowJSONResponse: now}, err
}

func (s *calls) SetBreaker(ctx context.Context, r api.SetBreakerRequestObject) (api.SetBreakerResponseObject, error) {
	now, err := s.change(ctx, r.Call, &corecall.SetBreaker{
		Label: r.Body.Label, Amps: r.Body.Amps, Protection: circuit.Protection(or(r.Body.Protection, "")),
	})
	return api.SetBreaker200JSONResponse{CallNowJSONResponse: now}, err
}

func (s *calls) AddStop(ctx context.Context, r api.AddStopRequestObject) (api.AddStopResponseObject, error) {
	b := r.Body
	// Who draws the run adds one outlet after the other, and waits for no suspects.
	now, err := s.change(context.WithValue(ctx, laterKey{}, true), r.Call, &corecall.AddStop{
		After: b.After, Into: or(b.Into, ""), Label: or(b.Label, ""), AWG: wire.Gauge(or(b.Awg, 0)), Feet: or(b.Feet, 0), Ground: b.Ground,
		Slots: int(or(b.Slots, 0)), GFCI: or(b.Gfci, false), Devices: as[int](b.Devices),
	})
	made(ctx, "/calls/%d", r.Call)
	return api.AddStop201JSONResponse{CallNowJSONResponse: now}, err
}

// or is what is said, or what holds where nothing is.
func or[T any](said *T, unsaid T) T {
	if said == nil {
		return unsaid
	}
	return *said
}

func (s *calls) ChangeStop(ctx context.Context, r api.ChangeStopRequestObject) (api.ChangeStopResponseObject, error) {
	now, err := s.change(ctx, r.Call, &corecall.ChangeStop{
		Box: r.Box, Label: r.Body.Label, Feet: r.Body.Feet, Ground: r.Body.Ground,
		AWG: as[wire.Gauge](r.Body.Awg), Slots: as[int](r.Body.Slots), Makeup: (*circuit.Makeup)(r.Body.Makeup),
		GFCI: r.Body.Gfci, Devices: as[int](r.Body.Devices),
	})
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
	now, err := s.change(ctx, r.Call, &corecall.RemoveStop{Box: r.Box})
	return api.RemoveStop200JSONResponse{CallNowJSONResponse: now}, err
}

func (s *calls) AddReading(ctx context.Context, r api.AddReadingRequestObject) (api.AddReadingResponseObject, error) {
	now, err := s.change(ctx, r.Call, &corecall.AddReading{ID: r.Body.Id, Reading: r.Body.Reading})
	made(ctx, "/calls/%d/readings/%s", r.Call, r.Body.Id)
	return api.AddReading201JSONResponse{CallNowJSONResponse: now}, err
}

func (s *calls) MarkReading(
	ctx context.Context,
	r api.MarkReadingRequestObject,
) (api.MarkReadingResponseObject, error) {
	now, err := s.change(
		ctx,
		r.Call,
		&corecall.MarkReading{ID: r.Reading, Withdrawn: r.Body.Withdrawn, Doubtful: r.Body.Doubtful},
	)
	return api.MarkReading200JSONResponse{CallNowJSONResponse: now}, err
}

func (s *calls) SetState(ctx context.Context, r api.SetStateRequestObject) (api.SetStateResponseObject, error) {
	now, err := s.change(ctx, r.Call, &corecall.SetState{State: r.Body})
	return api.SetState200JSONResponse{CallNowJSONResponse: now}, err
}

func (s *calls) AddLoad(ctx context.Context, r api.AddLoadRequestObject) (api.AddLoadResponseObject, error) {
	now, err := s.change(
		ctx,
		r.Call,
		&corecall.AddLoad{At: r.Body.At, Half: circuit.Half(r.Body.Half), Watts: r.Body.Watts},
	)
	made(ctx, "/calls/%d", r.Call)
	return api.AddLoad201JSONResponse{CallNowJSONResponse: now}, err
}

func (s *calls) RemoveLoad(ctx context.Context, r api.RemoveLoadRequestObject) (api.RemoveLoadResponseObject, error) {
	now, err := s.change(ctx, r.Call, &corecall.RemoveLoad{Load: r.Load})
	return api.RemoveLoad200JSONResponse{CallNowJSONResponse: now}, err
}

func (s *calls) SetChanged(ctx context.Context, r api.SetChangedRequestObject) (api.SetChangedResponseObject, error) {
	now, err := s.change(ctx, r.Call, &corecall.SetChanged{Device: r.Device, Changed: r.Body.Changed})
	return api.SetChanged200JSONResponse{CallNowJSONResponse: now}, err
}

// TakeFromMeter asks the instrument for one value. A simulated one has its
// probes moved first; a real one's are where the person holds them.
func (s *calls) TakeFromMeter(
	ctx context.Context,
	r api.TakeFromMeterRequestObject,
) (api.TakeFromMeterResponseObject, error) {
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
