package server

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"slices"
	"strings"
	"time"

	corecall "elvat/core/call"
	"elvat/core/circuit"
	"elvat/core/job"
	"elvat/core/makeup"
	"elvat/core/sitebook"
	"elvat/core/tester"
	"elvat/internal/api"
	"elvat/internal/report"
	"elvat/internal/store"
)

// gateShut is refused because facts are missing.
type gateShut struct {
	gate  job.Gate
	label string
}

func (g gateShut) Error() string {
	where := g.label
	if where != "" {
		where += ": "
	}
	text := where + "not yet"
	for i, m := range g.gate.Missing {
		if i == 0 {
			text += ": "
		} else {
			text += "; "
		}
		text += m
	}
	return text + ". A named qualified person can pass the gate with a reason, which is recorded and printed."
}

// loadRecord reads the data of a call: its readings, its boxes, its journal.
func (s *calls) loadRecord(ctx context.Context, v *state) error {
	var err error
	if v.record.Readings, err = s.readingsOf(ctx, v.call.ID); err != nil {
		return err
	}
	entries, err := s.store.Journal(ctx, v.call.ID)
	if err != nil {
		return err
	}
	slices.SortStableFunc(entries, func(a, b store.Entry) int { return a.At.Compare(b.At) })
	for _, k := range entries {
		var e job.Entry
		if err := json.Unmarshal(k.Document, &e); err != nil {
			return fmt.Errorf("stored entry %s: %w", k.ID, err)
		}
		e.At, e.Withdrawn = k.At, k.Withdrawn
		v.record.Journal, v.entryIDs = append(v.record.Journal, e), append(v.entryIDs, k.ID)
	}
	v.record.Boxes, err = s.boxesOf(ctx, v.call.ID)
	return err
}

// readingsOf reads the readings of a call.
func (s *calls) readingsOf(ctx context.Context, id int64) ([]corecall.Kept, error) {
	stored, err := s.store.Readings(ctx, id)
	if err != nil {
		return nil, err
	}
	all := make([]corecall.Kept, len(stored))
	for i, r := range stored {
		all[i] = corecall.Kept{ID: r.ID, At: r.TakenAt, Document: r.Document, Withdrawn: r.Withdrawn, Doubtful: r.Doubtful}
	}
	return all, nil
}

// boxesOf reads the recorded boxes of a call.
func (s *calls) boxesOf(ctx context.Context, id int64) ([]corecall.Box, error) {
	ids, err := s.store.Boxes(ctx, id)
	if err != nil {
		return nil, err
	}
	var all []corecall.Box
	for _, box := range ids {
		kept, err := s.store.Box(ctx, id, box)
		if err != nil {
			return nil, err
		}
		b, err := makeup.Parse(kept.Document)
		if err != nil {
			return nil, fmt.Errorf("stored box %s: %w", box, err)
		}
		all = append(all, corecall.Box{ID: box, Makeup: b, MadeAt: kept.MadeAt})
	}
	return all, nil
}

func (s *calls) workNow(ctx context.Context, id int64) (api.WorkNowJSONResponse, error) {
	v, err := s.load(ctx, id)
	if err != nil {
		return api.WorkNowJSONResponse{}, err
	}
	directory, err := s.directory(ctx, v)
	if err != nil {
		return api.WorkNowJSONResponse{}, err
	}
	w := api.WorkNowJSONResponse{
		Journal: []api.JournalLine{}, Gates: v.Gates, Checks: append([]job.Check{}, v.Checks...), HandOver: v.record.Journal.HandOver(v.Checks),
		Directory: directory, Pictures: []api.Picture{}, Tracer: s.tracer, Stays: []string{}, Version: v.call.Version,
	}
	for i, e := range v.record.Journal {
		w.Journal = append(w.Journal, api.JournalLine{Id: v.entryIDs[i], Entry: e, Words: e.Words(v.circuit.LabelOf)})
		if e.Kind == job.HandedOver && !e.Withdrawn {
			w.HandedOver = &e.At
		}
	}
	slices.Reverse(w.Journal)
	for _, stay := range v.Stays {
		w.Stays = append(w.Stays, stay.Device)
	}
	pictures, err := s.store.Pictures(ctx, id)
	for _, p := range pictures {
		w.Pictures = append(w.Pictures, api.Picture{Id: p.ID, Box: p.Box, Phase: p.Phase, TakenAt: p.TakenAt})
	}
	return w, err
}

// GetWork shows the work on a call.
func (s *calls) GetWork(ctx context.Context, r api.GetWorkRequestObject) (api.GetWorkResponseObject, error) {
	now, err := s.workNow(ctx, r.Call)
	return api.GetWork200JSONResponse{WorkNowJSONResponse: now}, err
}

// AddEntry enters what was done. A breaker that is switched or found changes
// what is known of the run's breaker with it.
func (s *calls) AddEntry(ctx context.Context, r api.AddEntryRequestObject) (api.AddEntryResponseObject, error) {
	if err := idOf(r.Body.Id); err != nil {
		return nil, err
	}
	e := r.Body.Entry
	e.At, e.Withdrawn = time.Time{}, false
	if err := s.access.allows(ctx, e.Needs()); err != nil {
		return nil, err
	}
	now, err := s.changeWork(ctx, r.Call, strings.ReplaceAll(string(e.Kind), "-", " "), func(ctx context.Context) error {
		v, err := s.load(ctx, r.Call)
		if err != nil {
			return err
		}
		if err := e.Check(v.circuit); err != nil {
			return badInput{err}
		}
		if slices.Contains(v.entryIDs, r.Body.Id) {
			return nil // it was sent before
		}
		if e.Kind == job.MadeUp {
			return badInput{errors.New("made-up: a box is made up on its own screen")}
		}
		if gate := v.record.Journal.HandOver(v.Checks); e.Kind == job.HandedOver && !gate.Open {
			return gateShut{gate: gate}
		}
		if err := s.follow(ctx, v, e); err != nil {
			return err
		}
		return s.enter(ctx, r.Call, r.Body.Id, e)
	})
	return api.AddEntry201JSONResponse{WorkNowJSONResponse: now}, err
}

func (s *calls) enter(ctx context.Context, call int64, id string, e job.Entry) error {
	document, err := json.Marshal(e)
	if err != nil {
		return err
	}
	return s.store.AddEntry(ctx, call, store.Entry{ID: id, At: s.at(ctx), Document: document})
}

// follow does what an entry brings with it.
func (s *calls) follow(ctx context.Context, v *state, e job.Entry) error {
	switch e.Kind {
	case job.BreakerOff, job.BreakerOn:
		state := v.state()
		on := e.Kind == job.BreakerOn
		state.BreakerOn = &on
		data, err := json.Marshal(state)
		if err != nil {
			return err
		}
		return s.store.SetState(ctx, v.call.ID, data)
	case job.Traced:
		directory, err := s.directory(ctx, v)
		if err != nil {
			return err
		}
		kept, err := json.Marshal(directory.With(e.Breaker, v.circuit.Breaker.Amps, v.call.Title))
		if err != nil {
			return err
		}
		panel, err := s.store.PanelOfRun(ctx, v.call.Run)
		if err != nil {
			return err
		}
		if err := s.store.SetDirectory(ctx, panel.ID, kept); err != nil {
			return err
		}
		if v.circuit.Breaker.Label == e.Breaker {
			return nil
		}
		return s.edit(ctx, v.call.ID, func(c *circuit.Circuit) error {
			c.Breaker.Label = e.Breaker
			return c.Check()
		})
	}
	return nil
}

// MarkEntry takes an entry back, or puts it back in force.
func (s *calls) MarkEntry(ctx context.Context, r api.MarkEntryRequestObject) (api.MarkEntryResponseObject, error) {
	now, err := s.changeWork(ctx, r.Call, "marked an entry", func(ctx context.Context) error {
		if r.Body.Withdrawn == nil {
			return nil
		}
		return s.store.WithdrawEntry(ctx, r.Call, r.Entry, *r.Body.Withdrawn)
	})
	return api.MarkEntry200JSONResponse{WorkNowJSONResponse: now}, err
}

func (s *calls) directory(ctx context.Context, v *state) (job.Directory, error) {
	d := job.Directory{}
	panel, err := s.store.PanelOfRun(ctx, v.call.Run)
	if err != nil {
		return nil, err
	}
	if err := json.Unmarshal(panel.Directory, &d); err != nil || len(d) > 0 {
		return d, err
	}
	if b := v.circuit.Breaker; b.Label != "" {
		d = append(d, job.DirectoryRow{Breaker: b.Label, Amps: b.Amps, Serves: v.call.Title})
	}
	return d, nil
}

// SetDirectory keeps the panel's directory.
func (s *calls) SetDirectory(ctx context.Context, r api.SetDirectoryRequestObject) (api.SetDirectoryResponseObject, error) {
	d := job.Directory(*r.Body)
	if err := d.Check(); err != nil {
		return nil, badInput{err}
	}
	kept, err := json.Marshal(d)
	if err != nil {
		return nil, err
	}
	now, err := s.changeWork(ctx, r.Call, "panel directory", func(ctx context.Context) error {
		call, err := s.store.Call(ctx, r.Call)
		if err != nil {
			return err
		}
		panel, err := s.store.PanelOfRun(ctx, call.Run)
		if err != nil {
			return err
		}
		out, err := s.merged(ctx, directoryDocument(r.Call, panel.ID), panel.Directory, kept)
		if err != nil {
			return err
		}
		return s.store.SetDirectory(ctx, panel.ID, out)
	})
	return api.SetDirectory200JSONResponse{WorkNowJSONResponse: now}, err
}

var errNoTracer = errors.New("no transmitter and receiver are at hand here: say which breaker it was")

// TraceBreaker is what the simulated receiver shows.
func (s *calls) TraceBreaker(ctx context.Context, r api.TraceBreakerRequestObject) (api.TraceBreakerResponseObject, error) {
	if !s.tracer {
		return nil, badInput{errNoTracer}
	}
	if r.Pass != 1 && r.Pass != 2 {
		return nil, badInput{errors.New("pass: the first or the second")}
	}
	v, err := s.load(ctx, r.Call)
	if err != nil {
		return nil, err
	}
	d, err := s.directory(ctx, v)
	if err != nil {
		return nil, err
	}
	seed := uint64(r.Call)
	return api.TraceBreaker200JSONResponse(job.Trace(d, v.circuit.Breaker.Label, r.Pass, rand.New(rand.NewPCG(seed, uint64(r.Pass))))), nil
}

// AddPicture keeps a photograph taken at a phase of the call, drawn anew.
func (s *calls) AddPicture(ctx context.Context, r api.AddPictureRequestObject) (api.AddPictureResponseObject, error) {
	if err := idOf(r.Params.Id); err != nil {
		return nil, err
	}
	c, err := s.circuit(ctx, r.Call)
	if err != nil {
		return nil, err
	}
	p := store.Picture{SentAs: r.Params.Id, Phase: r.Params.Phase, TakenAt: s.at(ctx)}
	pulled := p.Phase == store.Pulled
	if !pulled && !slices.Contains(job.Phases, job.Phase(p.Phase)) {
		return nil, badInput{fmt.Errorf("phase: %q is neither %s nor any of %q", p.Phase, store.Pulled, job.Phases)}
	}
	if r.Params.Box != nil {
		if p.Box = *r.Params.Box; c.Box(p.Box) == nil {
			return nil, badInput{fmt.Errorf("box %s: not on the run", p.Box)}
		}
	}
	clean, err := photograph(r.Body)
	if err != nil {
		return nil, err
	}
	if pulled && p.Box == "" {
		return nil, badInput{errors.New("box: the pulled device is of which?")}
	}
	now, err := s.changeWork(ctx, r.Call, "photograph", func(ctx context.Context) error {
		if pulled { // the wires pointed at on it hang on the box's record
			if _, err := s.keepBox(ctx, r.Call, p.Box); err != nil {
				return err
			}
		}
		_, err := s.store.AddPicture(ctx, r.Call, p, clean)
		return err
	})
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
func (s *calls) MarkPicture(ctx context.Context, r api.MarkPictureRequestObject) (api.MarkPictureResponseObject, error) {
	now, err := s.changeWork(ctx, r.Call, "marked a photograph", func(ctx context.Context) error {
		if r.Body.Withdrawn == nil {
			return nil
		}
		return s.store.WithdrawPicture(ctx, r.Call, r.Picture, *r.Body.Withdrawn)
	})
	return api.MarkPicture200JSONResponse{WorkNowJSONResponse: now}, err
}

// source gathers what a report is made from.
func (s *calls) source(ctx context.Context, v *state) (*job.Source, error) {
	src := &job.Source{
		Shop: s.shop, Title: v.call.Title, Complaint: v.call.Complaint, CreatedAt: v.call.CreatedAt, Circuit: v.circuit, Journal: v.record.Journal, Checks: v.Checks,
	}
	for _, l := range v.Lines {
		if !l.Withdrawn {
			src.Readings = append(src.Readings, sitebook.Taken{At: l.At, Reading: l.Reading, AsFound: v.AsFound(l.At)})
		}
	}
	src.Leading = v.Leading()
	past, err := s.past(ctx, v.call.Run, v.call.ID)
	if err != nil {
		return nil, err
	}
	own, err := pastOf(v.call, &v.record)
	if err != nil {
		return nil, err
	}
	if src.Guards, err = sitebook.Register(v.circuit, append(past, own), v.call.CreatedAt); err != nil {
		return nil, err
	}
	for i := range v.record.Boxes {
		id := v.record.Boxes[i].ID
		if v.circuit.Box(id) == nil {
			continue // of a stop that was taken off the run
		}
		b, err := s.loadBox(ctx, v.call.ID, id)
		if err != nil {
			return nil, err
		}
		src.Boxes = append(src.Boxes, job.MadeBox{Box: id, Label: v.circuit.LabelOf(id), Plan: b.plan, Made: b.kept.MadeAt != nil})
	}
	return src, nil
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
		Headers: api.GetPaper200ResponseHeaders{ContentType: media, ContentDisposition: fmt.Sprintf(`inline; filename="elvat-call-%d-%s"`, r.Call, r.Paper)},
	}, nil
}

func (s *calls) write(ctx context.Context, out io.Writer, v *state, src *job.Source, paper string) error {
	paperOf := src.Report()
	switch paper {
	case "report.pdf":
		pictures, err := s.pictures(ctx, v)
		if err != nil {
			return err
		}
		return report.PDF(out, paperOf, pictures)
	case "labels.pdf":
		directory, err := s.directory(ctx, v)
		if err != nil {
			return err
		}
		return report.Labels(out, v.call.Title, directory, job.Labels(v.circuit, paperOf.Markings), paperOf.FinishedAt)
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
		return report.Run(out, v.circuit, found)
	}
}

func (s *calls) pictures(ctx context.Context, v *state) ([]report.Picture, error) {
	kept, err := s.store.Pictures(ctx, v.call.ID)
	if err != nil {
		return nil, err
	}
	var all []report.Picture
	for _, p := range kept {
		data, err := s.store.Image(ctx, v.call.ID, p.ID)
		if err != nil {
			return nil, err
		}
		caption := p.Phase
		if p.Phase == store.Pulled {
			caption = "The pulled device"
		}
		if p.Box != "" {
			caption += ", " + v.circuit.LabelOf(p.Box)
		}
		all = append(all, report.Picture{Caption: caption + ", " + p.TakenAt.UTC().Format("2006-01-02 15:04") + " UTC", JPEG: data})
	}
	return all, nil
}
