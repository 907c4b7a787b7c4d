package server

import (
	"bytes"
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"io"
	"math"
	"time"

	corecall "elvat/core/call"
	"elvat/core/circuit"
	"elvat/internal/api"
	"elvat/internal/desk"
	"elvat/internal/intake"
	"elvat/internal/meterlink"
	"elvat/internal/store"
)

// calls implements the routes of the contract.
type calls struct {
	*desk.Desk
	store *store.Store
	meter *meterlink.Meter
	now   func() time.Time
	// freshener keeps the summaries of changed calls.
	freshener *freshener
	backups   *Backups
	access    *access
	intake    *intake.Intake
}

// newCalls makes the desk on the store, and what only a server does beside it.
func newCalls(c Config, now func() time.Time, access *access) *calls {
	s := &calls{
		Desk: desk.New(noting{c.Store, access}, now), store: c.Store, meter: c.Meter, now: now, freshener: newFreshener(), backups: &c.Backups, access: access,
	}
	s.Share(c.Prepared)
	s.Shop, s.Tracer, s.Desk.Meter = c.Shop, c.Tracer, c.Meter != nil
	s.Changed, s.Code, s.NewID = s.freshener.ask, s.code, rand.Text
	s.intake = &intake.Intake{Ledger: c.Store, Desk: s.Desk, Begin: s.begin, Refused: refusedFor}
	return s
}

var _ api.StrictServerInterface = (*calls)(nil)

func (s *calls) GetBasics(ctx context.Context, _ api.GetBasicsRequestObject) (api.GetBasicsResponseObject, error) {
	basics, err := s.Basics(ctx)
	return api.GetBasics200JSONResponse(basics), err
}

// TellLight keeps what somebody found on a device's sheet.
func (s *calls) TellLight(ctx context.Context, r api.TellLightRequestObject) (api.TellLightResponseObject, error) {
	basics, err := s.Desk.TellLight(ctx, *r.Body)
	return api.TellLight200JSONResponse(basics), err
}

// SetLamps keeps the order of the lamps of the person's own tester.
func (s *calls) SetLamps(ctx context.Context, r api.SetLampsRequestObject) (api.SetLampsResponseObject, error) {
	basics, err := s.Desk.SetLamps(ctx, *r.Body)
	return api.SetLamps200JSONResponse(basics), err
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
	c, err := s.Circuit(ctx, r.Call)
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
	now, err := s.change(ctx, r.Call, desk.SetBreaker(*r.Body))
	return api.SetBreaker200JSONResponse{CallNowJSONResponse: now}, err
}

func (s *calls) AddStop(ctx context.Context, r api.AddStopRequestObject) (api.AddStopResponseObject, error) {
	// Who draws the run adds one outlet after the other, and waits for no suspects.
	now, err := s.change(desk.Later(ctx), r.Call, desk.AddStop(*r.Body))
	made(ctx, "/calls/%d", r.Call)
	return api.AddStop201JSONResponse{CallNowJSONResponse: now}, err
}

func (s *calls) ChangeStop(ctx context.Context, r api.ChangeStopRequestObject) (api.ChangeStopResponseObject, error) {
	now, err := s.change(ctx, r.Call, desk.ChangeStop(r.Box, *r.Body))
	return api.ChangeStop200JSONResponse{CallNowJSONResponse: now}, err
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
	now, err := s.change(ctx, r.Call, desk.AddLoad(*r.Body))
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
	c, err := s.Circuit(ctx, r.Call)
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
