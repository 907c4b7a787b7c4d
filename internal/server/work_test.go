package server_test

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"image"
	"image/png"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/job"
	"elvat/internal/api"
)

func (s *shop) work(status int, method, path, body string) api.Work {
	s.t.Helper()
	w := s.ask(method, path, body)
	require.Equal(s.t, status, w.Code, w.Body.String())
	return decoded(s.t, w)
}

// decoded leaves readings out: they are read by their own package.
func decoded(t *testing.T, w *httptest.ResponseRecorder) (out api.Work) {
	t.Helper()
	var raw map[string]json.RawMessage
	require.NoError(t, json.Unmarshal(w.Body.Bytes(), &raw))
	var checks []map[string]json.RawMessage
	require.NoError(t, json.Unmarshal(raw["checks"], &checks))
	for _, k := range checks {
		var c job.Check
		for key, to := range map[string]any{"at": &c.At, "half": &c.Half, "tool": &c.Tool, "status": &c.Status, "says": &c.Says} {
			if k[key] != nil {
				require.NoError(t, json.Unmarshal(k[key], to))
			}
		}
		out.Checks = append(out.Checks, c)
	}
	delete(raw, "checks")
	rest, err := json.Marshal(raw)
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(rest, &out))
	return out
}

var nextEntry = 0

func entry(e string) string {
	nextEntry++
	return fmt.Sprintf(`{ "id": "entry-%06d", "entry": %s }`, nextEntry, e)
}

const (
	lock   = `{ "kind": "breaker-off", "secured": "lock" }`
	prove  = `{ "kind": "tester-proven", "tester": "meter", "source": "hall outlet", "volts": 121 }`
	zeroes = `{ "hotNeutral": 0, "hotGround": 0, "neutralGround": 0 }`
)

func deadAt(box, stage string) string {
	return fmt.Sprintf(
		`{ "kind": "dead", "box": %q, "stage": %q, "dead": { "top": %s, "bottom": %s, "topToEarth": 0, "bottomToEarth": 0, "sensorSilent": true } }`,
		box,
		stage,
		zeroes,
		zeroes,
	)
}

// proveDead enters live, dead, live for the box, at the slots and at the wires.
func (s *shop) proveDead(call, box string) api.Work {
	s.t.Helper()
	var w api.Work
	for _, e := range []string{lock, prove, deadAt(box, "installed"), prove, deadAt(box, "device-out"), prove} {
		w = s.work(201, "POST", call+"/journal", entry(e))
	}
	return w
}

// mendAll says of every finding of the box that it was mended.
func (s *shop) mendAll(call, box string) {
	s.t.Helper()
	b := s.box(200, "GET", call+"/boxes/"+box, "")
	for _, f := range (&b.Plan).Open(b.Done) {
		require.NotEmpty(s.t, f.Mend, f.Code)
		b.Box.Mended = append(b.Box.Mended, f.Key)
	}
	now := s.box(200, "PUT", call+"/boxes/"+box, encoded(s.t, b.Box)).Plan
	assert.Empty(s.t, now.Open(nil))
}

// TestMustMeansMust: what must be mended keeps a box from being made up and the call from
// being handed over, until it is mended, or somebody takes it on by name.
func TestMustMeansMust(t *testing.T) {
	s := withDemo(t)
	const call, made = "/api/v1/calls/2", "/api/v1/calls/2/boxes/B3/made"
	s.proveDead(call, "B3")
	refused := s.ask("POST", made, "")
	assert.Equal(t, 409, refused.Code)
	assert.Contains(t, refused.Body.String(), "must be mended first: The box is too full")
	b := s.box(200, "GET", call+"/boxes/B3", "")
	open := (&b.Plan).Open(b.Done)
	require.NotEmpty(t, open)
	assert.Contains(t, s.ask("GET", call+"/work", "").Body.String(), "findings that must be mended, or accepted")
	// One is accepted by name; the others are mended.
	accept := `{ "kind": "accepted", "box": "B3", "finding": %q, "text": %q, "who": %q, "standing": "licence 12", "reason": "larger box on Friday" }`
	assert.Equal(t, 422, s.ask("POST", call+"/journal", entry(fmt.Sprintf(accept, open[0].Key, open[0].Text, ""))).Code, "by name")
	s.work(201, "POST", call+"/journal", entry(fmt.Sprintf(accept, open[0].Key, open[0].Text, "N. Ames")))
	for _, f := range open[1:] {
		b.Box.Mended = append(b.Box.Mended, f.Key)
	}
	assert.Equal(t, 409, s.ask("POST", made, "").Code, "the others are open still")
	s.box(200, "PUT", call+"/boxes/B3", encoded(t, b.Box))
	require.Equal(t, 200, s.ask("POST", made, "").Code)
	report := s.ask("GET", call+"/report", "").Body.String()
	assert.Contains(t, report, "accepted by N. Ames (licence 12)", "it is printed")
	assert.NotContains(t, report, "findings that must be mended")
}

// TestFromDeadToHandedOver carries a call through its gates to the report.
func TestFromDeadToHandedOver(t *testing.T) {
	s := withDemo(t)
	const call = "/api/v1/calls/2" // the darkroom: its box B3 is recorded
	const box = call + "/boxes/B3"
	w := s.work(200, "GET", call+"/work", "")
	require.NotEmpty(t, w.Gates)
	assert.False(t, w.Gates[0].Open)
	assert.Equal(t, "breaker off and secured", w.Gates[0].Missing[0])

	b := s.box(200, "GET", box, "")
	pull := b.Plan.Steps[1].Do
	refused := s.ask("PUT", box+"/steps", encoded(t, map[string]any{"done": []string{pull}}))
	assert.Equal(t, 409, refused.Code, "no step that opens the box before it is proven dead")
	assert.Contains(t, refused.Body.String(), "Enlarger: not yet: breaker off and secured; testers proven")
	assert.Equal(t, 409, s.ask("POST", box+"/made", "").Code)
	s.box(200, "PUT", box+"/steps", encoded(t, map[string]any{"done": []string{b.Plan.Steps[0].Do}}))

	for _, e := range []string{lock, prove, deadAt("B3", "installed"), prove} {
		w = s.work(201, "POST", call+"/journal", entry(e))
	}
	assert.True(t, w.Gates[0].Open)
	off := s.ask("GET", call, "").Body.String()
	assert.Contains(t, off, `"breakerOn":false`, "the run knows that the breaker is off")
	s.box(200, "PUT", box+"/steps", encoded(t, map[string]any{"done": []string{b.Plan.Steps[0].Do, pull}}))
	refused = s.ask(
		"PUT",
		box+"/steps",
		encoded(t, map[string]any{"done": []string{pull, b.Plan.Steps[4].Do, "Strip the ends"}}),
	)
	assert.Equal(t, 409, refused.Code, "nor touch a wire before the wires are proven dead")

	// A second source shuts the gate again.
	w = s.work(
		201,
		"POST",
		call+"/journal",
		entry(`{ "kind": "second-source", "box": "B3", "text": "red to ground 118 V" }`),
	)
	assert.Contains(t, w.Gates[0].Missing[0], "red to ground 118 V")
	w = s.work(200, "PATCH", call+"/journal/"+w.Journal[0].Id, `{ "withdrawn": true }`)
	assert.False(t, w.Gates[0].Open, "taken back, it voids the proof all the same: the next proof opens the gate")
	for _, e := range []string{`{ "kind": "breaker-off", "secured": "lock" }`, prove, deadAt("B3", "installed"), prove, deadAt("B3", "device-out"), prove} {
		w = s.work(201, "POST", call+"/journal", entry(e))
	}
	assert.True(t, w.Gates[1].Open)

	s.mendAll(call, "B3")
	c := s.ask("POST", box+"/made", "")
	require.Equal(t, 200, c.Code, c.Body.String())
	s.work(201, "POST", call+"/journal", entry(`{ "kind": "breaker-on" }`))
	w = s.work(200, "GET", call+"/work", "")
	assert.Equal(t, job.MadeUp, w.Journal[1].Entry.Kind)
	assert.NotEmpty(t, w.Journal[1].Entry.Text, "the cause is kept as it stood")
	require.NotEmpty(t, w.Checks)
	refused = s.ask("POST", call+"/journal", entry(`{ "kind": "handed-over", "who": "A. Reyes", "to": "the tenant" }`))
	assert.Equal(t, 409, refused.Code)
	assert.Contains(t, refused.Body.String(), "readings not taken yet")

	// Everything as predicted, read through the same document that predicts it.
	for i, k := range predictions(t, s, call) {
		s.ask("POST", call+"/readings", fmt.Sprintf(`{ "id": "proof-%06d", "reading": %s }`, i, k))
	}
	w = s.work(200, "GET", call+"/work", "")
	assert.True(t, w.HandOver.Open, "%v", w.HandOver.Missing)
	w = s.work(201, "POST", call+"/journal", entry(`{ "kind": "handed-over", "who": "A. Reyes", "to": "the tenant" }`))
	require.NotNil(t, w.HandedOver)
	assert.Contains(t, s.ask("GET", "/api/v1/calls", "").Body.String(), `"holdUp":"Handed over"`)
}

// predictions are the predicted readings of the call's checks as raw documents.
func predictions(t *testing.T, s *shop, call string) []string {
	var work struct {
		Checks []struct {
			Predicted map[string]any
			Tripped   []string
		}
	}
	require.NoError(t, json.Unmarshal(s.ask("GET", call+"/work", "").Body.Bytes(), &work))
	var all []string
	for _, k := range work.Checks {
		on := true
		k.Predicted["state"] = map[string]any{"breakerOn": on}
		if len(k.Tripped) > 0 {
			k.Predicted["state"] = map[string]any{"breakerOn": on, "tripped": k.Tripped}
		}
		all = append(all, encoded(t, k.Predicted))
	}
	return all
}

func TestOverride(t *testing.T) {
	s := withDemo(t)
	const call = "/api/v1/calls/2"
	w := s.work(
		201,
		"POST",
		call+"/journal",
		entry(
			`{ "kind": "override", "gate": "open", "box": "B3", "who": "A. Reyes", "standing": "licence 4711", "reason": "service drop cut by the utility" }`,
		),
	)
	assert.True(t, w.Gates[0].Open)
	require.NotNil(t, w.Gates[0].By)
	assert.NotEmpty(t, w.Gates[0].Missing, "what is missing stays in sight")
	for _, e := range []string{
		`{ "kind": "override", "gate": "open", "box": "B3", "who": "", "standing": "x", "reason": "y" }`, `{ "kind": "dance" }`, `{ "kind": "made-up", "box": "B3" }`,
		`{ "kind": "dead", "box": "B3", "stage": "installed" }`,
	} {
		assert.Equal(t, 422, s.ask("POST", call+"/journal", entry(e)).Code, e)
	}
	assert.Equal(t, 422, s.ask("POST", call+"/journal", `{ "id": "x", "entry": `+lock+` }`).Code)
	same := entry(lock)
	n := len(s.work(201, "POST", call+"/journal", same).Journal)
	assert.Len(t, s.work(201, "POST", call+"/journal", same).Journal, n, "sent again, entered once")
}

// TestBreakerFinding: two passes of the tracer, what died, and the directory.
func TestBreakerFinding(t *testing.T) {
	s := withDemo(t)
	const call = "/api/v1/calls/3"
	var levels [2][]job.Strength
	for pass := range 2 {
		w := s.ask("GET", fmt.Sprintf("%s/tracer/%d", call, pass+1), "")
		require.Equal(t, 200, w.Code, w.Body.String())
		require.NoError(t, json.Unmarshal(w.Body.Bytes(), &levels[pass]))
	}
	assert.Len(t, levels[1], 8)
	for _, l := range levels[1] {
		assert.Equal(t, l.Breaker == "11", l.Level >= 6, "%v", l)
	}
	assert.Equal(t, 422, s.ask("GET", call+"/tracer/3", "").Code)
	w := s.work(201, "POST", call+"/journal", entry(`{ "kind": "traced", "breaker": "12", "way": "lamp" }`))
	for _, row := range w.Directory {
		if row.Breaker == "12" {
			assert.Equal(t, job.DirectoryRow{Breaker: "12", Amps: 20, Serves: "Bindery, upper floor", Checked: true}, row)
		}
	}
	assert.Contains(t, s.ask("GET", call, "").Body.String(), `"label":"12"`, "the run's breaker is the one that was found")
	w = s.work(
		201,
		"POST",
		call+"/journal",
		entry(`{ "kind": "died", "outlets": ["R1", "R2"], "hidden": "the outlet behind the press" }`),
	)
	assert.Equal(t, "Went dead with the breaker: 2 outlets, and the outlet behind the press", w.Journal[0].Words)
	w = s.work(200, "PUT", call+"/directory", `[ { "breaker": "3", "serves": "kiln" } ]`)
	assert.Len(t, w.Directory, 1)
	assert.Equal(t, 422, s.ask("PUT", call+"/directory", `[ { "breaker": "" , "serves": "x" } ]`).Code)
}

// TestPapers: every paper, twice the same bytes, and what stands in them.
func TestPapers(t *testing.T) {
	s := withDemo(t)
	const call = "/api/v1/calls/2"
	s.proveDead(call, "B3")
	s.mendAll(call, "B3")
	require.Equal(t, 200, s.ask("POST", call+"/boxes/B3/made", "").Code)
	var picture bytes.Buffer
	require.NoError(t, png.Encode(&picture, image.NewRGBA(image.Rect(0, 0, 30, 20))))
	put := httptest.NewRequestWithContext(
		t.Context(),
		"POST",
		call+"/pictures?id=picture-1&phase=as+found&box=B3",
		&picture,
	)
	put.Header.Set("Content-Type", "application/octet-stream")
	got := httptest.NewRecorder()
	s.handler.ServeHTTP(got, put)
	require.Equal(t, 201, got.Code, got.Body.String())
	w := decoded(t, got)
	require.Len(t, w.Pictures, 1)
	assert.Equal(
		t,
		"image/jpeg",
		s.ask("GET", fmt.Sprintf("%s/pictures/%s", call, w.Pictures[0].Id), "").Header().Get("Content-Type"),
	)

	for paper, media := range map[string]string{"report.pdf": "application/pdf", "labels.pdf": "application/pdf", "readings.csv": "text/csv", "tests.ics": "text/calendar", "run.svg": "image/svg+xml"} {
		first, again := s.ask("GET", call+"/papers/"+paper, ""), s.ask("GET", call+"/papers/"+paper, "")
		require.Equal(t, 200, first.Code, "%s: %s", paper, first.Body.String())
		assert.True(t, strings.HasPrefix(first.Header().Get("Content-Type"), media), paper)
		assert.Equal(t, first.Body.Bytes(), again.Body.Bytes(), "%s: the same data, the same bytes", paper)
		if paper == "readings.csv" {
			rows, err := csv.NewReader(first.Body).ReadAll()
			require.NoError(t, err)
			assert.Len(t, rows, 14, "a head, and thirteen readings")
			assert.Equal(t, "yes", rows[1][1], "as found")
		}
	}
	assert.Equal(t, 404, s.ask("GET", call+"/papers/gold.pdf", "").Code)
	assert.Equal(t, 404, s.ask("GET", call+"/pictures/99", "").Code)
	w = s.work(200, "PATCH", fmt.Sprintf("%s/pictures/%s", call, w.Pictures[0].Id), `{ "withdrawn": true }`)
	assert.Empty(t, w.Pictures)
	for _, path := range []string{"/pictures?id=picture-x&phase=dancing", "/pictures?id=picture-x&phase=prove&box=B99", "/pictures?id=picture-x&phase=prove"} {
		assert.Equal(t, 422, s.ask("POST", call+path, "no picture").Code, path)
	}
}

// TestPutRightIsProvenToo: what was found and mended without a new make-up has
// to be read again before it is handed over.
func TestPutRightIsProvenToo(t *testing.T) {
	s := withDemo(t)
	const call = "/api/v1/calls/3"
	assert.Empty(t, s.work(200, "GET", call+"/work", "").Checks)
	asFound := func() (rows []job.OutletRow) {
		var report job.Report
		require.NoError(t, json.Unmarshal(s.ask("GET", call+"/report", "").Body.Bytes(), &report))
		return report.AsFound
	}
	before := asFound()
	require.NotEmpty(t, before)
	for i, r := range []string{
		`{ "tool": "eyes", "site": "B2", "found": [ { "kind": "open", "at": "W3@B2.neutral" } ] }`,
		`{ "tool": "fixed", "faults": [ { "kind": "open", "at": "W3@B2.neutral" } ] }`,
	} {
		require.Equal(
			t,
			201,
			s.ask("POST", call+"/readings", fmt.Sprintf(`{ "id": "mended-%03d", "reading": %s }`, i, r)).Code,
		)
	}
	w := s.work(200, "GET", call+"/work", "")
	require.NotEmpty(t, w.Checks)
	at := map[string]bool{}
	for _, k := range w.Checks {
		assert.Equal(t, job.NotRead, k.Status, "readings from before it was mended prove nothing")
		at[k.At] = true
	}
	assert.True(t, at["R2"] && at["R9"], "the box itself and all beyond it")
	assert.False(t, at["R6"], "and not the other branch")
	for i, k := range predictions(t, s, call) {
		require.Equal(
			t,
			201,
			s.ask("POST", call+"/readings", fmt.Sprintf(`{ "id": "after-%05d", "reading": %s }`, i, k)).Code,
		)
	}
	assert.False(t, s.work(200, "GET", call+"/work", "").HandOver.Open, "the box that was looked into has findings")
	s.mendAll(call, "B3")
	assert.True(t, s.work(200, "GET", call+"/work", "").HandOver.Open)
	assert.Equal(t, before, asFound(), "what was read before stays on the report as it was found")
	report := s.ask("GET", call+"/report", "").Body.String()
	assert.Contains(t, report, "Proven: every reading that was asked for is as predicted.")
}

// TestTheAnswerIsNotWorkedOutTwice, and is another one when a reading is added.
func TestTheSameQuestionHasTheSameAnswer(t *testing.T) {
	s := withDemo(t)
	first := s.ask("GET", "/api/v1/calls/3", "").Body.String()
	assert.Equal(t, first, s.ask("GET", "/api/v1/calls/3", "").Body.String())
	require.Equal(t, 201, s.ask("POST", "/api/v1/calls/3/readings", reading("one-more-reading", "R4", openNeutral)).Code)
	second := s.ask("GET", "/api/v1/calls/3", "").Body.String()
	assert.NotEqual(t, first, second)
	require.Equal(t, 200, s.ask("PATCH", "/api/v1/calls/3/readings/one-more-reading", `{ "withdrawn": true }`).Code)
	var before, after struct{ Diagnosis any }
	require.NoError(t, json.Unmarshal([]byte(first), &before))
	require.NoError(t, json.Unmarshal(s.ask("GET", "/api/v1/calls/3", "").Body.Bytes(), &after))
	assert.Equal(t, before, after, "taken back, and the answer is the first one")
}
