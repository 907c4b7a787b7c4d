package server

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"image"
	"image/jpeg"
	_ "image/png" // a picture may be one
	"io"
	"slices"
	"strings"
	"sync"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/job"
	"elvat/core/makeup"
	"elvat/core/practice"
	"elvat/core/runs"
	"elvat/internal/api"
	"elvat/internal/store"
)

// boxState is an opened box with the run it is on.
type boxState struct {
	kept     store.OpenedBox
	recorded bool
	box      *makeup.Box
	run      *circuit.Circuit
	plan     *makeup.Plan
	version  int64 // of the call
}

// loadBox reads what was recorded of a box, or what the run knows of it, and
// plans it.
func (s *calls) loadBox(ctx context.Context, call int64, id string) (*boxState, error) {
	c, err := s.circuit(ctx, call)
	if err != nil {
		return nil, err
	}
	if c.Box(id) == nil {
		return nil, store.ErrNotFound
	}
	kept, err := s.store.Call(ctx, call)
	if err != nil {
		return nil, err
	}
	v := &boxState{run: c, version: kept.Version}
	v.kept, err = s.store.Box(ctx, call, id)
	switch {
	case errors.Is(err, store.ErrNotFound):
		known, err := orderKnown(kept, c, id)
		if err != nil {
			return nil, err
		}
		if v.box, err = makeup.FromRun(c, id, known); err != nil {
			return nil, err
		}
	case err != nil:
		return nil, err
	default:
		v.recorded = true
		if v.box, err = makeup.Parse(v.kept.Document); err != nil {
			return nil, fmt.Errorf("call %d, stored box %s: %w", call, id, err)
		}
	}
	return v, s.planBox(ctx, v)
}

// orderKnown reports whether the call's map is sure of the box's place.
func orderKnown(kept store.Call, c *circuit.Circuit, id string) (bool, error) {
	if kept.Map == nil {
		return true, nil
	}
	var order runs.Map
	if err := json.Unmarshal(kept.Map, &order); err != nil {
		return false, err
	}
	return order.Sure(c, id), nil
}

func (s *calls) planBox(ctx context.Context, v *boxState) error {
	shop, err := s.house(ctx)
	if err != nil {
		return err
	}
	v.plan, err = makeup.Make(v.box, shop, v.run)
	if err != nil {
		// The run was changed since: the box is planned by itself, and says so.
		reason := err
		if v.plan, err = makeup.Make(v.box, shop, nil); err != nil {
			return err
		}
		v.plan.Disagrees(reason)
	}
	return nil
}

func (s *calls) boxNow(ctx context.Context, call int64, id string) (api.BoxNowJSONResponse, error) {
	v, err := s.loadBox(ctx, call, id)
	if err != nil {
		return api.BoxNowJSONResponse{}, err
	}
	now := api.BoxNowJSONResponse{
		Label: v.run.LabelOf(id), Recorded: v.recorded, MadeAt: v.kept.MadeAt, Box: *v.box, Landings: [][2]string{}, Places: v.box.Places(), Plan: *v.plan,
		Done: append([]string{}, v.kept.Done...), Version: v.version,
	}
	now.Landings = append(now.Landings, v.box.Landings()...)
	photograph, _, err := s.store.Photograph(ctx, call, id)
	if photograph != 0 {
		now.Photograph = &photograph
	}
	return now, err
}

// GetBox shows an opened box with its plan.
func (s *calls) GetBox(ctx context.Context, r api.GetBoxRequestObject) (api.GetBoxResponseObject, error) {
	now, err := s.boxNow(ctx, r.Call, r.Box)
	return api.GetBox200JSONResponse{BoxNowJSONResponse: now}, err
}

// SetBox records what is in the box and what is to go in.
func (s *calls) SetBox(ctx context.Context, r api.SetBoxRequestObject) (api.SetBoxResponseObject, error) {
	c, err := s.circuit(ctx, r.Call)
	if err != nil {
		return nil, err
	}
	b, err := makeup.Parse(*r.Body)
	if err != nil {
		return nil, badInput{err}
	}
	if b.ID != r.Box || c.Box(r.Box) == nil {
		return nil, badInput{fmt.Errorf("box %s: the document is of box %s, or the run has no such box", r.Box, b.ID)}
	}
	if err := b.Agrees(c); err != nil {
		return nil, badInput{err}
	}
	document, err := b.Encode()
	if err != nil {
		return nil, err
	}
	now, err := s.changeBox(ctx, r.Call, r.Box, "recorded "+c.LabelOf(r.Box), func(ctx context.Context) error {
		kept, err := s.store.Box(ctx, r.Call, r.Box)
		if err != nil && !errors.Is(err, store.ErrNotFound) {
			return err
		}
		out, err := s.merged(ctx, boxDocument(r.Call, r.Box), kept.Document, document)
		if err != nil {
			return err
		}
		return s.store.SetBox(ctx, r.Call, r.Box, out)
	})
	return api.SetBox200JSONResponse{BoxNowJSONResponse: now}, err
}

// keepBox makes sure that there is a record of the box to hang something on.
func (s *calls) keepBox(ctx context.Context, call int64, id string) (*boxState, error) {
	v, err := s.loadBox(ctx, call, id)
	if err != nil || v.recorded {
		return v, err
	}
	document, err := v.box.Encode()
	if err != nil {
		return nil, err
	}
	return v, s.store.SetBox(ctx, call, id, document)
}

// SetSteps records which steps of the plan are done.
func (s *calls) SetSteps(ctx context.Context, r api.SetStepsRequestObject) (api.SetStepsResponseObject, error) {
	if len(r.Body.Done) > 100 {
		return nil, badInput{errors.New("done: more steps than a plan has")}
	}
	now, err := s.changeBox(ctx, r.Call, r.Box, "steps done", func(ctx context.Context) error {
		b, err := s.keepBox(ctx, r.Call, r.Box)
		if err != nil {
			return err
		}
		done, err := s.stepsMerged(ctx, r.Call, r.Box, b.kept.Done, r.Body.Done)
		if err != nil {
			return err
		}
		if err := s.mayBeDone(ctx, r.Call, b, done); err != nil {
			return err
		}
		return s.store.SetSteps(ctx, r.Call, r.Box, done)
	})
	return api.SetSteps200JSONResponse{BoxNowJSONResponse: now}, err
}

// stepsMerged are the steps done by the caller and by others: what one ticked is
// not lost when another ticks something else.
func (s *calls) stepsMerged(ctx context.Context, call int64, box string, theirs, mine []string) ([]string, error) {
	var parts [2][]byte
	var err error
	for i, steps := range [][]string{theirs, mine} {
		if parts[i], err = json.Marshal(append([]string{}, steps...)); err != nil {
			return nil, err
		}
	}
	d := boxDocument(call, box)
	d.column, d.check = "done", func([]byte) error { return nil }
	out, err := s.merged(ctx, d, parts[0], parts[1])
	if err != nil {
		return nil, err
	}
	var steps []string
	return steps, json.Unmarshal(out, &steps)
}

// mayBeDone refuses a step that was not done before and whose gate is shut.
func (s *calls) mayBeDone(ctx context.Context, call int64, b *boxState, done []string) error {
	v, err := s.load(ctx, call)
	if err != nil {
		return err
	}
	for _, g := range v.record.Journal.BoxGates(v.circuit, b.box.ID) {
		if g.Open {
			continue
		}
		for _, step := range b.plan.Steps {
			if step.Needs == string(g.Gate) && slices.Contains(done, step.Do) && !slices.Contains(b.kept.Done, step.Do) {
				return gateShut{g, v.circuit.LabelOf(b.box.ID)}
			}
		}
	}
	return nil
}

// cause is what the call says was wrong, with what speaks for it.
func (s *calls) cause(v *state) (string, []string) {
	k := v.Cause()
	if k.Words == "" {
		return "", nil
	}
	why, err := s.engines.why(v.question(), k.Faults, k.Beside)
	if err != nil {
		return k.Words, nil // what was found need not be among what is weighed
	}
	return k.Words, diagnosis.Telling(why)
}

// MakeUpBox puts the plan into the run. What was read before is of the run as it
// was found: it is kept, and no evidence any more.
func (s *calls) MakeUpBox(ctx context.Context, r api.MakeUpBoxRequestObject) (api.MakeUpBoxResponseObject, error) {
	now, err := s.change(ctx, r.Call, "made up "+r.Box, func(ctx context.Context) error { return s.makeUp(ctx, r.Call, r.Box) })
	return api.MakeUpBox200JSONResponse{CallNowJSONResponse: now}, err
}

func (s *calls) makeUp(ctx context.Context, call int64, box string) error {
	v, err := s.keepBox(ctx, call, box)
	if err != nil {
		return err
	}
	before, err := s.load(ctx, call)
	if err != nil {
		return err
	}
	for _, g := range before.record.Journal.BoxGates(before.circuit, box) {
		if !g.Open {
			return gateShut{g, before.circuit.LabelOf(box)}
		}
	}
	made := job.Entry{Kind: job.MadeUp, Box: box}
	made.Text, made.Evidence = s.cause(before)
	if err := s.edit(ctx, call, func(c *circuit.Circuit) error { return v.box.Apply(c, v.plan) }); err != nil {
		return err
	}
	if err := s.store.SetMade(ctx, call, box, s.at(ctx)); err != nil {
		return err
	}
	id := fmt.Sprintf("made-up-%d-%s-%d", call, box, len(before.record.Journal))
	if err := s.takeFromVan(ctx, call, box, id, "", v.plan.Materials); err != nil {
		return err
	}
	return s.enter(ctx, call, id, made)
}

// Bounds of a picture: browsers shrink theirs to far below them before they
// send. Assumption.
const (
	mostPixels  = 24 << 20
	jpegQuality = 85
)

// drawing holds back all pictures but one: decoded they are large.
var drawing sync.Mutex

// photograph is the picture that was sent, drawn anew: where and by whom it was
// taken stays behind.
func photograph(body io.Reader) ([]byte, error) {
	data, err := io.ReadAll(body)
	if err != nil {
		return nil, err
	}
	clean, err := redrawn(data)
	if err != nil {
		return nil, badInput{fmt.Errorf("photograph: %w", err)}
	}
	return clean, nil
}

// redrawn is the picture as JPEG, with nothing in it but the picture.
func redrawn(data []byte) ([]byte, error) {
	drawing.Lock()
	defer drawing.Unlock()
	size, _, err := image.DecodeConfig(bytes.NewReader(data))
	if err != nil {
		return nil, errors.New("not a JPEG or PNG picture")
	}
	if size.Width <= 0 || size.Height <= 0 || size.Width > mostPixels/size.Height {
		return nil, fmt.Errorf("%d by %d pixels are too many", size.Width, size.Height)
	}
	picture, _, err := image.Decode(bytes.NewReader(data))
	if err != nil {
		return nil, fmt.Errorf("the picture is damaged: %w", err)
	}
	var out bytes.Buffer
	if err := jpeg.Encode(&out, picture, &jpeg.Options{Quality: jpegQuality}); err != nil {
		return nil, err
	}
	return out.Bytes(), nil
}

// GetPhotograph is the picture of the pulled device.
func (s *calls) GetPhotograph(ctx context.Context, r api.GetPhotographRequestObject) (api.GetPhotographResponseObject, error) {
	id, picture, err := s.store.Photograph(ctx, r.Call, r.Box)
	if err != nil {
		return nil, err
	}
	if id == 0 {
		return nil, store.ErrNotFound
	}
	return api.GetPhotograph200ImagejpegResponse{Body: bytes.NewReader(picture), ContentLength: int64(len(picture))}, nil
}

// houseSetting is the name under which the house practice is kept.
const houseSetting = "house"

func (s *calls) house(ctx context.Context) (practice.Shop, error) {
	var shop practice.Shop
	kept, err := s.store.Setting(ctx, houseSetting)
	if err != nil || kept == nil {
		return shop, err
	}
	return shop, json.Unmarshal(kept, &shop)
}

// GetHouse shows the house practice with all there is to set.
func (s *calls) GetHouse(ctx context.Context, _ api.GetHouseRequestObject) (api.GetHouseResponseObject, error) {
	shop, err := s.house(ctx)
	return api.GetHouse200JSONResponse(shop.Sheet()), err
}

// SetHouse keeps what the shop sets; what is absent is as usual again.
func (s *calls) SetHouse(ctx context.Context, r api.SetHouseRequestObject) (api.SetHouseResponseObject, error) {
	for i := range r.Body.Amendments {
		a := &r.Body.Amendments[i]
		a.Section, a.Text = strings.TrimSpace(a.Section), strings.TrimSpace(a.Text)
	}
	if err := r.Body.Check(); err != nil {
		return nil, badInput{err}
	}
	kept, err := json.Marshal(r.Body)
	if err != nil {
		return nil, err
	}
	if err := s.store.Set(ctx, houseSetting, kept); err != nil {
		return nil, err
	}
	if err := s.store.SetStale(ctx); err != nil {
		return nil, err
	}
	return api.SetHouse200JSONResponse(r.Body.Sheet()), nil
}
