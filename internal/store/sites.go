package store

import (
	"context"
	"strconv"
	"time"

	"elvat/core/call"
	"elvat/core/merge"
	"elvat/internal/kept"
	"elvat/internal/store/db"
)

// A Site is a house that the shop goes to.
type Site struct {
	ID        int64
	Name      string
	Address   string
	Notes     string
	Telephone string
	// Lat and Lon are where it is, in degrees; nil: nobody said.
	Lat, Lon  *float64
	CreatedAt time.Time
	ErasedAt  *time.Time // what was kept of its customer; nil: it was not
}

// A Panel is one of a site's panels, with its directory as JSON.
type Panel struct {
	ID        int64
	Site      int64
	Name      string
	Directory []byte
	Version   int64 // the last action that set the directory
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
	err := s.InTransaction(ctx, func(ctx context.Context) (err error) {
		if id, err = s.q(ctx).AddSite(ctx, db.AddSiteParams{Name: site.Name, Address: site.Address, Notes: site.Notes, CreatedAt: stamp(site.CreatedAt), Telephone: site.Telephone, Lat: site.Lat, Lon: site.Lon}); err != nil {
			return err
		}
		return s.indexSite(ctx, id)
	})
	return id, err
}

// UpdateSite stores name, address and notes.
func (s *Store) UpdateSite(ctx context.Context, site Site) error {
	return s.InTransaction(ctx, func(ctx context.Context) error {
		if err := changed(s.q(ctx).UpdateSite(ctx, db.UpdateSiteParams{Name: site.Name, Address: site.Address, Notes: site.Notes, Telephone: site.Telephone, Lat: site.Lat, Lon: site.Lon, ID: site.ID})); err != nil {
			return err
		}
		return s.indexSite(ctx, site.ID)
	})
}

// Site is one site.
func (s *Store) Site(ctx context.Context, id int64) (Site, error) {
	r, err := s.q(ctx).Site(ctx, id)
	return Site{r.ID, r.Name, r.Address, r.Notes, r.Telephone, r.Lat, r.Lon, instant(r.CreatedAt), instantOrNil(r.ErasedAt)}, found(err)
}

// A SiteLine is a site in the list, with what was done there.
type SiteLine struct {
	Site
	Calls  int
	LastAt *time.Time // the newest call; nil: none
}

// Sites lists sites, the newest first, older than the given one where it is not zero.
func (s *Store) Sites(ctx context.Context, before int64, most int) ([]SiteLine, error) {
	rows, err := s.q(ctx).Sites(ctx, db.SitesParams{Before: before, Most: int64(most)})
	return each(rows, err, func(r db.SitesRow) SiteLine {
		l := SiteLine{Site: Site{ID: r.ID, Name: r.Name, Address: r.Address, Notes: r.Notes, CreatedAt: instant(r.CreatedAt)}, Calls: int(r.Calls)}
		if r.LastAt >= 0 {
			l.LastAt = new(instant(r.LastAt))
		}
		return l
	})
}

// AddPanel stores a panel of a site.
func (s *Store) AddPanel(ctx context.Context, p Panel) (int64, error) {
	var id int64
	err := s.InTransaction(ctx, func(ctx context.Context) error {
		if _, err := s.Site(ctx, p.Site); err != nil {
			return err
		}
		directory, err := "[]", error(nil)
		if p.Directory != nil {
			if directory, err = compact(p.Directory); err != nil {
				return err
			}
		}
		if id, err = s.q(ctx).AddPanel(ctx, db.AddPanelParams{SiteID: p.Site, Name: p.Name, Directory: directory}); err != nil {
			return err
		}
		return s.indexSite(ctx, p.Site)
	})
	return id, err
}

func panelOf(p db.Panel) Panel {
	return Panel{p.ID, p.SiteID, p.Name, []byte(p.Directory), p.Version}
}

// Panels lists the panels of a site.
func (s *Store) Panels(ctx context.Context, site int64) ([]Panel, error) {
	rows, err := s.q(ctx).Panels(ctx, site)
	return each(rows, err, panelOf)
}

// Panel is one panel.
func (s *Store) Panel(ctx context.Context, id int64) (Panel, error) {
	p, err := s.q(ctx).Panel(ctx, id)
	return panelOf(p), found(err)
}

// PanelOfRun is the panel that a run hangs on.
func (s *Store) PanelOfRun(ctx context.Context, run int64) (Panel, error) {
	p, err := s.q(ctx).PanelOfRun(ctx, run)
	return panelOf(p), found(err)
}

// SetDirectory keeps a panel's directory as part of an action of Do.
func (s *Store) SetDirectory(ctx context.Context, action, panel int64, document []byte) error {
	return s.InTransaction(ctx, func(ctx context.Context) error {
		p, err := s.Panel(ctx, panel)
		if err != nil {
			return err
		}
		kept, err := compact(document)
		if err != nil {
			return err
		}
		places, err := merge.Diff(p.Directory, document)
		if err != nil {
			return err
		}
		k := call.Key{Kind: call.TheDirectory, ID: strconv.FormatInt(panel, 10)}
		var changes []call.Change
		for _, place := range places {
			changes = append(changes, call.Change{Key: k, Change: place})
		}
		if err := s.addChanges(ctx, action, changes); err != nil {
			return err
		}
		if err := changed(s.q(ctx).SetDirectory(ctx, db.SetDirectoryParams{Directory: kept, Version: action, ID: panel, Was: p.Version})); err != nil {
			return err
		}
		return s.indexSite(ctx, p.Site)
	})
}

// RenamePanel gives a panel another name.
func (s *Store) RenamePanel(ctx context.Context, panel int64, name string) error {
	return changed(s.q(ctx).RenamePanel(ctx, db.RenamePanelParams{Name: name, ID: panel}))
}

// AddRun stores a run of a panel.
func (s *Store) AddRun(ctx context.Context, panel int64, name string) (int64, error) {
	return s.q(ctx).AddRun(ctx, db.AddRunParams{PanelID: panel, Name: name})
}

func runOf(r db.RunRow) Run {
	run := Run{ID: r.ID, Panel: r.PanelID, Name: r.Name, Calls: int(r.Calls)}
	if r.LastCall != nil {
		run.LastCall, run.LastAt, run.LastTitle = *r.LastCall, instant(*r.CreatedAt), *r.Title
	}
	return run
}

// Run is one run with its newest call.
func (s *Store) Run(ctx context.Context, id int64) (Run, error) {
	r, err := s.q(ctx).Run(ctx, id)
	return runOf(r), found(err)
}

// Runs lists the runs of a site with the newest call about each.
func (s *Store) Runs(ctx context.Context, site int64) ([]Run, error) {
	rows, err := s.q(ctx).RunsOfSite(ctx, site)
	return each(rows, err, func(r db.RunsOfSiteRow) Run { return runOf(db.RunRow(r)) })
}

// A GFCI is one of the register of a run; a DueGFCI, with where it is.
type (
	GFCI    = kept.GFCI
	DueGFCI = kept.DueGFCI
)

// GFCIsOfSite is the register of a site.
func (s *Store) GFCIsOfSite(ctx context.Context, site int64) ([]DueGFCI, error) {
	rows, err := s.q(ctx).GFCIsOfSite(ctx, site)
	return each(rows, err, gfciOf)
}

// DueGFCIs lists those of all sites whose test is due by the given time, the
// longest due first.
func (s *Store) DueGFCIs(ctx context.Context, by time.Time, most int) ([]DueGFCI, error) {
	rows, err := s.q(ctx).DueGFCIs(ctx, db.DueGFCIsParams{DueAt: stamp(by), Limit: int64(most)})
	return each(rows, err, func(r db.DueGFCIsRow) DueGFCI { return gfciOf(db.GFCIsOfSiteRow(r)) })
}

func gfciOf(r db.GFCIsOfSiteRow) DueGFCI {
	installed := r.SaidAt // what somebody read off it comes before what is worked out
	if installed == nil {
		installed = r.InstalledAt
	}
	g := GFCI{
		Run: r.RunID, Device: r.Device, Label: r.Label, Serves: int(r.Serves),
		InstalledAt: instantOrNil(installed), TestedAt: instantOrNil(r.TestedAt), DueAt: instant(r.DueAt),
	}
	if r.Held != nil {
		g.Held = new(*r.Held != 0)
	}
	return DueGFCI{GFCI: g, Site: r.SiteID, SiteAt: r.SiteName, RunName: r.RunName}
}

func (s *Store) setGFCIs(ctx context.Context, run int64, all []GFCI) error {
	if err := s.q(ctx).RemoveGFCIs(ctx, run); err != nil {
		return err
	}
	for _, g := range all {
		p := db.AddGFCIParams{
			RunID:       run,
			Device:      g.Device,
			Label:       g.Label,
			Serves:      int64(g.Serves),
			InstalledAt: stampOrNull(g.InstalledAt),
			TestedAt:    stampOrNull(g.TestedAt),
			DueAt:       stamp(g.DueAt),
		}
		if g.Held != nil {
			p.Held = new(bit(*g.Held))
		}
		if err := s.q(ctx).AddGFCI(ctx, p); err != nil {
			return err
		}
	}
	return nil
}

// SetInstalled keeps when a GFCI was put in; nil: nobody knows.
func (s *Store) SetInstalled(ctx context.Context, run int64, device string, at *time.Time) error {
	if at == nil {
		return s.q(ctx).RemoveInstalled(ctx, db.RemoveInstalledParams{RunID: run, Device: device})
	}
	return s.q(ctx).SetInstalled(ctx, db.SetInstalledParams{RunID: run, Device: device, InstalledAt: stamp(*at)})
}

// RemoveSite takes a house out with all that was ever kept of it: panels, runs, calls,
// pictures, what was used up on them.
func (s *Store) RemoveSite(ctx context.Context, site int64) error {
	const calls = "SELECT c.id FROM calls c JOIN runs r ON r.id = c.run_id JOIN panels p ON p.id = r.panel_id WHERE p.site_id = ?"
	return s.InTransaction(ctx, func(ctx context.Context) error {
		for _, statement := range []string{
			"DELETE FROM search WHERE rowid IN (SELECT 2 * id FROM (" + calls + "))",
			"DELETE FROM stock WHERE call_id IN (" + calls + ")",
			"DELETE FROM calls WHERE id IN (" + calls + ")",
			"DELETE FROM search WHERE rowid = 2 * ? + 1",
			"DELETE FROM sites WHERE id = ?",
		} {
			if _, err := s.on(ctx).ExecContext(ctx, statement, site); err != nil {
				return err
			}
		}
		return nil
	})
}
