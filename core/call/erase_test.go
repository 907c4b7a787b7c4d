package call

import (
	"encoding/json"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"elvat/core/job"
)

// TestEraseKeepsTheWork: what was written about the work stays word for word, but for the
// names of rooms; what was written about people goes.
func TestEraseKeepsTheWork(t *testing.T) {
	r := begun(t)
	for i, label := range []string{"Ada", "Ada's loft", "e"} {
		o := &onLoft{t: t, r: r, n: 10 * i}
		o.must(o.do(job.Electrician, "desk", &ChangeStop{Box: fmt.Sprint("B", i+1), Label: new(label)}))
		r = o.r
	}
	for _, row := range []struct{ kind, text, want string }{
		{"found", "Loose neutral at Ada's loft: adapter, one screw.", "Loose neutral at B2: adapter, one screw."},
		{"found", "Ada Ada, and Ada.", "B1 B1, and B1."},
		{"found", "the e of the meter", "the B3 of the meter"},
		{"marking", "No equipment ground", "No equipment ground"},
		{"note", "ask Ada", Erased},
		{"second-source", "red is live in Ada", "red is live in B1"},
	} {
		e := job.Entry{Kind: job.Kind(row.kind), Text: row.text, Box: "B1"}
		document, err := eraseEntry(marshalled(t, e), r.rooms())
		require.NoError(t, err)
		var after job.Entry
		require.NoError(t, json.Unmarshal(document, &after))
		assert.Equal(t, row.want, after.Text, row.text)
	}
	over := job.Entry{Kind: job.HandedOver, Who: "Bo", To: "Ada", Signature: "M 1 1"}
	document, err := eraseEntry(marshalled(t, over), r.rooms())
	require.NoError(t, err)
	assert.JSONEq(t, `{"kind":"handed-over","who":"Bo"}`, string(document), "by whom it was done stays")
	parts, err := r.Erase()
	require.NoError(t, err)
	erased, err := Open(r.ID, parts, nil)
	require.NoError(t, err)
	assert.Len(t, erased.Circuit.Boxes, len(r.Circuit.Boxes))
	for i := range erased.Circuit.Boxes {
		assert.Empty(t, erased.Circuit.Boxes[i].Label)
	}
}

func marshalled(t *testing.T, v any) json.RawMessage {
	document, err := json.Marshal(v)
	require.NoError(t, err)
	return document
}
