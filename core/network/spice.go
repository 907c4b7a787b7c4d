package network

import (
	"bufio"
	"fmt"
	"io"
	"math"
	"math/cmplx"
)

// WriteSPICE writes the plan as a SPICE deck: one ac analysis at the supply's
// frequency with rms sources, printing the voltage of every node. Node 0 is
// earth, node n is the plan's node n-1, named in the comments at the top.
func (p *Plan) WriteSPICE(out io.Writer, title string) error {
	w := bufio.NewWriter(out)
	fmt.Fprintf(w, "* %s\n* Nodes, all against earth (node 0); sources in volts rms:\n", title)
	for i, name := range p.Names {
		fmt.Fprintf(w, "* %d = %s\n", i+1, name)
	}
	for i, b := range p.Branches {
		a, z := spiceNode(b.A), spiceNode(b.B)
		if b.EMF != 0 {
			inner := fmt.Sprintf("s%d", i)
			r, phase := cmplx.Polar(b.EMF)
			fmt.Fprintf(w, "V%d %s %s AC %.12g %.12g\n", i, inner, a, r, phase*180/math.Pi)
			a = inner
		}
		fmt.Fprintf(w, "Rb%d %s %s %.12g\n", i, a, z, b.Ohms)
	}
	for i, s := range p.Shunts {
		if s.Siemens != 0 {
			fmt.Fprintf(w, "Rs%d %s %s %.12g\n", i, spiceNode(s.A), spiceNode(s.B), 1/s.Siemens)
		}
		if s.Farads != 0 {
			fmt.Fprintf(w, "Cs%d %s %s %.12g\n", i, spiceNode(s.A), spiceNode(s.B), s.Farads)
		}
	}
	fmt.Fprintf(w, ".control\nset numdgt=9\nac lin 1 %g %g\n", p.Hz, p.Hz)
	for i := range p.Names {
		fmt.Fprintf(w, "print v(%d)\n", i+1)
	}
	fmt.Fprint(w, "quit\n.endc\n.end\n")
	return w.Flush()
}

func spiceNode(n Node) string { return fmt.Sprint(int(n) + 1) }
