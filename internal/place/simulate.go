package place

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"time"
)

// What a shop writes, as the made-up history of a shop with five vans has it (docs/scale.md says
// how it was measured): a van has 500 calls a year, a call 52 actions and 33.8 kB of database, its
// photographs lie elsewhere.
const (
	callsOfVan     = 500  // a year
	actionsOfCall  = 52.4 // measured
	kilobytesACall = 33.8 // measured
	// writesOfAction: each is a transaction, and what is worked out after it is most often another.
	writesOfAction = 2.2
)

// vans are the sizes of shops and their shares. Assumption: most have one or two.
var vans = []struct {
	vans  int
	share float64
}{{1, 0.55}, {2, 0.20}, {3, 0.10}, {5, 0.09}, {10, 0.045}, {20, 0.015}}

// Simulated is what came of a simulation.
type Simulated struct {
	Shops, Vans, Clusters int
	Megabytes             int // of databases
	Moved                 int // shops, in all
	MovedMegabytes        int
	Fullest, Emptiest     float64 // shares of what a cluster may hold, at the end
	BusiestHour           float64 // writes a second on the busiest cluster, in its busiest hour
	TookPlacing           time.Duration
}

// busyHour is how much of a year's writes fall into its busiest hour: 250 days of eight hours, and
// three times the mean in one of them. Assumption.
const busyHour = 3.0 / (250 * 8 * 3600)

// Simulate places so many shops that come evenly over the years, lets them grow month by month, and
// moves and adds clusters as the plan says. megabytes is what a cluster may hold.
func Simulate(shops, years, megabytes int, seed uint64) (*Simulated, error) {
	random := rand.New(rand.NewPCG(seed, 17))
	d := &Directory{Format: Format, Clusters: map[string]Cluster{}, Shops: map[string]Shop{}}
	out := &Simulated{Shops: shops}
	used := map[string]int{}
	another := func() {
		d.Clusters[fmt.Sprintf("c%04d", len(d.Clusters))] = Cluster{[]string{"machine:443"}, megabytes}
	}
	another()
	type grows struct {
		name      string
		vans      int
		kilobytes float64
	}
	var all []grows
	start := time.Now()
	months := 12 * years
	for month := range months {
		for len(all) < shops*(month+1)/months {
			g := grows{name: fmt.Sprintf("shop-%06d", len(all)), vans: draw(random)}
			out.Vans += g.vans
			cluster, err := d.emptiest(used, 1, "")
			if err != nil {
				another()
				if cluster, err = d.emptiest(used, 1, ""); err != nil {
					return nil, err
				}
			}
			d.Shops[g.name] = Shop{[]string{g.name + ".example"}, cluster, 1}
			used[cluster]++
			all = append(all, g)
		}
		for i := range all {
			g := &all[i]
			// Some months have more calls than others.
			g.kilobytes += float64(g.vans) * callsOfVan / 12 * kilobytesACall * (0.7 + 0.6*random.Float64())
			s := d.Shops[g.name]
			grown := max(1, int(g.kilobytes/1000))
			used[s.Cluster] += grown - s.Megabytes
			s.Megabytes = grown
			d.Shops[g.name] = s
		}
		for {
			moves, err := d.Plan()
			for _, m := range moves {
				if err := d.Carry(m.Shop, m.To); err != nil {
					return nil, err
				}
				out.Moved++
				out.MovedMegabytes += m.Megabytes
				used[m.From] -= m.Megabytes
				used[m.To] += m.Megabytes
			}
			if err == nil {
				break
			}
			another()
		}
	}
	out.TookPlacing = time.Since(start)
	out.Clusters = len(d.Clusters)
	writes := map[string]float64{}
	for _, g := range all {
		writes[d.Shops[g.name].Cluster] += float64(g.vans) * callsOfVan * actionsOfCall * writesOfAction * busyHour
	}
	out.Emptiest = 1
	for _, name := range slices.Sorted(maps.Keys(d.Clusters)) {
		share := float64(used[name]) / float64(megabytes)
		out.Fullest, out.Emptiest = max(out.Fullest, share), min(out.Emptiest, share)
		out.Megabytes += used[name]
		out.BusiestHour = max(out.BusiestHour, writes[name])
	}
	return out, nil
}

func draw(random *rand.Rand) int {
	at := random.Float64()
	for _, v := range vans {
		if at -= v.share; at < 0 {
			return v.vans
		}
	}
	return vans[0].vans
}
