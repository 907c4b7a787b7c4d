package server

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"slices"
	"time"

	corecall "elvat/core/call"
	"elvat/core/circuit"
	"elvat/core/job"
	"elvat/core/tester"
	"elvat/internal/api"
	"elvat/internal/report"
	"elvat/internal/store"
)

func (s *calls) workNow(ctx context.Context, id int64) (api.WorkNowJSONResponse, error) {
	at, err := s.store.Load(ctx, id)
	if err != nil {
		return api.WorkNowJSONResponse{}, err
	}
	return s.workAt(ctx, at)
}

func (s *calls) workAt(ctx context.Context, at *store.Snapshot) (api.WorkNowJSONResponse, error) {
	v, err := s.see(ctx, at)
	if err != nil {
		return api.WorkNowJSONResponse{}, err
	}
	r := v.record
	shows(ctx, r.Version)
	shop, err := s.house(ctx)
	if err != nil {
		return api.WorkNowJSONResponse{}, err
	}
	open, err := r.Open(shop)
	if err != nil {
		return api.WorkNowJSONResponse{}, err
	}
	w := api.WorkNowJSONResponse{
		Journal: []api.JournalLine{}, Gates: v.Gates, Checks: append([]job.Check{}, v.Checks...), HandOver: r.Journal.HandOver(v.Checks, open),
		Directory: r.PanelDirectory(), Search: r.Search(), Pictures: []api.Picture{}, Tracer: s.tracer, Stays: []string{}, Version: r.Version,
	}
	for i, e := range r.Journal {
		w.Journal = append(w.Journal, api.JournalLine{Id: r.EntryIDs[i], Entry: e, Words: e.Words(v.circuit.LabelOf)})
		if e.Kind == job.HandedOver && !e.Withdrawn {
			w.HandedOver = &e.At
		}
	}
	slices.Reverse(w.Journal)
	labels, err := s.labels(ctx, v, nil)
	if err != nil {
		return w, err
	}
	w.Labels = make([]struct {
		Device string `json:"device"`
		Label  string `json:"label"`
		Path   string `json:"path"`
	}, 0)
	for _, l := range labels {
		if l.Code != "" {
			w.Labels = append(w.Labels, struct {
				Device string `json:"device"`
				Label  string `json:"label"`
				Path   string `json:"path"`
			}{l.Device, l.At, l.Code})
		}
	}
	for _, stay := range v.Stays {
		w.Stays = append(w.Stays, stay.Device)
	}
	for _, p := range r.Pictures {
		if !p.Withdrawn {
			w.Pictures = append(w.Pictures, api.Picture{Id: p.ID, Box: p.Box, Phase: p.Phase, TakenAt: p.At})
		}
	}
	return w, nil
}

// GetWork shows the work on a call.
func (s *calls) GetWork(ctx context.Context, r api.GetWorkRequestObject) (api.GetWorkResponseObject, error) {
	now, err := s.workNow(ctx, r.Call)
	return api.GetWork200JSONResponse{WorkNowJSONResponse: now}, err
}

// AddEntry enters what was done.
func (s *calls) AddEntry(ctx context.Context, r api.AddEntryRequestObject) (api.AddEntryResponseObject, error) {
	now, err := s.changeWork(ctx, r.Call, &corecall.AddEntry{ID: r.Body.Id, Entry: r.Body.Entry}, nil)
	made(ctx, "/calls/%d/journal/%s", r.Call, r.Body.Id)
	return api.AddEntry201JSONResponse{WorkNowJSONResponse: now}, err
}

// MarkEntry takes an entry back, or puts it back in force.
func (s *calls) MarkEntry(ctx context.Context, r api.MarkEntryRequestObject) (api.MarkEntryResponseObject, error) {
	now, err := s.changeWork(ctx, r.Call, &corecall.MarkEntry{ID: r.Entry, Withdrawn: r.Body.Withdrawn}, nil)
	return api.MarkEntry200JSONResponse{WorkNowJSONResponse: now}, err
}

// SetDirectory keeps the panel's directory.
func (s *calls) SetDirectory(
	ctx context.Context,
	r api.SetDirectoryRequestObject,
) (api.SetDirectoryResponseObject, error) {
	now, err := s.changeWork(ctx, r.Call, &corecall.SetDirectory{Directory: job.Directory(*r.Body)}, nil)
	return api.SetDirectory200JSONResponse{WorkNowJSONResponse: now}, err
}

var errNoTracer = errors.New("no transmitter and receiver are at hand here: say which breaker it was")

// TraceBreaker is what the simulated receiver shows.
func (s *calls) TraceBreaker(
	ctx context.Context,
	r api.TraceBreakerRequestObject,
) (api.TraceBreakerResponseObject, error) {
	if !s.tracer {
		return nil, badInput{errNoTracer}
	}
	if r.Pass != 1 && r.Pass != 2 {
		return nil, badInput{errors.New("pass: the first or the second")}
	}
	at, err := s.store.Load(ctx, r.Call)
	if err != nil {
		return nil, err
	}
	seed := uint64(r.Call)
	return api.TraceBreaker200JSONResponse(
		job.Trace(
			at.Record.PanelDirectory(),
			at.Record.Circuit.Breaker.Label,
			r.Pass,
			rand.New(rand.NewPCG(seed, uint64(r.Pass))),
		),
	), nil
}

// AddPicture keeps a photograph taken at a phase of the call, drawn anew.
func (s *calls) AddPicture(ctx context.Context, r api.AddPictureRequestObject) (api.AddPictureResponseObject, error) {
	do := &corecall.AddPicture{ID: r.Params.Id, Phase: r.Params.Phase, Box: or(r.Params.Box, "")}
	at, err := s.store.Load(ctx, r.Call)
	if err != nil {
		return nil, err
	}
	if err := do.Check(at.Record); err != nil { // before the picture is looked at
		return nil, err
	}
	clean, err := photograph(r.Body)
	if err != nil {
		return nil, err
	}
	now, err := s.changeWork(ctx, r.Call, do, clean)
	made(ctx, "/calls/%d/pictures/%s", r.Call, r.Params.Id)
	return api.AddPicture201JSONResponse{WorkNowJSONResponse: now}, err
}

// GetPicture is one photograph of the call.
func (s *calls) GetPicture(ctx context.Context, r api.GetPictureRequestObject) (api.GetPictureResponseObject, error) {
	picture, err := s.store.Image(ctx, r.Call, r.Picture)
	if err != nil {
		return nil, err
	}
	return api.GetPicture200ImagejpegResponse{Body: bytes.NewReader(picture), ContentLength: int64(len(picture))}, nil
}

// MarkPicture takes a photograph back, or shows it again.
func (s *calls) MarkPicture(
	ctx context.Context,
	r api.MarkPictureRequestObject,
) (api.MarkPictureResponseObject, error) {
	now, err := s.changeWork(ctx, r.Call, &corecall.MarkPicture{ID: r.Picture, Withdrawn: r.Body.Withdrawn}, nil)
	return api.MarkPicture200JSONResponse{WorkNowJSONResponse: now}, err
}

// source gathers what a report is made from.
func (s *calls) source(ctx context.Context, v *state) (*job.Source, error) {
	past, err := s.past(ctx, v.call.Run, v.call.ID)
	if err != nil {
		return nil, err
	}
	shop, err := s.house(ctx)
	if err != nil {
		return nil, err
	}
	src, err := v.record.Source(v.View, v.call.CreatedAt, past, shop)
	if err == nil {
		src.Shop = s.shop
	}
	return src, err
}

// GetReport shows what the report says.
func (s *calls) GetReport(ctx context.Context, r api.GetReportRequestObject) (api.GetReportResponseObject, error) {
	v, err := s.load(ctx, r.Call)
	if err != nil {
		return nil, err
	}
	src, err := s.source(ctx, v)
	if err != nil {
		return nil, err
	}
	return api.GetReport200JSONResponse(src.Report()), nil
}

// papers are the media types of the papers.
var papers = map[string]string{
	"report.pdf": "application/pdf", "labels.pdf": "application/pdf", "readings.csv": "text/csv; charset=utf-8", "tests.ics": "text/calendar; charset=utf-8", "run.svg": "image/svg+xml",
}

// GetPaper writes one of the call's papers.
func (s *calls) GetPaper(ctx context.Context, r api.GetPaperRequestObject) (api.GetPaperResponseObject, error) {
	media, ok := papers[string(r.Paper)]
	if !ok {
		return nil, store.ErrNotFound
	}
	v, err := s.load(ctx, r.Call)
	if err != nil {
		return nil, err
	}
	src, err := s.source(ctx, v)
	if err != nil {
		return nil, err
	}
	var out bytes.Buffer
	if err := s.write(ctx, &out, v, src, string(r.Paper)); err != nil {
		return nil, err
	}
	return api.GetPaper200ApplicationoctetStreamResponse{
		Body: &out, ContentLength: int64(out.Len()),
		Headers: api.GetPaper200ResponseHeaders{
			ContentType:        media,
			ContentDisposition: fmt.Sprintf(`inline; filename="elvat-call-%d-%s"`, r.Call, r.Paper),
		},
	}, nil
}

func (s *calls) write(ctx context.Context, out io.Writer, v *state, src *job.Source, paper string) error {
	shop, err := s.house(ctx)
	if err != nil {
		return err
	}
	zone, err := zoneOf(shop)
	if err != nil {
		return err
	}
	paperOf := src.Report().In(zone)
	paperOf.Units = shop.Units
	switch paper {
	case "report.pdf":
		pictures, err := s.pictures(ctx, v, zone)
		if err != nil {
			return err
		}
		return report.PDF(out, paperOf, pictures)
	case "labels.pdf":
		labels, err := s.labels(ctx, v, paperOf.Markings)
		if err != nil {
			return err
		}
		for i := range labels {
			if labels[i].Code != "" {
				labels[i].Code = address(ctx) + labels[i].Code
			}
		}
		return report.Labels(out, v.call.Title, v.record.PanelDirectory(), labels, paperOf.FinishedAt)
	case "readings.csv":
		return report.CSV(out, v.circuit, src.Readings)
	case "tests.ics":
		return report.Calendar(out, v.call.Title, paperOf.Due, paperOf.FinishedAt)
	default:
		found := map[string]tester.Delta{}
		for _, t := range src.Readings {
			if t.Reading.At != "" && t.Reading.Half != circuit.Bottom {
				found[t.Reading.At] = found[t.Reading.At].Merge(t.Reading.Delta(tester.Default))
			}
		}
		return report.Run(out, v.circuit, found, shop.Units)
	}
}

// caption says of what a picture is.
func (v *state) caption(p corecall.Picture) string {
	caption := p.Phase
	if p.Phase == corecall.Pulled {
		caption = "The pulled device"
	}
	if p.Box != "" {
		caption += ", " + v.circuit.LabelOf(p.Box)
	}
	return caption
}

func (s *calls) pictures(ctx context.Context, v *state, zone *time.Location) ([]report.Picture, error) {
	var all []report.Picture
	for _, p := range v.record.Pictures {
		if p.Withdrawn {
			continue
		}
		data, err := s.store.Image(ctx, v.call.ID, p.ID)
		if err != nil {
			return nil, err
		}
		all = append(
			all,
			report.Picture{Caption: v.caption(p) + ", " + p.At.In(zone).Format(report.Stamp), JPEG: data},
		)
	}
	return all, nil
}
