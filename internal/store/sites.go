package store

import (
	"context"
	"database/sql"
	"errors"
	"time"
)

// A Site is a house that the shop goes to.
type Site struct {
	ID        int64
	Name      string
	Address   string
	Notes     string
	CreatedAt time.Time
}

// A Panel is one of a site's panels, with its directory as JSON.
type Panel struct {
	ID        int64
	Site      int64
	Name      string
	Directory []byte
}

// A Run is a branch circuit of a panel, over all calls about it.
type Run struct {
	ID        int64
	Panel     int64
	Name      string
	Calls     int
	LastCall  int64
	LastAt    time.Time
	LastTitle string
}

// AddSite stores a new site and returns its id.
func (s *Store) AddSite(ctx context.Context, site Site) (int64, error) {
	var id int64
	err := s.inTransaction(ctx, func(ctx context.Context) error {
		if err := s.on(ctx).QueryRowContext(ctx, "INSERT INTO sites (name, address, notes, created_at) VALUES (?, ?, ?, ?) RETURNING id",
			site.Name, site.Address, site.Notes, stamp(site.CreatedAt)).Scan(&id); err != nil {
			return err
		}
		return s.indexSite(ctx, id)
	})
	return id, err
}

// UpdateSite stores name, address and notes.
func (s *Store) UpdateSite(ctx context.Context, site Site) error {
	return s.inTransaction(ctx, func(ctx context.Context) error {
		if err := s.mustChange(s.on(ctx).ExecContext(ctx, "UPDATE sites SET name = ?, address = ?, notes = ? WHERE id = ?", site.Name, site.Address, site.Notes, site.ID)); err != nil {
			return err
		}
		return s.indexSite(ctx, site.ID)
	})
}

// Site is one site.
func (s *Store) Site(ctx context.Context, id int64) (Site, error) {
	site := Site{ID: id}
	var at string
	err := s.on(ctx).QueryRowContext(ctx, "SELECT name, address, notes, created_at FROM sites WHERE id = ?", id).Scan(&site.Name, &site.Address, &site.Notes, &at)
	if errors.Is(err, sql.ErrNoRows) {
		return site, ErrNotFound
	}
	if err == nil {
		site.CreatedAt, err = time.Parse(time.RFC3339Nano, at)
	}
	return site, err
}

// A SiteLine is a site in the list, with what was done there.
type SiteLine struct {
	Site
	Calls  int
	LastAt *time.Time // the newest call; nil: none
}

// Sites lists sites by the newest call there, from the one after the given
// number of them.
func (s *Store) Sites(ctx context.Context, from, most int) ([]SiteLine, error) {
	rows, err := s.on(ctx).QueryContext(ctx, `SELECT t.id, t.name, t.address, t.notes, t.created_at,
			(SELECT count(*) FROM panels p JOIN runs r ON r.panel_id = p.id JOIN calls c ON c.run_id = r.id WHERE p.site_id = t.id),
			(SELECT max(c.created_at) FROM panels p JOIN runs r ON r.panel_id = p.id JOIN calls c ON c.run_id = r.id WHERE p.site_id = t.id)
		FROM sites t ORDER BY t.id DESC LIMIT ? OFFSET ?`, most, from)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	all := []SiteLine{}
	for rows.Next() {
		var l SiteLine
		var at string
		var last sql.NullString
		if err := rows.Scan(&l.ID, &l.Name, &l.Address, &l.Notes, &at, &l.Calls, &last); err != nil {
			return nil, err
		}
		if l.CreatedAt, err = time.Parse(time.RFC3339Nano, at); err != nil {
			return nil, err
		}
		if last.Valid {
			t, err := time.Parse(time.RFC3339Nano, last.String)
			if err != nil {
				return nil, err
			}
			l.LastAt = &t
		}
		all = append(all, l)
	}
	return all, rows.Err()
}

// AddPanel stores a panel of a site.
func (s *Store) AddPanel(ctx context.Context, p Panel) (int64, error) {
	var id int64
	err := s.inTransaction(ctx, func(ctx context.Context) error {
		if _, err := s.Site(ctx, p.Site); err != nil {
			return err
		}
		directory := "[]"
		if p.Directory != nil {
			directory = string(p.Directory)
		}
		if err := s.on(ctx).QueryRowContext(ctx, "INSERT INTO panels (site_id, name, directory) VALUES (?, ?, ?) RETURNING id", p.Site, p.Name, directory).Scan(&id); err != nil {
			return err
		}
		return s.indexSite(ctx, p.Site)
	})
	return id, err
}

// Panels lists the panels of a site.
func (s *Store) Panels(ctx context.Context, site int64) ([]Panel, error) {
	return s.panels(ctx, "SELECT id, site_id, name, directory FROM panels WHERE site_id = ? ORDER BY id", site)
}

// Panel is one panel.
func (s *Store) Panel(ctx context.Context, id int64) (Panel, error) {
	return s.onePanel(ctx, "SELECT id, site_id, name, directory FROM panels WHERE id = ?", id)
}

// PanelOfRun is the panel that a run hangs on.
func (s *Store) PanelOfRun(ctx context.Context, run int64) (Panel, error) {
	return s.onePanel(ctx, "SELECT p.id, p.site_id, p.name, p.directory FROM panels p JOIN runs r ON r.panel_id = p.id WHERE r.id = ?", run)
}

func (s *Store) onePanel(ctx context.Context, query string, args ...any) (Panel, error) {
	all, err := s.panels(ctx, query, args...)
	if err != nil {
		return Panel{}, err
	}
	if len(all) == 0 {
		return Panel{}, ErrNotFound
	}
	return all[0], nil
}

func (s *Store) panels(ctx context.Context, query string, args ...any) ([]Panel, error) {
	rows, err := s.on(ctx).QueryContext(ctx, query, args...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var all []Panel
	for rows.Next() {
		var p Panel
		var directory string
		if err := rows.Scan(&p.ID, &p.Site, &p.Name, &directory); err != nil {
			return nil, err
		}
		p.Directory = []byte(directory)
		all = append(all, p)
	}
	return all, rows.Err()
}

// SetDirectory keeps a panel's directory.
func (s *Store) SetDirectory(ctx context.Context, panel int64, document []byte) error {
	kept, err := compact(document)
	if err != nil {
		return err
	}
	return s.inTransaction(ctx, func(ctx context.Context) error {
		if err := s.mustChange(s.on(ctx).ExecContext(ctx, "UPDATE panels SET directory = ? WHERE id = ?", kept, panel)); err != nil {
			return err
		}
		p, err := s.Panel(ctx, panel)
		if err != nil {
			return err
		}
		return s.indexSite(ctx, p.Site)
	})
}

// RenamePanel gives a panel another name.
func (s *Store) RenamePanel(ctx context.Context, panel int64, name string) error {
	return s.mustChange(s.on(ctx).ExecContext(ctx, "UPDATE panels SET name = ? WHERE id = ?", name, panel))
}

// AddRun stores a run of a panel.
func (s *Store) AddRun(ctx context.Context, panel int64, name string) (int64, error) {
	var id int64
	err := s.on(ctx).QueryRowContext(ctx, "INSERT INTO runs (panel_id, name) VALUES (?, ?) RETURNING id", panel, name).Scan(&id)
	return id, err
}

// Run is one run with its newest call.
func (s *Store) Run(ctx context.Context, id int64) (Run, error) {
	all, err := s.runs(ctx, "r.id = ?", id)
	if err != nil {
		return Run{}, err
	}
	if len(all) == 0 {
		return Run{}, ErrNotFound
	}
	return all[0], nil
}

// Runs lists the runs of a site with the newest call about each.
func (s *Store) Runs(ctx context.Context, site int64) ([]Run, error) {
	return s.runs(ctx, "p.site_id = ?", site)
}

func (s *Store) runs(ctx context.Context, where string, args ...any) ([]Run, error) {
	rows, err := s.on(ctx).QueryContext(ctx, `SELECT r.id, r.panel_id, r.name, (SELECT count(*) FROM calls WHERE run_id = r.id), c.id, c.created_at, c.title
		FROM runs r JOIN panels p ON p.id = r.panel_id LEFT JOIN calls c ON c.id = (SELECT id FROM calls WHERE run_id = r.id ORDER BY created_at DESC, id DESC LIMIT 1)
		WHERE `+where+` ORDER BY r.panel_id, r.id`, args...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var all []Run
	for rows.Next() {
		var r Run
		var last sql.NullInt64
		var at, title sql.NullString
		if err := rows.Scan(&r.ID, &r.Panel, &r.Name, &r.Calls, &last, &at, &title); err != nil {
			return nil, err
		}
		r.LastCall, r.LastTitle = last.Int64, title.String
		if at.Valid {
			if r.LastAt, err = time.Parse(time.RFC3339Nano, at.String); err != nil {
				return nil, err
			}
		}
		all = append(all, r)
	}
	return all, rows.Err()
}

// A CallLine is a call in a list: its summary, worked out when it was last changed.
type CallLine struct {
	ID      int64
	Summary []byte
}

// CallsOfRun lists the calls about a run, newest first; where before names one,
// only those that came in before it.
func (s *Store) CallsOfRun(ctx context.Context, run, before int64, most int) ([]Call, error) {
	rows, err := s.on(ctx).QueryContext(ctx, `SELECT id, title, complaint, created_at, cautions_read_at, state, conditions, map, run_id, version
		FROM calls WHERE run_id = ? AND (? = 0 OR (created_at, id) < (SELECT created_at, id FROM calls WHERE id = ?)) ORDER BY created_at DESC, id DESC LIMIT ?`, run, before, before, most)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var all []Call
	for rows.Next() {
		call, err := scanCall(rows)
		if err != nil {
			return nil, err
		}
		all = append(all, call)
	}
	return all, rows.Err()
}

// CallLines lists calls with their summaries: those in hand, or those handed
// over, newest first, older than the given one where it is not zero.
func (s *Store) CallLines(ctx context.Context, handedOver bool, before int64, most int) ([]CallLine, error) {
	return s.lines(ctx, "SELECT call_id, document FROM summaries WHERE handed_over = ? AND (? = 0 OR call_id < ?) ORDER BY call_id DESC LIMIT ?", handedOver, before, before, most)
}

// CallLinesOfSite lists the calls at a site, newest first.
func (s *Store) CallLinesOfSite(ctx context.Context, site int64, most int) ([]CallLine, error) {
	return s.lines(ctx, `SELECT s.call_id, s.document FROM panels p JOIN runs r ON r.panel_id = p.id JOIN calls c ON c.run_id = r.id JOIN summaries s ON s.call_id = c.id
		WHERE p.site_id = ? ORDER BY c.created_at DESC, c.id DESC LIMIT ?`, site, most)
}

func (s *Store) lines(ctx context.Context, query string, args ...any) ([]CallLine, error) {
	rows, err := s.on(ctx).QueryContext(ctx, query, args...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	all := []CallLine{}
	for rows.Next() {
		var l CallLine
		var document string
		if err := rows.Scan(&l.ID, &document); err != nil {
			return nil, err
		}
		l.Summary = []byte(document)
		all = append(all, l)
	}
	return all, rows.Err()
}

// Stale lists calls whose summary is older than their last change.
func (s *Store) Stale(ctx context.Context) ([]int64, error) {
	rows, err := s.on(ctx).QueryContext(ctx, "SELECT id FROM calls WHERE stale")
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var all []int64
	for rows.Next() {
		var id int64
		if err := rows.Scan(&id); err != nil {
			return nil, err
		}
		all = append(all, id)
	}
	return all, rows.Err()
}

// SetStale marks the calls in hand: something that all summaries rest on changed.
func (s *Store) SetStale(ctx context.Context) error {
	_, err := s.on(ctx).ExecContext(ctx, "UPDATE calls SET stale = 1 WHERE id IN (SELECT call_id FROM summaries WHERE NOT handed_over)")
	return err
}

// A Summary is what the lists and the search show of a call.
type Summary struct {
	Call       Call // as it was worked out from
	Document   []byte
	HandedOver bool
	Diagnosis  string // key of the stored answer
	Words      string // all that the call can be found by
	GFCIs      []GFCI // of its run; nil: a newer call tells
}

// A GFCI stands in the register of the site book.
type GFCI struct {
	Run         int64
	Device      string
	Label       string // of its box
	Serves      int    // outlets behind it, its own included
	InstalledAt *time.Time
	TestedAt    *time.Time
	Held        *bool // tripped when tested
	DueAt       time.Time
}

// SetSummary keeps it, unless the call was changed since it was worked out.
func (s *Store) SetSummary(ctx context.Context, m Summary) error {
	return s.inTransaction(ctx, func(ctx context.Context) error {
		tx := s.on(ctx)
		result, err := tx.ExecContext(ctx, "UPDATE calls SET stale = 0 WHERE id = ? AND version = ?", m.Call.ID, m.Call.Version)
		if err != nil {
			return err
		}
		if n, err := result.RowsAffected(); n == 0 || err != nil {
			return err
		}
		diagnosis := sql.NullString{String: m.Diagnosis, Valid: m.Diagnosis != ""}
		var before sql.NullString
		if err := tx.QueryRowContext(ctx, "SELECT diagnosis FROM summaries WHERE call_id = ?", m.Call.ID).Scan(&before); err != nil && !errors.Is(err, sql.ErrNoRows) {
			return err
		}
		if _, err := tx.ExecContext(ctx, `INSERT INTO summaries (call_id, document, handed_over, diagnosis) VALUES (?, ?, ?, ?)
			ON CONFLICT (call_id) DO UPDATE SET document = excluded.document, handed_over = excluded.handed_over, diagnosis = excluded.diagnosis`,
			m.Call.ID, string(m.Document), m.HandedOver, diagnosis); err != nil {
			return err
		}
		if before.Valid && before != diagnosis {
			if _, err := tx.ExecContext(ctx, "DELETE FROM diagnoses WHERE key = ?1 AND NOT EXISTS (SELECT 1 FROM summaries WHERE diagnosis = ?1)", before.String); err != nil {
				return err
			}
		}
		if err := s.index(ctx, 2*m.Call.ID, m.Call.Title, m.Words); err != nil {
			return err
		}
		if m.GFCIs == nil {
			return nil
		}
		return s.setGFCIs(ctx, m.Call.Run, m.GFCIs)
	})
}

func (s *Store) setGFCIs(ctx context.Context, run int64, all []GFCI) error {
	if _, err := s.on(ctx).ExecContext(ctx, "DELETE FROM gfcis WHERE run_id = ?", run); err != nil {
		return err
	}
	for _, g := range all {
		if _, err := s.on(ctx).ExecContext(ctx, "INSERT INTO gfcis (run_id, device, label, serves, installed_at, tested_at, held, due_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
			run, g.Device, g.Label, g.Serves, stampOrNull(g.InstalledAt), stampOrNull(g.TestedAt), g.Held, stamp(g.DueAt)); err != nil {
			return err
		}
	}
	return nil
}

// A DueGFCI is a GFCI with where it is.
type DueGFCI struct {
	GFCI
	Site    int64
	SiteAt  string // its name
	RunName string
}

// GFCIsOfSite is the register of a site; DueGFCIs lists those of all sites whose
// test is due by the given time, the longest due first.
func (s *Store) GFCIsOfSite(ctx context.Context, site int64) ([]DueGFCI, error) {
	return s.gfcis(ctx, "p.site_id = ? ORDER BY g.run_id, g.device", site)
}

// DueGFCIs lists those of all sites whose test is due by the given time, the
// longest due first.
func (s *Store) DueGFCIs(ctx context.Context, by time.Time, most int) ([]DueGFCI, error) {
	return s.gfcis(ctx, "g.due_at <= ? ORDER BY g.due_at, g.run_id, g.device LIMIT ?", stamp(by), most)
}

func (s *Store) gfcis(ctx context.Context, where string, args ...any) ([]DueGFCI, error) {
	rows, err := s.on(ctx).QueryContext(ctx, `SELECT g.run_id, g.device, g.label, g.serves, coalesce(i.installed_at, g.installed_at), g.tested_at, g.held, g.due_at, t.id, t.name, r.name
		FROM gfcis g JOIN runs r ON r.id = g.run_id JOIN panels p ON p.id = r.panel_id JOIN sites t ON t.id = p.site_id
		LEFT JOIN installs i ON i.run_id = g.run_id AND i.device = g.device WHERE `+where, args...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	all := []DueGFCI{}
	for rows.Next() {
		var g DueGFCI
		var installed, tested sql.NullString
		var held sql.NullBool
		var due string
		if err := rows.Scan(&g.Run, &g.Device, &g.Label, &g.Serves, &installed, &tested, &held, &due, &g.Site, &g.SiteAt, &g.RunName); err != nil {
			return nil, err
		}
		for _, kept := range []struct {
			from sql.NullString
			to   **time.Time
		}{{installed, &g.InstalledAt}, {tested, &g.TestedAt}} {
			if kept.from.Valid {
				at, err := time.Parse(time.RFC3339Nano, kept.from.String)
				if err != nil {
					return nil, err
				}
				*kept.to = &at
			}
		}
		if held.Valid {
			g.Held = &held.Bool
		}
		if g.DueAt, err = time.Parse(time.RFC3339Nano, due); err != nil {
			return nil, err
		}
		all = append(all, g)
	}
	return all, rows.Err()
}

// SetInstalled keeps when a GFCI was put in; nil: nobody knows.
func (s *Store) SetInstalled(ctx context.Context, run int64, device string, at *time.Time) error {
	if at == nil {
		_, err := s.on(ctx).ExecContext(ctx, "DELETE FROM installs WHERE run_id = ? AND device = ?", run, device)
		return err
	}
	_, err := s.on(ctx).ExecContext(ctx, "INSERT INTO installs (run_id, device, installed_at) VALUES (?, ?, ?) ON CONFLICT (run_id, device) DO UPDATE SET installed_at = excluded.installed_at", run, device, stamp(*at))
	return err
}

// Diagnosis is the stored answer to a question; nil where there is none.
func (s *Store) Diagnosis(ctx context.Context, key string) ([]byte, error) {
	var result string
	err := s.on(ctx).QueryRowContext(ctx, "SELECT result FROM diagnoses WHERE key = ?", key).Scan(&result)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	return []byte(result), err
}

// SetDiagnosis keeps the answer to a question.
func (s *Store) SetDiagnosis(ctx context.Context, key string, result []byte) error {
	_, err := s.on(ctx).ExecContext(ctx, "INSERT INTO diagnoses (key, result) VALUES (?, ?) ON CONFLICT DO NOTHING", key, string(result))
	return err
}
