package newrun

import (
	"fmt"
	"math"
	"slices"

	"elvat/core/wire"
)

// A Shape is what a bend makes of a conduit.
type Shape string

// Shapes.
const (
	Ninety     Shape = "ninety"       // a stub of HeightIn
	Offset     Shape = "offset"       // past something that stands out by HeightIn
	BoxOffset  Shape = "box-offset"   // into a knockout that stands off the wall by HeightIn
	BackToBack Shape = "back-to-back" // a second ninety whose back is DistanceIn from the first's
)

// Shapes in the order in which they are offered.
var Shapes = []Shape{Ninety, Offset, BoxOffset, BackToBack}

// A Bend is one that a conduit takes.
type Bend struct {
	Shape      Shape       `json:"shape"`
	HeightIn   wire.Inches `json:"heightIn,omitempty"`
	DistanceIn wire.Inches `json:"distanceIn,omitempty"` // from the end that is measured to the obstruction, or back to back
	// AngleDeg is of each of an offset's two bends; zero: 30, and 10 at a box.
	AngleDeg float64 `json:"angleDeg,omitempty"`
}

// Angles are those that are marked on hand benders. From memory.
var Angles = []float64{10, 22.5, 30, 45, 60}

// usualKnockout is how far a knockout's centre stands off the wall more than the conduit's.
// Assumption: it is measured.
const usualKnockout wire.Inches = 0.5

func (b *Bend) check(place string) error {
	switch {
	case !slices.Contains(Shapes, b.Shape):
		return fmt.Errorf("%s.shape: %q is none of %v", place, b.Shape, Shapes)
	case b.AngleDeg != 0 && !slices.Contains(Angles, b.AngleDeg):
		return fmt.Errorf("%s.angleDeg: %g is none of %v", place, b.AngleDeg, Angles)
	case b.AngleDeg != 0 && (b.Shape == Ninety || b.Shape == BackToBack):
		return fmt.Errorf("%s.angleDeg: a %s is 90 degrees", place, b.Shape)
	case !(b.HeightIn >= 0 && b.HeightIn <= 120):
		return fmt.Errorf("%s.heightIn: %g is out of bounds, 0 to 120", place, float64(b.HeightIn))
	case !(b.DistanceIn >= 0 && b.DistanceIn <= 240):
		return fmt.Errorf("%s.distanceIn: %g is out of bounds, 0 to 240", place, float64(b.DistanceIn))
	case (b.Shape == Ninety || b.Shape == Offset) && b.HeightIn == 0:
		return fmt.Errorf("%s.heightIn: how high is the %s?", place, b.Shape)
	case (b.Shape == Offset || b.Shape == BackToBack) && b.DistanceIn == 0:
		return fmt.Errorf("%s.distanceIn: how far is it?", place)
	}
	return nil
}

func (b *Bend) angle() float64 {
	switch {
	case b.AngleDeg != 0:
		return b.AngleDeg
	case b.Shape == BoxOffset:
		return 10
	case b.Shape == Offset:
		return 30
	default:
		return 90
	}
}

func (b *Bend) height() wire.Inches {
	if b.HeightIn == 0 && b.Shape == BoxOffset {
		return usualKnockout
	}
	return b.HeightIn
}

// turned is how many degrees it counts towards those between two pulls.
func (b *Bend) turned() float64 {
	if b.Shape == Offset || b.Shape == BoxOffset {
		return 2 * b.angle()
	}
	return 90
}

// Multiplier is what an offset's height is multiplied by for the distance between its bends:
// the cosecant of the angle.
func Multiplier(angleDeg float64) float64 { return 1 / math.Sin(angleDeg*math.Pi/180) }

// Shrink is by how much an offset brings the far end nearer: what its sloping part is
// longer than the way along the wall.
func Shrink(height wire.Inches, angleDeg float64) wire.Inches {
	return height * wire.Inches(math.Tan(angleDeg*math.Pi/360))
}

// A Mark is where the conduit is marked, before it is bent.
type Mark struct {
	AtIn  wire.Inches `json:"atIn"` // from the end that is measured from
	Words string      `json:"words"`
}

// A Point is one of the bent conduit's centre line, in inches: along the wall, and out of it.
type Point struct {
	X float64 `json:"x"`
	Y float64 `json:"y"`
}

// A Bent is a bend worked out: how it is marked, how it is checked, and what it looks like.
type Bent struct {
	Bend
	Name string `json:"name"`
	// Multiplier and ShrinkIn are of an offset; TakeUpIn of a ninety, in EMT of the size.
	Multiplier float64     `json:"multiplier,omitempty"`
	ShrinkIn   wire.Inches `json:"shrinkIn,omitempty"`
	TakeUpIn   wire.Inches `json:"takeUpIn,omitempty"`
	Marks      []Mark      `json:"marks"`
	Working    string      `json:"working"`
	How        string      `json:"how"`
	// Path is the centre line with its corners as if they had no radius.
	Path    []Point `json:"path"`
	Degrees float64 `json:"degrees"`
}

// straight is what is drawn beyond a bend, in inches.
const straight = 8

// Work works a bend out for conduit of the size.
func (b Bend) Work(size wire.TradeSize) Bent {
	angle := b.angle()
	w := Bent{Bend: b, Degrees: b.turned()}
	w.AngleDeg, w.HeightIn = angle, b.height()
	in := func(v wire.Inches) string { return sixteenth(v) + "\u00a0in" }
	switch b.Shape {
	case Offset, BoxOffset:
		w.Multiplier, w.ShrinkIn = Multiplier(angle), Shrink(w.HeightIn, angle)
		apart := w.HeightIn * wire.Inches(w.Multiplier)
		far := b.DistanceIn + w.ShrinkIn
		w.Name = fmt.Sprintf("Offset of %s, two bends of %g°", in(w.HeightIn), angle)
		w.How = "First bend on the mark nearer the obstruction, to the angle; turn it half round in the bender, slide to the other mark, bend back to the same angle. Both bends in one plane."
		if b.Shape == BoxOffset {
			w.Name = fmt.Sprintf("Box offset of %s, two bends of %g°", in(w.HeightIn), angle)
			far = max(b.DistanceIn, straight/2) // from the end that goes into the box
			w.How = "First bend near the end that goes into the box, turn it half round, bend back at the second mark. The end then stands square to the knockout."
			w.Marks = []Mark{{far, "first bend"}, {far + apart, "second bend"}}
			w.Working = fmt.Sprintf("marks %s x %.2f = %s apart", in(w.HeightIn), w.Multiplier, in(apart))
		} else {
			w.Marks = []Mark{{far - apart, "second bend"}, {far, "first bend"}}
			w.Working = fmt.Sprintf("%s + shrink %s = %s; %s x %.2f = %s back from there", in(b.DistanceIn), in(w.ShrinkIn), in(far), in(w.HeightIn), w.Multiplier, in(apart))
		}
		run := float64(apart) * math.Cos(angle*math.Pi/180)
		begin := max(float64(far-apart), straight)
		w.Path = []Point{{0, 0}, {begin, 0}, {begin + run, float64(w.HeightIn)}, {begin + run + straight, float64(w.HeightIn)}}
	case Ninety:
		w.TakeUpIn = size.TakeUp
		w.Name = fmt.Sprintf("90° with a stub of %s", in(b.HeightIn))
		w.Marks = []Mark{{max(b.HeightIn-size.TakeUp, 0), "arrow of the bender"}}
		w.Working = fmt.Sprintf("%s - take-up %s = %s", in(b.HeightIn), in(size.TakeUp), in(max(b.HeightIn-size.TakeUp, 0)))
		w.How = "The bender's hook towards the measured end, its arrow on the mark; bend until the handle stands as its scale says, and hold the stub against a level."
		if size.TakeUp == 0 {
			w.Marks = []Mark{{b.HeightIn, "back of a factory elbow"}}
			w.Working = fmt.Sprintf("the stub is %s with a factory elbow; its own legs are taken off", in(b.HeightIn))
			w.How = "A factory elbow, or heat from a bending blanket: never a flame."
		}
		w.Path = []Point{{0, float64(b.HeightIn)}, {0, 0}, {max(straight, float64(b.HeightIn)/2), 0}}
	case BackToBack:
		w.Name = fmt.Sprintf("Second 90°, %s back to back", in(b.DistanceIn))
		w.Marks = []Mark{{b.DistanceIn, "star of the bender"}}
		w.Working = fmt.Sprintf("%s from the back of the first bend", in(b.DistanceIn))
		w.How = "Measure from the back of the first bend; the bender turned round, its star on the mark; both stubs in one plane."
		d := float64(b.DistanceIn)
		w.Path = []Point{{0, max(straight, d/4)}, {0, 0}, {d, 0}, {d, max(straight, d/4)}}
		if size.TakeUp == 0 {
			w.Marks[0].Words, w.How = "back of the second elbow", "Two factory elbows; the straight piece between them is cut to what their legs leave."
		}
	}
	return w
}
