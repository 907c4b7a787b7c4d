//go:build js

// Command phone is a shop's desk in the browser, as WebAssembly: a worker asks it what it
// would ask the shop, and keeps for it what is to outlive the page.
package main

import (
	"context"
	"encoding/json"
	"strconv"
	"syscall/js"
	"time"

	"elvat/core/job"
	"elvat/internal/api"
	"elvat/internal/desk"
	"elvat/internal/kept"
	"elvat/internal/phone"
)

// who is what the page says of who works on the phone.
type who struct {
	Device string   `json:"device"`
	Person string   `json:"person"`
	Role   job.Role `json:"role"`
}

// now is the phone's clock, in milliseconds as all times are kept.
func now() time.Time { return time.Now().UTC().Truncate(time.Millisecond) }

func main() {
	p := phone.New(now, desk.Caller{})
	answers := map[string]func(json.RawMessage) (any, error){
		"begin": func(data json.RawMessage) (any, error) {
			var w who
			err := json.Unmarshal(data, &w)
			p.Who = desk.Caller{Device: w.Device, Person: w.Person, Role: w.Role}
			return nil, err
		},
		"share": func(data json.RawMessage) (any, error) {
			var s kept.Shared
			err := json.Unmarshal(data, &s)
			p.Share(s)
			return nil, err
		},
		"take": func(data json.RawMessage) (any, error) {
			var c kept.Packed
			if err := json.Unmarshal(data, &c); err != nil {
				return nil, err
			}
			return nil, p.Take(c)
		},
		"lay": func(data json.RawMessage) (any, error) {
			var heads []kept.Head
			err := json.Unmarshal(data, &heads)
			p.Lay(heads)
			return nil, err
		},
		"opened": func(json.RawMessage) (any, error) { return p.Opened(), nil },
		"restore": func(data json.RawMessage) (any, error) {
			var w []kept.Waiting
			err := json.Unmarshal(data, &w)
			p.Restore(w)
			return nil, err
		},
		"synced": func(data json.RawMessage) (any, error) {
			var a api.SyncAnswer
			if err := json.Unmarshal(data, &a); err != nil {
				return nil, err
			}
			return nil, p.Synced(a)
		},
		"versions": func(json.RawMessage) (any, error) { return p.Versions(), nil },
		"waiting":  func(json.RawMessage) (any, error) { return p.Waiting(), nil },
		"upward":   func(json.RawMessage) (any, error) { return p.Upward(), nil },
		"said":     func(json.RawMessage) (any, error) { return p.SaidHere(), nil },
		"say": func(data json.RawMessage) (any, error) {
			var all []phone.Said
			err := json.Unmarshal(data, &all)
			p.Say(all)
			return nil, err
		},
		"heard": func(data json.RawMessage) (any, error) {
			var id string
			err := json.Unmarshal(data, &id)
			p.Heard(id)
			return nil, err
		},
		"decisions": func(json.RawMessage) (any, error) { return p.Decisions(), nil },
		"numbers":   func(json.RawMessage) (any, error) { return p.Numbers(), nil },
		"renumber": func(data json.RawMessage) (any, error) {
			var numbers map[int64]int64
			err := json.Unmarshal(data, &numbers)
			p.Renumber(numbers)
			return nil, err
		},
		// idle works something out ahead, and says whether there is more.
		"idle": func(json.RawMessage) (any, error) { return p.Idle(), nil },
	}
	// elvat(what, text) answers with text: what was asked for, or {"error": …}.
	js.Global().Set("elvat", js.FuncOf(func(_ js.Value, args []js.Value) any {
		what, text := args[0].String(), args[1].String()
		if what == "ask" {
			return ask(p, text)
		}
		do, ok := answers[what]
		if !ok {
			return `{"error":"nothing is called so"}`
		}
		result, err := do(json.RawMessage(text))
		if err == nil {
			var out []byte
			if out, err = json.Marshal(result); err == nil {
				return string(out)
			}
		}
		out, _ := json.Marshal(map[string]string{"error": err.Error()}) // strings cannot fail
		return string(out)
	}))
	select {}
}

// ask answers a request with its status, a line end, and the body as it is: it is large, and
// nothing on the way looks into it. 0 stands for what only the shop can answer.
func ask(p *phone.Phone, text string) string {
	var r phone.Request
	if err := json.Unmarshal([]byte(text), &r); err != nil {
		return "400\n"
	}
	a := p.Ask(context.Background(), r)
	if a.Elsewhere {
		return "0\n"
	}
	return strconv.Itoa(a.Status) + "\n" + string(a.Body)
}
