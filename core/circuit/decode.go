package circuit

import (
	"encoding/json"
	"fmt"

	jsonv2 "github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"elvat/core/strict"
)

// Parse reads a circuit file. Errors name the place and what is wrong there.
func Parse(data []byte) (*Circuit, error) { return parse(data, strict.Unmarshal) }

// Reopen is Parse of a circuit that was kept: its texts may be longer than is allowed now.
func Reopen(data []byte) (*Circuit, error) { return parse(data, strict.Reread) }

func parse(data []byte, read func([]byte, any) error) (*Circuit, error) {
	c := New("")
	c.Format = ""
	if err := read(data, c); err != nil {
		return nil, fmt.Errorf("circuit: %w", err)
	}
	if err := c.Check(); err != nil {
		return nil, fmt.Errorf("circuit: %w", err)
	}
	return c, nil
}

// New is a circuit with nothing on it but a 20 A breaker that is on, and the
// defaults of the file format.
func New(name string) *Circuit {
	return &Circuit{
		Format:  Format,
		Name:    name,
		Supply:  Supply{Volts: 120, Hz: 60},
		Breaker: Breaker{Amps: 20, Poles: 1, Protection: NoProtection, On: true},
	}
}

// Unseen is a circuit of which nothing is known yet, its breaker least of all.
func Unseen(name string) *Circuit {
	c := New(name)
	c.Breaker.Protection = UnknownProtection
	return c
}

// Encode writes the circuit file.
func (c *Circuit) Encode() ([]byte, error) {
	data, err := json.MarshalIndent(c, "", "  ")
	if err != nil {
		return nil, err
	}
	return append(data, '\n'), nil
}

// UnmarshalJSONFrom sets the defaults of a box before reading it.
func (b *Box) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	type plain Box
	p := plain{Material: Plastic}
	if err := jsonv2.UnmarshalDecode(d, &p); err != nil {
		return err
	}
	if p.Makeup == "" && p.Wiring == nil {
		p.Makeup = FeedThrough
	}
	*b = Box(p)
	return nil
}

// UnmarshalJSONFrom sets the defaults of a device before reading it.
func (v *Device) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	type plain Device
	p := plain{Slots: 3}
	if err := jsonv2.UnmarshalDecode(d, &p); err != nil {
		return err
	}
	*v = Device(p)
	return nil
}

// UnmarshalJSONFrom sets the defaults of a load before reading it.
func (l *Load) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	type plain Load
	p := plain{Half: Top, On: true}
	if err := jsonv2.UnmarshalDecode(d, &p); err != nil {
		return err
	}
	*l = Load(p)
	return nil
}

// UnmarshalJSONFrom sets the defaults of a fault before reading it.
func (f *Fault) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	type plain Fault
	p := plain{Ohms: unset}
	if err := jsonv2.UnmarshalDecode(d, &p); err != nil {
		return err
	}
	if p.Ohms == unset {
		p.Ohms = defaultFaultOhms[p.Kind]
	}
	*f = Fault(p)
	return nil
}

// unset stands for an ohms value the file does not give: no fault has a
// negative resistance, and an explicit negative one is still refused.
const unset = -1.5e-300

// defaultFaultOhms are the contacts that bare metal makes. Assumption.
var defaultFaultOhms = map[FaultKind]float64{Bonded: 0.02, Touching: 0.05}
