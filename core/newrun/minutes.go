package newrun

// Minutes of work: the usual ones, and what eight of ten such jobs lie between.
type Minutes struct {
	Usual float64  `json:"usual"`
	Least float64  `json:"least"`
	Most  float64  `json:"most"`
	Parts []Taking `json:"parts"`
}

// A Taking is what one part of the work takes.
type Taking struct {
	Words string  `json:"words"`
	Usual float64 `json:"usual"`
}

// Minutes by part. Assumption, all of them; what past calls took corrects the sum.
const (
	setUp      = 25.0 // come in, cover, carry, clear away
	panelWork  = 50.0
	checking   = 15.0
	provingOne = 4.0
	writing    = 10.0
	perPlate   = 20.0 // a plate or fire block of a finished wall
	perHole    = 1.5
	perBend    = 6.0
	outlet     = 15.0 // made up
	startBox   = 25.0 // the box that is opened for an extension
	leaving    = 20.0 // a cable made safe at both ends
	perFootOut = 0.6
)

// perFoot are the minutes a foot of the way takes, and how far off that can be: open ways are
// known, closed ones are not.
var perFoot = map[By]struct{ minutes, begin, least, most float64 }{
	OpenJoists:   {0.6, 10, 0.8, 1.4},
	Attic:        {1.0, 15, 0.7, 1.6},
	CrawlSpace:   {1.6, 20, 0.7, 1.7},
	FinishedWall: {3.0, 25, 0.6, 2.0},
	Surface:      {2.2, 15, 0.8, 1.4},
	Masonry:      {3.2, 20, 0.8, 1.5},
}

// setting is what a box takes to set.
var setting = map[Wall]float64{OpenFrame: 5, Finished: 15, OnSurface: 12, OnMasonry: 25, OnOutdoors: 25}

func (p *planner) minutes() {
	m := Minutes{Parts: []Taking{}}
	add := func(words string, usual, least, most float64) {
		if usual <= 0 {
			return
		}
		m.Parts = append(m.Parts, Taking{words, usual})
		m.Usual += usual
		m.Least += usual * least
		m.Most += usual * most
	}
	add("Come in, cover, clear away", setUp, 0.7, 1.4)
	way, wayLeast, wayMost := 0.0, 0.0, 0.0
	for i := range p.plan.Stretches {
		for _, leg := range p.plan.Stretches[i].Legs {
			row := perFoot[leg.By]
			one := row.begin + row.minutes*leg.Feet
			if leg.Pipe == nil {
				one += perHole * float64(leg.Holes)
			} else {
				one += perBend * float64(len(leg.Pipe.Bent))
			}
			one += perPlate * float64(leg.Plates)
			way, wayLeast, wayMost = way+one, wayLeast+one*row.least, wayMost+one*row.most
		}
	}
	if way > 0 {
		add("The way", way, wayLeast/way, wayMost/way)
	}
	boxes := 0.0
	for i := range p.plan.Boxes {
		boxes += setting[p.plan.Boxes[i].Set.Wall] + outlet
	}
	add("Boxes set and made up", boxes, 0.8, 1.4)
	if p.o.Extends() {
		add("The box it begins at", startBox, 0.8, 1.8)
	} else {
		add("In the panel", panelWork, 0.7, 1.6)
	}
	add("Measured and proven", checking+provingOne*float64(len(p.plan.Boxes)), 0.8, 1.5)
	removing := 0.0
	for _, r := range p.o.Remove {
		removing += leaving
		if r.How == TakenOut {
			removing += perFootOut * usualRemoved
		}
	}
	add("What serves nothing more", removing, 0.7, 2)
	add("Written down", writing, 0.8, 1.3)
	p.plan.Minutes = m
	p.plan.Labour = p.shop.Prices.Of("hour") * m.Usual / 60
}

// usualRemoved is the length of a cable that is taken out, in feet. Assumption.
const usualRemoved = 30
