package server_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/internal/api"
	"elvat/internal/desk"
	"elvat/internal/kept"
	"elvat/internal/phone"
)

// pocket is a phone with the shop's calls on it, and no signal until it syncs.
type pocket struct {
	t     *testing.T
	shop  *shop
	phone *phone.Phone
	n     int
}

func newPocket(t *testing.T, s *shop, device string) *pocket {
	p := &pocket{t: t, shop: s, phone: phone.New(func() time.Time { return noon }, desk.Caller{Device: device})}
	p.sync()
	return p
}

func (p *pocket) ask(method, path, body string) phone.Answer {
	p.n++
	return p.phone.Ask(p.t.Context(), phone.Request{
		Method: method, Path: path, Body: []byte(body), Command: fmt.Sprintf("%s-command-%04d", p.phone.Who.Device, p.n),
	})
}

// sync brings up what waits and down what is new; lost: the answer does not arrive.
func (p *pocket) sync(lost ...bool) api.SyncAnswer {
	request := struct {
		Calls    map[string]int64 `json:"calls"`
		Commands []kept.Waiting   `json:"commands"`
	}{p.phone.Versions(), p.phone.Waiting()}
	body, err := json.Marshal(request)
	require.NoError(p.t, err)
	w := p.shop.askAs(p.phone.Who.Device, "POST", "/api/v1/sync", string(body))
	require.Equal(p.t, 200, w.Code, w.Body)
	var a api.SyncAnswer
	require.NoError(p.t, json.Unmarshal(w.Body.Bytes(), &a))
	if len(lost) == 0 {
		require.NoError(p.t, p.phone.Synced(a))
	}
	return a
}

// plain is an answer without what differs by where it is kept: versions, and the codes of
// labels, which only the shop makes.
func plain(t *testing.T, body []byte) string {
	var v any
	require.NoError(t, json.Unmarshal(body, &v), string(body))
	var strip func(v any)
	strip = func(v any) {
		switch v := v.(type) {
		case map[string]any:
			delete(v, "version")
			delete(v, "labels")
			for _, inner := range v {
				strip(inner)
			}
		case []any:
			for _, inner := range v {
				strip(inner)
			}
		}
	}
	strip(v)
	text, err := json.Marshal(v)
	require.NoError(t, err)
	return string(text)
}

var looked = []string{"", "/work", "/boxes/B1", "/boxes/B3", "/report"}

// TestAPhoneAnswersAsTheShop: what is asked of the phone without a signal is answered as the
// shop would, refusals too, and once it is synced the shop says the same.
func TestAPhoneAnswersAsTheShop(t *testing.T) {
	same, other := withDemo(t), withDemo(t)
	pocket := newPocket(t, other, "pocket-1")
	const call = "/api/v1/calls/1"
	draw := drawn(rand.New(rand.NewPCG(5, 11)), "drawn")
	box := `{ "format": "elvat-box/1", "id": "B2", "box": { "material": "plastic", "volumeIn3": 18 }, "cables": [], "breaker": {} }`
	fixed := [][3]string{
		{"POST", call + "/cautions", ""},
		{"PATCH", call, `{ "complaint": "dead since the storm" }`},
		{"POST", call + "/readings", `{ "id": "bad-reading", "reading": { "tool": "plug", "at": "R99" } }`},
		{"POST", call + "/readings", `{ "id": "short" }`},
		{"PUT", call + "/boxes/B2", box},
		{"PUT", call + "/boxes/B2/steps", `{ "done": ["photograph"] }`},
		{"POST", call + "/boxes/B2/made", ""},
		{"POST", call + "/why", `{ "faults": [] }`},
		{"POST", call + "/undo", ""}, {"POST", call + "/undo", ""}, {"POST", call + "/redo", ""},
		{"POST", call + "/stops", `{ "after": "B2", "label": "Egg shelf", "ground": false, "feet": 9 }`},
		{"DELETE", call + "/stops/B9", ""},
		{"POST", call + "/loads", `{ "at": "R2", "half": "top", "watts": 60 }`},
		{"PUT", call + "/map", `{ "format": "elvat-map/1", "cables": [] }`},
		{"POST", call + "/conflicts/none", `{ "take": "mine" }`},
		{"GET", "/api/v1/basics", ""}, {"GET", "/api/v1/sums", ""}, {"POST", "/api/v1/sums/drop", `{ "values": { "feet": 80 } }`},
		{"POST", "/api/v1/sums/drop", `{ "values": { "feet": -1 } }`}, {"GET", "/api/v1/house", ""},
	}
	n := 0
	step := func(method, path, body string) {
		n++
		want := same.askAs("pocket-1", method, path, body)
		got := pocket.ask(method, path, body)
		name := fmt.Sprintf("%d %s %s %s", n, method, path, body)
		require.False(t, got.Elsewhere, name)
		require.Equal(t, want.Code, got.Status, "%s\nshop %s\nphone %s", name, want.Body, got.Body)
		// Who draws the run waits for no suspects: there they may be at hand or not.
		if !strings.HasSuffix(path, "/stops") && !strings.HasSuffix(path, "/basics") {
			require.JSONEq(t, plain(t, want.Body.Bytes()), plain(t, got.Body), name)
		}
	}
	for _, f := range fixed {
		step(f[0], f[1], f[2])
	}
	for range 25 {
		method, path, body := draw()
		step(method, call+path, body)
	}
	for _, at := range looked {
		step("GET", call+at, "")
	}
	// The same commands, made without a signal, are on the shop's record once it has them.
	waiting := len(pocket.phone.Waiting())
	require.Greater(t, waiting, 20)
	again := newPocket(t, other, "pocket-1") // put away, and taken out again
	again.phone.Restore(pocket.phone.Waiting())
	for _, at := range looked {
		require.JSONEq(t, plain(t, pocket.ask("GET", call+at, "").Body), plain(t, again.ask("GET", call+at, "").Body), at)
	}
	pocket.sync(true) // the answer is lost on the way
	a := pocket.sync()
	for _, r := range a.Results {
		assert.True(t, r.Done, "%s: %v", r.Id, r.Detail)
	}
	assert.Empty(t, pocket.phone.Waiting())
	for _, at := range looked {
		want, got := other.ask("GET", call+at, ""), pocket.ask("GET", call+at, "")
		require.JSONEq(t, plain(t, want.Body.Bytes()), plain(t, got.Body), at)
		require.JSONEq(t, plain(t, same.ask("GET", call+at, "").Body.Bytes()), plain(t, got.Body), at)
	}
	assert.True(t, pocket.ask("GET", "/api/v1/book", "").Elsewhere, "the whole site book is the shop's")
}

// TestTwoPhonesAndTheOffice: a call touched by two phones and the office, apart for a day,
// ends the same on all three; what contradicts waits for somebody, with both values.
func TestTwoPhonesAndTheOffice(t *testing.T) {
	const call = "/api/v1/calls/1"
	for seed := range uint64(3) {
		s := withDemo(t)
		phones := []*pocket{newPocket(t, s, "pocket-1"), newPocket(t, s, "pocket-2")}
		r := rand.New(rand.NewPCG(seed, 21))
		draws := []func() (string, string, string){drawn(r, "first"), drawn(r, "second"), drawn(r, "office")}
		for range 40 {
			who := r.IntN(3)
			method, path, body := draws[who]()
			if who == 2 {
				s.ask(method, call+path, body)
				continue
			}
			p := phones[who]
			p.ask(method, call+path, body)
			switch r.IntN(8) {
			case 0:
				p.sync(true)
			case 1:
				p.sync()
			}
		}
		for range 2 { // the second brings down what the other had
			for _, p := range phones {
				p.sync()
			}
		}
		for _, at := range looked {
			want := plain(t, s.ask("GET", call+at, "").Body.Bytes())
			for _, p := range phones {
				require.JSONEq(t, want, plain(t, p.ask("GET", call+at, "").Body), "seed %d, %s at %s", seed, p.phone.Who.Device, at)
			}
		}
		for _, p := range phones {
			for _, w := range p.phone.Waiting() {
				assert.NotEmpty(t, w.Refused, "what still waits says why")
			}
		}
	}
}

// TestWhatIsNotTaken stays on the phone and says why: nothing of it is lost, nothing of it is
// on the record, until somebody lets go of it.
func TestWhatIsNotTaken(t *testing.T) {
	s := withDemo(t)
	p := newPocket(t, s, "pocket-1")
	const call = "/api/v1/calls/1"
	require.Equal(t, 201, p.ask("POST", call+"/readings", reading("in-the-cellar", "R4", `{ "hotNeutral": "lit", "hotGround": "lit", "neutralGround": "dark" }`)).Status)
	require.Equal(t, 201, p.ask("POST", call+"/journal", `{ "id": "note-in-the-cellar", "entry": { "kind": "note", "text": "damp" } }`).Status)
	require.Equal(t, 200, s.ask("DELETE", call+"/stops/B4", "").Code, "the office took the outlet off the run meanwhile")
	a := p.sync()
	require.Len(t, a.Results, 2)
	waiting := p.phone.Waiting()
	require.Len(t, waiting, 1, "the note was taken, the reading was not")
	assert.Contains(t, waiting[0].Refused, "R4")
	want := plain(t, s.ask("GET", call, "").Body.Bytes())
	require.JSONEq(t, want, plain(t, p.ask("GET", call, "").Body))
	put := p.phone.Waiting()
	again := phone.New(func() time.Time { return noon }, desk.Caller{Device: "pocket-1"}) // put away and taken out
	fresh := &pocket{t: t, shop: s, phone: again}
	fresh.sync()
	again.Restore(put)
	assert.Equal(t, put, again.Waiting())
	for _, w := range put {
		again.Forget(w.ID)
	}
	assert.Empty(t, again.Waiting())
	require.JSONEq(t, want, plain(t, fresh.ask("GET", call, "").Body))
}
