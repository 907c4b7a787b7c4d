package server

import (
	"bytes"
	"context"
	"crypto/rand"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	corecall "elvat/core/call"
	"elvat/core/day"
	"elvat/core/forecast"
	"elvat/core/strict"
	"elvat/core/supply"
	"elvat/internal/api"
	"elvat/internal/desk"
	"elvat/internal/report"
	"elvat/internal/store"
)

// SetAppointment says when and by whom the call is gone to.
func (s *calls) SetAppointment(ctx context.Context, r api.SetAppointmentRequestObject) (api.SetAppointmentResponseObject, error) {
	now, err := s.change(ctx, r.Call, r.Body)
	return api.SetAppointment200JSONResponse{CallNowJSONResponse: now}, err
}

// MarkClock says that somebody arrived, found it, or was done.
func (s *calls) MarkClock(ctx context.Context, r api.MarkClockRequestObject) (api.MarkClockResponseObject, error) {
	now, err := s.change(ctx, r.Call, r.Body)
	if err == nil && r.Body.Mark == corecall.Done {
		err = s.learnClocks(ctx)
	}
	return api.MarkClock200JSONResponse{CallNowJSONResponse: now}, err
}

// daySetting is the name under which it is kept when the day begins and ends.
const daySetting = "day"

// usualDay is when a day begins and ends until the shop says so. Assumption.
var usualDay = api.DaySettings{Starts: "08:00", Ends: "17:00"}

func (s *calls) daySettings(ctx context.Context) (api.DaySettings, error) {
	set := usualDay
	kept, err := s.store.Setting(ctx, daySetting)
	if err != nil || kept == nil {
		return set, err
	}
	return set, json.Unmarshal(kept, &set)
}

// zone is that of the shop's clocks.
func (s *calls) zone(ctx context.Context) (*time.Location, error) {
	shop, err := s.House(ctx)
	if err != nil {
		return nil, err
	}
	return desk.ZoneOf(shop)
}

// listed are the calls in hand, or those that are over, as lists show them.
func (s *calls) listed(ctx context.Context, over bool) ([]api.CallSummary, error) {
	lines, err := s.store.CallLines(ctx, over, 0, mostInHand)
	if err != nil {
		return nil, err
	}
	return summaries(lines)
}

// dayOf is the day of a van as the core plans it, without its stops.
func dayOf(set api.DaySettings, date, van string) (*day.Day, error) {
	d := &day.Day{Format: day.Format, Date: date, Van: van, Base: set.Base, MPH: desk.Or(set.Mph, 0), Stops: []day.Stop{}}
	for _, f := range []struct {
		name, text string
		to         *day.Clock
	}{{"starts", set.Starts, &d.Starts}, {"ends", set.Ends, &d.Ends}} {
		if err := f.to.UnmarshalText([]byte(f.text)); err != nil {
			return nil, badInput{fmt.Errorf("%s: %w", f.name, err)}
		}
	}
	if err := d.Check(); err != nil {
		return nil, badInput{err}
	}
	return d, nil
}

// GetDaySettings shows when the day begins and ends.
func (s *calls) GetDaySettings(ctx context.Context, _ api.GetDaySettingsRequestObject) (api.GetDaySettingsResponseObject, error) {
	set, err := s.daySettings(ctx)
	return api.GetDaySettings200JSONResponse(set), err
}

// SetDaySettings sets it.
func (s *calls) SetDaySettings(ctx context.Context, r api.SetDaySettingsRequestObject) (api.SetDaySettingsResponseObject, error) {
	if _, err := dayOf(*r.Body, "", ""); err != nil {
		return nil, err
	}
	kept, err := json.Marshal(r.Body)
	if err != nil {
		return nil, err
	}
	return api.SetDaySettings200JSONResponse(*r.Body), s.store.Set(ctx, daySetting, kept)
}

// GetDay shows the calls of a day by van, each van's in order.
func (s *calls) GetDay(ctx context.Context, r api.GetDayRequestObject) (api.GetDayResponseObject, error) {
	book, err := s.dayBook(ctx, r.Date)
	return api.GetDay200JSONResponse(book), err
}

// SetDayOrder puts the calls of a van into an order by hand.
func (s *calls) SetDayOrder(ctx context.Context, r api.SetDayOrderRequestObject) (api.SetDayOrderResponseObject, error) {
	if len(r.Body.Calls) > mostInHand {
		return nil, badInput{fmt.Errorf("calls: %d of them; at most %d", len(r.Body.Calls), mostInHand)}
	}
	before, err := s.dayBook(ctx, r.Date)
	if err != nil {
		return nil, err
	}
	i := slices.IndexFunc(before.Vans, func(v api.VanDay) bool { return v.Van == r.Body.Van })
	if i < 0 {
		return nil, store.ErrNotFound
	}
	by := s.Command(ctx, nil)
	for _, c := range before.Vans[i].Calls {
		place := slices.Index(r.Body.Calls, c.Id) + 1
		if place == c.Appointment.Place {
			continue
		}
		one := by
		if by.ID != "" {
			one.ID = fmt.Sprintf("%s-%d", by.ID, c.Id)
		}
		one.Do = &corecall.SetAppointment{Place: &place}
		if _, err := s.Do(ctx, c.Id, one, nil); err != nil {
			return nil, err
		}
	}
	book, err := s.dayBook(ctx, r.Date)
	return api.SetDayOrder200JSONResponse(book), err
}

// monthAhead is how far ahead a test that is due is proposed.
const monthAhead = 31 * 24 * time.Hour

// mostOnMap bounds what is looked through for the gaps of a day. Assumption.
const mostOnMap = 200

func (s *calls) dayBook(ctx context.Context, date string) (api.DayBook, error) {
	book := api.DayBook{Date: date, Vans: []api.VanDay{}, Open: []api.CallSummary{}, Known: []string{}}
	if _, err := time.Parse(time.DateOnly, date); err != nil {
		return book, badInput{fmt.Errorf("date: %q is no day: 2026-05-04", date)}
	}
	if err := s.freshen(ctx, true); err != nil {
		return book, err
	}
	var err error
	if book.Settings, err = s.daySettings(ctx); err != nil {
		return book, err
	}
	list, err := s.listed(ctx, false)
	if err != nil {
		return book, err
	}
	stock, err := s.store.Stock(ctx)
	if err != nil {
		return book, err
	}
	feeds, err := s.store.Feeds(ctx)
	if err != nil {
		return book, err
	}
	known := map[string]bool{}
	for _, h := range stock {
		known[h.Van] = h.Van != ""
	}
	for van := range feeds {
		known[van] = true
	}
	byVan := map[string][]api.CallSummary{}
	for _, c := range list {
		a := c.Appointment
		if a != nil && a.Van != "" {
			known[a.Van] = true
		}
		switch {
		case a == nil || a.Date == "":
			book.Open = append(book.Open, c)
		case a.Date == date:
			byVan[a.Van] = append(byVan[a.Van], c)
		}
	}
	for _, van := range slices.Sorted(maps.Keys(known)) {
		if known[van] {
			book.Known = append(book.Known, van)
		}
	}
	zone, err := s.zone(ctx)
	if err != nil {
		return book, err
	}
	due, err := s.store.DueOnMap(ctx, s.now().Add(monthAhead), mostOnMap)
	if err != nil {
		return book, err
	}
	for _, van := range slices.Sorted(maps.Keys(byVan)) {
		one, err := s.vanDay(ctx, book.Settings, zone, date, van, byVan[van], due)
		if err != nil {
			return book, err
		}
		_, one.Feed = feeds[van]
		book.Vans = append(book.Vans, one)
	}
	return book, nil
}

func (s *calls) vanDay(ctx context.Context, set api.DaySettings, zone *time.Location, date, van string, list []api.CallSummary, due []store.DueNear) (api.VanDay, error) {
	v := api.VanDay{Van: van, Calls: list, TakeAlong: []supply.Pick{}, Near: []api.NearTest{}}
	d, err := dayOf(set, date, van)
	if err != nil {
		return v, err
	}
	// Where somebody put them into an order, that is the order; new ones come last.
	placed := func(c api.CallSummary) int {
		if c.Appointment.Place == 0 {
			return mostInHand
		}
		return c.Appointment.Place
	}
	v.ByHand = slices.ContainsFunc(list, func(c api.CallSummary) bool { return c.Appointment.Place != 0 })
	slices.SortStableFunc(list, func(a, b api.CallSummary) int {
		if placed(a) != placed(b) {
			return placed(a) - placed(b)
		}
		return int(a.Id - b.Id)
	})
	d.Keep = v.ByHand
	now := s.now()
	d.Now = day.ClockOn(date, &now, zone)
	here := map[int64]bool{}
	for _, c := range list {
		stop := c.Appointment.Stop(date, zone)
		stop.ID, stop.Title, stop.Urgent = strconv.FormatInt(c.Id, 10), c.Title, desk.Or(c.Urgent, false)
		if c.Minutes != nil {
			stop.Minutes = *c.Minutes
		}
		if site := desk.Or(c.Site, 0); site > 0 {
			here[site] = true
			house, err := s.store.Site(ctx, site)
			if err != nil {
				return v, err
			}
			if house.Lat != nil && house.Lon != nil {
				stop.At = &day.Point{Lat: *house.Lat, Lon: *house.Lon}
			}
		}
		d.Stops = append(d.Stops, stop)
	}
	v.Sheet = d.Plan()
	order := map[string]int{}
	for i, p := range v.Sheet.Stops {
		order[p.ID] = i
	}
	slices.SortFunc(v.Calls, func(a, b api.CallSummary) int {
		return order[strconv.FormatInt(a.Id, 10)] - order[strconv.FormatInt(b.Id, 10)]
	})
	if v.TakeAlong, err = s.takeAlong(ctx, v.Calls); err != nil {
		return v, err
	}
	v.Near = nearTests(d, v.Sheet.Gaps, due, here)
	return v, nil
}

// mostNear is how many tests are proposed for a gap. Assumption.
const mostNear = 3

// nearTests are GFCIs whose test is due that fit into the gaps of a day; those of the houses
// gone to anyway are not among them.
func nearTests(d *day.Day, gaps []day.Gap, due []store.DueNear, here map[int64]bool) []api.NearTest {
	all := []api.NearTest{}
	taken := map[int]bool{}
	for _, g := range gaps {
		var near []day.Near
		for i := range due {
			if !taken[i] && !here[due[i].Site] {
				near = append(near, day.Near{ID: strconv.Itoa(i), At: &due[i].At})
			}
		}
		for k, n := range d.Proposed(g, near) {
			if k == mostNear {
				break
			}
			i, _ := strconv.Atoi(n.ID) // made above
			taken[i] = true
			all = append(all, api.NearTest{Run: due[i].Run, Device: due[i].Device, Label: due[i].Label, Due: due[i].Due, House: due[i].House, Address: due[i].Address, After: g.After})
		}
	}
	return all
}

// takeAlong is what the calls of a day may need together, against what the van has.
func (s *calls) takeAlong(ctx context.Context, list []api.CallSummary) ([]supply.Pick, error) {
	all := []supply.Pick{}
	found, err := s.store.Stock(ctx)
	if err != nil {
		return nil, err
	}
	for _, c := range list {
		v, err := s.Load(ctx, c.Id)
		if err != nil {
			return nil, err
		}
		picks, _ := v.Record.Picks(v.View, desk.Stocked(found))
		all = supply.Together(all, picks, v.Call.Title)
	}
	return all, nil
}

// mostClocks is how many calls the minutes are learned from. Assumption.
const mostClocks = 50

// past are the newest calls whose clock says what they took.
func (s *calls) clocks(ctx context.Context) (list []api.CallSummary, err error) {
	for _, over := range []bool{false, true} {
		all, err := s.listed(ctx, over)
		if err != nil {
			return nil, err
		}
		for _, c := range all {
			if c.Appointment != nil && c.Appointment.Took() > 0 && c.Appointment.Expected != nil {
				list = append(list, c)
			}
		}
	}
	slices.SortFunc(list, func(a, b api.CallSummary) int { return b.Appointment.ArrivedAt.Compare(*a.Appointment.ArrivedAt) })
	return list[:min(len(list), mostClocks)], nil
}

// learnClocks works out anew what past calls teach of minutes.
func (s *calls) learnClocks(ctx context.Context) error {
	if err := s.freshen(ctx, true); err != nil {
		return err
	}
	list, err := s.clocks(ctx)
	if err != nil {
		return err
	}
	var past []forecast.Past
	for _, c := range list {
		past = append(past, forecast.Past{Expected: *c.Appointment.Expected, Took: c.Appointment.Took()})
	}
	kept, err := json.Marshal(forecast.Learn(past))
	if err != nil {
		return err
	}
	return s.store.Set(ctx, desk.ClocksSetting, kept)
}

// ListClocks shows what calls were expected to take, and took.
func (s *calls) ListClocks(ctx context.Context, _ api.ListClocksRequestObject) (api.ListClocksResponseObject, error) {
	if err := s.freshen(ctx, false); err != nil {
		return nil, err
	}
	list, err := s.clocks(ctx)
	if err != nil {
		return nil, err
	}
	now := api.ListClocks200JSONResponse{Calls: []api.ClockedCall{}}
	for _, c := range list {
		a := c.Appointment
		row := api.ClockedCall{Id: c.Id, Title: c.Title, ArrivedAt: a.ArrivedAt, Took: a.Took(), Expected: *a.Expected}
		if a.FoundAt != nil {
			row.Found = new(a.FoundAt.Sub(*a.ArrivedAt).Minutes())
		}
		now.Calls = append(now.Calls, row)
	}
	learned, err := s.Correction(ctx)
	now.Learned = api.LearnedMinutes(learned)
	return now, err
}

// MakeFeed lets a calendar program read a van's calendar.
func (s *calls) MakeFeed(ctx context.Context, r api.MakeFeedRequestObject) (api.MakeFeedResponseObject, error) {
	van := strings.TrimSpace(r.Body.Van)
	if van == "" {
		return nil, badInput{fmt.Errorf("van: whose calendar is it?")}
	}
	if err := strict.Name("van", van); err != nil {
		return nil, badInput{err}
	}
	token := rand.Text()
	if err := s.store.SetFeed(ctx, van, token, s.now()); err != nil {
		return nil, err
	}
	return api.MakeFeed200JSONResponse{Van: van, Path: "/api/v1/feeds/" + token}, nil
}

// EndFeed closes it.
func (s *calls) EndFeed(ctx context.Context, r api.EndFeedRequestObject) (api.EndFeedResponseObject, error) {
	return api.EndFeed204Response{}, s.store.EndFeed(ctx, r.Params.Van)
}

// daysInFeed is how far ahead a calendar goes. Assumption.
const daysInFeed = 30

// ReadFeed is the calendar that a token opens.
func (s *calls) ReadFeed(ctx context.Context, r api.ReadFeedRequestObject) (api.ReadFeedResponseObject, error) {
	van, err := s.store.FeedOf(ctx, r.Token)
	if err != nil {
		return nil, err
	}
	zone, err := s.zone(ctx)
	if err != nil {
		return nil, err
	}
	events, err := s.feedOf(ctx, van, s.now().In(zone))
	if err != nil {
		return nil, err
	}
	var out bytes.Buffer
	if err := report.VanCalendar(&out, van, events, address(ctx), s.now()); err != nil {
		return nil, err
	}
	return api.ReadFeed200TextcalendarResponse{Body: &out, ContentLength: int64(out.Len())}, nil
}

// feedOf are the calls of a van from a day on.
func (s *calls) feedOf(ctx context.Context, van string, today time.Time) ([]report.Event, error) {
	if err := s.freshen(ctx, false); err != nil {
		return nil, err
	}
	set, err := s.daySettings(ctx)
	if err != nil {
		return nil, err
	}
	list, err := s.listed(ctx, false)
	if err != nil {
		return nil, err
	}
	last := today.AddDate(0, 0, daysInFeed).Format(time.DateOnly)
	byDate := map[string][]api.CallSummary{}
	for _, c := range list {
		if a := c.Appointment; a != nil && a.Van == van && a.Date >= today.Format(time.DateOnly) && a.Date <= last {
			byDate[a.Date] = append(byDate[a.Date], c)
		}
	}
	var events []report.Event
	for _, date := range slices.Sorted(maps.Keys(byDate)) {
		v, err := s.vanDay(ctx, set, today.Location(), date, van, byDate[date], nil)
		if err != nil {
			return nil, err
		}
		midnight, err := time.ParseInLocation(time.DateOnly, date, today.Location())
		if err != nil {
			return nil, err
		}
		at := func(c day.Clock) time.Time {
			return time.Date(midnight.Year(), midnight.Month(), midnight.Day(), 0, int(c+0.5), 0, 0, today.Location())
		}
		for i, p := range v.Sheet.Stops {
			c := v.Calls[i]
			e := report.Event{Key: "call-" + p.ID, Starts: at(p.Starts), Ends: at(p.Ends), Title: c.Title, Text: strings.Join(append([]string{c.Complaint}, p.Trouble...), ". "), Path: fmt.Sprintf("/calls/%d", c.Id)}
			if site := desk.Or(c.Site, 0); site > 0 {
				house, err := s.store.Site(ctx, site)
				if err != nil {
					return nil, err
				}
				e.Where = house.Address
			}
			events = append(events, e)
		}
	}
	return events, nil
}
