package place_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/internal/place"
)

const file = `{"format": "elvat-directory/1",
 "clusters": {"a": {"addresses": ["192.0.2.1:443", "192.0.2.2:443"], "megabytes": 1000}, "b": {"addresses": ["[2001:db8::1]:443"], "megabytes": 1000}},
 "shops": {"north": {"hosts": ["north.example", "n.example"], "cluster": "a", "megabytes": 300}, "south": {"hosts": ["South.example"], "cluster": "b", "megabytes": 100}}}`

func TestParse(t *testing.T) {
	d, err := place.Parse([]byte(file))
	require.NoError(t, err)
	assert.Equal(t, []string{"south.example"}, d.Shops["south"].Hosts)
	for _, c := range []struct{ from, to, says string }{
		{"elvat-directory/1", "elvat-directory/2", "format"},
		{`"cluster": "a"`, `"cluster": "c"`, `shops: north: cluster "c" is not in the file`},
		{`"192.0.2.1:443"`, `"192.0.2.1"`, "clusters: a: address"},
		{`"megabytes": 1000}, "b"`, `"megabytes": 0}, "b"`, "clusters: a"},
		{"South.example", "n.example", "shops: south: n.example leads to north already"},
		{"South.example", "10.0.0.1", "shops: south: hosts"},
		{`"megabytes": 100}`, `"megabytes": -1}`, "shops: south: megabytes"},
		{`"hosts": ["South.example"]`, `"host": "x"`, `unknown field "host"`},
	} {
		_, err := place.Parse([]byte(strings.Replace(file, c.from, c.to, 1)))
		assert.ErrorContains(t, err, c.says, c.to)
	}
}

// TestRead: what a proxy and a name server take in. Records as RFC 1035, 5.3 and RFC 3596 write them.
func TestRead(t *testing.T) {
	d, err := place.Parse([]byte(file))
	require.NoError(t, err)
	assert.Equal(t, "n.example 192.0.2.1:443 192.0.2.2:443\nnorth.example 192.0.2.1:443 192.0.2.2:443\nsouth.example [2001:db8::1]:443\n", d.Map())
	assert.Equal(t, `n.example. 60 IN A 192.0.2.1
n.example. 60 IN A 192.0.2.2
north.example. 60 IN A 192.0.2.1
north.example. 60 IN A 192.0.2.2
south.example. 60 IN AAAA 2001:db8::1
`, d.Zone())
	again, err := d.Encode()
	require.NoError(t, err)
	same, err := place.Parse(again)
	require.NoError(t, err)
	assert.Equal(t, d, same)
}

func TestPlan(t *testing.T) {
	d, err := place.Parse([]byte(file))
	require.NoError(t, err)
	at, err := d.Add("east", []string{"east.example"}, 50)
	require.NoError(t, err)
	assert.Equal(t, "b", at, "the emptier one")
	_, err = d.Add("west", []string{"EAST.example"}, 50)
	require.ErrorContains(t, err, "east.example leads to east already")
	assert.NotContains(t, d.Shops, "west")
	_, err = d.Add("east", []string{"x.example"}, 50)
	require.ErrorContains(t, err, "there is a shop of that name already")
	_, err = d.Add("huge", []string{"huge.example"}, 900)
	require.ErrorIs(t, err, place.ErrFull)

	moves, err := d.Plan()
	require.NoError(t, err)
	assert.Empty(t, moves, "nothing is full")
	for i := range 6 {
		d.Shops[fmt.Sprintf("s%d", i)] = place.Shop{Hosts: []string{fmt.Sprintf("s%d.example", i)}, Cluster: "a", Megabytes: 100}
	}
	moves, err = d.Plan() // a holds 900 of 1000: until it is at 700 or below, the largest first
	require.NoError(t, err)
	assert.Equal(t, []place.Move{{"north", "a", "b", 300}}, moves)
	require.NoError(t, d.Carry("north", "b"))
	require.Error(t, d.Carry("north", "c"))
	require.Error(t, d.Carry("nobody", "b"))
	moves, err = d.Plan()
	require.NoError(t, err)
	assert.Empty(t, moves, "it is settled")
	for i := range 4 {
		d.Shops[fmt.Sprintf("t%d", i)] = place.Shop{Hosts: []string{fmt.Sprintf("t%d.example", i)}, Cluster: "a", Megabytes: 100}
	}
	_, err = d.Plan()
	require.ErrorIs(t, err, place.ErrFull, "another cluster is needed")
}

// TestSimulate: by hand for the sum of it; no cluster is fuller than it should be, and few shops
// are moved.
func TestSimulate(t *testing.T) {
	s, err := place.Simulate(3000, 3, 48_000, 1)
	require.NoError(t, err)
	assert.Equal(t, 3000, s.Shops)
	// 0.55·1 + 0.2·2 + 0.1·3 + 0.09·5 + 0.045·10 + 0.015·20 = 2.45 vans a shop.
	assert.InEpsilon(t, 3000*2.45, s.Vans, 0.05)
	// Who comes evenly over three years is there for half of them: 1.5 years of 500 calls of 33.8 kB.
	assert.InEpsilon(t, float64(s.Vans)*1.5*500*0.0338, s.Megabytes, 0.05)
	assert.LessOrEqual(t, s.Fullest, 0.85)
	assert.GreaterOrEqual(t, float64(s.Clusters)*48_000, float64(s.Megabytes))
	assert.Less(t, s.Moved, s.Shops/4)
	again, err := place.Simulate(3000, 3, 48_000, 1)
	require.NoError(t, err)
	again.TookPlacing = s.TookPlacing
	assert.Equal(t, s, again, "the same seed, the same")
}
