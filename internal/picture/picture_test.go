package picture

import (
	"bytes"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// noise is a picture that packs badly.
func noise(w, h int) image.Image {
	r := rand.New(rand.NewPCG(1, 2))
	m := image.NewRGBA(image.Rect(0, 0, w, h))
	for i := range m.Pix {
		m.Pix[i] = byte(r.Uint32())
	}
	return m
}

func jpegOf(t *testing.T, m image.Image) []byte {
	var out bytes.Buffer
	require.NoError(t, jpeg.Encode(&out, m, nil))
	return out.Bytes()
}

func pngOf(t *testing.T, m image.Image) []byte {
	var out bytes.Buffer
	require.NoError(t, png.Encode(&out, m))
	return out.Bytes()
}

// passes is a progressive JPEG of grey, w by h, that refines the same coefficient again and
// again. Source: ITU-T T.81, annex B and G (from memory).
func passes(w, h uint16, scans int) []byte {
	out := []byte{0xff, 0xd8, 0xff, 0xdb, 0, 67, 0}
	out = append(out, bytes.Repeat([]byte{1}, 64)...)
	out = append(out, 0xff, 0xc2, 0, 11, 8, byte(h>>8), byte(h), byte(w>>8), byte(w), 1, 1, 0x11, 0)
	// One code of one bit: no coefficient changes.
	for _, class := range []byte{0x00, 0x10} {
		out = append(out, 0xff, 0xc4, 0, 20, class, 1, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0)
	}
	for i := range scans {
		spectral := []byte{0, 0, 0}
		if i > 0 {
			spectral = []byte{1, 63, 0}
		}
		out = append(out, 0xff, 0xda, 0, 8, 1, 1, 0)
		out = append(out, spectral...)
		out = append(out, bytes.Repeat([]byte{0}, int(w/8)*int(h/8)/8+8)...)
	}
	return append(out, 0xff, 0xd9)
}

// TestRedraw: what is a picture is drawn anew with nothing beside it; what asks for more than
// it may is refused at once, and says why.
func TestRedraw(t *testing.T) {
	small := jpegOf(t, noise(64, 48))
	hidden := append(append(append([]byte{}, small[:2]...), "\xff\xe1\x00\x10Exif secret 12"...), small[2:]...)
	thumbnail := append(append(append([]byte{}, small[:2]...), "\xff\xe1\x01\x00"+strings.Repeat("\xff\xda", 127)...), small[2:]...)
	many := passes(2000, 2000, 250)
	for _, row := range []struct {
		name string
		data []byte
		most Bound
		says string
	}{
		{"a JPEG", small, OfCustomers, ""},
		{"a PNG", pngOf(t, noise(64, 48)), OfCustomers, ""},
		{"with a place in it", hidden, OfCustomers, ""},
		{"marks of passes within a comment are none", thumbnail, OfCustomers, ""},
		{"with something after it", append(append([]byte{}, small...), "<script>"...), OfCustomers, ""},
		{"nothing", nil, OfPeople, "not a JPEG or PNG"},
		{"a text", []byte("hello"), OfPeople, "not a JPEG or PNG"},
		{"cut off", small[:len(small)/2], OfPeople, "damaged"},
		{"larger than a customer may", pngOf(t, image.NewGray(image.Rect(0, 0, 3000, 2000))), OfCustomers, "3000 by 2000 pixels"},
		{"250 passes", many, OfPeople, "passes"},
		{"few passes", passes(64, 64, 3), OfCustomers, ""},
		{"passes over more than is kept whole", passes(4000, 4000, 2), OfPeople, "4000 by 4000"},
		{"16 bits a colour", pngOf(t, image.NewNRGBA64(image.Rect(0, 0, 4000, 4000))), OfPeople, "4000 by 4000"},
	} {
		began := time.Now()
		clean, err := Redraw(row.data, row.most)
		assert.Less(t, time.Since(began), 5*time.Second, row.name)
		if row.says != "" {
			require.ErrorContains(t, err, row.says, row.name)
			continue
		}
		require.NoError(t, err, row.name)
		assert.True(t, bare(clean), row.name)
		assert.NotContains(t, string(clean), "secret")
		assert.NotContains(t, string(clean), "script")
	}
}

// TestTime: a picture that takes longer than it may is given up.
func TestTime(t *testing.T) {
	_, err := Redraw(jpegOf(t, noise(1500, 1500)), Bound{Pixels: 4 << 20, Time: time.Nanosecond})
	require.ErrorIs(t, err, ErrTime)
}

// TestKept: what is bare already is not drawn again and again.
func TestKept(t *testing.T) {
	clean, err := Redraw(pngOf(t, noise(40, 30)), OfPeople)
	require.NoError(t, err)
	again, err := Kept(clean, OfPeople)
	require.NoError(t, err)
	assert.Equal(t, clean, again)
	other, err := Kept(append(clean, "after"...), OfPeople)
	require.NoError(t, err)
	assert.NotContains(t, string(other), "after")
	_, err = Kept([]byte("x"), OfPeople)
	require.Error(t, err)
	m, err := jpeg.Decode(bytes.NewReader(clean))
	require.NoError(t, err)
	assert.Equal(t, image.Pt(40, 30), m.Bounds().Size())
	assert.NotEqual(t, color.Black, m.At(1, 1))
}

// FuzzRedraw: whatever is sent, it ends, in a picture or an error.
func FuzzRedraw(f *testing.F) {
	var small bytes.Buffer
	require.NoError(f, jpeg.Encode(&small, noise(16, 16), nil))
	f.Add(small.Bytes())
	f.Add(passes(16, 16, 3))
	f.Add([]byte("\x89PNG\r\n\x1a\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		clean, err := Kept(data, Bound{Pixels: 1 << 18, Time: time.Second})
		if err != nil {
			return
		}
		if !bare(clean) {
			t.Error("something beside the picture was kept")
		}
	})
}
