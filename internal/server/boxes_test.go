package server_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/makeup"
	"elvat/core/practice"
	"elvat/core/sums"
	"elvat/internal/api"
)

// box asks for something that answers with an opened box.
func (s *shop) box(status int, method, path, body string) api.OpenedBox {
	s.t.Helper()
	w := s.ask(method, path, body)
	require.Equal(s.t, status, w.Code, w.Body.String())
	var b api.OpenedBox
	require.NoError(s.t, json.Unmarshal(w.Body.Bytes(), &b))
	return b
}

func encoded(t *testing.T, v any) string {
	data, err := json.Marshal(v)
	require.NoError(t, err)
	return string(data)
}

// TestOpenedBox: a box starts as the run knows it, is recorded, planned, worked
// through and made up; the run is then as planned, and what was found is put right.
func TestOpenedBox(t *testing.T) {
	s := withDemo(t)
	const at = "/api/v1/calls/3/boxes/B1"
	b := s.box(200, "GET", at, "")
	assert.False(t, b.Recorded)
	assert.Equal(t, makeup.Line, b.Box.Cables[0].Role)
	assert.Nil(t, b.Box.Existing.Wiring, "nobody has looked")
	assert.NotEmpty(t, b.Plan.Steps)

	b.Box.Existing.Makeup = circuit.FeedThrough
	b.Box.Device.Kind, b.Box.Device.Amps, b.Box.Device.Terminals = "gfci", 20, "clamp"
	b.Box.Cables[1].Protect = makeup.ProtectYes
	b = s.box(200, "PUT", at, encoded(t, b.Box))
	assert.True(t, b.Recorded)
	assert.NotEmpty(t, b.Landings, "what the short word stands for is spelled out")
	require.NotNil(t, b.Plan.Proof)
	assert.True(t, b.Plan.Proof.Good, "%v", b.Plan.Proof)

	b = s.box(200, "PUT", at+"/steps", encoded(t, map[string]any{"done": []string{b.Plan.Steps[0].Do}}))
	assert.Len(t, b.Done, 1)

	s.proveDead("/api/v1/calls/3", "B1")
	c := s.call(200, "POST", at+"/made", "")
	assert.Equal(t, circuit.GFCI, c.Stops[0].Devices[0].Kind)
	assert.Contains(t, c.Stops[1].Protected, c.Stops[0].Devices[0].ID)
	assert.Equal(t, "Window bench", c.Phases[4].Detail)
	assert.Equal(t, "now", c.Phases[5].State, "next it is proven")
	require.NotNil(t, c.Readings[0].Problem)
	assert.Contains(t, *c.Readings[0].Problem, "as found", "what was read before is no evidence about the new make-up")
	assert.Equal(t, noon, *s.box(200, "GET", at, "").MadeAt)
	c = s.call(200, "POST", "/api/v1/calls/3/undo", "")
	assert.Nil(t, c.Readings[0].Problem, "taken back, and all is as before")
	assert.Nil(t, s.box(200, "GET", at, "").MadeAt)

	// A change of the run that the box does not know of is said, and loses nothing.
	s.call(201, "POST", "/api/v1/calls/3/stops", `{ "after": "B1", "label": "Press" }`)
	b = s.box(200, "GET", at, "")
	assert.Equal(t, "run-disagrees", b.Plan.Findings[0].Code)
	assert.False(t, b.Plan.Issued)
	assert.Equal(t, makeup.ProtectYes, b.Box.Cables[1].Protect)
}

func TestBoxesThatAreRefused(t *testing.T) {
	s := withDemo(t)
	good := s.box(200, "GET", "/api/v1/calls/3/boxes/B1", "").Box
	for _, row := range []struct {
		path, body string
		status     int
		says       string
	}{
		{"/api/v1/calls/3/boxes/B9x", "", 404, ""}, {"/api/v1/calls/99/boxes/B1", "", 404, ""},
		{"/api/v1/calls/3/boxes/B1", `{ "format": "elvat-box/1", "id": "B1", "colour": 1 }`, 422, "unknown key"},
		{"/api/v1/calls/3/boxes/B2", encoded(t, good), 422, "of box B1"},
		{"/api/v1/calls/3/boxes/B1", strings.Replace(encoded(t, good), `"W2"`, `"W9"`, 1), 422, "cable W"},
		{"/api/v1/calls/3/boxes/B1/steps", encoded(t, map[string]any{"done": make([]string, 200)}), 422, "more steps"},
	} {
		method := "PUT"
		if row.body == "" {
			method = "GET"
		}
		w := s.ask(method, row.path, row.body)
		assert.Equal(t, row.status, w.Code, "%s: %s", row.path, w.Body.String())
		assert.Contains(t, w.Body.String(), row.says)
	}
	s.proveDead("/api/v1/calls/3", "B1")
	good.Device = nil
	s.box(200, "PUT", "/api/v1/calls/3/boxes/B1", encoded(t, good))
	assert.Contains(t, s.ask("POST", "/api/v1/calls/3/boxes/B1/made", "").Body.String(), "No device is chosen")
}

// TestPhotograph: a picture is drawn anew, so that what a camera wrote into the
// file does not stay.
func TestPhotograph(t *testing.T) {
	s := withDemo(t)
	const at = "/api/v1/calls/3/boxes/B1/photograph"
	n := 0
	put := func(data []byte) *httptest.ResponseRecorder {
		n++
		r := httptest.NewRequestWithContext(
			t.Context(),
			"POST",
			fmt.Sprintf("/api/v1/calls/3/pictures?id=pulled-%03d&phase=pulled&box=B1", n),
			bytes.NewReader(data),
		)
		r.Header.Set("Content-Type", "application/octet-stream")
		w := httptest.NewRecorder()
		s.handler.ServeHTTP(w, r)
		return w
	}
	assert.Equal(t, 404, s.ask("GET", at, "").Code)
	picture := image.NewRGBA(image.Rect(0, 0, 40, 30))
	picture.Set(3, 3, color.White)
	var asJPEG, asPNG bytes.Buffer
	require.NoError(t, jpeg.Encode(&asJPEG, picture, nil))
	require.NoError(t, png.Encode(&asPNG, picture))
	// An APP1 segment with a position, right after the start of the picture.
	position := append([]byte{0xFF, 0xE1, 0, 20}, "Exif\x00\x00GPS 45.1 N 7 E"[:18]...)
	tagged := append(append([]byte{0xFF, 0xD8}, position...), asJPEG.Bytes()[2:]...)
	for _, data := range [][]byte{tagged, asPNG.Bytes()} {
		w := put(data)
		require.Equal(t, 201, w.Code, w.Body.String())
		got := s.ask("GET", at, "")
		require.Equal(t, 200, got.Code)
		assert.Equal(t, "image/jpeg", got.Header().Get("Content-Type"))
		assert.NotContains(t, got.Body.String(), "GPS")
		size, err := jpeg.DecodeConfig(got.Body)
		require.NoError(t, err)
		assert.Equal(t, 40, size.Width)
	}
	assert.NotNil(t, s.box(200, "GET", "/api/v1/calls/3/boxes/B1", "").Photograph)
	assert.Equal(t, 422, put([]byte("no picture")).Code)
	assert.Equal(t, 422, put(tagged[:len(tagged)/2]).Code)
	assert.Equal(t, 422, s.ask("POST", "/api/v1/calls/3/pictures?id=pulled-999&phase=pulled", "x").Code, "of which box?")
}

func TestHouse(t *testing.T) {
	s := withDemo(t)
	ask := func(status int, method, body string) (sheet practice.Sheet) {
		t.Helper()
		w := s.ask(method, "/api/v1/house", body)
		require.Equal(t, status, w.Code, w.Body.String())
		if status == 200 {
			require.NoError(t, json.Unmarshal(w.Body.Bytes(), &sheet))
		}
		return sheet
	}
	assert.EqualValues(t, 2023, ask(200, "GET", "").Edition)
	ask(
		200,
		"PUT",
		`{ "edition": 2017, "house": { "splice": "twisted" }, "prices": { "gfci": 31 }, "amendments": [ { "topic": "gfci", "section": " Town 4 ", "text": "lofts", "when": { "rooms": ["other"] } } ] }`,
	)
	sheet := ask(200, "GET", "")
	assert.EqualValues(t, 2017, sheet.Edition)
	assert.Equal(t, "Town 4", sheet.Amendments[0].Section)
	b := s.box(200, "GET", "/api/v1/calls/3/boxes/B1", "")
	assert.EqualValues(t, 2017, b.Plan.Edition, "plans follow the shop")
	ask(422, "PUT", `{ "edition": 1999 }`)
	ask(422, "PUT", `{ "amendments": [ { "topic": "gfci", "section": "", "text": "x" } ] }`)
}

func TestSums(t *testing.T) {
	s := newShop(t)
	w := s.ask("GET", "/api/v1/sums", "")
	var all []sums.Sum
	require.NoError(t, json.Unmarshal(w.Body.Bytes(), &all))
	assert.Len(t, all, len(sums.All()))
	w = s.ask("POST", "/api/v1/sums/heat", `{ "values": { "ohms": 0.1, "amps": 12 } }`)
	assert.Contains(t, w.Body.String(), "14.4 W")
	assert.Equal(t, 422, s.ask("POST", "/api/v1/sums/heat", `{ "values": { "ohms": -1 } }`).Code)
	assert.Equal(t, 422, s.ask("POST", "/api/v1/sums/gold", `{ "values": {} }`).Code)
}
