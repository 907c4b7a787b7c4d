package server_test

import (
	"bytes"
	"encoding/base32"
	"encoding/json"
	"fmt"
	"image"
	"image/jpeg"
	"net/http/httptest"
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/job"
	"elvat/core/result"
	"elvat/core/tester"
	"elvat/internal/api"
)

// picture sends a small photograph.
func (s *shop) picture(to string) *httptest.ResponseRecorder {
	var picture bytes.Buffer
	require.NoError(s.t, jpeg.Encode(&picture, image.NewGray(image.Rect(0, 0, 30, 20)), nil))
	r := httptest.NewRequestWithContext(s.t.Context(), "POST", to, &picture)
	r.Header.Set("Content-Type", "application/octet-stream")
	w := httptest.NewRecorder()
	s.handler.ServeHTTP(w, r)
	return w
}

// TestResult: the link opens what came of the call once it is handed over, with its
// pictures and nothing else of the shop, until it ends.
func TestResult(t *testing.T) {
	s := withDemo(t)
	const call = "/api/v1/calls/3"
	refused := s.ask("POST", call+"/result", "")
	assert.Equal(t, 422, refused.Code)
	assert.Contains(t, refused.Body.String(), "not handed over yet")
	w := s.picture(call + "/pictures?id=picture-0001&phase=prove")
	require.Equal(t, 201, w.Code, w.Body.String())
	entry := func(n int, e string) {
		t.Helper()
		s.work(201, "POST", call+"/journal", fmt.Sprintf(`{ "id": "result-entry-%d", "entry": %s }`, n, e))
	}
	entry(1, `{ "kind": "override", "gate": "hand-over", "who": "A. Reyes", "standing": "licence 4711", "reason": "the tenant stops the work" }`)
	entry(2, `{ "kind": "handed-over", "who": "A. Reyes", "to": "the tenant", "signature": "M 10 10 L 20 20" }`)

	link := get[api.VisitLink](s, 201, "POST", call+"/result", "")
	at := "/api/v1/results/" + strings.TrimPrefix(link.Path, "/result/")
	page := get[api.ResultPage](s, 200, "GET", at, "")
	assert.Equal(t, "A. Reyes", page.Result.By)
	assert.Equal(t, []string{"why.openNeutral"}, page.Result.Why)
	assert.NotEmpty(t, page.Result.Wrong)
	require.Len(t, page.Pictures, 1)
	assert.Equal(t, 200, s.ask("GET", at+"/pictures/"+page.Pictures[0].Id, "").Code)
	assert.Equal(t, 404, s.ask("GET", at+"/pictures/another-one", "").Code)
	text, err := json.Marshal(page)
	require.NoError(t, err)
	for _, secret := range []string{"Tannery", "goose", "likelier", "suspect"} {
		assert.NotContains(t, string(text), secret, "nothing else of the shop")
	}
	assert.NotNil(t, s.call(200, "GET", call, "").ResultUntil)
	for _, other := range []string{"/api/v1/visits/", "/api/v1/guards/"} {
		assert.GreaterOrEqual(t, s.ask("GET", other+strings.TrimPrefix(link.Path, "/result/"), "").Code, 400, "it opens nothing else")
	}
	second := get[api.VisitLink](s, 201, "POST", call+"/result", "")
	assert.GreaterOrEqual(t, s.ask("GET", at, "").Code, 400, "another link ends the one before")
	s.call(200, "DELETE", call+"/result", "")
	assert.GreaterOrEqual(t, s.ask("GET", "/api/v1/results/"+strings.TrimPrefix(second.Path, "/result/"), "").Code, 400)
	assert.Nil(t, s.call(200, "GET", call, "").ResultUntil)
}

// TestGuardCode: the code of a label opens what hangs on its GFCI, without a name or an
// address; one that is made up opens nothing.
func TestGuardCode(t *testing.T) {
	s := withDemo(t)
	codes := func() map[string]string {
		all := map[string]string{}
		for _, l := range s.work(200, "GET", "/api/v1/calls/2/work", "").Labels {
			all[l.Label] = strings.TrimPrefix(l.Path, "/gfci/")
		}
		return all
	}
	printed := codes()
	require.Len(t, printed, 1, "a GFCI has one, other outlets none")
	code := printed["Wash sink"]
	g := get[result.Guard](s, 200, "GET", "/api/v1/guards/"+code, "")
	assert.Equal(t, "Wash sink", g.Label)
	assert.Contains(t, g.Holds, "Enlarger")
	assert.NotContains(t, fmt.Sprint(g), "darkroom", "no call, no house")
	name, mac, _ := strings.Cut(code, "-")
	for _, forged := range []string{
		name, name + "-", name + "-AAAAAAAAAAAAAAAA", base32.StdEncoding.WithPadding(base32.NoPadding).EncodeToString([]byte("1.G2")) + "-" + mac, "-" + mac, "%20", strings.ToLower(code),
	} {
		assert.Equal(t, 404, s.ask("GET", "/api/v1/guards/"+forged, "").Code, forged)
	}
	assert.Equal(t, printed, codes(), "what was printed goes on opening its page")
}

// TestTimeZone: the shop's clock is kept, checked, and stands on the papers.
func TestTimeZone(t *testing.T) {
	s := withDemo(t)
	refused := s.ask("PUT", "/api/v1/house", `{ "timeZone": "Lamplight/Nowhere" }`)
	assert.Equal(t, 422, refused.Code)
	assert.Contains(t, refused.Body.String(), "timeZone")
	for zone, hour := range map[string]string{"Asia/Tokyo": "JST", "Asia/Kolkata": "IST"} {
		require.Equal(t, 200, s.ask("PUT", "/api/v1/house", fmt.Sprintf(`{ "timeZone": %q }`, zone)).Code)
		assert.Equal(t, zone, get[api.Basics](s, 200, "GET", "/api/v1/basics", "").TimeZone)
		paper := s.ask("GET", "/api/v1/calls/3/papers/report.pdf", "")
		require.Equal(t, 200, paper.Code)
		read := exec.CommandContext(t.Context(), "pdftotext", "-", "-")
		read.Stdin = paper.Body
		text, err := read.Output()
		require.NoError(t, err)
		assert.Contains(t, string(text), hour)
	}
}

// TestExample: an example house is added once, its call works like any other, and it goes
// with all that was done in it and nothing else.
func TestExample(t *testing.T) {
	s := withDemo(t)
	before := s.ask("GET", "/api/v1/calls", "").Body.String()
	count := func() int { return len(get[[]api.CallSummary](s, 200, "GET", "/api/v1/calls", "")) }
	n := count()
	for range 2 {
		assert.True(t, get[api.Example](s, 201, "POST", "/api/v1/example", "").There)
	}
	assert.Equal(t, n+1, count(), "once")
	assert.True(t, get[api.Basics](s, 200, "GET", "/api/v1/basics", "").Example)
	newest := get[[]api.CallSummary](s, 200, "GET", "/api/v1/calls", "")[0]
	assert.NotEmpty(t, s.call(200, "GET", fmt.Sprintf("/api/v1/calls/%d", newest.Id), "").Readings)
	assert.Contains(t, s.ask("GET", "/api/v1/search?q=example", "").Body.String(), "Example house")
	for range 2 {
		assert.False(t, get[api.Example](s, 200, "DELETE", "/api/v1/example", "").There)
	}
	assert.JSONEq(t, before, s.ask("GET", "/api/v1/calls", "").Body.String(), "all else is as it was")
	assert.Equal(t, 404, s.ask("GET", fmt.Sprintf("/api/v1/calls/%d", newest.Id), "").Code)
	assert.NotContains(t, s.ask("GET", "/api/v1/search?q=example", "").Body.String(), "Example house")
}

// TestUnits: what is set is what every sentence is in, and nothing that people typed changes.
func TestUnits(t *testing.T) {
	s := withDemo(t)
	refused := s.ask("PUT", "/api/v1/house", `{ "units": "cubits" }`)
	require.Equal(t, 422, refused.Code)
	assert.Contains(t, refused.Body.String(), "units")
	fill := func() (string, string) {
		a := s.ask("POST", "/api/v1/sums/fill", `{ "values": {} }`)
		require.Equal(t, 200, a.Code, a.Body)
		return a.Body.String(), s.ask("GET", "/api/v1/sums", "").Body.String()
	}
	for _, row := range []struct{ units, needed, unit, not string }{
		{"", "20.25\u00a0in³", `"unit":"ft"`, "cm³"},
		{"metric", "332\u00a0cm³", `"unit":"m"`, "in³"},
	} {
		require.Equal(t, 200, s.ask("PUT", "/api/v1/house", fmt.Sprintf(`{ "units": %q }`, row.units)).Code)
		assert.Equal(t, row.units, string(get[api.Basics](s, 200, "GET", "/api/v1/basics", "").Units))
		answer, all := fill()
		assert.Contains(t, answer, row.needed)
		assert.NotContains(t, answer, row.not)
		assert.Contains(t, all, row.unit)
		house := s.ask("GET", "/api/v1/house", "").Body.String()
		assert.Contains(t, house, map[string]string{"": "within 6\u00a0ft of the edge of a sink", "metric": "within 1.8\u00a0m of the edge of a sink"}[row.units])
	}
	made := s.ask("POST", "/api/v1/calls", `{ "title": "Box 6 in deep", "complaint": "" }`)
	assert.Contains(t, made.Body.String(), "Box 6 in deep")
}

// TestOnesOwnTester: each has a tester of his own, and what lights mean is known to all.
func TestOnesOwnTester(t *testing.T) {
	o := newOffice(t)
	basics := func(role job.Role) (b api.Basics) {
		require.NoError(t, json.Unmarshal(o.ask(role, "GET", "/api/v1/basics", "").Body.Bytes(), &b))
		return b
	}
	order := []api.BasicsLamps{"neutralGround", "hotGround", "hotNeutral"}
	require.Equal(t, 200, o.ask(job.Helper, "PUT", "/api/v1/lamps", `{ "lamps": ["neutralGround", "hotGround", "hotNeutral"] }`).Code)
	assert.Equal(t, order, basics(job.Helper).Lamps)
	assert.Empty(t, basics(job.Electrician).Lamps, "another's tester is no guide to one's own")

	for _, row := range []struct {
		body string
		code int
		says string
	}{
		{`{ "shows": "on", "colour": "green", "kind": "ivory", "means": "ready" }`, 200, "ready"},
		{`{ "shows": "on", "colour": "green", "kind": " ivory ", "means": "tripped" }`, 200, "tripped"}, // the last word stands
		{`{ "shows": "on", "colour": "green", "kind": "ivory" }`, 422, "kind and means"},
		{`{ "shows": "on", "colour": "plaid", "kind": "ivory", "means": "ready" }`, 422, "colour"},
		{`{ "shows": "pulsing", "kind": "ivory", "means": "ready" }`, 422, "shows"},
	} {
		w := o.ask(job.Helper, "PUT", "/api/v1/lights", row.body)
		assert.Equal(t, row.code, w.Code, row.body)
		assert.Contains(t, w.Body.String(), row.says)
	}
	lights := basics(job.Electrician).Lights
	require.Len(t, lights, 1)
	assert.Equal(t, tester.MeansTripped, lights[0].Means)
}
