package desk

import (
	"context"
	"encoding/json"

	"elvat/core/forecast"
)

// Expected is how long the rest of the call takes, as past calls have corrected it.
func (d *Desk) Expected(ctx context.Context, v *State) (forecast.Minutes, error) {
	shop, err := d.House(ctx)
	if err != nil {
		return forecast.Minutes{}, err
	}
	c, err := d.Correction(ctx)
	if err != nil {
		return forecast.Minutes{}, err
	}
	return c.Of(v.Record.Left(v.View, shop).Call()), nil
}

// ClocksSetting is the name under which it is kept what past calls taught of minutes.
const ClocksSetting = "clocks"

// Correction is what past calls taught; as expected where none did.
func (d *Desk) Correction(ctx context.Context) (forecast.Correction, error) {
	c := forecast.Correction{Factor: 1, Widen: 1}
	data, err := d.Book.Setting(ctx, ClocksSetting)
	if err != nil || data == nil {
		return c, err
	}
	return c, json.Unmarshal(data, &c)
}
