package circuit

// An Appliance is something that hangs on a receptacle, with about what it draws.
type Appliance struct {
	Watts float64 `json:"watts"`
	Words string  `json:"words"`
}

// Appliances are offered where it is said what is plugged in; nameplates differ. Common
// practice, no source.
var Appliances = []Appliance{
	{10, "a charger"}, {60, "a lamp"}, {120, "a television"}, {150, "a refrigerator or freezer"}, {200, "a computer"},
	{800, "a sump pump"}, {1000, "a vacuum cleaner"}, {1200, "a microwave oven"}, {1500, "a heater, kettle or iron"},
}
