package store

import (
	"bytes"
	"context"
	"crypto/rand"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"time"

	"elvat/core/call"
	"elvat/core/merge"
	"elvat/internal/kept"
	"elvat/internal/store/db"
)

// What is kept of calls is named once, for the phone too.
type (
	Call     = kept.Call
	Snapshot = kept.Snapshot
)

// ErrMoved means that the record was changed since it was read: read it again.
var ErrMoved = kept.ErrMoved

// Call is one call.
func (s *Store) Call(ctx context.Context, id int64) (Call, error) {
	row, err := s.q(ctx).GetCall(ctx, id)
	return callOf(row), found(err)
}

func callOf(r db.GetCallRow) Call {
	return Call{
		ID: r.ID, Run: r.RunID, Title: r.Title, CreatedAt: instant(r.CreatedAt), Version: r.Version,
		Site: r.SiteID, SiteName: r.SiteName, Panel: r.PanelID, Stale: r.Stale != 0,
	}
}

// Load reads a call with its record.
func (s *Store) Load(ctx context.Context, id int64) (*Snapshot, error) {
	if kept.IsDrill(id) {
		return s.loadDrill(ctx, id)
	}
	var at *Snapshot
	err := s.Snapshot(ctx, func(ctx context.Context) error {
		row, err := s.q(ctx).GetCall(ctx, id)
		if err != nil {
			return found(err)
		}
		parts, err := s.parts(ctx, id)
		if err != nil {
			return err
		}
		panel := strconv.FormatInt(row.PanelID, 10)
		parts = append(parts, call.Part{Key: call.Key{Kind: call.TheDirectory, ID: panel}, Document: []byte(row.Directory)})
		log, err := s.log(ctx, id, panel)
		if err != nil {
			return err
		}
		record, err := call.Open(id, parts, log)
		if err != nil {
			return fmt.Errorf("call %d: %w", id, err)
		}
		at = &Snapshot{Call: callOf(row), Record: record, PanelVersion: row.PanelVersion}
		return nil
	})
	return at, err
}

func (s *Store) parts(ctx context.Context, id int64) ([]call.Part, error) {
	rows, err := s.q(ctx).Parts(ctx, id)
	return each(rows, err, partOf)
}

func partOf(r db.PartsRow) call.Part {
	return call.Part{Key: call.Key{Kind: call.Kind(r.Kind), ID: r.ID}, N: int(r.N), Document: []byte(r.Document)}
}

// LoadPast is Load with no more of the record than the history of its run is told
// from: its readings and its boxes. There are many such calls, and they are asked for often.
func (s *Store) LoadPast(ctx context.Context, id int64) (*Snapshot, error) {
	row, err := s.q(ctx).GetCall(ctx, id)
	if err != nil {
		return nil, found(err)
	}
	rows, err := s.q(ctx).PartsOfPast(ctx, id)
	if err != nil {
		return nil, err
	}
	parts := make([]call.Part, len(rows))
	for i, r := range rows {
		parts[i] = partOf(db.PartsRow(r))
	}
	record, err := call.Open(id, parts, nil)
	if err != nil {
		return nil, fmt.Errorf("call %d: %w", id, err)
	}
	return &Snapshot{Call: callOf(row), Record: record, PanelVersion: row.PanelVersion}, nil
}

// log is what was done on the call, and what set the directory of its panel.
func (s *Store) log(ctx context.Context, id int64, panel string) ([]call.Action, error) {
	rows, err := s.q(ctx).Actions(ctx, db.ActionsParams{Call: &id, Panel: panel})
	if err != nil {
		return nil, err
	}
	changes, err := s.q(ctx).Changes(ctx, db.ChangesParams{Call: &id, Panel: panel})
	if err != nil {
		return nil, err
	}
	all := make([]call.Action, len(rows))
	for i, r := range rows {
		all[i] = call.Action{
			ID: r.ID, Command: r.Command, Do: r.Doing, What: r.What, Device: r.Device, Person: r.Person, At: instant(r.At), ArrivedAt: instant(r.ArrivedAt),
			Undoes: r.Undoes, Changed: int(r.Changed), Elsewhere: r.CallID == nil || *r.CallID != id,
		}
	}
	for _, c := range changes {
		i, ok := slices.BinarySearchFunc(all, c.Action, func(a call.Action, id int64) int { return int(a.ID - id) })
		if !ok {
			continue
		}
		all[i].Changes = append(all[i].Changes, call.Change{
			Key:    call.Key{Kind: call.Kind(c.Kind), ID: c.ID},
			Change: merge.Change{Path: c.Path, Next: c.Next, Was: document(c.Before), Is: document(c.After)},
		})
	}
	return all, nil
}

func document(text *string) json.RawMessage {
	if text == nil {
		return nil
	}
	return []byte(*text)
}

func textOrNull(document []byte) *string {
	if document == nil {
		return nil
	}
	return new(string(document))
}

// compact is a JSON document without white space between its parts.
func compact(document []byte) (string, error) {
	var out bytes.Buffer
	if err := json.Compact(&out, document); err != nil {
		return "", err
	}
	return out.String(), nil
}

// Keep writes down what a command set: next is the record that Decide made of the
// snapshot's. ErrMoved where that was changed meanwhile; call.ErrUsedElsewhere where
// an id came with something else before. image belongs to a new picture.
func (s *Store) Keep(
	ctx context.Context,
	before *Snapshot,
	next *call.Record,
	a *call.Action,
	image []byte,
) (*Snapshot, error) {
	if kept.IsDrill(before.ID) {
		return s.keepDrill(ctx, before, next)
	}
	after := &Snapshot{Call: before.Call, Record: next, PanelVersion: before.PanelVersion}
	image, err := s.away(ctx, image) // beside the database: nobody waits for it there
	if err != nil {
		return nil, err
	}
	err = s.InTransaction(ctx, func(ctx context.Context) error {
		id, err := s.addAction(ctx, before.ID, a)
		if err != nil {
			return err
		}
		q := s.q(ctx)
		moved, err := q.MoveCall(ctx, db.MoveCallParams{Version: id, ID: before.ID, Was: before.Version})
		if err == nil && moved == 0 {
			err = ErrMoved
		}
		if err != nil {
			return err
		}
		after.Stale = true
		after.Version, next.Version = id, id
		last := &next.Log[len(next.Log)-1]
		last.ID, last.ArrivedAt = id, a.ArrivedAt
		if err := s.addChanges(ctx, id, a.Changes); err != nil {
			return err
		}
		var touched []call.Key
		for _, c := range a.Changes {
			if slices.Contains(touched, c.Key) {
				continue
			}
			touched = append(touched, c.Key)
			if err := s.keepPart(ctx, before, after, c.Key); err != nil {
				return fmt.Errorf("%s %s: %w", c.Kind, c.ID, err)
			}
			if c.Kind == call.APicture && image != nil {
				if err := q.AddImage(ctx, db.AddImageParams{CallID: before.ID, ID: c.ID, Image: image}); err != nil {
					return err
				}
			}
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	return after, nil
}

// addAction writes down that something was done; on no call where that is zero.
func (s *Store) addAction(ctx context.Context, on int64, a *call.Action) (int64, error) {
	p := db.AddActionParams{
		Command: a.Command, Doing: a.Do, What: a.What, Device: a.Device, Person: a.Person, At: stamp(a.At), ArrivedAt: stamp(a.ArrivedAt),
		Undoes: a.Undoes, Changed: int64(len(a.Changes)),
	}
	if p.Command == "" {
		p.Command = rand.Text()
	}
	if on != 0 {
		p.CallID = &on
	}
	id, err := s.q(ctx).AddAction(ctx, p)
	if !errors.Is(err, sql.ErrNoRows) {
		return id, err
	}
	// The command was carried out: just now, or somewhere else.
	was, err := s.q(ctx).ActionOf(ctx, p.Command)
	if err != nil {
		return 0, err
	}
	if was.Doing != a.Do || on == 0 != (was.CallID == nil) || was.CallID != nil && *was.CallID != on {
		return 0, call.ErrUsedElsewhere
	}
	return was.ID, ErrMoved
}

// UsedElsewhere is call.ErrUsedElsewhere where the command's id came with something
// that was not done on the call.
func (s *Store) UsedElsewhere(ctx context.Context, command string, on int64) error {
	if kept.IsDrill(on) {
		return nil
	}
	was, err := s.q(ctx).ActionOf(ctx, command)
	switch {
	case errors.Is(err, sql.ErrNoRows) || err == nil && was.CallID != nil && *was.CallID == on:
		return nil
	case err == nil:
		return call.ErrUsedElsewhere
	}
	return err
}

func (s *Store) addChanges(ctx context.Context, action int64, changes []call.Change) error {
	for i, c := range changes {
		p := db.AddChangeParams{
			Action: action,
			N:      int64(i),
			Kind:   string(c.Kind),
			ID:     c.ID,
			Path:   c.Path,
			Next:   c.Next,
			Before: textOrNull(c.Was),
			After:  textOrNull(c.Is),
		}
		if c.Path == "" && c.Was == nil {
			p.After = nil // it is the part itself
		}
		if err := s.q(ctx).AddChange(ctx, p); err != nil {
			return err
		}
	}
	return nil
}

func (s *Store) keepPart(ctx context.Context, before, after *Snapshot, k call.Key) error {
	q := s.q(ctx)
	p, there := after.Record.Part(k)
	_, was := before.Record.Part(k)
	text := string(p.Document)
	switch {
	case k.Kind == call.TheDirectory:
		if !there {
			text = "[]"
		}
		rows, err := q.SetDirectory(
			ctx,
			db.SetDirectoryParams{Directory: text, Version: after.Version, ID: after.Panel, Was: before.PanelVersion},
		)
		if err == nil && rows == 0 {
			err = ErrMoved
		}
		if err != nil {
			return err
		}
		after.PanelVersion = after.Version
		return s.indexSite(ctx, after.Site)
	case !there:
		if k.Kind == call.AUsed {
			if err := q.RemoveMove(ctx, db.RemoveMoveParams{ID: k.ID, CallID: &after.ID}); err != nil {
				return err
			}
		}
		_, err := q.RemovePart(ctx, db.RemovePartParams{CallID: after.ID, Kind: string(k.Kind), ID: k.ID})
		return err
	case was:
		if err := changed(q.SetPart(ctx, db.SetPartParams{Document: text, CallID: after.ID, Kind: string(k.Kind), ID: k.ID})); err != nil {
			return err
		}
	default:
		rows, err := q.AddPart(
			ctx,
			db.AddPartParams{CallID: after.ID, Kind: string(k.Kind), ID: k.ID, N: int64(p.N), Document: text},
		)
		if err == nil && rows == 0 {
			err = call.ErrUsedElsewhere
		}
		if err != nil {
			return err
		}
	}
	return s.follow(ctx, after, k)
}

// follow keeps what lists and counts are made from in step with a part.
func (s *Store) follow(ctx context.Context, after *Snapshot, k call.Key) error {
	switch k.Kind {
	case call.TheCall:
		after.Title = after.Record.Title
		return s.q(ctx).TitleCall(ctx, db.TitleCallParams{Title: after.Title, ID: after.ID})
	case call.AUsed:
		for _, u := range after.Record.Used {
			if u.ID == k.ID {
				return s.q(ctx).SetMove(ctx, db.SetMoveParams{
					ID: u.ID, CallID: &after.ID, Van: u.Van, Item: u.Item, Unit: u.Unit, Count: -u.Count, At: stamp(u.At), Withdrawn: bit(u.Withdrawn),
				})
			}
		}
	}
	return nil
}

// Begin starts a call once: prepare says on which run, and with what. It returns the
// call's number, also where the command was carried out before.
func (s *Store) Begin(
	ctx context.Context,
	c call.Command,
	arrived time.Time,
	prepare func(context.Context) (run int64, begin *call.Begin, err error),
) (int64, error) {
	if c.ID == "" {
		c.ID = rand.Text()
	}
	var id int64
	err := s.InTransaction(ctx, func(ctx context.Context) error {
		was, err := s.q(ctx).ActionOf(ctx, c.ID)
		switch {
		case err == nil && (was.Doing != call.Name(&call.Begin{}) || was.CallID == nil):
			return call.ErrUsedElsewhere
		case err == nil:
			id = *was.CallID
			return nil
		case !errors.Is(err, sql.ErrNoRows):
			return err
		}
		run, begin, err := prepare(ctx)
		if err != nil {
			return err
		}
		if id, err = s.q(ctx).AddCall(ctx, db.AddCallParams{RunID: run, Title: begin.Title, CreatedAt: stamp(c.At)}); err != nil {
			return err
		}
		at, err := s.Load(ctx, id)
		if err != nil {
			return err
		}
		c.Do = begin
		next, a, err := at.Record.Decide(c, call.House{})
		if err != nil {
			return err
		}
		a.ArrivedAt = arrived
		_, err = s.Keep(ctx, at, next, a, nil)
		return err
	})
	return id, err
}

// AddRecord keeps a call that was carried out somewhere else: its parts, and the log
// of all that was done on it.
func (s *Store) AddRecord(
	ctx context.Context,
	run int64,
	title string,
	at time.Time,
	parts []call.Part,
	log []call.Action,
) error {
	return s.InTransaction(ctx, func(ctx context.Context) error {
		q := s.q(ctx)
		id, err := q.AddCall(ctx, db.AddCallParams{RunID: run, Title: title, CreatedAt: stamp(at)})
		if err != nil {
			return err
		}
		version := int64(0)
		for i := range log {
			if version, err = s.addAction(ctx, id, &log[i]); err != nil {
				return err
			}
			if err := s.addChanges(ctx, version, log[i].Changes); err != nil {
				return err
			}
		}
		for _, p := range parts {
			rows, err := q.AddPart(
				ctx,
				db.AddPartParams{CallID: id, Kind: string(p.Kind), ID: p.ID, N: int64(p.N), Document: string(p.Document)},
			)
			if err == nil && rows == 0 {
				err = fmt.Errorf("%s %s: %w", p.Kind, p.ID, call.ErrUsedElsewhere)
			}
			if err != nil {
				return err
			}
		}
		_, err = q.MoveCall(ctx, db.MoveCallParams{Version: version, ID: id})
		return err
	})
}

// Do does once what is done on no call: do is told the action's number, and returns
// that of what it made, zero where it made nothing that has one. Carried out before,
// it is that which was made then.
func (s *Store) Do(
	ctx context.Context,
	a call.Action,
	do func(ctx context.Context, action int64) (made int64, err error),
) (made int64, err error) {
	err = s.InTransaction(ctx, func(ctx context.Context) error {
		id, err := s.addAction(ctx, 0, &a)
		if errors.Is(err, ErrMoved) {
			was, err := s.q(ctx).ActionOf(ctx, a.Command)
			if err == nil && was.Made != nil {
				made = *was.Made
			}
			return err
		}
		if err != nil {
			return err
		}
		if made, err = do(ctx, id); err != nil || made == 0 {
			return err
		}
		return s.q(ctx).MadeBy(ctx, db.MadeByParams{Made: &made, ID: id})
	})
	return made, err
}

// CallsOfRun lists the calls about a run, newest first; where before names one,
// only those that came in before it.
func (s *Store) CallsOfRun(ctx context.Context, run, before int64, most int) ([]int64, error) {
	return s.q(ctx).CallsOfRun(ctx, db.CallsOfRunParams{Run: run, Before: before, Most: int64(most)})
}

// Image is the image of a picture of the call.
func (s *Store) Image(ctx context.Context, call int64, id string) ([]byte, error) {
	image, err := s.q(ctx).Image(ctx, db.ImageParams{CallID: call, ID: id})
	if err != nil {
		return nil, found(err)
	}
	return s.picture(ctx, image)
}

// KeepImage keeps the image of a picture that is on the record and has none yet.
func (s *Store) KeepImage(ctx context.Context, call int64, id string, image []byte) error {
	image, err := s.away(ctx, image)
	if err != nil {
		return err
	}
	return s.q(ctx).KeepImage(ctx, db.KeepImageParams{Image: image, Call: call, ID: id})
}

// A Looked is what was seen in one opened box of a call, as a part of its record.
type Looked struct {
	Call     int64
	Document []byte
}

// LookedInto lists what opened boxes showed since then, newest first, as far as
// it stands; at most so many.
func (s *Store) LookedInto(ctx context.Context, since time.Time, most int) ([]Looked, error) {
	rows, err := s.q(ctx).
		LookedInto(ctx, db.LookedIntoParams{Since: since.UTC().Format(time.RFC3339Nano), Most: int64(most)})
	return each(rows, err, func(r db.LookedIntoRow) Looked { return Looked{r.CallID, []byte(r.Document)} })
}

// LookedMark changes whenever what LookedInto lists may have.
func (s *Store) LookedMark(ctx context.Context) (string, error) {
	r, err := s.q(ctx).LookedMark(ctx)
	return fmt.Sprint(r.N, " ", r.Withdrawn, " ", r.Newest), err
}
