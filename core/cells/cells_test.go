package cells

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestPlain(t *testing.T) {
	for _, row := range [][2]string{
		{"", ""}, {"Kitchen", "Kitchen"}, {"12-2", "12-2"}, {" left", " left"}, {"a=1", "a=1"},
		{"=1+1", "'=1+1"}, {"+49", "'+49"}, {"-1", "'-1"}, {"@SUM(A1)", "'@SUM(A1)"}, {"\t=1", "'\t=1"}, {"\r=1", "'\r=1"}, {"\n=1", "'\n=1"},
		{"  =1", "'  =1"}, {"\u00a0=1", "'\u00a0=1"}, {"\ufeff=1", "'\ufeff=1"}, {"＝1", "'＝1"}, {"\x00=1", "'\x00=1"},
	} {
		assert.Equal(t, row[1], Plain(row[0]), "%q", row[0])
	}
	assert.Equal(t, []string{"a", "'=b"}, Row("a", "=b"))
}
