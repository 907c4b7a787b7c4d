package drill

import (
	_ "embed"
	"encoding/json"
	"sync"
)

// A Row is one of the scenes that ship: drawn from its theme, level and seed.
type Row struct {
	N     int    `json:"n"`
	Theme Theme  `json:"theme"`
	Level int    `json:"level"`
	Seed  uint64 `json:"seed"`
	Name  string `json:"name"`
	Words string `json:"words"` // of the complaint
	Grade int    `json:"grade"` // 1 to 4, a quarter of them each, by what it takes
	Yardstick
}

// Scene draws it.
func (r *Row) Scene() (*Scene, error) { return Draw(r.Theme, r.Level, r.Seed) }

//go:embed shipped.json
var shippedFile []byte

// Shipped are the sixty scenes that ship, the easiest first. They are told apart by tests: each
// is drawn as its row says, and the advice on it comes within a tenth of what its row takes.
var Shipped = sync.OnceValue(func() []Row {
	var all []Row
	if err := json.Unmarshal(shippedFile, &all); err != nil {
		panic("drill: shipped.json: " + err.Error()) // found by any test
	}
	return all
})

// grades are how many grades there are.
const grades = 4
