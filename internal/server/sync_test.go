package server_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/internal/api"
	"elvat/internal/demo"
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

// get is what the phone shows once the next move is worked out too.
func (p *pocket) get(path string) phone.Answer {
	for {
		got := p.ask("GET", path, "")
		if !strings.Contains(string(got.Body), `"pending":true`) {
			return got
		}
	}
}

// sync brings up what waits and down what is new; lost: the answer does not arrive.
func (p *pocket) sync(lost ...bool) api.SyncAnswer {
	for _, said := range p.phone.SaidHere() {
		w := p.shop.askAs(p.phone.Who.Device, "PUT", said.Path, string(said.Body))
		require.Equal(p.t, 200, w.Code, w.Body)
		if len(lost) == 0 {
			p.phone.Heard(said.ID)
		}
	}
	request := struct {
		Calls    map[string]int64 `json:"calls"`
		Commands []kept.Waiting   `json:"commands"`
	}{p.phone.Versions(), p.phone.Upward()}
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
			for _, of := range []string{"undo", "redo"} { // a command has a name of its own where it was sent
				if done, ok := v[of].(map[string]any); ok {
					delete(done, "id")
				}
			}
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
	return marked.ReplaceAllString(string(text), "$1")
}

// marked are names made on a phone, which end with its mark.
var marked = regexp.MustCompile(`\b([WBRGL]\d+)[a-z]{3}\b`)

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
		{"PUT", "/api/v1/lamps", `{ "lamps": ["hotGround", "hotNeutral", "neutralGround"] }`}, {"PUT", "/api/v1/lamps", `{ "lamps": ["hotGround"] }`},
		{"PUT", "/api/v1/lights", `{ "kind": "GF-1", "colour": "green", "shows": "steady", "means": "" }`},
		{"GET", call + "/tracer/1", ""}, {"GET", call + "/tracer/3", ""},
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
		if !strings.HasSuffix(path, "/stops") && strings.Contains(string(got.Body), `"pending":true`) {
			got = pocket.get(call)
		}
		// Who draws the run waits for no suspects: there they may be at hand or not.
		if !strings.HasSuffix(path, "/stops") && (got.Status != 200 || !strings.Contains(string(got.Body), `"breakerAmps"`)) {
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
	lamps := func(answer []byte) (b api.Basics) {
		require.NoError(t, json.Unmarshal(answer, &b))
		return b
	}
	assert.Empty(t, lamps(other.ask("GET", "/api/v1/basics", "").Body.Bytes()).Lamps, "the shop was not told yet")
	assert.Len(t, lamps(pocket.get("/api/v1/basics").Body).Lamps, 3)
	again := newPocket(t, other, "pocket-1") // put away, and taken out again
	again.phone.Say(pocket.phone.SaidHere())
	assert.Len(t, lamps(again.get("/api/v1/basics").Body).Lamps, 3)
	again.phone.Restore(pocket.phone.Waiting())
	for _, at := range looked {
		require.JSONEq(t, plain(t, pocket.get(call+at).Body), plain(t, again.get(call+at).Body), at)
	}
	pocket.sync(true) // the answer is lost on the way
	a := pocket.sync()
	for _, r := range a.Results {
		assert.True(t, r.Done, "%s: %v", r.Id, r.Detail)
	}
	assert.Empty(t, pocket.phone.Waiting())
	for _, at := range looked {
		want, got := other.askAs("pocket-1", "GET", call+at, ""), pocket.get(call+at)
		require.JSONEq(t, plain(t, want.Body.Bytes()), plain(t, got.Body), at)
		require.JSONEq(t, plain(t, same.askAs("pocket-1", "GET", call+at, "").Body.Bytes()), plain(t, got.Body), at)
	}
	assert.Len(t, lamps(other.ask("GET", "/api/v1/basics", "").Body.Bytes()).Lamps, 3)
	assert.Empty(t, pocket.phone.SaidHere())
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
			for _, p := range phones {
				want := plain(t, s.askAs(p.phone.Who.Device, "GET", call+at, "").Body.Bytes())
				require.JSONEq(t, want, plain(t, p.get(call+at).Body), "seed %d, %s at %s", seed, p.phone.Who.Device, at)
			}
		}
		for _, p := range phones {
			assert.Empty(t, p.phone.Waiting(), "the shop has all of it, or a decision is asked for")
			assert.Equal(t, phones[0].phone.Decisions(), p.phone.Decisions())
		}
	}
}

// TestWhatIsNotTaken: a fact is entered however late it comes; what the record does not take
// is written down all the same, seen by everybody, on no record until somebody decides.
func TestWhatIsNotTaken(t *testing.T) {
	s := withDemo(t)
	p, other := newPocket(t, s, "pocket-1"), newPocket(t, s, "pocket-2")
	const call = "/api/v1/calls/1"
	lit := `{ "hotNeutral": "lit", "hotGround": "lit", "neutralGround": "dark" }`
	require.Equal(t, 201, p.ask("POST", call+"/readings", reading("in-the-cellar", "R4", lit)).Status)
	require.Equal(t, 201, p.ask("POST", call+"/loads", `{ "at": "R4", "half": "top", "watts": 60 }`).Status)
	require.Equal(t, 201, p.ask("POST", call+"/journal", `{ "id": "note-in-the-cellar", "entry": { "kind": "note", "text": "damp" } }`).Status)
	require.Equal(t, 200, s.askAs("office", "DELETE", call+"/stops/B4", "").Code, "the office took the outlet off the run meanwhile")
	a := p.sync()
	require.Len(t, a.Results, 3)
	assert.Empty(t, p.phone.Waiting(), "the shop has all three")
	now := s.call(200, "GET", call, "")
	assert.Equal(t, "in-the-cellar", now.Readings[0].Id, "the reading was taken: it is a fact")
	assert.Contains(t, *now.Readings[0].Problem, "R4")
	require.Len(t, a.Decisions, 1)
	d := a.Decisions[0]
	assert.Contains(t, d.Why, "R4")
	assert.Equal(t, int64(1), d.Call)
	assert.Empty(t, now.Loads)
	other.sync()
	assert.Equal(t, a.Decisions, other.phone.Decisions(), "everybody sees it")
	p.sync(true)
	assert.Len(t, p.sync().Decisions, 1, "sent again it is still one")

	at := "/api/v1/decisions/" + d.Id
	assert.Equal(t, 422, s.ask("POST", at, `{ "take": true }`).Code, "nothing has changed: it is not taken now either")
	assert.Equal(t, 404, s.ask("POST", "/api/v1/decisions/none", `{ "take": true }`).Code)
	require.Equal(t, 200, s.askAs("office", "POST", call+"/undo", "").Code, "the outlet is back")
	require.JSONEq(t, `[]`, s.ask("POST", at, `{ "take": true }`).Body.String())
	assert.Len(t, s.call(200, "GET", call, "").Loads, 1)
	assert.Equal(t, 404, s.ask("POST", at, `{ "take": true }`).Code, "it was decided")

	p.sync()
	require.Equal(t, 409, p.ask("POST", call+"/journal", `{ "id": "over-in-the-cellar", "entry": { "kind": "handed-over", "who": "Ada", "to": "Bo" } }`).Status, "a gate is shut here as there")
	require.Equal(t, 200, p.ask("DELETE", call+"/stops/B4", "").Status)
	require.Equal(t, 200, s.ask("DELETE", call+"/stops/B4", "").Code)
	a = p.sync()
	require.Len(t, a.Decisions, 1, "taken off twice: %+v", a.Results)
	require.JSONEq(t, `[]`, s.ask("POST", "/api/v1/decisions/"+a.Decisions[0].Id, `{ "take": false }`).Body.String())
	assert.Empty(t, p.sync().Decisions)
}

// TestTwoStopsAreTwo: added at the same time on two phones and in the office they are three,
// and what is read at each stays there.
func TestTwoStopsAreTwo(t *testing.T) {
	s := withDemo(t)
	const call = "/api/v1/calls/1"
	lit, dark := `{ "hotNeutral": "lit", "hotGround": "lit", "neutralGround": "dark" }`, `{ "hotNeutral": "dark", "hotGround": "dark", "neutralGround": "dark" }`
	pockets := []*pocket{newPocket(t, s, "pocket-1"), newPocket(t, s, "pocket-2")}
	at := map[string]string{} // outlets by the label of their box
	for i, p := range pockets {
		label := fmt.Sprintf("Shelf %d", i)
		require.Equal(t, 201, p.ask("POST", call+"/stops", `{ "after": "B2", "ground": false, "label": "`+label+`" }`).Status)
		var c api.Call
		require.NoError(t, json.Unmarshal(p.get(call).Body, &c))
		for _, stop := range c.Stops {
			if stop.Label == label {
				at[label] = stop.Devices[0].ID
			}
		}
		require.Equal(t, 201, p.ask("POST", call+"/readings", reading(fmt.Sprintf("read-on-%d-there", i), at[label], []string{lit, dark}[i])).Status)
		require.Equal(t, 201, p.ask("POST", call+"/loads", fmt.Sprintf(`{ "at": %q, "half": "top", "watts": %d }`, at[label], 100+i)).Status)
	}
	require.Equal(t, 201, s.askAs("office", "POST", call+"/stops", `{ "after": "B2", "ground": false, "label": "Office" }`).Code)
	for _, p := range pockets {
		require.Empty(t, p.sync().Decisions)
	}
	now := s.call(200, "GET", call, "")
	labels := map[string]string{}
	for _, stop := range now.Stops {
		for _, d := range stop.Devices {
			labels[d.ID] = stop.Label
		}
	}
	for _, r := range now.Readings {
		if n, is := strings.CutPrefix(r.Id, "read-on-"); is {
			assert.Equal(t, "Shelf "+n[:1], labels[r.Reading.At], r.Id)
		}
	}
	require.Len(t, now.Loads, 2)
	assert.NotEqual(t, now.Loads[0].ID, now.Loads[1].ID)
	for _, l := range now.Loads {
		assert.Equal(t, fmt.Sprintf("Shelf %d", int(l.Watts)-100), labels[l.At])
	}
	// An undoing takes back what was meant, whatever came in between, and nobody else's.
	require.Equal(t, 200, pockets[0].ask("POST", call+"/undo", "").Status)
	require.Equal(t, 200, s.askAs("office", "PUT", call+"/breaker", `{ "label": "12", "amps": 15 }`).Code)
	require.Empty(t, pockets[0].sync().Decisions)
	now = s.call(200, "GET", call, "")
	assert.Len(t, now.Loads, 1)
	assert.Equal(t, "12", now.Breaker.Label)
}

// TestTheMachineGoesDown between writing down and carrying out: once it is up again all is
// done, once.
func TestTheMachineGoesDown(t *testing.T) {
	path := filepath.Join(t.TempDir(), "shop.db")
	s := open(t, path)
	require.NoError(t, demo.Fill(t.Context(), s.store, noon))
	made := kept.Arrived{
		Waiting: kept.Waiting{Call: 1, ID: "before-the-fall", MadeAt: noon, Seen: 1, Doing: []byte(`{ "do": "add-entry", "id": "note-of-it", "entry": { "kind": "note", "text": "damp" } }`)},
		Device:  "pocket-1", ArrivedAt: noon,
	}
	require.NoError(t, s.store.Arrive(t.Context(), []kept.Arrived{made, made}))
	require.NoError(t, s.store.Close())
	up := open(t, path)
	assert.Contains(t, up.ask("GET", "/api/v1/calls/1/work", "").Body.String(), "damp")
	untried, err := up.store.Untried(t.Context())
	require.NoError(t, err)
	assert.Empty(t, untried)
}

// TestAnotherPersonOnThePhone: what somebody did before their session ended is not put down to
// who works there next; it goes up once they are back.
func TestAnotherPersonOnThePhone(t *testing.T) {
	s := withDemo(t)
	p := newPocket(t, s, "pocket-1")
	const call = "/api/v1/calls/1"
	note := func(who string) {
		p.phone.Who.Person = who
		require.Equal(t, 201, p.ask("POST", call+"/journal", `{ "id": "note-of-`+who+`-1", "entry": { "kind": "note", "text": "`+who+`" } }`).Status)
	}
	note("ada")
	note("bo")
	require.Len(t, p.sync().Results, 1)
	require.Len(t, p.phone.Waiting(), 1)
	assert.Equal(t, "ada", p.phone.Waiting()[0].Person)
	assert.Contains(t, string(p.get(call+"/work").Body), `ada`, "it is on the record here all the while")
	p.phone.Who.Person = "ada"
	p.sync()
	assert.Empty(t, p.phone.Waiting())
}

// TestBegunOnThePhone: a call that the shop knows nothing of, with a run, readings and a
// picture; the shop numbers it, and whoever has the page open goes on.
func TestBegunOnThePhone(t *testing.T) {
	for _, row := range []struct{ name, begin string }{
		{"of its own", `{ "title": "Kiln shed", "complaint": "dead since the storm" }`},
		{"on a run that is known", `{ "title": "", "complaint": "again", "run": 1 }`},
		{"in a house that is known", `{ "title": "Attic", "complaint": "", "site": 1 }`},
	} {
		t.Run(row.name, func(t *testing.T) {
			s := withDemo(t)
			p := newPocket(t, s, "pocket-1")
			before := len(get[[]api.CallSummary](s, 200, "GET", "/api/v1/calls", ""))
			got := p.ask("POST", "/api/v1/calls", row.begin)
			require.Equal(t, 201, got.Status, string(got.Body))
			var c api.Call
			require.NoError(t, json.Unmarshal(got.Body, &c))
			require.Negative(t, c.Id)
			call := fmt.Sprintf("/api/v1/calls/%d", c.Id)
			after := "panel"
			if len(c.Stops) > 0 {
				after = c.Stops[len(c.Stops)-1].Box
			}
			got = p.ask("POST", call+"/stops", fmt.Sprintf(`{ "after": %q, "label": "Kiln", "ground": true }`, after))
			require.Equal(t, 201, got.Status, string(got.Body))
			require.NoError(t, json.Unmarshal(p.get(call).Body, &c))
			outlet := c.Stops[len(c.Stops)-1].Devices[0].ID
			require.Equal(t, 201, p.ask("POST", call+"/readings", reading("on-the-phone", outlet, `{ "hotNeutral": "dark", "hotGround": "lit", "neutralGround": "dark" }`)).Status)
			require.Equal(t, 201, p.ask("POST", call+"/pictures?id=picture-on-phone&phase=complaint", "").Status)
			want := p.get(call)
			again := newPocket(t, s, "pocket-1") // put away, and taken out again
			again.phone.Restore(p.phone.Waiting())
			require.JSONEq(t, plain(t, want.Body), plain(t, again.get(call).Body))

			p.sync(true) // the answer is lost: it is sent again, and begun once
			a := p.sync()
			require.Empty(t, a.Decisions, "%+v", a.Results)
			assert.Empty(t, p.phone.Waiting())
			assert.Len(t, get[[]api.CallSummary](s, 200, "GET", "/api/v1/calls", ""), before+1)
			id := p.phone.Numbers()[c.Id]
			require.Positive(t, id)
			there := fmt.Sprintf("/api/v1/calls/%d", id)
			for _, at := range []string{"", "/work", "/report"} {
				shop := plain(t, s.askAs("pocket-1", "GET", there+at, "").Body.Bytes())
				require.JSONEq(t, shop, plain(t, p.get(there+at).Body), at)
				require.JSONEq(t, shop, plain(t, p.get(call+at).Body), "the old number leads there too: %s", at)
			}
			require.Equal(t, 404, s.ask("GET", there+"/pictures/picture-on-phone", "").Code, "its image is on its way")
			require.Equal(t, 200, s.ask("GET", there+"/papers/report.pdf", "").Code)
			w := s.picture(there + "/pictures?id=picture-on-phone&phase=complaint")
			require.Equal(t, 201, w.Code, w.Body)
			require.Equal(t, 200, s.ask("GET", there+"/pictures/picture-on-phone", "").Code)
		})
	}
	s := withDemo(t)
	p := newPocket(t, s, "pocket-1")
	assert.Equal(t, 422, p.ask("POST", "/api/v1/calls", `{ "title": " " }`).Status)
	assert.True(t, p.ask("POST", "/api/v1/calls", `{ "title": "x", "run": 99 }`).Elsewhere, "a run that is not on the phone")
	assert.Empty(t, p.phone.Waiting())
}
