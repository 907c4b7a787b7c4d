package server_test

import (
	"database/sql"
	"encoding/json"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/job"
	"elvat/core/price"
	"elvat/internal/api"
)

// as asks as the role and reads the answer.
func as[T any](o *office, role job.Role, method, path, body string, headers ...string) T {
	o.t.Helper()
	w := o.ask(role, method, path, body, headers...)
	require.Less(o.t, w.Code, 300, "%s %s: %s", method, path, w.Body)
	var v T
	if w.Body.Len() > 0 {
		require.NoError(o.t, json.Unmarshal(w.Body.Bytes(), &v), "%s", w.Body)
	}
	return v
}

// TestDay plans a day as the office does, and reorders it.
func TestDay(t *testing.T) {
	o := newOffice(t)
	date := o.now.Format(time.DateOnly)
	before := as[api.DayBook](o, job.Office, "GET", "/api/v1/days/"+date, "")
	assert.Len(t, before.Open, 1, "of the demo's three")
	for call, body := range map[int]string{
		1: fmt.Sprintf(`{"van":"Van 1","date":%q,"from":"13:00","to":"15:00","telephone":"555 0101"}`, date),
		2: fmt.Sprintf(`{"van":"Van 1","date":%q,"urgent":"smell"}`, date),
		3: fmt.Sprintf(`{"van":"Van 1","date":%q,"from":"08:00","to":"08:20"}`, date),
	} {
		as[api.Call](o, job.Office, "PUT", fmt.Sprintf("/api/v1/calls/%d/appointment", call), body)
	}
	book := as[api.DayBook](o, job.Office, "GET", "/api/v1/days/"+date, "")
	assert.Empty(t, book.Open)
	require.Len(t, book.Vans, 1)
	v := book.Vans[0]
	var order []int64
	for _, c := range v.Calls {
		order = append(order, c.Id)
	}
	assert.Equal(t, []int64{2, 3, 1}, order, "what smells comes first")
	assert.NotEmpty(t, v.Sheet.Stops[1].Trouble, "and the promise at eight is not kept")
	assert.NotEmpty(t, v.TakeAlong)
	assert.Positive(t, v.Calls[0].Minutes.Usual)
	assert.Less(t, v.Calls[0].Minutes.Least, v.Calls[0].Minutes.Most)

	book = as[api.DayBook](o, job.Office, "PUT", "/api/v1/days/"+date+"/order", `{"van":"Van 1","calls":[3,2,1]}`)
	assert.True(t, book.Vans[0].ByHand)
	assert.Equal(t, "3", book.Vans[0].Sheet.Stops[0].ID)
	assert.Contains(t, fmt.Sprint(book.Vans[0].Sheet.Stops[1].Trouble), "others come before it")
	book = as[api.DayBook](o, job.Office, "PUT", "/api/v1/days/"+date+"/order", `{"van":"Van 1","calls":[]}`)
	assert.False(t, book.Vans[0].ByHand)

	// Once somebody came somewhere, that stands first, and the rest is planned from now on.
	as[api.Call](o, job.Helper, "POST", "/api/v1/calls/1/clock", `{"mark":"arrived"}`)
	o.now = o.now.Add(10 * time.Minute)
	book = as[api.DayBook](o, job.Office, "GET", "/api/v1/days/"+date, "")
	first := book.Vans[0].Sheet.Stops
	assert.Equal(t, "1", first[0].ID)
	assert.Equal(t, o.now.Add(-10*time.Minute).Local().Format("15:04"), first[0].Starts.String())
	assert.Greater(t, first[1].Starts.String(), o.now.Local().Format("15:04"))

	for _, row := range []struct{ method, path, body, says string }{
		{"GET", "/api/v1/days/monday", "", "no day"},
		{"PUT", "/api/v1/calls/1/appointment", `{"from":"25:00"}`, "from:"},
		{"PUT", "/api/v1/calls/1/appointment", `{"from":"16:00"}`, "to: 15:00 is before 16:00"},
		{"PUT", "/api/v1/calls/1/appointment", `{"date":"soon"}`, "date:"},
		{"PUT", "/api/v1/day-settings", `{"starts":"17:00","ends":"08:00"}`, "ends: 08:00 is not after"},
	} {
		w := o.ask(job.Electrician, row.method, row.path, row.body)
		assert.Equal(t, 422, w.Code, row.path)
		assert.Contains(t, w.Body.String(), row.says)
	}
	assert.Equal(t, 403, o.ask(job.Office, "PUT", "/api/v1/day-settings", `{"starts":"07:00","ends":"15:00"}`).Code)
}

// TestClock: what a call took is held against what was expected when somebody arrived, and
// corrects what is expected of others.
func TestClock(t *testing.T) {
	o := newOffice(t)
	was := as[api.Call](o, job.Helper, "GET", "/api/v1/calls/3", "")
	as[api.Call](o, job.Helper, "POST", "/api/v1/calls/1/clock", `{"mark":"arrived"}`)
	o.now = o.now.Add(30 * time.Minute)
	as[api.Call](o, job.Helper, "POST", "/api/v1/calls/1/clock", `{"mark":"found"}`)
	o.now = o.now.Add(6 * time.Hour)
	as[api.Call](o, job.Helper, "POST", "/api/v1/calls/1/clock", `{"mark":"done"}`)
	clocks := as[api.Clocks](o, job.Office, "GET", "/api/v1/clocks", "")
	require.Len(t, clocks.Calls, 1)
	assert.Equal(t, 390.0, clocks.Calls[0].Took)
	assert.Equal(t, 30.0, *clocks.Calls[0].Found)
	assert.Greater(t, clocks.Learned.Factor, 1.0)
	now := as[api.Call](o, job.Helper, "GET", "/api/v1/calls/3", "")
	assert.Greater(t, now.Minutes.Usual, was.Minutes.Usual, "calls take longer than was thought")
	as[api.Call](o, job.Helper, "POST", "/api/v1/calls/1/clock", `{"mark":"done","off":true}`)
	assert.Empty(t, as[api.Clocks](o, job.Office, "GET", "/api/v1/clocks", "").Calls)
	assert.Equal(t, 422, o.ask(job.Helper, "POST", "/api/v1/calls/1/clock", `{"mark":"lunch"}`).Code)
}

// TestFeed: a van's calendar is read by its token, and by no other.
func TestFeed(t *testing.T) {
	o := newOffice(t)
	as[api.Call](o, job.Office, "PUT", "/api/v1/calls/3/appointment", fmt.Sprintf(`{"van":"Van 1","date":%q,"from":"10:00"}`, o.now.Format(time.DateOnly)))
	first := as[api.Feed](o, job.Office, "POST", "/api/v1/feeds", `{"van":"Van 1"}`)
	w := o.ask("", "GET", first.Path, "")
	require.Equal(t, 200, w.Code, w.Body)
	assert.Contains(t, w.Header().Get("Content-Type"), "text/calendar")
	assert.Contains(t, w.Body.String(), "UID:call-3@elvat")
	assert.Contains(t, w.Body.String(), "SUMMARY:Bindery\\, upper floor")
	second := as[api.Feed](o, job.Office, "POST", "/api/v1/feeds", `{"van":"Van 1"}`)
	assert.Equal(t, 404, o.ask("", "GET", first.Path, "").Code, "a new one ends the old")
	assert.Equal(t, 200, o.ask("", "GET", second.Path, "").Code)
	assert.Equal(t, 204, o.ask(job.Office, "DELETE", "/api/v1/feeds?van=Van%201", "").Code)
	assert.Equal(t, 404, o.ask("", "GET", second.Path, "").Code)
	assert.Equal(t, 404, o.ask("", "GET", "/api/v1/feeds/AAAA", "").Code)
	assert.Equal(t, 422, o.ask(job.Office, "POST", "/api/v1/feeds", `{"van":" "}`).Code)
}

// TestPrice: a quote is accepted, the work is invoiced, and what was wrong is credited.
func TestPrice(t *testing.T) {
	o := newOffice(t)
	list := `{"seller":{"name":"Lamplight Electric (demo)"},"callOut":8500,"hour":12000,"step":15,"markup":{"":3000},"tax":{"part":825},"tasks":[{"code":"gfci","words":"GFCI fitted","cents":18500}],"discounts":[{"name":"Neighbour","basis":1000}],"number":"26-"}`
	assert.Equal(t, 403, o.ask(job.Office, "PUT", "/api/v1/prices", list).Code)
	as[api.PriceList](o, job.Electrician, "PUT", "/api/v1/prices", list)
	w := o.ask(job.Electrician, "PUT", "/api/v1/prices", strings.Replace(list, "8500", "-5", 1))
	assert.Equal(t, 422, w.Code)
	assert.Contains(t, w.Body.String(), "callOut")

	run, err := json.Marshal(o.ask(job.Electrician, "GET", "/api/v1/calls/3/circuit", "").Body.String())
	require.NoError(t, err)
	fresh := as[api.Call](o, job.Electrician, "POST", "/api/v1/calls", fmt.Sprintf(`{"title":"Print loft","complaint":"Half of it is dead","circuit":%s}`, run))
	now := as[api.CallPrice](o, job.Office, "GET", fmt.Sprintf("/api/v1/calls/%d/price", fresh.Id), "")
	assert.NotEmpty(t, now.Now.Options, "the diagnosis is open: if it is this, so much")
	assert.Less(t, now.Now.Least, now.Now.Most)
	require.NoError(t, now.Now.Check())
	assert.Equal(t, 422, o.ask(job.Office, "POST", "/api/v1/calls/3/quote/accepted", `{"by":"B. Okafor"}`).Code, "there is none to accept")
	shown := as[api.CallPrice](o, job.Office, "GET", "/api/v1/calls/3/price?minutes=30&discount=Neighbour&tasks=gfci", "")
	assert.Equal(t, price.Cents(8500+6000+18500), shown.Invoice.Totals.Net, "as it would be issued")
	assert.Equal(t, price.Cents(3300), shown.Invoice.Totals.Discount)
	for _, minutes := range []string{"NaN", "Inf", "-1", "1e9"} {
		assert.Equal(t, 422, o.ask(job.Office, "GET", "/api/v1/calls/3/price?minutes="+minutes, "").Code, minutes)
	}
	quoted := as[api.CallPrice](o, job.Office, "POST", "/api/v1/calls/3/quote", `{"discount":"Neighbour","tasks":["gfci"]}`)
	require.NotNil(t, quoted.Quote)
	assert.Equal(t, "Neighbour", quoted.Quote.Discount.Name)
	assert.Equal(t, 422, o.ask(job.Office, "POST", "/api/v1/calls/3/quote", `{"discount":"Cousin"}`).Code)
	accepted := as[api.CallPrice](o, job.Helper, "POST", "/api/v1/calls/3/quote/accepted", `{"by":"B. Okafor","signature":"M1 1L40 30"}`)
	assert.Equal(t, "B. Okafor", accepted.Quote.Accepted.By)
	assert.Equal(t, "application/pdf", o.ask(job.Office, "GET", "/api/v1/calls/3/quote.pdf", "").Header().Get("Content-Type"))

	// The same command sent twice issues one invoice; numbers have no gaps.
	for range 2 {
		as[api.CallPrice](o, job.Office, "POST", "/api/v1/calls/3/invoices", `{"minutes":76}`, "Idempotency-Key", `"invoice-once-0001"`)
	}
	as[api.CallPrice](o, job.Office, "POST", "/api/v1/calls/1/invoices", `{"minutes":30}`)
	issued := as[api.CallPrice](o, job.Office, "GET", "/api/v1/calls/3/price", "").Issued
	require.Len(t, issued, 1)
	assert.Equal(t, "26-0001", issued[0].Document.Number)
	assert.Equal(t, price.Cents(8500+18000), issued[0].Document.Totals.Gross)
	assert.Equal(t, 422, o.ask(job.Office, "POST", "/api/v1/invoices/1/credit", `{"why":" "}`).Code)
	credited := as[api.CallPrice](o, job.Office, "POST", "/api/v1/invoices/1/credit", `{"why":"too many minutes"}`)
	require.Len(t, credited.Issued, 2)
	assert.True(t, *credited.Issued[0].Credited)
	assert.Equal(t, "26-0001", credited.Issued[1].Document.Of)
	assert.Equal(t, 422, o.ask(job.Office, "POST", "/api/v1/invoices/1/credit", `{"why":"again"}`).Code, "once")
	all := as[[]api.IssuedPaper](o, job.Office, "GET", "/api/v1/invoices", "")
	var numbers []int64
	for _, i := range all {
		numbers = append(numbers, i.Number)
	}
	assert.Equal(t, []int64{3, 2, 1}, numbers)
	for file, media := range map[string]string{"invoice.pdf": "application/pdf", "invoice.xml": "application/xml", "invoice.csv": "text/csv; charset=utf-8"} {
		w := o.ask(job.Office, "GET", "/api/v1/invoices/3/"+file, "")
		assert.Equal(t, 200, w.Code)
		assert.Equal(t, media, w.Header().Get("Content-Type"))
	}
	// Nobody edits one, and none goes.
	db, err := sql.Open("sqlite", o.path)
	require.NoError(t, err)
	defer db.Close()
	for _, statement := range []string{"UPDATE invoices SET document = '{}' WHERE number = 1", "DELETE FROM invoices WHERE number = 3"} {
		_, err := db.Exec(statement)
		assert.ErrorContains(t, err, "an invoice")
	}
}
