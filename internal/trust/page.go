package trust

import (
	"bytes"
	"embed"
	"html/template"
	"net/http"
	"strconv"
	"strings"
)

//go:embed page/page.html page/page.js page/check.js page/page.css
var pages embed.FS

var page = template.Must(template.ParseFS(pages, "page/page.html"))

// Path is where the page is served.
const Path = "/trust"

// Handler serves the page that says how a phone is made to trust this shop, what it installs
// for that, and a check of whether it does. at is the address of the application, where the
// page is served without TLS beside it; "" on the application itself.
func (a *Authority) Handler(shop, at string) http.Handler {
	if shop == "" {
		shop = a.Certificate.Subject.Organization[0]
	}
	mux := http.NewServeMux()
	mux.HandleFunc("GET "+Path, func(w http.ResponseWriter, _ *http.Request) {
		var out bytes.Buffer
		if err := page.Execute(&out, map[string]any{
			"Shop": shop, "At": at, "Names": a.Names(), "Pairs": strings.Split(a.Fingerprint(), ":"), "Until": a.Certificate.NotAfter.Format("2 January 2006"),
		}); err != nil {
			http.Error(w, err.Error(), http.StatusInternalServerError)
			return
		}
		send(w, "text/html; charset=utf-8", out.Bytes())
	})
	mux.HandleFunc("GET "+Path+"/elvat.cer", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Disposition", `attachment; filename="elvat.cer"`)
		send(w, "application/x-x509-ca-cert", a.Certificate.Raw)
	})
	mux.HandleFunc("GET "+Path+"/elvat.mobileconfig", func(w http.ResponseWriter, _ *http.Request) {
		made, err := a.Profile(shop)
		if err != nil {
			http.Error(w, err.Error(), http.StatusInternalServerError)
			return
		}
		send(w, "application/x-apple-aspen-config", made)
	})
	for name, media := range map[string]string{"page.js": "text/javascript", "check.js": "text/javascript", "page.css": "text/css"} {
		mux.HandleFunc("GET "+Path+"/"+name, func(w http.ResponseWriter, _ *http.Request) {
			data, err := pages.ReadFile("page/" + name)
			if err != nil {
				http.Error(w, err.Error(), http.StatusInternalServerError)
				return
			}
			send(w, media, data)
		})
	}
	if at != "" {
		mux.Handle("GET /{$}", http.RedirectHandler(Path, http.StatusFound))
	}
	return mux
}

func send(w http.ResponseWriter, media string, data []byte) {
	w.Header().Set("Content-Type", media)
	w.Header().Set("Content-Length", strconv.Itoa(len(data)))
	w.Header().Set("Cache-Control", "no-store")
	_, _ = w.Write(data) // who asked has gone
}
