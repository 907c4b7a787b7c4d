// Package kept names what is kept of calls, whichever way that is: in a shop's database
// (internal/store) or on a phone (internal/phone).
package kept

import (
	"database/sql/driver"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"elvat/core/call"
)

// A Call is a service call without its record.
type Call struct {
	ID        int64     `json:"id"`
	Run       int64     `json:"run"`
	Title     string    `json:"title"`
	CreatedAt time.Time `json:"createdAt"`
	Version   int64     `json:"version"` // the last action on it
	Site      int64     `json:"site"`
	SiteName  string    `json:"siteName"`
	Panel     int64     `json:"panel"`
	Stale     bool      `json:"stale,omitempty"` // its summary is older than its record
}

// A Snapshot is a call with its record as they are at one moment.
type Snapshot struct {
	Call
	Record       *call.Record
	PanelVersion int64 // the last action on its panel's directory
}

// An Answer is what came of a question to the diagnosis.
type Answer struct {
	Question   string `json:"question"` // names all that it was worked out from, but for the program
	Build      string `json:"build"`    // of the program
	Result     []byte `json:"result"`
	HandedOver bool   `json:"handedOver,omitempty"` // the call is: nothing will be asked of it any more
	// Summary is what lists show of the call as it was then.
	Summary json.RawMessage `json:"summary,omitempty"`
}

// A Have is what a van has of an item; below zero where more was used than put on.
type Have struct {
	Van   string  `json:"van"`
	Item  string  `json:"item"`
	Unit  string  `json:"unit"`
	Count float64 `json:"count"`
}

// A LinkKind is what a customer's link shows.
type LinkKind int64

// Kinds of link.
const (
	BeforeVisit LinkKind = iota // what is asked before the electrician drives
	OfResult                    // what came of the call
)

// A Visit is a customer's link to a call.
type Visit struct {
	Call      int64
	MadeAt    time.Time
	ExpiresAt time.Time
}

// A GFCI is one of the register of a run.
type GFCI struct {
	Run         int64      `json:"run"`
	Device      string     `json:"device"`
	Label       string     `json:"label"`  // of its box
	Serves      int        `json:"serves"` // outlets behind it, its own included
	InstalledAt *time.Time `json:"installedAt,omitempty"`
	TestedAt    *time.Time `json:"testedAt,omitempty"`
	Held        *bool      `json:"held,omitempty"` // tripped when tested
	DueAt       time.Time  `json:"dueAt"`
}

// A DueGFCI is one of the register with where it is.
type DueGFCI struct {
	GFCI
	Site    int64  `json:"site"`
	SiteAt  string `json:"siteAt"` // its name
	RunName string `json:"runName"`
}

// A Packed call is a call as it travels from the shop and as it lies on the phone.
type Packed struct {
	Call
	PanelVersion int64         `json:"panelVersion"`
	Parts        []call.Part   `json:"parts"`
	Log          []call.Action `json:"log"`
	Answer       *Answer       `json:"answer,omitempty"` // what was worked out of it last
	VisitUntil   *time.Time    `json:"visitUntil,omitempty"`
	ResultUntil  *time.Time    `json:"resultUntil,omitempty"`
	Past         []Packed      `json:"past,omitempty"`   // earlier calls of its run, the newest first, without their log
	Guards       []DueGFCI     `json:"guards,omitempty"` // of its house
	// Drill is what came of one that is over.
	Drill json.RawMessage `json:"drill,omitempty"`
}

// A Head is what the phone has at hand of a call that nobody has looked at yet.
type Head struct {
	ID        int64           `json:"id"`
	Version   int64           `json:"version"`
	Run       int64           `json:"run"`
	Site      int64           `json:"site"`
	SiteName  string          `json:"siteName"`
	CreatedAt time.Time       `json:"createdAt"`
	Summary   json.RawMessage `json:"summary"`
}

// Pack is the call with its record, as it travels.
func Pack(at *Snapshot) Packed {
	return Packed{Call: at.Call, PanelVersion: at.PanelVersion, Parts: at.Record.Parts(), Log: at.Record.Log}
}

// Open reads it.
func (p *Packed) Open() (*Snapshot, error) {
	r, err := call.Open(p.ID, p.Parts, p.Log)
	if err != nil {
		return nil, fmt.Errorf("call %d: %w", p.ID, err)
	}
	return &Snapshot{Call: p.Call, Record: r, PanelVersion: p.PanelVersion}, nil
}

// Shared is what the shop set and has, whatever the call.
type Shared struct {
	Shop     string                     `json:"shop"`
	Tracer   bool                       `json:"tracer,omitempty"`
	Settings map[string]json.RawMessage `json:"settings"`
	Stock    []Have                     `json:"stock"`
}

// A Waiting command is one that the shop does not have yet.
type Waiting struct {
	// Call is the shop's number; below zero it is the phone's own, of a call that was begun
	// there by the command Begun.
	Call   int64           `json:"call"`
	Begun  string          `json:"begun,omitempty"`
	N      int64           `json:"n,omitempty"` // order of making on this phone
	ID     string          `json:"id"`
	Person string          `json:"person,omitempty"` // who did it, where people sign in
	MadeAt time.Time       `json:"madeAt"`           // by the phone's clock
	Seen   int64           `json:"seen"`             // version of the shop's record that it was made on
	Doing  json.RawMessage `json:"doing"`
	Place  *Place          `json:"place,omitempty"` // of a new call
	// Refused is why the record as it came from the shop does not take it: it is on no record,
	// and goes to the shop all the same.
	Refused string `json:"refused,omitempty"`
}

// A Place is what of the site book a new call hangs on; 0 where it makes its own.
type Place struct {
	Site  int64 `json:"site,omitempty"`
	Panel int64 `json:"panel,omitempty"`
	Run   int64 `json:"run,omitempty"`
}

// An Arrived command is written down as it came, by whom, before it is carried out.
type Arrived struct {
	Waiting
	Device    string
	Person    string
	Role      string
	ArrivedAt time.Time
	Settled   bool   // somebody decided to let go of it
	Decider   string // who takes it on now; it is not kept
}

// Errors of whatever keeps calls.
var (
	ErrNotFound = errors.New("not found")
	// ErrMoved means that the record was changed since it was read: read it again.
	ErrMoved = errors.New("the record was changed meanwhile")
	// ErrUnsure means that whether it was written is not known, as when the machine that wrote it
	// was lost before it said so: what has a name of its own may be asked for once more.
	ErrUnsure = errors.New("the machine that was writing this was lost: it is not known whether it was written. Ask again; nothing is done twice")
	// ErrNobody means that no machine can be asked just now.
	ErrNobody = errors.New("no majority of the cluster's machines can be reached: nothing can be read or written until it can. Ask again in a moment")
)

// Lost reports an error that says nothing of what was asked: the machine that it was asked of was
// lost. What has a name of its own is safe to ask once more.
func Lost(err error) bool {
	return errors.Is(err, ErrUnsure) || errors.Is(err, ErrNobody) || errors.Is(err, driver.ErrBadConn)
}

// FirstDrill is the number from which on calls are drills: they are kept apart from all others.
const FirstDrill int64 = 1_000_000_000

// IsDrill reports whether the number is that of a drill at the shop.
func IsDrill(id int64) bool { return id > FirstDrill }

// A Drill is one in a list.
type Drill struct {
	ID      int64           `json:"id"`
	Person  string          `json:"person"`
	BegunAt time.Time       `json:"begunAt"`
	Version int64           `json:"version"`
	Result  json.RawMessage `json:"result,omitempty"` // what came of it; nil while it goes on
}

// Empty is a call of which nothing is known yet: only the directory of its panel is there.
func Empty(at Call) (*Snapshot, error) {
	directory := call.Part{Key: call.Key{Kind: call.TheDirectory, ID: "0"}, Document: []byte("[]")}
	r, err := call.Open(at.ID, []call.Part{directory}, nil)
	return &Snapshot{Call: at, Record: r}, err
}
