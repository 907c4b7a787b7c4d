package desk

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"time"

	"elvat/core/circuit"
	"elvat/core/diagnosis"
	"elvat/core/job"
	"elvat/core/practice"
	"elvat/core/sums"
	"elvat/core/tester"
	"elvat/core/wire"
	"elvat/internal/api"
)

// Basics are the choices and limits of the screens.
func (d *Desk) Basics(ctx context.Context) (api.Basics, error) {
	b := api.Basics{
		Shop: d.Shop, Cautions: job.Cautions, BreakerAmps: circuit.BranchAmps, AssumedFeet: circuit.AssumedFeet,
		Sides: tester.Default.Sides(), Lamps: []api.BasicsLamps{}, Patterns: tester.Patterns(), Appliances: appliances(), Meter: d.Meter,
		Plugged: diagnosis.PluggedSizes, ProvesOn: job.ProvesOn, LightColours: tester.LightColours, Rights: job.Rights(),
	}
	for _, t := range tester.Plugs {
		b.Plugs = append(b.Plugs, api.Tool(t))
	}
	for _, m := range tester.Meanings {
		b.Meanings = append(b.Meanings, api.LightMeaning{Means: string(m), Words: m.Words()})
	}
	for _, g := range wire.Gauges {
		b.Gauges = append(b.Gauges, int(g))
	}
	for _, w := range tester.Wirings {
		b.Wirings = append(b.Wirings, string(w))
	}
	shop, err := d.House(ctx)
	if err != nil {
		return b, err
	}
	b.TimeZone, b.Units = shop.TimeZone, shop.Units
	if b.Example, err = d.example(ctx); err != nil {
		return b, err
	}
	if b.Lights, err = d.Lights(ctx); err != nil {
		return b, err
	}
	found, err := d.Book.Setting(ctx, LampsOf(ctx))
	if err != nil || found == nil {
		return b, err
	}
	return b, json.Unmarshal(found, &b.Lamps)
}

// appliances are what may be plugged in, in the contract's shape.
func appliances() []api.PluggedSize {
	var all []api.PluggedSize
	for _, a := range circuit.Appliances {
		all = append(all, api.PluggedSize(a))
	}
	return all
}

// LampsOf is the name under which the order of the lamps is kept: each has a tester of his
// own. Where nobody signs in, there is one.
func LampsOf(ctx context.Context) string {
	if by := CallerOf(ctx).Person; by != "" {
		return "lamps of " + by
	}
	return "lamps"
}

// LightsSetting is the name under which is kept what lights of GFCIs mean; ExampleSetting, the
// example house, 0 for none.
const (
	LightsSetting  = "lights"
	ExampleSetting = "example"
)

func (d *Desk) example(ctx context.Context) (there bool, err error) {
	var site int64
	found, err := d.Book.Setting(ctx, ExampleSetting)
	if err == nil && found != nil {
		err = json.Unmarshal(found, &site)
	}
	return site != 0, err
}

// Lights are what lights of GFCIs mean, as people said.
func (d *Desk) Lights(ctx context.Context) ([]tester.Light, error) {
	lights := []tester.Light{}
	found, err := d.Book.Setting(ctx, LightsSetting)
	if err != nil || found == nil {
		return lights, err
	}
	return lights, json.Unmarshal(found, &lights)
}

// mostLights bounds how many meanings of lights are kept. Assumption.
const mostLights = 500

// TellLight keeps what somebody found on a device's sheet.
func (d *Desk) TellLight(ctx context.Context, told tester.Light) (api.Basics, error) {
	told.Kind = strings.TrimSpace(told.Kind)
	if err := told.Check(); err != nil {
		return api.Basics{}, bad(err)
	}
	if told.Kind == "" || told.Means == "" {
		return api.Basics{}, bad(errors.New("light: kind and means are wanted: which device, and what its sheet says"))
	}
	lights, err := d.Lights(ctx)
	if err != nil {
		return api.Basics{}, err
	}
	lights = slices.DeleteFunc(lights, func(l tester.Light) bool {
		return l.Kind == told.Kind && l.Colour == told.Colour && l.Shows == told.Shows
	})
	if len(lights) >= mostLights {
		return api.Basics{}, bad(fmt.Errorf("light: %d are kept already", mostLights))
	}
	return d.set(ctx, LightsSetting, append(lights, told))
}

// SetLamps keeps the order of the lamps of the person's own tester.
func (d *Desk) SetLamps(ctx context.Context, b api.LampOrder) (api.Basics, error) {
	seen := map[api.LampOrderLamps]bool{}
	for _, pair := range b.Lamps {
		if !pair.Valid() {
			return api.Basics{}, bad(fmt.Errorf("lamps: %q is no pair of slots", pair))
		}
		seen[pair] = true
	}
	if len(b.Lamps) != 3 || len(seen) != 3 {
		return api.Basics{}, bad(errors.New("lamps: each of the three stands for another pair"))
	}
	return d.set(ctx, LampsOf(ctx), b.Lamps)
}

func (d *Desk) set(ctx context.Context, name string, value any) (api.Basics, error) {
	data, err := json.Marshal(value)
	if err == nil {
		err = d.Book.Set(ctx, name, data)
	}
	if err != nil {
		return api.Basics{}, err
	}
	return d.Basics(ctx)
}

// Trace is what the simulated receiver shows on a pass along the breakers.
func (d *Desk) Trace(ctx context.Context, call int64, pass int) ([]job.Strength, error) {
	if !d.Tracer {
		return nil, bad(errors.New("no transmitter and receiver are at hand here: say which breaker it was"))
	}
	if pass != 1 && pass != 2 {
		return nil, bad(errors.New("pass: the first or the second"))
	}
	at, err := d.Book.Load(ctx, call)
	if err != nil {
		return nil, err
	}
	r := rand.New(rand.NewPCG(uint64(call), uint64(pass)))
	return job.Trace(at.Record.PanelDirectory(), at.Record.Circuit.Breaker.Label, pass, r), nil
}

// HouseSetting is the name under which the house practice is kept.
const HouseSetting = "house"

// House is the shop's own practice, prices and local rules.
func (d *Desk) House(ctx context.Context) (practice.Shop, error) {
	var shop practice.Shop
	found, err := d.Book.Setting(ctx, HouseSetting)
	if err != nil || found == nil {
		return shop, err
	}
	return shop, json.Unmarshal(found, &shop)
}

// ZoneOf is the shop's time zone; this machine's where it set none.
func ZoneOf(shop practice.Shop) (*time.Location, error) {
	if shop.TimeZone == "" {
		return time.Local, nil
	}
	zone, err := time.LoadLocation(shop.TimeZone)
	if err != nil {
		return nil, fmt.Errorf("timeZone: %q is none that is known here", shop.TimeZone)
	}
	return zone, nil
}

// PracticeSetting is the name under which the shop's practice is kept.
const PracticeSetting = "practice"

// Practice is how the shop weighs things.
func (d *Desk) Practice(ctx context.Context) (diagnosis.Practice, error) {
	var p diagnosis.Practice
	found, err := d.Book.Setting(ctx, PracticeSetting)
	if err != nil || found == nil {
		return p, err
	}
	return p, json.Unmarshal(found, &p)
}

// LearnedSetting is the name under which it is kept what the shop's own boxes
// have taught.
const LearnedSetting = "learned"

// KeptLearned is what is kept of it between two countings.
type KeptLearned struct {
	Since   time.Time         `json:"since,omitzero"`
	Mark    string            `json:"mark"` // of the boxes that were counted
	Learned diagnosis.Learned `json:"learned"`
}

// Learned is what was counted last; nothing where nothing was.
func (d *Desk) Learned(ctx context.Context) (KeptLearned, error) {
	var k KeptLearned
	value, err := d.Book.Setting(ctx, LearnedSetting)
	if err != nil || value == nil {
		return k, err
	}
	return k, json.Unmarshal(value, &k)
}

// Sheet is the practice with what was learned beside it.
func (k *KeptLearned) Sheet(p diagnosis.Practice) (diagnosis.PracticeSheet, error) {
	sheet, err := p.Sheet(&k.Learned)
	if !k.Since.IsZero() {
		sheet.Learning.Since = k.Since.Format(time.RFC3339)
	}
	return sheet, err
}

// Sums are the sums with what each asks, in the shop's units.
func (d *Desk) Sums(ctx context.Context) ([]sums.Sum, error) {
	shop, err := d.House(ctx)
	all := sums.All()
	for i := range all {
		all[i] = all[i].In(shop.Units)
	}
	return all, err
}

// WorkSum says what one comes to.
func (d *Desk) WorkSum(ctx context.Context, key string, values map[string]float64) (sums.Answer, error) {
	sum, err := sums.Find(key)
	if err != nil {
		return sums.Answer{}, bad(err)
	}
	shop, err := d.House(ctx)
	if err != nil {
		return sums.Answer{}, err
	}
	answer, err := sum.In(shop.Units).Work(values)
	if err != nil {
		return answer, bad(err)
	}
	return answer, nil
}
