package job

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestRoles(t *testing.T) {
	for _, row := range []struct {
		role Role
		may  []Access
	}{
		{Electrician, Accesses},
		{Helper, []Access{Read, WorkOn, Plan, Anybody, SignedIn}},
		{Office, []Access{Read, Plan, Anybody, SignedIn}},
		{"", []Access{Anybody}},
		{"owner", []Access{Anybody}},
	} {
		for _, a := range Accesses {
			assert.Equal(t, slices.Contains(row.may, a), row.role.May(a), "%q %s", row.role, a)
		}
		assert.Equal(t, row.role != "" && row.role != "owner", row.role.Check() == nil, row.role)
	}
	assert.Equal(t, Pass, (&Entry{Kind: Override}).Needs(), "a gate is passed by who may")
	assert.Equal(t, WorkOn, (&Entry{Kind: Note}).Needs())
}

func TestDirectoryCSV(t *testing.T) {
	want := Directory{{Breaker: "1", Amps: 20, Serves: "Kiln"}, {Breaker: "2", Serves: "Loom, left"}}
	for _, row := range []struct{ name, csv string }{
		{"no header", "1,20,Kiln\n2,,\"Loom, left\"\n"},
		{"header in another order", "Serves,Breaker,Amps\nKiln,1,20\n\"Loom, left\",2,\n"},
		{"semicolons, as some spreadsheets write", "breaker;amps;serves\n1;20 A;Kiln\n2;;Loom, left\n"},
		{"tabs, byte order mark, blank rows, line ends", "\xef\xbb\xbfbreaker\tamps\tserves\r\n1\t20A\tKiln\r\n\r\n2\t\tLoom, left\r\n"},
		{"columns of others are left alone", "breaker,amps,serves,wire\n1,20,Kiln,12\n2,,\"Loom, left\",14\n"},
	} {
		d, err := ParseDirectoryCSV([]byte(row.csv))
		assert.NoError(t, err, row.name)
		assert.Equal(t, want, d, row.name)
	}
	for _, row := range []struct{ csv, says string }{
		{"", "no row names a breaker"}, {"breaker,amps,serves\n", "no row names a breaker"},
		{"breaker,amps\n1,twenty\n", `row 2: amps: "twenty" is no number`}, {"amps,serves\n20,Kiln\n", "row 1: no column is named breaker"},
		{"1,20,Kiln\n1,15,Loft\n", "breaker 1 stands there twice"}, {"1,9000,Kiln\n", "out of bounds"}, {"1,20,\"Kiln\n", "directory:"},
		{"1,20,Kiln,maybe\n", `checked: "maybe"`}, {",20,Kiln\n", "breaker is missing"},
	} {
		_, err := ParseDirectoryCSV([]byte(row.csv))
		assert.ErrorContains(t, err, row.says, row.csv)
	}
	d := Directory{
		{Breaker: "1", Amps: 20, Serves: "Kiln", Checked: true},
		{Breaker: "2", Amps: 12.5, Serves: "a \"b\", c"},
	}
	out, err := d.CSV()
	assert.NoError(t, err)
	again, err := ParseDirectoryCSV(out)
	assert.NoError(t, err)
	assert.Equal(t, d, again, "out and in again")
	out, err = Directory{{Breaker: "1", Serves: "=2+3"}}.CSV()
	assert.NoError(t, err)
	assert.Contains(t, string(out), "'=2+3", "no formula for a spreadsheet")
}
