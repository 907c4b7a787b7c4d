package circuit

import "slices"

// Pairs are the box's terminations: its wiring as given, or what its make-up
// expands to. Points are named as inside the box.
func (c *Circuit) Pairs(box *Box) [][2]string {
	if box.Wiring != nil {
		return box.Wiring
	}
	var x expansion
	line := c.LineCable(box.ID)
	outgoing := c.Outgoing(box.ID)
	ends := 0
	if line != nil {
		ends++
	}
	ends += len(outgoing)

	direct := ends == 1 && len(box.Devices) == 1
	through := box.Makeup == FeedThrough && len(box.Devices) == 1
	for _, k := range []Conductor{Hot, Neutral} {
		switch {
		case direct || through:
			x.onDevice(box, k, line, outgoing)
		default:
			x.spliced(box, k, line, outgoing)
		}
	}
	x.splice(box, Hot2, line, outgoing)

	// A bonded metal box always has a ground splice for its jumper to meet in.
	if direct && !box.Bonded {
		x.onDevice(box, Ground, line, outgoing)
		return x.pairs
	}
	if x.splice(box, Ground, line, outgoing) || box.Bonded {
		for _, v := range box.Devices {
			x.join(spliceOf(Ground), v.First(Ground))
		}
	}
	if box.Bonded {
		x.join(spliceOf(Ground), box.ID+".box")
	}
	return x.pairs
}

// expansion collects the terminations of one box.
type expansion struct{ pairs [][2]string }

func (x *expansion) join(a, b string) { x.pairs = append(x.pairs, [2]string{a, b}) }

// onDevice lands the line on the first terminal and all that goes on, on the second.
func (x *expansion) onDevice(box *Box, k Conductor, line *Cable, outgoing []*Cable) {
	v := &box.Devices[0]
	if line != nil && line.Has(k) {
		x.join(endOf(line, box, k), v.First(k))
	}
	for _, cable := range outgoing {
		if cable.Has(k) {
			x.join(endOf(cable, box, k), v.Second(k))
		}
	}
}

// spliced joins all cables, and a jumper to each device, in one splice; the
// cables the box names for a GFCI's load terminals land there.
func (x *expansion) spliced(box *Box, k Conductor, line *Cable, outgoing []*Cable) {
	var inSplice []*Cable
	for _, cable := range outgoing {
		if !slices.Contains(box.Load, cable.ID) {
			inSplice = append(inSplice, cable)
			continue
		}
		gfci := &box.Devices[slices.IndexFunc(box.Devices, func(v Device) bool { return v.Kind == GFCI })]
		if cable.Has(k) {
			x.join(endOf(cable, box, k), gfci.Second(k))
		}
	}
	if x.splice(box, k, line, inSplice) {
		for _, v := range box.Devices {
			x.join(spliceOf(k), v.First(k))
		}
	}
}

// splice joins one conductor of all the cables; it reports whether any has it.
func (x *expansion) splice(box *Box, k Conductor, line *Cable, outgoing []*Cable) bool {
	before := len(x.pairs)
	if line != nil && line.Has(k) {
		x.join(endOf(line, box, k), spliceOf(k))
	}
	for _, cable := range outgoing {
		if cable.Has(k) {
			x.join(endOf(cable, box, k), spliceOf(k))
		}
	}
	return len(x.pairs) > before
}

func endOf(cable *Cable, box *Box, k Conductor) string {
	return cable.ID + "@" + box.ID + "." + string(k)
}

func spliceOf(k Conductor) string { return splicePrefix + string(k) }
