package makeup

import (
	"fmt"

	"elvat/core/circuit"
	"elvat/core/practice"
)

// A Choice is one kind of device that could take the place of what hangs in the box, with
// what it needs there: each is planned and proven like the one that is chosen.
type Choice struct {
	Key    string `json:"key"`
	Name   string `json:"name"`
	Device Device `json:"device"`
	// Gives is what it is for; Needs what it needs in this box, from its plan.
	Gives []string `json:"gives"`
	Needs []string `json:"needs"`
	// Fits says that nothing has to be mended for it in this box.
	Fits    bool    `json:"fits"`
	Stopped string  `json:"stopped,omitempty"` // why it cannot be planned yet
	Minutes float64 `json:"minutes"`
	Cost    float64 `json:"cost"` // parts and labour, in the shop's prices
	Chosen  bool    `json:"chosen,omitempty"`
}

// choices are the kinds that are offered. What each gives is common practice, no source.
var choices = []struct {
	key, kind, name string
	weather, heavy  bool
	gives           []string
}{
	{"receptacle", "receptacle", "Plain duplex", false, false, []string{"two outlets"}},
	{"heavy", "receptacle", "Heavy-duty duplex", false, true, []string{"clamps and contacts that stand heavy plugs"}},
	{"weather", "receptacle", "Weather-resistant duplex", true, false, []string{"outdoors and in damp places, under its cover"}},
	{"gfci", "gfci", "GFCI", false, false, []string{"shock protection here, and on its LOAD"}},
	{"gfci-weather", "gfci", "GFCI, weather-resistant", true, false, []string{"shock protection outdoors and in damp places"}},
	{arcAndGround, arcAndGround, "AFCI/GFCI", false, false, []string{"shock protection", "arc-fault protection from here on: what a replacement asks where the breaker has none"}},
	{"usb", "usb", "With USB", false, false, []string{"charges without a plug-in charger"}},
	{"smart", "smart", "Smart", false, false, []string{"switched and watched from elsewhere"}},
}

// Minutes of a replacement. Assumption.
const minutesReplace = 20

// Choices are what could hang in the box instead, each planned there.
func Choices(b *Box, shop practice.Shop, run *circuit.Circuit) ([]Choice, error) {
	all := []Choice{}
	was := Device{ID: "R-" + b.ID, Amps: min(b.Breaker.Amps, 20), Slots: 3}
	if b.Device != nil {
		was = *b.Device
	}
	own, err := Make(b, shop, run)
	if err != nil {
		return nil, err
	}
	for _, row := range choices {
		v := was
		v.Kind, v.DepthIn, v.StripIn, v.TorqueLbfIn, v.WiresPerTerminal, v.Defects, v.DefectDone = row.kind, 0, 0, 0, 0, nil, ""
		yes, weather := true, row.weather
		v.TamperResistant, v.WeatherResistant, v.Terminals, v.Slots, v.Generation = &yes, &weather, clamp, 3, circuit.Current
		v.Grade = ""
		if row.heavy {
			v.Grade = "heavy"
		}
		if v.IsGFCI() {
			v.Tab, v.Whole = circuit.Tabs{}, false
		}
		if row.kind == "usb" || row.kind == "smart" {
			v.WiresPerTerminal, v.Terminals = 1, screw
		}
		box := *b
		box.Device = &v
		p, err := Make(&box, shop, run)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", row.key, err)
		}
		c := Choice{Key: row.key, Name: row.name, Device: v, Gives: row.gives, Needs: []string{}, Fits: true, Stopped: p.Stopped, Minutes: minutesReplace}
		c.Chosen = b.Device != nil && b.Device.Kind == v.Kind && (b.Device.Grade == "heavy") == row.heavy &&
			(b.Device.WeatherResistant != nil && *b.Device.WeatherResistant) == row.weather
		for i := range p.Findings {
			f := &p.Findings[i]
			if !f.Open() && f.Severity != Should || ofBox[f.Code] && own.has(f) {
				continue
			}
			c.Needs = append(c.Needs, f.Text)
			c.Fits = c.Fits && !f.Open()
		}
		if needs := p.Fill.RequiredIn3; p.Fill.Known && p.Fill.OK {
			c.Needs = append(c.Needs, fmt.Sprintf("%g of %g\u00a0in³ in the box", needs, p.Fill.AvailableIn))
		} else if !p.Fill.Known {
			c.Needs = append(c.Needs, fmt.Sprintf("%g\u00a0in³: what the box has is not known", needs))
		}
		if v.WiresPerTerminal == 1 {
			c.Needs = append(c.Needs, "one wire to a terminal: jumpers where power goes on")
		}
		c.Needs = append(c.Needs, fmt.Sprintf("about %g\u00a0in behind its yoke", float64(DeviceDepth(v.Kind))))
		for _, m := range p.UsedUp() {
			c.Cost += m.Price
		}
		c.Cost += shop.Prices.Of("hour") * c.Minutes / 60
		all = append(all, c)
	}
	return all, nil
}

// ofBox are findings that are there whatever hangs in the box.
var ofBox = map[string]bool{
	"box-loose": true, "box-recessed": true, "wall-gap": true, "insulation-damaged": true, "conductor-breaker": true, "bootleg": true, "reversed": true,
	"two-under-screw": true, "push-in": true, "bare-copper": true, "device-worn": true, "box-unbonded": true, "short-conductor": true, "dedicated-circuit": true,
}

func (p *Plan) has(f *Finding) bool {
	for i := range p.Findings {
		if p.Findings[i].Code == f.Code {
			return true
		}
	}
	return false
}
