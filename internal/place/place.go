// Package place says which shop is on which cluster, past what one cluster holds: a small file
// that a proxy or a name server reads, where a new shop goes, and which shops are to be moved
// when a cluster gets full.
package place

import (
	"bytes"
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"net/netip"
	"slices"
	"strings"

	"elvat/internal/shops"
)

// Format is what a directory file says it is.
const Format = "elvat-directory/1"

// A Cluster is one that shops are placed on.
type Cluster struct {
	// Addresses are those of its machines, host and port, that browsers are led to.
	Addresses []string `json:"addresses"`
	// Megabytes of databases that it may hold: each of its voters holds all of them in memory.
	Megabytes int `json:"megabytes"`
}

// A Shop is where it is, and how large.
type Shop struct {
	Hosts     []string `json:"hosts"`
	Cluster   string   `json:"cluster"`
	Megabytes int      `json:"megabytes"`
}

// A Directory is all of it.
type Directory struct {
	Format   string             `json:"format"`
	Clusters map[string]Cluster `json:"clusters"`
	Shops    map[string]Shop    `json:"shops"`
}

// Parse reads a directory; errors name the place.
func Parse(data []byte) (*Directory, error) {
	d := &Directory{}
	in := json.NewDecoder(bytes.NewReader(data))
	in.DisallowUnknownFields()
	if err := in.Decode(d); err != nil {
		return nil, err
	}
	if d.Format != Format {
		return nil, fmt.Errorf("format: %q, and not %q", d.Format, Format)
	}
	if d.Shops == nil {
		d.Shops = map[string]Shop{}
	}
	for _, name := range slices.Sorted(maps.Keys(d.Clusters)) {
		c := d.Clusters[name]
		if len(c.Addresses) == 0 || c.Megabytes <= 0 {
			return nil, fmt.Errorf("clusters: %s: addresses of its machines, and how many megabytes it may hold", name)
		}
		for _, a := range c.Addresses {
			if !strings.Contains(a, ":") {
				return nil, fmt.Errorf("clusters: %s: address %q: host and port", name, a)
			}
		}
	}
	at := map[string]string{}
	for _, name := range slices.Sorted(maps.Keys(d.Shops)) {
		s := d.Shops[name]
		checked := shops.Shop{Name: name, Hosts: slices.Clone(s.Hosts)}
		if err := checked.Check(); err != nil {
			return nil, fmt.Errorf("shops: %s: %w", name, err)
		}
		if _, ok := d.Clusters[s.Cluster]; !ok {
			return nil, fmt.Errorf("shops: %s: cluster %q is not in the file", name, s.Cluster)
		}
		if s.Megabytes < 0 {
			return nil, fmt.Errorf("shops: %s: megabytes: below zero", name)
		}
		for _, host := range checked.Hosts {
			if other, there := at[host]; there {
				return nil, fmt.Errorf("shops: %s: %s leads to %s already", name, host, other)
			}
			at[host] = name
		}
		s.Hosts = checked.Hosts
		d.Shops[name] = s
	}
	return d, nil
}

// Encode is the directory as a file.
func (d *Directory) Encode() ([]byte, error) {
	data, err := json.MarshalIndent(d, "", "  ")
	return append(data, '\n'), err
}

// Bounds of how full a cluster is to be, as shares of what it may hold: new shops go where there
// is room below the first; above the second some are moved away, until it is below the first again.
// Assumption: between them a shop grows for some months.
const (
	roomBelow = 0.70
	fullAbove = 0.85
)

// used are the megabytes on each cluster.
func (d *Directory) used() map[string]int {
	all := map[string]int{}
	for name := range d.Clusters {
		all[name] = 0
	}
	for _, s := range d.Shops {
		all[s.Cluster] += s.Megabytes
	}
	return all
}

// ErrFull means that no cluster has room: another is needed first.
var ErrFull = errors.New("no cluster has room: add one first")

// emptiest is the cluster on which so many megabytes more leave the smallest share used.
func (d *Directory) emptiest(used map[string]int, megabytes int, but string) (string, error) {
	best, least := "", roomBelow
	for name, c := range d.Clusters {
		share := float64(used[name]+megabytes) / float64(c.Megabytes)
		// Of two that are as empty, the first by name.
		if name != but && (share < least || share == least && (best == "" || name < best)) {
			best, least = name, share
		}
	}
	if best == "" {
		return "", ErrFull
	}
	return best, nil
}

// Add places a new shop; ErrFull where there is no room.
func (d *Directory) Add(name string, hosts []string, megabytes int) (cluster string, err error) {
	if _, there := d.Shops[name]; there {
		return "", fmt.Errorf("%s: %w", name, shops.ErrThere)
	}
	if cluster, err = d.emptiest(d.used(), megabytes, ""); err != nil {
		return "", err
	}
	next := &Directory{d.Format, d.Clusters, maps.Clone(d.Shops)}
	next.Shops[name] = Shop{hosts, cluster, megabytes}
	data, err := next.Encode()
	if err != nil {
		return "", err
	}
	checked, err := Parse(data)
	if err != nil {
		return "", err
	}
	d.Shops = checked.Shops
	return cluster, nil
}

// A Move is a shop to be moved.
type Move struct {
	Shop, From, To string
	Megabytes      int
}

// Plan says which shops are to be moved so that no cluster is fuller than it should be: few, and
// each to where there is room. ErrFull beside what can be moved, where there is not enough room.
func (d *Directory) Plan() (moves []Move, err error) {
	used := d.used()
	full := map[string][]Move{} // the shops of clusters that are too full
	for name, share := range used {
		if float64(share) > fullAbove*float64(d.Clusters[name].Megabytes) {
			full[name] = nil
		}
	}
	if len(full) == 0 {
		return nil, nil
	}
	for name, s := range d.Shops {
		if on, is := full[s.Cluster]; is {
			full[s.Cluster] = append(on, Move{Shop: name, From: s.Cluster, Megabytes: s.Megabytes})
		}
	}
	for _, from := range slices.Sorted(maps.Keys(full)) {
		most, on := float64(d.Clusters[from].Megabytes), full[from]
		// Large ones first: few are closed for a moment.
		slices.SortFunc(on, func(a, b Move) int {
			return cmp.Or(b.Megabytes-a.Megabytes, strings.Compare(a.Shop, b.Shop))
		})
		for _, m := range on {
			if float64(used[from]) <= roomBelow*most {
				break
			}
			to, problem := d.emptiest(used, m.Megabytes, from)
			if problem != nil {
				err = problem
				if _, none := d.emptiest(used, 1, from); none != nil {
					break
				}
				continue // a smaller one may find room
			}
			m.To = to
			used[from] -= m.Megabytes
			used[to] += m.Megabytes
			moves = append(moves, m)
		}
		if float64(used[from]) <= roomBelow*most {
			err = nil
		}
	}
	return moves, err
}

// Carry notes that a shop is on another cluster now.
func (d *Directory) Carry(shop, to string) error {
	s, ok := d.Shops[shop]
	if !ok {
		return fmt.Errorf("%s: %w", shop, shops.ErrUnknown)
	}
	if _, ok := d.Clusters[to]; !ok {
		return fmt.Errorf("cluster %q is not in the file", to)
	}
	s.Cluster = to
	d.Shops[shop] = s
	return nil
}

// Map is a line for each host name, with the addresses of the machines that serve it: what a proxy
// takes in.
func (d *Directory) Map() string {
	return d.lines(func(host string, c Cluster) string { return host + " " + strings.Join(c.Addresses, " ") + "\n" })
}

// zoneTTL is how long resolvers keep an address, in seconds: as long as a moved shop is looked for
// at its old place at most.
const zoneTTL = 60

// Zone is a record for each host name and machine, as a name server takes in (RFC 1035, 5; AAAA
// RFC 3596). A machine that has a name and no address is led to by CNAME, and is the only one then.
func (d *Directory) Zone() string {
	return d.lines(func(host string, c Cluster) string {
		var out strings.Builder
		for _, a := range c.Addresses {
			at, err := netip.ParseAddrPort(a)
			switch {
			case err != nil:
				name := a[:strings.LastIndexByte(a, ':')]
				return fmt.Sprintf("%s. %d IN CNAME %s.\n", host, zoneTTL, strings.TrimSuffix(name, "."))
			case at.Addr().Is4():
				fmt.Fprintf(&out, "%s. %d IN A %s\n", host, zoneTTL, at.Addr())
			default:
				fmt.Fprintf(&out, "%s. %d IN AAAA %s\n", host, zoneTTL, at.Addr())
			}
		}
		return out.String()
	})
}

func (d *Directory) lines(line func(host string, c Cluster) string) string {
	at := map[string]Cluster{}
	for _, s := range d.Shops {
		for _, host := range s.Hosts {
			at[host] = d.Clusters[s.Cluster]
		}
	}
	var out strings.Builder
	for _, host := range slices.Sorted(maps.Keys(at)) {
		out.WriteString(line(host, at[host]))
	}
	return out.String()
}
