package server

import (
	"bytes"
	"cmp"
	"context"
	"encoding/csv"
	"fmt"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	corecall "elvat/core/call"
	"elvat/core/cells"
	"elvat/core/job"
	"elvat/internal/api"
	"elvat/internal/desk"
	"elvat/internal/kept"
	"elvat/internal/store"
)

// noteOf writes down that something happened, here and now; what is not said is taken from
// who asks.
func (a *access) noteOf(ctx context.Context, e store.Event) error {
	who := askingOf(ctx)
	e.At, e.Place = a.now(), who.from
	e.Person = cmp.Or(e.Person, desk.CallerOf(ctx).Person)
	return a.store.AddEvent(context.WithoutCancel(ctx), e)
}

// aboutKey leads to what an event is about.
type aboutKey struct{}

// about notes whom or what the event of this request is about.
func about(ctx context.Context, format string, args ...any) {
	if text, ok := ctx.Value(aboutKey{}).(*string); ok {
		*text = fmt.Sprintf(format, args...)
	}
}

// noted writes down what the contract says is to be, once it was done.
func (a *access) noted(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		op, ok := a.door.routes[r.Method+" "+c.Path()]
		if !ok || op.Event == "" {
			return next(c)
		}
		text := ""
		ctx := context.WithValue(r.Context(), aboutKey{}, &text)
		c.SetRequest(r.WithContext(ctx))
		if err := next(c); err != nil {
			return err
		}
		call, _ := strconv.ParseInt(c.Param("call"), 10, 64)
		return a.noteOf(ctx, store.Event{What: op.Event, Call: call, About: text})
	}
}

// noting is a store that writes down together with a command what a shop may have to answer
// for: both are kept, or neither.
type noting struct {
	*store.Store
	access *access
}

// Keep is that of the store.
func (n noting) Keep(
	ctx context.Context,
	before *store.Snapshot,
	next *corecall.Record,
	a *corecall.Action,
	image []byte,
) (after *store.Snapshot, err error) {
	if kept.IsDrill(before.ID) { // a shop answers for nothing of what was only learned
		return n.Store.Keep(ctx, before, next, a, image)
	}
	err = n.InTransaction(ctx, func(ctx context.Context) error {
		if after, err = n.Store.Keep(ctx, before, next, a, image); err != nil {
			return err
		}
		return n.access.entered(ctx, before, after, a.Person)
	})
	return after, err
}

// entered writes down a gate that somebody passed, a finding that somebody took on, and a
// hand-over, once it is in force, by whatever command: with the account beside the typed name.
func (a *access) entered(ctx context.Context, before, after *store.Snapshot, person string) error {
	was := map[string]bool{}
	for i, id := range before.Record.EntryIDs {
		was[id] = !before.Record.Journal[i].Withdrawn
	}
	for i := range after.Record.Journal {
		entry := &after.Record.Journal[i]
		if entry.Withdrawn || was[after.Record.EntryIDs[i]] {
			continue
		}
		e := store.Event{Person: person, Call: after.ID}
		switch entry.Kind {
		case job.Override:
			e.What, e.About = "gate-passed", strings.TrimSpace(fmt.Sprintf("%s %s", entry.Gate, entry.Box))+", as "+entry.Who
		case job.Accepted:
			e.What, e.About = "finding-accepted", fmt.Sprintf("%s, as %s", entry.Box, entry.Who)
		case job.HandedOver:
			e.What, e.About = "handed-over", "as "+entry.Who
		default:
			continue
		}
		if entry.TakenOnBy != "" {
			e.Person, e.About = entry.TakenOnBy, e.About+", entered by "+entry.EnteredBy
		}
		if err := a.noteOf(ctx, e); err != nil {
			return err
		}
	}
	return nil
}

// mostEvents bounds what is listed at once.
const mostEvents = 200

// ListEvents lists them, newest first.
func (s *calls) ListEvents(ctx context.Context, r api.ListEventsRequestObject) (api.ListEventsResponseObject, error) {
	found, err := s.store.Events(ctx, desk.Or(r.Params.Before, 0), mostEvents)
	all := make(api.ListEvents200JSONResponse, len(found))
	for i, e := range found {
		all[i] = api.Event{Id: e.ID, At: e.At, What: e.What, Person: e.Person, Place: e.Place, About: e.About}
		if e.Call != 0 {
			all[i].Call = &found[i].Call
		}
	}
	return all, err
}

// ExportEvents writes all of them for a spreadsheet.
func (s *calls) ExportEvents(ctx context.Context, _ api.ExportEventsRequestObject) (api.ExportEventsResponseObject, error) {
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	rows := [][]string{{"number", "at", "what", "person", "from", "call", "about"}}
	for before := int64(0); ; {
		found, err := s.store.Events(ctx, before, mostEvents)
		if err != nil {
			return nil, err
		}
		for _, e := range found {
			call := ""
			if e.Call != 0 {
				call = fmt.Sprint(e.Call)
			}
			rows = append(rows, cells.Row(fmt.Sprint(e.ID), e.At.Format(time.RFC3339), e.What, e.Person, e.Place, call, e.About))
			before = e.ID
		}
		if len(found) < mostEvents {
			break
		}
	}
	if err := w.WriteAll(rows); err != nil {
		return nil, err
	}
	return api.ExportEvents200TextcsvResponse{
		Body: &out, ContentLength: int64(out.Len()),
		Headers: api.ExportEvents200ResponseHeaders{ContentDisposition: `attachment; filename="elvat-events.csv"`},
	}, nil
}
