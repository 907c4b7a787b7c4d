package server

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"strings"
	"time"

	corecall "elvat/core/call"
	"elvat/core/circuit"
	"elvat/core/day"
	"elvat/core/job"
	"elvat/core/sitebook"
	"elvat/core/strict"
	"elvat/internal/api"
	"elvat/internal/desk"
	"elvat/internal/kept"
	"elvat/internal/store"
)

// mainPanel is what a site's first panel is called until it is named.
const mainPanel = "Main panel"

// CreateCall starts a call: on a run of the site book from what is known of it,
// or on a new one.
func (s *calls) CreateCall(ctx context.Context, r api.CreateCallRequestObject) (api.CreateCallResponseObject, error) {
	begin, err := desk.BeginOf(*r.Body)
	if err != nil {
		return nil, err
	}
	if r.Body.Laid != nil {
		if err := s.FillLaid(ctx, &begin, *r.Body.Laid); err != nil {
			return nil, err
		}
	}
	id, err := s.begin(ctx, begin, kept.Place{Site: desk.Or(r.Body.Site, 0), Panel: desk.Or(r.Body.Panel, 0), Run: desk.Or(r.Body.Run, 0)})
	if err != nil {
		return nil, err
	}
	made(ctx, "/calls/%d", id)
	now, err := s.callNow(ctx, id)
	return api.CreateCall201JSONResponse(now), err
}

// begin starts a call on a place of the site book, or with one of its own.
func (s *calls) begin(ctx context.Context, begin corecall.Begin, on kept.Place) (int64, error) {
	if begin.Scene != nil {
		return s.store.BeginDrill(ctx, s.Command(ctx, nil), s.now(), &begin)
	}
	// The call is diagnosed with what opened boxes have taught until now.
	if _, err := s.learn(ctx); err != nil {
		return 0, err
	}
	defer s.freshener.ask()
	return s.store.Begin(ctx, s.Command(ctx, nil), s.now(), func(ctx context.Context) (run int64, b *corecall.Begin, err error) {
		if on.Run != 0 {
			if run, err = s.startFrom(ctx, on.Run, &begin); err != nil {
				return 0, nil, err
			}
		}
		if err := desk.FillBegin(&begin); err != nil {
			return 0, nil, err
		}
		if run == 0 {
			run, err = s.newRun(ctx, on, begin.Title)
		}
		return run, &begin, err
	})
}

// startFrom takes over what the last call left of a run: its map, and what stays
// true of the place.
func (s *calls) startFrom(ctx context.Context, id int64, begin *corecall.Begin) (int64, error) {
	run, err := s.store.Run(ctx, id)
	if err != nil {
		return 0, err
	}
	if begin.Title == "" {
		begin.Title = run.Name
	}
	if run.LastCall == 0 || begin.Circuit != nil {
		return run.ID, nil
	}
	last, err := s.store.Load(ctx, run.LastCall)
	if err != nil {
		return 0, err
	}
	err = desk.StartFrom(begin, last, s.now())
	return run.ID, err
}

// newRun makes a run to hang a call on, with its site and panel where none is named.
func (s *calls) newRun(ctx context.Context, on kept.Place, title string) (id int64, err error) {
	if on.Panel == 0 {
		if on.Panel, err = s.firstPanel(ctx, on.Site, title); err != nil {
			return 0, err
		}
	}
	if _, err := s.store.Panel(ctx, on.Panel); err != nil {
		return 0, err
	}
	return s.store.AddRun(ctx, on.Panel, title)
}

func (s *calls) firstPanel(ctx context.Context, site int64, title string) (int64, error) {
	if site == 0 {
		id, err := s.store.AddSite(ctx, store.Site{Name: title, CreatedAt: s.now()})
		if err != nil {
			return 0, err
		}
		return s.store.AddPanel(ctx, store.Panel{Site: id, Name: mainPanel})
	}
	panels, err := s.store.Panels(ctx, site)
	if err != nil {
		return 0, err
	}
	if len(panels) > 0 {
		return panels[0].ID, nil
	}
	return s.store.AddPanel(ctx, store.Panel{Site: site, Name: mainPanel})
}

// ListSites lists sites, newest first.
func (s *calls) ListSites(ctx context.Context, r api.ListSitesRequestObject) (api.ListSitesResponseObject, error) {
	before, most, err := page(r.Params.Before, r.Params.Limit)
	if err != nil {
		return nil, err
	}
	sites, err := s.store.Sites(ctx, before, most)
	list := make(api.ListSites200JSONResponse, len(sites))
	for i, l := range sites {
		list[i] = api.SiteLine{Id: l.ID, Name: l.Name, Address: l.Address, Calls: l.Calls, LastAt: l.LastAt}
	}
	return list, err
}

// siteOf reads what is to be changed of a site into it.
func siteOf(body *api.SiteChange, site *store.Site) error {
	site.Name = strings.TrimSpace(body.Name)
	if site.Name == "" {
		return badInput{errors.New("name: a site needs one, such as the house or the customer")}
	}
	if body.Address != nil {
		site.Address = strings.TrimSpace(*body.Address)
	}
	if body.Notes != nil {
		site.Notes = strings.TrimSpace(*body.Notes)
	}
	if body.Telephone != nil {
		site.Telephone = strings.TrimSpace(*body.Telephone)
	}
	if body.At != nil {
		site.Lat, site.Lon = &body.At.Lat, &body.At.Lon
		if !(math.Abs(body.At.Lat) <= 90) || !(math.Abs(body.At.Lon) <= 180) {
			return badInput{fmt.Errorf("at: %g, %g is no place on earth", body.At.Lat, body.At.Lon)}
		}
	}
	for _, err := range []error{strict.Name("name", site.Name), strict.Name("telephone", site.Telephone), strict.Text("address", site.Address), strict.Text("notes", site.Notes)} {
		if err != nil {
			return badInput{err}
		}
	}
	return nil
}

// AddSite makes a site with its main panel.
func (s *calls) AddSite(ctx context.Context, r api.AddSiteRequestObject) (api.AddSiteResponseObject, error) {
	site := store.Site{CreatedAt: s.now()}
	if err := siteOf(r.Body, &site); err != nil {
		return nil, err
	}
	id, err := s.store.Do(ctx, s.action(ctx, "new site"), func(ctx context.Context, _ int64) (int64, error) {
		id, err := s.store.AddSite(ctx, site)
		if err != nil {
			return 0, err
		}
		_, err = s.store.AddPanel(ctx, store.Panel{Site: id, Name: mainPanel})
		return id, err
	})
	if err != nil {
		return nil, err
	}
	made(ctx, "/sites/%d", id)
	now, err := s.siteNow(ctx, id)
	return api.AddSite201JSONResponse{SiteNowJSONResponse: now}, err
}

// GetSite shows all that is known of a site.
func (s *calls) GetSite(ctx context.Context, r api.GetSiteRequestObject) (api.GetSiteResponseObject, error) {
	now, err := s.siteNow(ctx, r.Site)
	return api.GetSite200JSONResponse{SiteNowJSONResponse: now}, err
}

// ChangeSite corrects name, address or notes.
func (s *calls) ChangeSite(ctx context.Context, r api.ChangeSiteRequestObject) (api.ChangeSiteResponseObject, error) {
	now, err := s.changeSite(ctx, r.Site, "site", func(ctx context.Context, _ int64) error {
		site, err := s.store.Site(ctx, r.Site)
		if err != nil {
			return err
		}
		if err := siteOf(r.Body, &site); err != nil {
			return err
		}
		return s.store.UpdateSite(ctx, site)
	})
	return api.ChangeSite200JSONResponse{SiteNowJSONResponse: now}, err
}

func (s *calls) changeSite(ctx context.Context, site int64, what string, do func(context.Context, int64) error) (api.SiteNowJSONResponse, error) {
	if _, err := s.store.Do(ctx, s.action(ctx, what), func(ctx context.Context, action int64) (int64, error) { return 0, do(ctx, action) }); err != nil {
		return api.SiteNowJSONResponse{}, err
	}
	return s.siteNow(ctx, site)
}

func (s *calls) siteNow(ctx context.Context, id int64) (api.SiteNowJSONResponse, error) {
	now := api.SiteNowJSONResponse{Panels: []api.PanelBook{}, Gfcis: []api.Guard{}}
	if err := s.freshen(ctx, false); err != nil {
		return now, err
	}
	site, err := s.store.Site(ctx, id)
	if err != nil {
		return now, err
	}
	now.Id, now.Name, now.Address, now.Notes, now.ErasedAt = site.ID, site.Name, site.Address, site.Notes, site.ErasedAt
	now.Telephone = &site.Telephone
	if site.Lat != nil && site.Lon != nil {
		now.At = &day.Point{Lat: *site.Lat, Lon: *site.Lon}
	}
	panels, err := s.store.Panels(ctx, id)
	if err != nil {
		return now, err
	}
	runs, err := s.store.Runs(ctx, id)
	if err != nil {
		return now, err
	}
	for _, p := range panels {
		book := api.PanelBook{Id: p.ID, Name: p.Name, Directory: job.Directory{}, Runs: []api.RunLine{}}
		if err := json.Unmarshal(p.Directory, &book.Directory); err != nil {
			return now, err
		}
		for _, r := range runs {
			if r.Panel != p.ID {
				continue
			}
			line, err := s.runLine(ctx, r)
			if err != nil {
				return now, err
			}
			book.Runs = append(book.Runs, line)
		}
		now.Panels = append(now.Panels, book)
	}
	guards, err := s.store.GFCIsOfSite(ctx, id)
	if err != nil {
		return now, err
	}
	now.Gfcis = s.guards(guards)
	lines, err := s.store.CallLinesOfSite(ctx, id, mostListed)
	if err != nil {
		return now, err
	}
	now.Calls, err = summaries(lines)
	return now, err
}

func (s *calls) runLine(ctx context.Context, r store.Run) (api.RunLine, error) {
	line := api.RunLine{Id: r.ID, Name: r.Name, Calls: r.Calls}
	if r.LastCall == 0 {
		return line, nil
	}
	line.LastCall, line.LastAt = &r.LastCall, &r.LastAt
	c, err := s.Circuit(ctx, r.LastCall)
	if err != nil {
		return line, err
	}
	line.Breaker, line.Amps = c.Breaker.Label, float32(c.Breaker.Amps)
	for i := range c.Boxes {
		line.Outlets += len(c.Boxes[i].Devices)
	}
	return line, nil
}

// guards are GFCIs as the register shows them.
func (s *calls) guards(kept []store.DueGFCI) []api.Guard {
	now := s.now()
	all := make([]api.Guard, len(kept))
	for i, g := range kept {
		all[i] = api.Guard{
			Site: g.Site, SiteName: g.SiteAt, Run: g.Run, RunName: g.RunName, Device: g.Device, Label: g.Label, Serves: g.Serves,
			InstalledAt: g.InstalledAt, TestedAt: g.TestedAt, Held: g.Held, DueAt: g.DueAt, Due: !g.DueAt.After(now),
		}
		if g.InstalledAt != nil {
			years := sitebook.Years(*g.InstalledAt, now)
			all[i].Years = &years
		}
	}
	return all
}

// panelName is what a panel is called.
func panelName(said string) (string, error) {
	name := strings.TrimSpace(said)
	if name == "" {
		return "", badInput{errors.New("name: what is the panel called?")}
	}
	if err := strict.Name("name", name); err != nil {
		return "", badInput{err}
	}
	return name, nil
}

// AddPanel adds a panel to a site.
func (s *calls) AddPanel(ctx context.Context, r api.AddPanelRequestObject) (api.AddPanelResponseObject, error) {
	name, err := panelName(r.Body.Name)
	if err != nil {
		return nil, err
	}
	now, err := s.changeSite(ctx, r.Site, "new panel", func(ctx context.Context, _ int64) error {
		_, err := s.store.AddPanel(ctx, store.Panel{Site: r.Site, Name: name})
		return err
	})
	made(ctx, "/sites/%d", r.Site)
	return api.AddPanel201JSONResponse{SiteNowJSONResponse: now}, err
}

// SetPanel keeps a panel's name and directory.
func (s *calls) SetPanel(ctx context.Context, r api.SetPanelRequestObject) (api.SetPanelResponseObject, error) {
	name, err := panelName(r.Body.Name)
	if err != nil {
		return nil, err
	}
	now, err := s.keepDirectory(ctx, r.Panel, job.Directory(r.Body.Directory), func(ctx context.Context) error {
		return s.store.RenamePanel(ctx, r.Panel, name)
	})
	return api.SetPanel200JSONResponse{SiteNowJSONResponse: now}, err
}

func (s *calls) keepDirectory(ctx context.Context, panel int64, d job.Directory, also func(context.Context) error) (api.SiteNowJSONResponse, error) {
	if err := d.Check(); err != nil {
		return api.SiteNowJSONResponse{}, badInput{err}
	}
	kept, err := json.Marshal(d)
	if err != nil {
		return api.SiteNowJSONResponse{}, err
	}
	p, err := s.store.Panel(ctx, panel)
	if err != nil {
		return api.SiteNowJSONResponse{}, err
	}
	return s.changeSite(ctx, p.Site, "panel directory", func(ctx context.Context, action int64) error {
		if err := also(ctx); err != nil {
			return err
		}
		return s.store.SetDirectory(ctx, action, panel, kept)
	})
}

// ImportDirectory takes a panel's directory from CSV.
func (s *calls) ImportDirectory(ctx context.Context, r api.ImportDirectoryRequestObject) (api.ImportDirectoryResponseObject, error) {
	data, err := io.ReadAll(r.Body)
	if err != nil {
		return nil, err
	}
	d, err := job.ParseDirectoryCSV(data)
	if err != nil {
		return nil, badInput{err}
	}
	now, err := s.keepDirectory(ctx, r.Panel, d, func(context.Context) error { return nil })
	return api.ImportDirectory200JSONResponse{SiteNowJSONResponse: now}, err
}

// ExportDirectory is a panel's directory as CSV.
func (s *calls) ExportDirectory(ctx context.Context, r api.ExportDirectoryRequestObject) (api.ExportDirectoryResponseObject, error) {
	p, err := s.store.Panel(ctx, r.Panel)
	if err != nil {
		return nil, err
	}
	d := job.Directory{}
	if err := json.Unmarshal(p.Directory, &d); err != nil {
		return nil, err
	}
	out, err := d.CSV()
	if err != nil {
		return nil, err
	}
	return api.ExportDirectory200ApplicationoctetStreamResponse{
		Body: bytes.NewReader(out), ContentLength: int64(len(out)),
		Headers: api.ExportDirectory200ResponseHeaders{ContentType: "text/csv; charset=utf-8", ContentDisposition: fmt.Sprintf(`attachment; filename="elvat-panel-%d.csv"`, r.Panel)},
	}, nil
}

// GetRun shows the outlets of a run over the calls.
func (s *calls) GetRun(ctx context.Context, r api.GetRunRequestObject) (api.GetRunResponseObject, error) {
	now, err := s.runNow(ctx, r.Run)
	return api.GetRun200JSONResponse{RunNowJSONResponse: now}, err
}

func (s *calls) runNow(ctx context.Context, id int64) (api.RunNowJSONResponse, error) {
	now := api.RunNowJSONResponse{Gfcis: []api.Guard{}}
	if err := s.freshen(ctx, false); err != nil {
		return now, err
	}
	run, err := s.store.Run(ctx, id)
	if err != nil {
		return now, err
	}
	panel, err := s.store.Panel(ctx, run.Panel)
	if err != nil {
		return now, err
	}
	site, err := s.store.Site(ctx, panel.Site)
	if err != nil {
		return now, err
	}
	now.Id, now.Name, now.Site, now.SiteName, now.Panel = run.ID, run.Name, site.ID, site.Name, panel.Name
	guards, err := s.store.GFCIsOfSite(ctx, site.ID)
	if err != nil {
		return now, err
	}
	for _, g := range s.guards(guards) {
		if g.Run == id {
			now.Gfcis = append(now.Gfcis, g)
		}
	}
	c := circuit.Unseen(run.Name)
	if run.LastCall != 0 {
		now.LastCall = &run.LastCall
		if c, err = s.Circuit(ctx, run.LastCall); err != nil {
			return now, err
		}
	}
	b := c.Breaker
	now.Breaker = api.Breaker{Label: b.Label, Amps: b.Amps, Poles: b.Poles, Protection: string(b.Protection)}
	past, err := s.Past(ctx, id, 0)
	if err != nil {
		return now, err
	}
	now.Outlets = make([]struct {
		Device string            `json:"device"`
		Label  string            `json:"label"`
		Lines  []api.HistoryLine `json:"lines"`
	}, 0, len(c.Boxes))
	for _, box := range c.Order() {
		for _, v := range c.Box(box).Devices {
			outlet := struct {
				Device string            `json:"device"`
				Label  string            `json:"label"`
				Lines  []api.HistoryLine `json:"lines"`
			}{v.ID, c.LabelOf(box), sitebook.History(past, v.ID, box)}
			now.Outlets = append(now.Outlets, outlet)
		}
	}
	return now, nil
}

// SetInstalled keeps when a GFCI was put in.
func (s *calls) SetInstalled(ctx context.Context, r api.SetInstalledRequestObject) (api.SetInstalledResponseObject, error) {
	if _, err := s.store.Run(ctx, r.Run); err != nil {
		return nil, err
	}
	var at *time.Time
	if r.Body.InstalledAt != nil {
		t, err := time.Parse(time.DateOnly, *r.Body.InstalledAt)
		if err != nil {
			return nil, badInput{fmt.Errorf("installedAt: %q is no day such as 2026-05-04", *r.Body.InstalledAt)}
		}
		if t.After(s.now()) || t.Year() < 1970 {
			return nil, badInput{errors.New("installedAt: a day between 1970 and today")}
		}
		at = &t
	}
	if _, err := s.store.Do(ctx, s.action(ctx, "GFCI put in"), func(ctx context.Context, _ int64) (int64, error) {
		return 0, s.store.SetInstalled(ctx, r.Run, r.Device, at)
	}); err != nil {
		return nil, err
	}
	now, err := s.runNow(ctx, r.Run)
	return api.SetInstalled200JSONResponse{RunNowJSONResponse: now}, err
}

// mostDue bounds the list of tests due. Assumption.
const mostDue = 200

// ListTestsDue lists GFCIs of all sites whose test is due.
func (s *calls) ListTestsDue(ctx context.Context, _ api.ListTestsDueRequestObject) (api.ListTestsDueResponseObject, error) {
	if err := s.freshen(ctx, false); err != nil {
		return nil, err
	}
	due, err := s.store.DueGFCIs(ctx, s.now(), mostDue)
	return api.ListTestsDue200JSONResponse(s.guards(due)), err
}

// Search finds calls and sites.
func (s *calls) Search(ctx context.Context, r api.SearchRequestObject) (api.SearchResponseObject, error) {
	if len(r.Params.Q) > strict.MostText {
		return nil, badInput{errors.New("q: too long to look for")}
	}
	if err := s.freshen(ctx, false); err != nil {
		return nil, err
	}
	hits, err := s.store.Search(ctx, r.Params.Q, mostListed)
	list := make(api.Search200JSONResponse, len(hits))
	for i, h := range hits {
		list[i].Site, list[i].Id, list[i].Title = h.Site, h.ID, h.Title
		list[i].Part = parts(h.Part)
	}
	return list, err
}

// parts tells what was found from what stands around it.
func parts(text string) []struct {
	Found bool   `json:"found"`
	Text  string `json:"text"`
} {
	all := []struct {
		Found bool   `json:"found"`
		Text  string `json:"text"`
	}{}
	add := func(text string, found bool) {
		if text != "" {
			all = append(all, struct {
				Found bool   `json:"found"`
				Text  string `json:"text"`
			}{found, text})
		}
	}
	for text != "" {
		before, rest, ok := strings.Cut(text, store.HitStart)
		add(before, false)
		if !ok {
			break
		}
		found, after, _ := strings.Cut(rest, store.HitEnd)
		add(found, true)
		text = after
	}
	return all
}
