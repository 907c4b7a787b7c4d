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

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/job"
	"elvat/core/makeup"
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

// loadWork reads the journal of a call, and what proves its work.
func (s *calls) loadWork(ctx context.Context, v *state) error {
	kept, err := s.store.Journal(ctx, v.call.ID)
	if err != nil {
		return err
	}
	for _, k := range kept {
		var e job.Entry
		if err := json.Unmarshal(k.Document, &e); err != nil {
			return fmt.Errorf("call %d, stored entry %s: %w", v.call.ID, k.ID, err)
		}
		e.At, e.Withdrawn = k.At, k.Withdrawn
		v.journal, v.entryIDs = append(v.journal, e), append(v.entryIDs, k.ID)
	}
	boxes, err := s.store.Boxes(ctx, v.call.ID)
	if err != nil {
		return err
	}
	for _, id := range boxes {
		if v.circuit.Box(id) != nil {
			v.boxes = append(v.boxes, id)
		}
	}
	touched, err := s.touched(ctx, v)
	if err != nil || len(touched) == 0 {
		return err
	}
	for _, id := range touched {
		if err := s.stays(ctx, v, id); err != nil {
			return err
		}
	}
	v.checks, err = job.Checks(v.circuit, touched, v.stay, v.sinceFixed())
	return err
}

// touched are the boxes made up as planned, and those where something was put
// right.
func (s *calls) touched(ctx context.Context, v *state) ([]string, error) {
	var all []string
	for _, id := range v.boxes {
		kept, err := s.store.Box(ctx, v.call.ID, id)
		if err != nil {
			return nil, err
		}
		if kept.MadeAt != nil {
			all = append(all, id)
		}
	}
	for _, site := range diagnosis.PutRight(v.circuit, v.inForce) {
		if v.circuit.Box(site) == nil {
			return []string{v.circuit.Order()[0]}, nil // at the panel: everything hangs on it
		}
		if !slices.Contains(all, site) {
			all = append(all, site)
		}
	}
	return all, nil
}

// sinceFixed are the readings since something was last put right.
func (v *state) sinceFixed() []tester.Reading {
	from := 0
	for i, r := range v.inForce {
		if r.Tool == tester.Fixed {
			from = i + 1
		}
	}
	return v.inForce[from:]
}

// stays finds what must not go off unseen beyond a box, and its GFCI.
func (s *calls) stays(ctx context.Context, v *state, id string) error {
	kept, err := s.store.Box(ctx, v.call.ID, id)
	if errors.Is(err, store.ErrNotFound) {
		return nil
	}
	if err != nil {
		return err
	}
	b, err := makeup.Parse(kept.Document)
	if err != nil {
		return err
	}
	for _, stay := range b.MustStayOn(v.circuit) {
		v.stay = append(v.stay, job.Stays(stay))
	}
	return nil
}

// gates are those of every box: recorded and in question first, then along the run.
func (v *state) gates() []job.Gate {
	boxes := slices.Clone(v.boxes)
	for _, s := range v.result.Sites {
		if v.circuit.Box(s.Site) != nil && !slices.Contains(boxes, s.Site) && s.Probability > 0.2 {
			boxes = append(boxes, s.Site)
		}
	}
	for _, e := range v.journal {
		if v.circuit.Box(e.Box) != nil && !slices.Contains(boxes, e.Box) {
			boxes = append(boxes, e.Box)
		}
	}
	for _, box := range v.circuit.Order() {
		if !slices.Contains(boxes, box) {
			boxes = append(boxes, box)
		}
	}
	gates := []job.Gate{}
	for _, box := range boxes {
		for _, g := range v.journal.BoxGates(v.circuit, box) {
			gates = append(gates, g)
		}
	}
	return gates
}

// workBox is the box in work: made up last, else opened dead, else the likeliest.
func (v *state) workBox() string {
	if v.made != "" {
		return v.made
	}
	box := ""
	for _, g := range v.gates() {
		if g.Gate == job.ToOpen && g.Open {
			box = g.Box
		}
	}
	for _, s := range v.result.Sites {
		if box == "" && v.circuit.Box(s.Site) != nil {
			box = s.Site
		}
	}
	return box
}

// workFacts are what the journal and the checks say of the call's phase.
func (v *state) workFacts(f *job.Facts) {
	if len(v.checks) > 0 && f.MadeUp == "" {
		f.MadeUp = "The fault"
	}
	for _, k := range v.checks {
		switch k.Status {
		case job.Differs:
			f.Differ++
		case job.NotRead:
			f.Left++
		}
	}
	for _, e := range v.journal {
		f.HandedOver = f.HandedOver || e.Kind == job.HandedOver && !e.Withdrawn
		f.DeadRecorded = f.DeadRecorded || e.Kind == job.MadeUp && !e.Withdrawn
	}
	begun := false
	for _, g := range v.gates() {
		label := v.circuit.LabelOf(g.Box)
		switch {
		case g.Gate == job.ToOpen && g.Open:
			f.Working, begun = label, true
			f.Conductors = false
		case g.Gate == job.ToConductors && label == f.Working:
			f.Conductors = g.Open
			if len(g.Missing) > 0 {
				f.DeadMissing = g.Missing[0]
			}
		case g.Gate == job.ToOpen && !begun && label == f.Box && len(g.Missing) > 0 && v.journal.Begun():
			f.DeadMissing = g.Missing[0]
		}
	}
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
		Journal: []api.JournalLine{}, Gates: v.gates(), Checks: append([]job.Check{}, v.checks...), HandOver: v.journal.HandOver(v.checks),
		Directory: directory, Pictures: []api.Picture{}, Tracer: s.tracer, Stays: []string{}, Version: v.call.Version,
	}
	for i, e := range v.journal {
		w.Journal = append(w.Journal, api.JournalLine{Id: v.entryIDs[i], Entry: e, Words: e.Words(v.circuit.LabelOf)})
		if e.Kind == job.HandedOver && !e.Withdrawn {
			w.HandedOver = &e.At
		}
	}
	slices.Reverse(w.Journal)
	for _, stay := range v.stay {
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
		if gate := v.journal.HandOver(v.checks); e.Kind == job.HandedOver && !gate.Open {
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
	return s.store.AddEntry(ctx, call, store.Entry{ID: id, At: s.now(), Document: document})
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
	p := store.Picture{SentAs: r.Params.Id, Phase: r.Params.Phase, TakenAt: s.now()}
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
		Shop: s.shop, Title: v.call.Title, Complaint: v.call.Complaint, CreatedAt: v.call.CreatedAt, Circuit: v.circuit, Journal: v.journal, Checks: v.checks,
	}
	for _, r := range v.readings {
		if !r.Withdrawn {
			src.Readings = append(src.Readings, job.Taken{At: r.TakenAt, Reading: r.Reading, AsFound: v.made == "" && len(v.checks) == 0 || r.TakenAt.Before(v.madeAt)})
		}
	}
	if len(v.result.Suspects) > 0 && v.made == "" {
		first := v.result.Suspects[0]
		src.Leading = fmt.Sprintf("%s %s (%.0f %%)", first.Name, first.Place, 100*min(first.Probability, 0.99))
	}
	for _, id := range v.boxes {
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
