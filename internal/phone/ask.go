package phone

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"

	"elvat/core/call"
	"elvat/core/diagnosis"
	"elvat/core/job"
	"elvat/core/runs"
	"elvat/core/tester"
	"elvat/internal/api"
	"elvat/internal/desk"
	"elvat/internal/kept"
)

// A Request is one of the contract, asked of the phone instead of the shop.
type Request struct {
	Method  string `json:"method"`
	Path    string `json:"path"`
	Command string `json:"command,omitempty"` // the id of what is asked to be done
	Seen    int64  `json:"seen,omitempty"`
	Body    []byte `json:"body,omitempty"`
}

// An Answer is what the shop would have answered.
type Answer struct {
	Status int
	Body   []byte
	// Elsewhere: the phone cannot know it, and asks the shop.
	Elsewhere bool
}

// A route answers one operation of the contract.
type route struct {
	method string
	path   []string // {call} and the like stand for anything
	status int
	answer func(*Phone, context.Context, *asked) (any, error)
}

// asked is what a request named, and what it carried.
type asked struct {
	named map[string]string // in the path
	query map[string]string // after it
	call  int64
	body  []byte
}

// into reads the body.
func into[T any](a *asked) (T, error) {
	var v T
	if len(bytes.TrimSpace(a.body)) == 0 {
		return v, nil
	}
	if err := json.Unmarshal(a.body, &v); err != nil {
		return v, desk.BadInput{Err: err}
	}
	return v, nil
}

func op(method, path string, status int, answer func(*Phone, context.Context, *asked) (any, error)) route {
	return route{method, strings.Split(path, "/"), status, answer}
}

// result is what became of one command.
type result = struct {
	Detail *string `json:"detail,omitempty"`
	Done   bool    `json:"done"`
	Id     string  `json:"id"`
	Status *int    `json:"status,omitempty"`
	Title  *string `json:"title,omitempty"`
}

// change is something done on a call, shown by the call as it is after it.
func change[T any](doing func(T, *asked) call.Doing) func(*Phone, context.Context, *asked) (any, error) {
	return func(p *Phone, ctx context.Context, a *asked) (any, error) {
		at, err := done(p, ctx, a, doing)
		if err != nil {
			return nil, err
		}
		return p.CallAt(staged(ctx), at)
	}
}

// staged is the context of who sees the suspects before the next move, where they would
// wait for anything at all.
func staged(ctx context.Context) context.Context {
	if desk.IsLater(ctx) {
		return ctx
	}
	return desk.Staged(ctx)
}

func done[T any](p *Phone, ctx context.Context, a *asked, doing func(T, *asked) call.Doing) (*kept.Snapshot, error) {
	v, err := into[T](a)
	if err != nil {
		return nil, err
	}
	return p.Do(ctx, a.call, p.Command(ctx, doing(v, a)), nil)
}

// work is change, shown by the work of the call; box, by one of its boxes.
func work[T any](doing func(T, *asked) call.Doing) func(*Phone, context.Context, *asked) (any, error) {
	return func(p *Phone, ctx context.Context, a *asked) (any, error) {
		at, err := done(p, ctx, a, doing)
		if err != nil {
			return nil, err
		}
		return p.WorkAt(ctx, at)
	}
}

func box[T any](doing func(T, *asked) call.Doing) func(*Phone, context.Context, *asked) (any, error) {
	return func(p *Phone, ctx context.Context, a *asked) (any, error) {
		at, err := done(p, ctx, a, doing)
		if err != nil {
			return nil, err
		}
		return p.BoxAt(ctx, at, a.named["box"])
	}
}

// newRun is change, shown by one of the call's new runs.
func newRun[T any](doing func(T, *asked) call.Doing) func(*Phone, context.Context, *asked) (any, error) {
	return func(p *Phone, ctx context.Context, a *asked) (any, error) {
		at, err := done(p, ctx, a, doing)
		if err != nil {
			return nil, err
		}
		return p.NewRunAt(ctx, at, a.named["newRun"])
	}
}

type none struct{}

// routes are the operations that the phone answers by itself.
var routes = []route{
	op("GET", "basics", 200, func(p *Phone, ctx context.Context, _ *asked) (any, error) { return p.Basics(ctx) }),
	op("GET", "sums", 200, func(p *Phone, ctx context.Context, _ *asked) (any, error) { return p.Sums(ctx) }),
	op("POST", "sums/{sum}", 200, func(p *Phone, ctx context.Context, a *asked) (any, error) {
		b, err := into[api.SumValues](a)
		if err != nil {
			return nil, err
		}
		return p.WorkSum(ctx, a.named["sum"], b.Values)
	}),
	op("GET", "house", 200, func(p *Phone, ctx context.Context, _ *asked) (any, error) {
		shop, err := p.House(ctx)
		return shop.Sheet(), err
	}),
	op("GET", "practice", 200, func(p *Phone, ctx context.Context, _ *asked) (any, error) {
		practice, err := p.Practice(ctx)
		if err != nil {
			return nil, err
		}
		learned, err := p.Learned(ctx)
		if err != nil {
			return nil, err
		}
		return learned.Sheet(practice)
	}),
	op("GET", "calls", 200, (*Phone).list),
	op("POST", "calls", 201, (*Phone).begin),
	op("GET", "drills", 200, func(p *Phone, ctx context.Context, _ *asked) (any, error) { return p.Drills(ctx) }),
	op("POST", "drills", 201, (*Phone).beginDrill),
	op("POST", "drills/scene", 200, func(p *Phone, ctx context.Context, a *asked) (any, error) {
		b, err := into[api.NewDrill](a)
		if err != nil {
			return nil, err
		}
		return p.SceneFile(ctx, b)
	}),
	op("GET", "school", 200, func(_ *Phone, _ context.Context, a *asked) (any, error) {
		load, _ := strconv.ParseFloat(a.query["load"], 64)
		return desk.Class(a.query["lesson"], load)
	}),
	op("GET", "calls/{call}/drill", 200, func(p *Phone, ctx context.Context, a *asked) (any, error) { return p.Score(ctx, a.call) }),
	op("POST", "calls/{call}/drill", 200, change(func(b api.DrillDeed, _ *asked) call.Doing { return desk.DoingInDrill(b) })),
	op("GET", "calls/{call}/drill/boxes/{box}", 200, func(p *Phone, ctx context.Context, a *asked) (any, error) {
		return p.DrillBox(ctx, a.call, a.named["box"])
	}),
	op("GET", "calls/{call}", 200, func(p *Phone, ctx context.Context, a *asked) (any, error) { return p.Call(staged(ctx), a.call) }),
	op("PATCH", "calls/{call}", 200, change(func(b api.CallChange, _ *asked) call.Doing {
		return &call.Rename{Title: b.Title, Complaint: b.Complaint}
	})),
	op("POST", "calls/{call}/cautions", 200, change(func(none, *asked) call.Doing { return &call.ReadCautions{} })),
	op("PUT", "calls/{call}/circuit", 200, func(p *Phone, ctx context.Context, a *asked) (any, error) {
		at, err := p.Do(ctx, a.call, p.Command(ctx, &call.ReplaceRun{Circuit: a.body}), nil)
		if err != nil {
			return nil, err
		}
		return p.CallAt(ctx, at)
	}),
	op("PUT", "calls/{call}/breaker", 200, change(func(b api.BreakerChange, _ *asked) call.Doing { return desk.SetBreaker(b) })),
	op("POST", "calls/{call}/stops", 201, func(p *Phone, ctx context.Context, a *asked) (any, error) {
		return change(func(b api.NewStop, _ *asked) call.Doing { return desk.AddStop(b) })(p, desk.Later(ctx), a)
	}),
	op("PATCH", "calls/{call}/stops/{box}", 200, change(func(b api.StopChange, a *asked) call.Doing {
		return desk.ChangeStop(a.named["box"], b)
	})),
	op("DELETE", "calls/{call}/stops/{box}", 200, change(func(_ none, a *asked) call.Doing {
		return &call.RemoveStop{Box: a.named["box"]}
	})),
	op("POST", "calls/{call}/readings", 201, change(func(b api.NewReading, _ *asked) call.Doing {
		return &call.AddReading{ID: b.Id, Reading: b.Reading}
	})),
	op("PATCH", "calls/{call}/readings/{reading}", 200, change(func(b api.Withdrawal, a *asked) call.Doing {
		return &call.MarkReading{ID: a.named["reading"], Withdrawn: b.Withdrawn, Doubtful: b.Doubtful}
	})),
	op("PUT", "calls/{call}/state", 200, change(func(b tester.State, _ *asked) call.Doing { return &call.SetState{State: &b} })),
	op("PUT", "calls/{call}/conditions", 200, change(func(b diagnosis.Conditions, _ *asked) call.Doing {
		return &call.SetConditions{Conditions: b}
	})),
	op("PUT", "calls/{call}/map", 200, change(func(b runs.Map, _ *asked) call.Doing { return &call.SetOrder{Order: b} })),
	op("POST", "calls/{call}/why", 200, func(p *Phone, ctx context.Context, a *asked) (any, error) {
		b, err := into[api.AskWhyJSONBody](a)
		if err != nil {
			return nil, err
		}
		return p.Why(ctx, a.call, b.Faults, b.Beside)
	}),
	op("POST", "calls/{call}/loads", 201, change(func(b api.NewLoad, _ *asked) call.Doing { return desk.AddLoad(b) })),
	op("DELETE", "calls/{call}/loads/{load}", 200, change(func(_ none, a *asked) call.Doing {
		return &call.RemoveLoad{Load: a.named["load"]}
	})),
	op("PUT", "calls/{call}/changed/{device}", 200, change(func(b api.SetChangedJSONBody, a *asked) call.Doing {
		return &call.SetChanged{Device: a.named["device"], Changed: b.Changed}
	})),
	op("GET", "calls/{call}/boxes/{box}", 200, func(p *Phone, ctx context.Context, a *asked) (any, error) {
		return p.Box(ctx, a.call, a.named["box"])
	}),
	op("PUT", "calls/{call}/boxes/{box}", 200, box(func(b api.BoxFile, a *asked) call.Doing {
		return &call.SetBox{Box: a.named["box"], Makeup: b}
	})),
	op("PUT", "calls/{call}/boxes/{box}/steps", 200, box(func(b api.StepsDone, a *asked) call.Doing {
		return &call.SetSteps{Box: a.named["box"], Done: b.Done}
	})),
	op("POST", "calls/{call}/boxes/{box}/made", 200, change(func(_ none, a *asked) call.Doing {
		return &call.MakeUp{Box: a.named["box"]}
	})),
	op("GET", "calls/{call}/boxes/{box}/kinds", 200, func(p *Phone, ctx context.Context, a *asked) (any, error) {
		return p.Kinds(ctx, a.call, a.named["box"])
	}),
	op("PUT", "calls/{call}/appointment", 200, change(func(b call.SetAppointment, _ *asked) call.Doing { return &b })),
	op("POST", "calls/{call}/clock", 200, change(func(b call.MarkClock, _ *asked) call.Doing { return &b })),
	op("GET", "calls/{call}/new-runs", 200, func(p *Phone, ctx context.Context, a *asked) (any, error) { return p.NewRuns(ctx, a.call) }),
	op("POST", "calls/{call}/new-runs", 200, func(p *Phone, ctx context.Context, a *asked) (any, error) {
		b, err := into[api.NewRunStart](a)
		if err != nil {
			return nil, err
		}
		return p.SuggestNewRun(ctx, a.call, b)
	}),
	op("GET", "calls/{call}/new-runs/{newRun}", 200, func(p *Phone, ctx context.Context, a *asked) (any, error) {
		return p.NewRun(ctx, a.call, a.named["newRun"])
	}),
	op("PUT", "calls/{call}/new-runs/{newRun}", 200, newRun(func(b api.NewRunFile, _ *asked) call.Doing { return &call.SetNewRun{Order: b} })),
	op("DELETE", "calls/{call}/new-runs/{newRun}", 200, change(func(_ none, a *asked) call.Doing { return &call.RemoveNewRun{Run: a.named["newRun"]} })),
	op("PUT", "calls/{call}/new-runs/{newRun}/steps", 200, newRun(func(b api.NewRunSteps, a *asked) call.Doing {
		return &call.SetNewRunSteps{Run: a.named["newRun"], Done: b.Done}
	})),
	op("POST", "calls/{call}/new-runs/{newRun}/accepted", 200, newRun(func(b api.TakenOn, a *asked) call.Doing {
		return &call.AcceptInRun{Run: a.named["newRun"], Key: b.Key, By: b.By, Why: b.Why}
	})),
	op("POST", "calls/{call}/new-runs/{newRun}/laid", 200, newRun(func(b api.LaidOff, a *asked) call.Doing {
		return &call.LayRun{Run: a.named["newRun"], Van: desk.Or(b.Van, "")}
	})),
	op("GET", "calls/{call}/work", 200, func(p *Phone, ctx context.Context, a *asked) (any, error) { return p.Work(ctx, a.call) }),
	op("POST", "calls/{call}/journal", 201, work(func(b api.NewEntry, _ *asked) call.Doing {
		return &call.AddEntry{ID: b.Id, Entry: b.Entry}
	})),
	op("PATCH", "calls/{call}/journal/{entry}", 200, work(func(b api.Withdrawal, a *asked) call.Doing {
		return &call.MarkEntry{ID: a.named["entry"], Withdrawn: b.Withdrawn}
	})),
	op("PUT", "calls/{call}/directory", 200, work(func(b job.Directory, _ *asked) call.Doing {
		return &call.SetDirectory{Directory: b}
	})),
	// The image itself lies beside, and goes up last.
	op("POST", "calls/{call}/pictures", 201, work(func(_ none, a *asked) call.Doing {
		return &call.AddPicture{ID: a.query["id"], Phase: a.query["phase"], Box: a.query["box"]}
	})),
	op("PATCH", "calls/{call}/pictures/{picture}", 200, work(func(b api.Withdrawal, a *asked) call.Doing {
		return &call.MarkPicture{ID: a.named["picture"], Withdrawn: b.Withdrawn}
	})),
	op("GET", "calls/{call}/tracer/{pass}", 200, func(p *Phone, ctx context.Context, a *asked) (any, error) {
		pass, _ := strconv.Atoi(a.named["pass"]) // none is refused
		return p.Trace(ctx, a.call, pass)
	}),
	op("PUT", "lamps", 200, func(p *Phone, ctx context.Context, a *asked) (any, error) {
		b, err := into[api.LampOrder](a)
		if err != nil {
			return nil, err
		}
		return p.SetLamps(ctx, b)
	}),
	op("PUT", "lights", 200, func(p *Phone, ctx context.Context, a *asked) (any, error) {
		b, err := into[tester.Light](a)
		if err != nil {
			return nil, err
		}
		return p.TellLight(ctx, b)
	}),
	op("GET", "calls/{call}/report", 200, func(p *Phone, ctx context.Context, a *asked) (any, error) { return p.Report(ctx, a.call) }),
	op("POST", "calls/{call}/undo", 200, change(func(_ none, a *asked) call.Doing { return &call.Undo{Of: a.query["of"]} })),
	op("POST", "calls/{call}/redo", 200, change(func(_ none, a *asked) call.Doing { return &call.Redo{Of: a.query["of"]} })),
	op("POST", "calls/{call}/conflicts/{conflict}", 200, change(func(b api.SettleConflictJSONBody, a *asked) call.Doing {
		return &call.SettleConflict{ID: a.named["conflict"], Take: string(b.Take)}
	})),
	op("POST", "calls/{call}/commands", 200, func(p *Phone, ctx context.Context, a *asked) (any, error) {
		b, err := into[api.DoCommandsJSONRequestBody](a)
		if err != nil {
			return nil, err
		}
		var out api.CommandResults
		for _, sent := range b.Commands {
			by := desk.CallerOf(ctx)
			by.Sent = func(at time.Time) (time.Time, error) { return at, nil } // this machine's clock
			if err := p.DoOne(ctx, by, a.call, sent); err != nil {
				return nil, err
			}
			out.Results = append(out.Results, result{Done: true, Id: sent.Id})
		}
		out.Call, err = p.Call(staged(ctx), a.call)
		return out, err
	}),
	op("POST", "calls/{call}/used", 201, change(func(b api.Move, _ *asked) call.Doing { return desk.UsePart(b) })),
}

// list is the calls on the phone, as the day shows them.
func (p *Phone) list(ctx context.Context, _ *asked) (any, error) {
	var inHand, over []api.CallSummary
	for _, id := range p.Calls() {
		var one api.CallSummary
		if kept.IsDrill(id) {
			continue
		}
		if known := p.summary(id); known != nil {
			if err := json.Unmarshal(known, &one); err != nil {
				return nil, err
			}
		} else {
			v, err := p.Load(staged(ctx), id) // a list says nothing of what to do next
			if errors.Is(err, ErrElsewhere) {
				continue // it has a head without a summary, and is not opened
			}
			if err != nil {
				return nil, err
			}
			if v.Record.Drill != nil {
				continue // it is no call
			}
			one = v.Summary()
		}
		if one.HandedOver {
			over = append(over, one)
		} else {
			inHand = append(inHand, one)
		}
	}
	all := append(append([]api.CallSummary{}, inHand...), over...)
	return all, nil
}

// base is what all paths of the contract begin with.
const base = "/api/v1/"

// match is the route of a request, with what its path names.
func match(method, path string) (*route, *asked) {
	path, ok := strings.CutPrefix(path, base)
	if !ok {
		return nil, nil
	}
	path, query, _ := strings.Cut(path, "?")
	parts := strings.Split(path, "/")
next:
	for i := range routes {
		r := &routes[i]
		if r.method != method || len(r.path) != len(parts) {
			continue
		}
		a := &asked{named: map[string]string{}}
		for j, part := range r.path {
			name, is := strings.CutPrefix(part, "{")
			value, err := unescaped(parts[j])
			switch {
			case !is && part != parts[j] || err != nil:
				continue next
			case is:
				a.named[strings.TrimSuffix(name, "}")] = value
			}
		}
		a.query = queried(query)
		if call := a.named["call"]; call != "" {
			if _, err := fmt.Sscan(call, &a.call); err != nil {
				continue
			}
		}
		return r, a
	}
	return nil, nil
}

// queried are the names and values after a path; the large package for that stays out of the
// module.
func queried(query string) map[string]string {
	all := map[string]string{}
	for _, pair := range strings.Split(query, "&") {
		name, value, _ := strings.Cut(pair, "=")
		if value, err := unescaped(strings.ReplaceAll(value, "+", " ")); err == nil && name != "" {
			all[name] = value
		}
	}
	return all
}

// unescaped is a part of a path without its percent signs.
func unescaped(part string) (string, error) {
	if !strings.Contains(part, "%") {
		return part, nil
	}
	var out []byte
	for i := 0; i < len(part); i++ {
		if part[i] != '%' {
			out = append(out, part[i])
			continue
		}
		if i+2 >= len(part) {
			return "", errors.New("a percent sign without its two digits")
		}
		b, err := strconv.ParseUint(part[i+1:i+3], 16, 8)
		if err != nil {
			return "", err
		}
		out = append(out, byte(b))
		i += 2
	}
	return string(out), nil
}

// Ask answers a request of the contract from what is on the phone.
func (p *Phone) Ask(ctx context.Context, r Request) Answer {
	route, a := match(r.Method, r.Path)
	if route == nil {
		return Answer{Elsewhere: true}
	}
	if a.call != 0 && !p.find(&a.call) {
		return Answer{Elsewhere: true}
	}
	if a.query["before"] != "" {
		return Answer{Elsewhere: true} // older calls are the shop's
	}
	a.body = r.Body
	by := p.Who
	by.Command, by.Seen = r.Command, r.Seen
	ctx = context.WithValue(ctx, askedKey{}, r)
	result, err := route.answer(p, by.In(ctx), a)
	if errors.Is(err, ErrElsewhere) {
		return Answer{Elsewhere: true}
	}
	if err != nil {
		return refused(err)
	}
	body, err := json.Marshal(result)
	if err != nil {
		return refused(err)
	}
	shop, err := p.House(ctx)
	if err != nil {
		return refused(err)
	}
	return Answer{Status: route.status, Body: []byte(shop.Units.Say(string(body)))}
}

// askedKey is the request, for what goes on to the shop as it is.
type askedKey struct{}

// find reports whether the call is on the phone, by the shop's number where it has one by now.
func (p *Phone) find(id *int64) bool {
	p.mu.Lock()
	defer p.mu.Unlock()
	if to := p.numbers[*id]; to != 0 {
		*id = to
	}
	return p.calls[*id] != nil
}

// refused is an error as the shop would say it.
func refused(err error) Answer {
	problem := api.Problem{Type: "urn:elvat:problem:internal", Title: "Something is wrong", Status: 500, Detail: err.Error()}
	for _, r := range desk.Refusals {
		if r.Is(err) {
			problem = api.Problem{Type: "urn:elvat:problem:" + r.Code, Title: r.Title, Status: r.Status, Detail: r.Detail(err)}
			break
		}
	}
	body, err := json.Marshal(problem)
	if err != nil {
		body = []byte(`{}`)
	}
	return Answer{Status: problem.Status, Body: body}
}
