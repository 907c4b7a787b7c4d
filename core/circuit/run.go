package circuit

// Order lists the boxes that hang on the panel, nearest first along each run,
// a branch right after the box it leaves from.
func (c *Circuit) Order() []string {
	var order []string
	seen := map[string]bool{Panel: true}
	var walk func(box string)
	walk = func(box string) {
		for _, cable := range c.Outgoing(box) {
			if seen[cable.To] {
				continue
			}
			seen[cable.To] = true
			order = append(order, cable.To)
			walk(cable.To)
		}
	}
	walk(Panel)
	return order
}

// Upstream lists the boxes from the given one towards the panel, itself first.
func (c *Circuit) Upstream(box string) []string {
	var path []string
	for box != Panel && len(path) <= len(c.Boxes) {
		path = append(path, box)
		cable := c.LineCable(box)
		if cable == nil {
			break
		}
		box = cable.From
	}
	return path
}

// FeetBetween is the length of cable along the run from one box, or the panel, to another.
func (c *Circuit) FeetBetween(one, other string) float64 {
	far := func(box string) map[string]float64 { // to each box on the way to the panel
		feet, at := map[string]float64{box: 0}, 0.0
		for _, id := range c.Upstream(box) {
			cable := c.LineCable(id)
			if cable == nil {
				break
			}
			at += cable.Feet
			feet[cable.From] = at
		}
		return feet
	}
	from, to := far(one), far(other)
	least, found := 0.0, false
	for box, feet := range from {
		if more, ok := to[box]; ok && (!found || feet+more < least) {
			least, found = feet+more, true
		}
	}
	return least
}
