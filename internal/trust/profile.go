package trust

import (
	"bytes"
	"crypto/sha256"
	_ "embed"
	"encoding/base64"
	"encoding/xml"
	"fmt"
	"text/template"
)

//go:embed page/profile.xml
var profile string

var profileTemplate = template.Must(template.New("profile").Parse(profile))

// Profile is the certificate as the platforms install it that take settings as a profile: a
// property list with one payload.
func (a *Authority) Profile(shop string) ([]byte, error) {
	sum := sha256.Sum256(a.Certificate.Raw)
	id := func(n byte) string { // the same certificate is the same profile, installed again
		u := sha256.Sum256(append(sum[:], n))
		return fmt.Sprintf("%X-%X-%X-%X-%X", u[:4], u[4:6], u[6:8], u[8:10], u[10:16])
	}
	var shown bytes.Buffer
	if err := xml.EscapeText(&shown, []byte(shop)); err != nil {
		return nil, err
	}
	var out bytes.Buffer
	err := profileTemplate.Execute(&out, map[string]string{
		"Shop": shown.String(), "Certificate": base64.StdEncoding.EncodeToString(a.Certificate.Raw),
		"Whole": id(0), "Payload": id(1), "Name": fmt.Sprintf("%x", sum[:8]),
	})
	return out.Bytes(), err
}
