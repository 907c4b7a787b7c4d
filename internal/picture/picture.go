// Package picture draws photographs anew: what is kept is a JPEG with nothing in it but the
// picture. Where and by whom it was taken stays behind, and whatever was hidden in the file.
package picture

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	_ "image/png" // a picture may be one
	"sync"
	"time"
)

// A Bound is how much a picture may ask of who draws it. Browsers shrink theirs to far below
// that before they send.
type Bound struct {
	Pixels int
	Time   time.Duration
	// drawing holds back all pictures of its kind but one: decoded they are large. Those of
	// customers do not hold up the shop's own.
	drawing *sync.Mutex
}

// Bounds, by who sent it. Assumption.
var (
	OfPeople    = Bound{16 << 20, 8 * time.Second, &sync.Mutex{}}
	OfCustomers = Bound{4 << 20, 4 * time.Second, &sync.Mutex{}}
)

const (
	// mostScans of a JPEG: a baseline one has at most 4, a progressive one some ten.
	mostScans = 24
	// A picture whose lines come several times over is kept whole while it is read, and each
	// pixel takes eight times as much room.
	heavier = 6
	quality = 85
)

// Errors of what no picture is kept of.
var (
	ErrKind  = errors.New("not a JPEG or PNG picture")
	ErrScans = fmt.Errorf("it is made of more than %d passes", mostScans)
	ErrTime  = errors.New("it takes too long to draw")
)

// Redraw is the picture as JPEG. Errors say what is wrong with it; the place is for who calls
// to name.
func Redraw(data []byte, most Bound) ([]byte, error) {
	weight, err := weigh(data)
	if err != nil {
		return nil, err
	}
	size, _, err := image.DecodeConfig(bytes.NewReader(data))
	if err != nil {
		return nil, ErrKind
	}
	if deep(size.ColorModel) {
		weight = max(weight, 2)
	}
	if size.Width <= 0 || size.Height <= 0 || size.Width > min(most.Pixels, OfPeople.Pixels/weight)/size.Height {
		return nil, fmt.Errorf("%d by %d pixels are too many", size.Width, size.Height)
	}
	if most.drawing != nil {
		most.drawing.Lock()
		defer most.drawing.Unlock()
	}
	in := &deadline{from: bytes.NewReader(data), until: time.Now().Add(most.Time)}
	drawn, _, err := image.Decode(in)
	if in.late {
		return nil, ErrTime
	}
	if err != nil {
		return nil, fmt.Errorf("the picture is damaged: %w", err)
	}
	var out bytes.Buffer
	if err := jpeg.Encode(&out, drawn, &jpeg.Options{Quality: quality}); err != nil {
		return nil, err
	}
	return out.Bytes(), nil
}

// Kept is the picture as it may be kept: as it is where nothing but a picture is in the file,
// as Redraw writes it, and drawn anew otherwise.
func Kept(data []byte, most Bound) ([]byte, error) {
	clean, err := Redraw(data, most)
	if err == nil && bare(data) {
		return data, nil
	}
	return clean, err
}

// bare reports a baseline JPEG of which every segment is needed to draw it, with nothing
// before, between and after them.
func bare(data []byte) bool {
	if len(data) < 4 || data[0] != 0xff || data[1] != markerStart {
		return false
	}
	for at := 2; at+4 <= len(data) && data[at] == 0xff; {
		switch data[at+1] {
		case markerTables, markerCodes, markerBaseline:
		case markerScan:
			// The rest is the one pass: no marker in it but the end, at the end.
			pass := data[at+2:]
			for i := 0; i+1 < len(pass); i++ {
				if pass[i] == 0xff && pass[i+1] != 0 {
					return pass[i+1] == markerEnd && i+2 == len(pass)
				}
			}
			return false
		default:
			return false
		}
		at += 2 + int(binary.BigEndian.Uint16(data[at+2:]))
	}
	return false
}

// deep reports colours of 16 bits.
func deep(m color.Model) bool {
	return m == color.RGBA64Model || m == color.NRGBA64Model || m == color.Gray16Model || m == color.Alpha16Model
}

// A deadline reads as long as there is time. It gives little at once, so that it is asked
// often.
type deadline struct {
	from  *bytes.Reader
	until time.Time
	late  bool
}

func (d *deadline) Read(p []byte) (int, error) {
	if time.Now().After(d.until) {
		d.late = true
		return 0, ErrTime
	}
	return d.from.Read(p[:min(len(p), 512)])
}

// Markers of a JPEG file. Source: ITU-T T.81, table B.1 (from memory).
const (
	markerStart = 0xd8
	markerScan  = 0xda
	markerEnd   = 0xd9
	markerFrame = 0xc2 // progressive

	markerBaseline = 0xc0
	markerCodes    = 0xc4
	markerTables   = 0xdb
)

// weigh looks through the markers of a JPEG without drawing it: how many passes there are, and
// whether it has to be kept whole. Anything else weighs 1.
func weigh(data []byte) (int, error) {
	if len(data) < 4 || data[0] != 0xff || data[1] != markerStart {
		return 1, nil
	}
	weight, scans := 1, 0
	for at := 2; at+4 <= len(data); {
		if data[at] != 0xff {
			// Within a pass: on to the next byte that may begin a marker.
			next := bytes.IndexByte(data[at:], 0xff)
			if next < 0 {
				break
			}
			at += next
			continue
		}
		marker := data[at+1]
		switch {
		case marker == 0xff: // fills
			at++
			continue
		case marker == 0 || marker == 1 || marker >= 0xd0 && marker <= markerStart: // stuffed, or without length
			at += 2
			continue
		case marker == markerEnd:
			return weight, nil
		case marker == markerFrame:
			weight = heavier
		case marker == markerScan:
			if scans++; scans > mostScans {
				return weight, ErrScans
			}
		}
		at += 2 + max(2, int(binary.BigEndian.Uint16(data[at+2:])))
	}
	return weight, nil
}
