package server

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"time"

	corecall "elvat/core/call"
	"elvat/core/circuit"
	"elvat/core/job"
	"elvat/core/tester"
	"elvat/internal/api"
	"elvat/internal/desk"
	"elvat/internal/picture"
	"elvat/internal/report"
	"elvat/internal/store"
)

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

// TraceBreaker is what the simulated receiver shows.
func (s *calls) TraceBreaker(
	ctx context.Context,
	r api.TraceBreakerRequestObject,
) (api.TraceBreakerResponseObject, error) {
	shown, err := s.Trace(ctx, r.Call, r.Pass)
	return api.TraceBreaker200JSONResponse(shown), err
}

// AddPicture keeps a photograph taken at a phase of the call, drawn anew.
func (s *calls) AddPicture(ctx context.Context, r api.AddPictureRequestObject) (api.AddPictureResponseObject, error) {
	do := &corecall.AddPicture{ID: r.Params.Id, Phase: r.Params.Phase, Box: desk.Or(r.Params.Box, "")}
	at, err := s.store.Load(ctx, r.Call)
	if err != nil {
		return nil, err
	}
	if err := do.Check(at.Record); err != nil { // before the picture is looked at
		return nil, err
	}
	clean, err := photograph(r.Body, picture.OfPeople)
	if err != nil {
		return nil, err
	}
	now, err := s.changeWork(ctx, r.Call, do, clean)
	if err == nil {
		// A phone says that there is one before it has the signal to send it.
		err = s.store.KeepImage(ctx, r.Call, r.Params.Id, clean)
	}
	made(ctx, "/calls/%d/pictures/%s", r.Call, r.Params.Id)
	return api.AddPicture201JSONResponse{WorkNowJSONResponse: now}, err
}

// GetPicture is one photograph of the call.
func (s *calls) GetPicture(ctx context.Context, r api.GetPictureRequestObject) (api.GetPictureResponseObject, error) {
	image, err := s.store.Image(ctx, r.Call, r.Picture)
	if err != nil {
		return nil, err
	}
	return api.GetPicture200ImagejpegResponse{Body: bytes.NewReader(image), ContentLength: int64(len(image))}, nil
}

// MarkPicture takes a photograph back, or shows it again.
func (s *calls) MarkPicture(
	ctx context.Context,
	r api.MarkPictureRequestObject,
) (api.MarkPictureResponseObject, error) {
	now, err := s.changeWork(ctx, r.Call, &corecall.MarkPicture{ID: r.Picture, Withdrawn: r.Body.Withdrawn}, nil)
	return api.MarkPicture200JSONResponse{WorkNowJSONResponse: now}, err
}

// GetReport shows what the report says.
func (s *calls) GetReport(ctx context.Context, r api.GetReportRequestObject) (api.GetReportResponseObject, error) {
	report, err := s.Report(ctx, r.Call)
	return api.GetReport200JSONResponse(report), err
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
	v, err := s.Load(ctx, r.Call)
	if err != nil {
		return nil, err
	}
	src, err := s.Source(ctx, v)
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

func (s *calls) write(ctx context.Context, out io.Writer, v *desk.State, src *job.Source, paper string) error {
	shop, err := s.House(ctx)
	if err != nil {
		return err
	}
	zone, err := desk.ZoneOf(shop)
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
		labels, err := s.Labels(ctx, v, paperOf.Markings)
		if err != nil {
			return err
		}
		for i := range labels {
			if labels[i].Code != "" {
				labels[i].Code = address(ctx) + labels[i].Code
			}
		}
		return report.Labels(out, v.Call.Title, v.Record.PanelDirectory(), labels, paperOf.FinishedAt)
	case "readings.csv":
		return report.CSV(out, v.Circuit, src.Readings)
	case "tests.ics":
		return report.Calendar(out, v.Call.Title, paperOf.Due, paperOf.FinishedAt)
	default:
		found := map[string]tester.Delta{}
		for _, t := range src.Readings {
			if t.Reading.At != "" && t.Reading.Half != circuit.Bottom {
				found[t.Reading.At] = found[t.Reading.At].Merge(t.Reading.Delta(tester.Default))
			}
		}
		return report.Run(out, v.Circuit, found, shop.Units)
	}
}

func (s *calls) pictures(ctx context.Context, v *desk.State, zone *time.Location) ([]report.Picture, error) {
	var all []report.Picture
	for _, p := range v.Record.Pictures {
		if p.Withdrawn {
			continue
		}
		data, err := s.store.Image(ctx, v.Call.ID, p.ID)
		if errors.Is(err, store.ErrNotFound) {
			continue // it is on its way from a phone
		}
		if err != nil {
			return nil, err
		}
		all = append(
			all,
			report.Picture{Caption: v.Caption(p) + ", " + p.At.In(zone).Format(report.Stamp), JPEG: data},
		)
	}
	return all, nil
}
