package makeup

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/circuit"
	"elvat/core/nec"
	"elvat/core/practice"
	"elvat/core/wire"
)

// TestChoices plans the kinds of device in three boxes.
func TestChoices(t *testing.T) {
	deep, shallow := wire.Inches(2.75), wire.Inches(1.75)
	for _, row := range []struct {
		name   string
		change func(*Box)
		fits   map[string]bool
		says   map[string]string
	}{
		{
			"a roomy box in a hall", func(b *Box) { b.Place.Room, b.Box.VolumeIn3, b.Box.DepthIn = nec.Hall, 22.5, &deep },
			map[string]bool{"receptacle": true, "usb": true, "afci-gfci": true},
			map[string]string{"usb": "one wire to a terminal", "receptacle": "of 22.5\u00a0in³"},
		},
		{
			"a shallow box", func(b *Box) { b.Place.Room, b.Box.VolumeIn3, b.Box.DepthIn = nec.Hall, 22.5, &shallow },
			map[string]bool{"receptacle": true, "usb": true},
			map[string]string{"usb": "they want 0.75\u00a0in", "gfci": "they want 0.75\u00a0in"},
		},
		{
			"outdoors", func(b *Box) { b.Place.Room, b.Place.Exposure, b.Box.VolumeIn3 = nec.Outdoors, nec.Wet, 22.5 },
			map[string]bool{"receptacle": false, "gfci": false},
			map[string]string{"receptacle": "Ground-fault protection is asked for here", "gfci": "not listed as weather-resistant"},
		},
		{
			"arc-fault protection by the device", func(b *Box) {
				b.Place.Room, b.Box.VolumeIn3, b.Breaker.Protection = nec.Bedroom, 22.5, circuit.NoProtection
			},
			map[string]bool{"afci-gfci": true, "receptacle": false},
			map[string]string{"receptacle": "Arc-fault protection is asked for here"},
		},
	} {
		t.Run(row.name, func(t *testing.T) {
			b := sound()
			b.Place, b.Box.VolumeIn3 = nec.Place{Exposure: nec.Dry}, 0
			b.Cables = b.Cables[:1]
			row.change(b)
			require.NoError(t, b.Check())
			all, err := Choices(b, practice.Shop{}, nil)
			require.NoError(t, err)
			require.Len(t, all, len(choices))
			by := map[string]Choice{}
			for _, c := range all {
				by[c.Key] = c
				assert.NotEmpty(t, c.Gives)
				assert.Positive(t, c.Cost)
				b.Device = &c.Device
				require.NoError(t, b.Check(), "what is offered can be chosen")
			}
			for key, fits := range row.fits {
				assert.Equal(t, fits, by[key].Fits, "%s: %v", key, by[key].Needs)
			}
			for key, words := range row.says {
				assert.Contains(t, joined(by[key].Needs), words, key)
			}
		})
	}
}

func joined(all []string) string {
	out := ""
	for _, s := range all {
		out += s + "\n"
	}
	return out
}
